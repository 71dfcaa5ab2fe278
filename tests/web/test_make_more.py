"""Tubes, structures, stands, welding and cut lists by their pages: begun from nothing, changed, refused, taken out."""

import html
import json
import math
import re
import unittest

import pypdfium2

from elmpeg.core.calculators import one_way
from elmpeg.core.methods.tubes.tube_ends import FurtherCut
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.stand_checks import stand_findings
from elmpeg.core.stages.make.stand_shape import StandState
from tests.shop import TestShop


def plain(text):
    return html.unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", text)))


class Pages(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo, self.orla = self.shop.browser("teo"), self.shop.browser("orla")
        self.where = "/builds/cairn-2/make"

    def build(self):
        return self.shop.shop.builds.head("cairn-2").build

    def post(self, path, who=None, **fields):
        fields = {"base": str(self.shop.shop.builds.head("cairn-2").number), "option": "low", **fields}
        return (who or self.teo).post(f"{self.where}{path}", **fields)

    def page(self, path, **fields):
        query = "&".join(f"{k}={v}" for k, v in {"option": "low", **fields}.items())
        return plain(self.teo.get(f"{self.where}{path}?{query}").text)


class Tubes(Pages):
    def test_from_a_name_to_a_wrap(self):
        self.assertEqual(
            self.post("/tube", tube_name="Hoop leg", section="round", across="40", wall="2", long="500", tube_material="steel").status_code,
            204,
        )
        fields = {
            "piece": "hoop-leg", "name": "Hoop leg", "material": "steel", "count": "2", "hand": "pair", "used_at": "hoop", "section": "round", "across": "40",
            "wall": "2", "high": "0", "legs": "500", "bends": "", "holes": "h1; 250; 90; 8.5",
        }  # fmt: skip
        for which in ("start", "end"):
            fields |= {
                f"{which}_cut": "cope",
                f"{which}_angle": "80",
                f"{which}_onto": "60",
                f"{which}_offset": "0",
                f"{which}_turn": "0" if which == "start" else "90",
                f"{which}_gap": "0",
            }
        self.assertEqual(self.post("/piece/tube", **fields).status_code, 200)
        piece = self.build().piece("hoop-leg")
        self.assertEqual(
            (piece.count, piece.tube.start.cut, piece.tube.end.turn_deg, piece.tube.holes[0].turn_deg), (2, "cope", 90.0, 90.0)
        )
        brace = self.post("/piece/tube", **fields, start_also="55; 40; 0; 180; 6.5; acute")
        self.assertEqual(brace.status_code, 200)
        self.assertEqual(self.build().piece("hoop-leg").tube.start.also, (FurtherCut(55.0, 40.0, 0.0, 180.0, 6.5, "acute"),))
        self.assertIn("55; 40; 0; 180; 6.5; acute", brace.text)
        self.assertEqual(self.post("/piece/tube", **fields, start_also="5; 40").status_code, 422)
        self.assertEqual(self.post("/piece/tube", **fields, start_also="55; 40; 0; 180; 6.5; sideways").status_code, 422)
        shown = self.page("/piece", piece="hoop-leg", part="wraps")
        self.assertIn("Wraps on A4", shown)
        pdf = self.teo.get(f"{self.where}/piece/wrap.pdf?option=low&piece=hoop-leg&paper=a4")
        document = pypdfium2.PdfDocument(pdf.content)
        said = " ".join(page.get_textpage().get_text_range() for page in document)
        self.assertIn("seam line", said)
        self.assertIn("The two ends stand turned by 90.0 degrees", said.replace("\r\n", " "))
        self.assertIn("on the shelf", self.page("/piece", piece="hoop-leg", part="slides"))
        self.assertEqual(self.post("/piece/made", piece="hoop-leg", made_of="metal", changed="cut both").status_code, 200)
        self.assertIn("as long as is wanted today", self.page("/piece", piece="hoop-leg"))

    def test_a_wrap_printed_too_small_is_not_cut_after(self):
        own = "hoist-crossmember-cross"
        self.assertEqual(self.post("/piece/made", piece=own, made_of="print", changed="first wraps").status_code, 200)
        unproved = self.post("/piece/made", piece=own, made_of="metal", changed="cut")
        self.assertIn("measure the square", plain(unproved.text))
        self.assertEqual(self.post("/piece/square", piece=own, paper="A4", x="145.5", y="150").status_code, 200)
        self.assertIn("print it at 103.09 % across and 100.00 % up", self.page("/piece", piece=own, part="wraps"))
        self.assertEqual(self.post("/piece/made", piece=own, made_of="metal", changed="cut").status_code, 422)
        small, made_up = (
            pypdfium2.PdfDocument(self.teo.get(f"{self.where}/piece/wrap.pdf?option=low&piece={own}{more}").content)
            for more in ("", "&again=1")
        )
        self.assertEqual(len(small), len(made_up))
        self.assertNotEqual(small[0].render().to_numpy().tobytes(), made_up[0].render().to_numpy().tobytes())
        self.assertEqual(self.post("/piece/square", piece=own, paper="A4 again", x="150", y="150").status_code, 200)
        self.assertIn("The last print is true", self.page("/piece", piece=own, part="wraps"))
        self.assertEqual(self.post("/piece/made", piece=own, made_of="metal", changed="cut").status_code, 200)

    def test_what_goes_on_no_paper_needs_no_measured_square(self):
        turned = next(p.id for p in self.build().pieces if p.turned is not None)
        for made_of in ("print", "metal"):
            self.assertEqual(self.post("/piece/made", piece=turned, made_of=made_of, changed="a first one").status_code, 200)

    def test_a_refusal_stands_beside_its_field_and_loses_nothing(self):
        before = self.build().piece("hose-stay")
        fields = {
            "piece": "hose-stay", "name": "Hose stay, bent", "material": "steel", "count": "1", "hand": "either", "section": "round", "across": "25", "wall": "2",
            "high": "0", "legs": "260; 340; 180", "bends": "60; 75; 0\n45; tight; 180", "holes": "",
        }  # fmt: skip
        refused = self.post("/piece/tube", **fields)
        self.assertEqual(refused.status_code, 422)
        self.assertIn("tight", plain(refused.text))
        self.assertIn("45; tight; 180", html.unescape(refused.text))
        self.assertEqual(self.build().piece("hose-stay"), before)
        short = self.post("/piece/tube", **{**fields, "bends": "60; 75; 0\n45; 75; 180", "legs": "20; 340; 180"})
        self.assertEqual(short.status_code, 422)
        self.assertIn("too little for its bends", plain(short.text))

    def test_a_turned_part_and_its_slip(self):
        self.assertEqual(
            self.post("/turned", turned_name="Long bush", turned_long="40", turned_outside="30", turned_material="steel").status_code, 204
        )
        fields = {
            "piece": "long-bush", "name": "Long bush", "material": "steel", "count": "2", "hand": "either", "made_as": "tapped bar", "measured": "caliper, twice",
            "steps": "10; 30; ; ; 1\n30; 20; g6", "bores": "left; 10; 0; H7\nright; 10.2; 15; ; M12",
        }  # fmt: skip
        self.assertEqual(self.post("/piece/turned", **fields).status_code, 200)
        told = json.loads(self.teo.get(f"{self.where}/piece/slip.json?option=low&piece=long-bush").text)
        self.assertEqual((told["long_mm"], told["count"], told["bores"][1]["thread"]), (40.0, 2, "M12"))
        self.assertIn("PDF", self.page("/piece", piece="long-bush"))
        self.assertEqual(self.teo.get(f"{self.where}/piece/slip.pdf?option=low&piece=long-bush").content[:5], b"%PDF-")
        for fit, words in (("q9", "is no class"), ("H7", "is the class of a hole")):
            refused = self.post("/piece/turned", **{**fields, "bores": "", "steps": f"10; 30; {fit}"})
            self.assertEqual(refused.status_code, 422)
            self.assertIn(f"line 1: {'the fit “q9” ' if fit == 'q9' else fit + ' '}{words}", plain(refused.text))


class Structures(Pages):
    def test_from_nothing_to_lengths_and_back(self):
        self.assertEqual(self.post("/structures", do="begin", new_name="Roof rack").status_code, 204)
        own = "roof-rack"
        for name, x, y in (("A", 0, -500), ("B", 1200, -500), ("C", 0, 500), ("D", 1200, 500)):
            self.post("/structures", structure=own, do="node", node_name=name, node_x=str(x), node_y=str(y), node_z="2100")
        for name, start, end in (("left", "A", "B"), ("right", "C", "D"), ("front", "A", "C")):
            answer = self.post(
                "/structures",
                structure=own,
                do="line",
                member_name=name,
                line_start=f"node:{start}",
                line_end=f"node:{end}",
                member_across="38",
                member_wall="2",
                member_section="round",
            )
            self.assertEqual(answer.status_code, 200)
        shown = self.page("/structures", structure=own)
        self.assertIn("mitred with", shown)
        self.assertEqual(len([p for p in self.build().pieces if p.tube and p.tube.member.startswith("roof-rack/")]), 3)
        refused = self.post(
            "/structures",
            structure=own,
            do="keep",
            name="Roof rack",
            gap="0.5",
            material="steel",
            nodes="A; 0; 0",
            members="left; A; Z; 38; 2",
        )
        self.assertEqual(refused.status_code, 422)
        self.assertIn("is no node of", plain(refused.text))
        self.assertIn("left; A; Z; 38; 2", html.unescape(refused.text))
        self.assertEqual(self.post("/structures", structure=own, do="remove").status_code, 200)
        self.assertFalse([p for p in self.build().pieces if p.tube and p.tube.member.startswith("roof-rack/")])

    def line(self, own="nose-bar", **fields):
        sizes = {"member_across": "42", "member_wall": "2.5", "member_section": "round", "line_start": "", "line_end": ""}
        sizes |= {"view": "side", "zoom": "whole", "line_last": "start", "line_next": "end"}
        return self.post("/structures", structure=own, do="line", **{**sizes, **fields})

    def test_centre_lines_by_place_point_and_node(self):
        self.post("/structures", do="begin", new_name="Nose bar")
        at = {
            f"line_{end}_{a}": str(v)
            for end, xyz in (("start", (-600, -300, 500)), ("end", (-600, 300, 500)))
            for a, v in zip("xyz", xyz, strict=True)
        }
        self.assertEqual(self.line(**at).status_code, 200)
        answer = self.line(line_start="node:B", line_end="point:rail-a")
        self.assertEqual(answer.status_code, 200)
        structure = self.build().structure("nose-bar")
        self.assertEqual([n.id for n in structure.nodes], ["A", "B", "rail-a"])
        self.assertEqual([(m.id, m.start, m.end) for m in structure.members], [("m1", "A", "B"), ("m2", "B", "rail-a")])
        self.assertEqual(structure.nodes[2].point, "rail-a")
        goes_on = html.unescape(answer.text)
        self.assertIn('<option value="node:rail-a" selected>', goes_on, "the next line begins where this one ends")
        self.assertEqual(self.line(line_start="point:rail-b", line_end="", **{k: v for k, v in at.items() if "end" in k}).status_code, 200)
        self.assertEqual(self.build().structure("nose-bar").members[-1].end, "B", "a place where a node is, is that node")
        moved = self.post("/structures", structure="nose-bar", do="move", node="A", by_x="10", by_y="0", by_z="-5")
        self.assertEqual(moved.status_code, 200)
        self.assertEqual(self.build().structure("nose-bar").nodes[0].xyz_mm, (-590.0, -300.0, 495.0))

    def test_two_people_in_one_structure_and_in_two_pieces_at_once(self):
        self.post("/structures", do="begin", new_name="Nose bar")
        base = str(self.shop.shop.builds.head("cairn-2").number)
        ends = (("teo", "one", "rail-a", "rail-b"), ("orla", "two", "rail-c", "HC-L"))
        for who, name, start, end in ends:
            answer = self.line(who=getattr(self, who), base=base, member_name=name, line_start=f"point:{start}", line_end=f"point:{end}")
            self.assertEqual(answer.status_code, 200, who)
        for who, piece in (("teo", "lamp-plate"), ("orla", "relay-plate")):
            answer = self.post("/piece/made", who=getattr(self, who), base=base, piece=piece, made_of="card", changed="cut once more")
            self.assertEqual(answer.status_code, 200, who)
        build = self.build()
        self.assertEqual([m.id for m in build.structure("nose-bar").members], ["one", "two"])
        self.assertEqual(len(build.component("structure-nose-bar").solids), 2)
        self.assertEqual([build.piece(p).revisions[-1].changed for p in ("lamp-plate", "relay-plate")], ["cut once more"] * 2)

    def test_what_is_no_centre_line_is_refused_beside_its_end(self):
        self.post("/structures", do="begin", new_name="Nose bar")
        for fields, field, words in (
            ({"line_start_x": "1", "line_start_y": "2", "line_start_z": "3"}, "line_end", "pick it in a view"),
            ({"line_start": "node:Z", "line_end": "point:rail-a"}, "line_start", "none of the choices"),
            ({"line_start": "point:rail-a", "line_end": "point:rail-a"}, "line_end", "where the line starts"),
            ({"line_start": "point:rail-a", "line_end_x": "5", "line_end_z": "7"}, "line_end_y", "pick it in another view too"),
            ({"line_start": "point:rail-a", "line_end": "point:rail-b", "member_across": ""}, "member_across", "is empty"),
        ):
            answer = self.line(**fields)
            with self.subTest(words):
                self.assertEqual(answer.status_code, 422)
                beside = re.search(rf'id="error-{field}"[^>]*>(.*?)</p>', answer.text)
                self.assertIn(words, beside[1] if beside else "", "nothing beside its field")
                for name, value in fields.items():
                    if "_x" in name or "_z" in name:
                        self.assertTrue(re.search(rf'name="{name}"[^>]*value="{value}"', answer.text), name)
        self.assertEqual(self.build().structure("nose-bar").members, ())

    def test_the_view_draws_what_the_form_says_so_far(self):
        query = {
            "option": "low",
            "structure": "hoist-crossmember",
            "view": "plan",
            "line_start": "node:LF",
            "line_end_x": "2900",
            "line_end_y": "10 cm",
        }
        drawn = self.teo.get(f"{self.where}/structures/pick", params=query).text
        self.assertEqual(drawn.count("data-node="), 6)
        self.assertIn('data-axes="xy"', drawn)
        self.assertEqual(drawn.count("data-mark="), 2)
        self.assertIn('data-start="2700.0000,-330.0000,590.0000"', drawn)
        self.assertIn('data-end="2900.0000,100.0000,"', drawn)
        self.assertNotIn("between the ends", plain(drawn), "its height is not known yet")
        whole = self.teo.get(f"{self.where}/structures/pick", params={**query, "line_end_z": "590"}).text
        self.assertIn(f"{math.hypot(200, 430):.1f} mm between the ends", plain(whole))
        side = self.teo.get(f"{self.where}/structures/pick", params={**query, "view": "side"}).text
        self.assertEqual(side.count("data-mark="), 1)
        self.assertEqual(self.teo.get(f"{self.where}/structures/pick", params={**query, "line_end_y": "1/"}).status_code, 200)

    def test_sent_as_shown_it_stays_what_it_was(self):
        before = self.build()
        text = html.unescape(self.teo.get(f"{self.where}/structures?option=low&structure=hoist-crossmember").text)
        fields = {n: re.search(rf'<textarea[^>]*name="{n}"[^>]*>(.*?)</textarea>', text, re.S)[1] for n in ("nodes", "members")}
        self.assertEqual(
            self.post(
                "/structures",
                structure="hoist-crossmember",
                do="keep",
                name="Stretcher hoist crossmember",
                gap="1.0",
                material="steel",
                **fields,
            ).status_code,
            200,
        )
        self.assertEqual(self.build().structures, before.structures)
        self.assertEqual(self.build().pieces, before.pieces)


class Stands(Pages):
    def test_each_joint_says_what_the_calculation_of_tabs_and_slots_says(self):
        """The page's words against the calculator's own answer for the same tabs and slots."""
        stand = next(s for s in self.shop.shop.evaluated(self.shop.shop.builds.head("cairn-2"), "low").of(StandState) if s.joints)
        text = plain(self.page("/stands", stand=stand.stand))
        names = {i.id: i.name for i in stand.items}
        seen = 0
        for joint in stand.joints:
            middle, play = joint.long_mm / 2, 0.2
            sizes = [(t.id, t.at_mm - middle, t.wide_mm) for t in joint.tabs]
            tabs, slots = (
                [{"id": i, "x_mm": x, "y_mm": 0.0, "wide_mm": w + more, "tall_mm": joint.thick_tabbed_mm + more} for i, x, w in sizes]
                for more in (0.0, play)
            )
            told = one_way.compute(one_way.OneWay(tabs=tabs, slots=slots))["ways"]
            going = ", ".join(w["way"] for w in told if w["goes_in"])
            lacks = min((w["worst_short_mm"] for w in told if not w["goes_in"]), default=None)
            said = f"{names[joint.tabbed]} {names[joint.slotted]} {going} " + (f"{lacks:.1f} mm" if lacks is not None else "–")
            with self.subTest(said):
                self.assertIn(said, text)
            seen += lacks is not None
        self.assertGreater(seen, 2)

    def test_what_could_go_in_wrong_is_mended_by_its_button(self):
        self.assertIn("goes in turned over", self.page("/stands"))
        self.assertIn("slots 0.2 mm larger than their tabs", self.page("/stands"))
        text = self.teo.get(f"{self.where}/stands?option=low").text
        form = re.search(r'value="change_tab">.*?</form>', text, re.S)[0]
        fields = {
            n: re.search(rf'name="{n}"\s*value="([^"]+)"', re.sub(r"\s+", " ", form))[1]
            for n in ("tabbed", "slotted", "tab", "wider", "along")
        }
        self.assertEqual(self.post("/stands", stand="compressor-stand", do="change_tab", **fields).status_code, 200)
        self.assertIn("in one way only", self.page("/stands"))

    def test_from_two_plates_to_tabs(self):
        for name, wide, high in (("Floor", 200, 150), ("Fin", 120, 80)):
            self.post("", name=name, thick="3", material="steel")
            own = name.lower()
            self.post(
                "/piece",
                piece=own,
                name=name,
                thick="3",
                material="steel",
                count="1",
                hand="either",
                cut_by="laser",
                margin="15",
                radius="3",
                outline=f"0 0\n{wide} 0\n{wide} {high}\n0 {high}",
                own_holes="",
                bends="",
                cutouts="",
            )
        self.post("/stands", do="begin", new_name="Fin stand")
        self.post("/stands", stand="fin-stand", do="part", piece="floor", x="0", y="0", z="0", looks="up", turn="0")
        self.post("/stands", stand="fin-stand", do="part", piece="fin", x="40", y="70", z="0", looks="left", turn="0")
        self.assertEqual(self.post("/stands", stand="fin-stand", do="join").status_code, 200)
        self.assertEqual(len(self.build().piece("floor").cutouts), 2)
        state = stand_findings(Scene(self.build(), self.build().options[0]), self.build().stand("fin-stand")).state
        self.assertTrue(state.order.exists)
        self.post("/stands", stand="fin-stand", do="tabs", tabbed="fin", slotted="floor", tabs="t1; 30; 20\nt2; 90; 26")
        self.assertEqual([t.wide_mm for t in self.build().stand("fin-stand").joints[0].tabs], [20.0, 26.0])
        self.post("/stands", stand="fin-stand", do="tick", said="Floor, first")
        self.assertEqual(self.build().stand("fin-stand").ticks[0].by, "Teo Marsh")
        self.post("/stands", stand="fin-stand", do="unjoin")
        self.assertEqual(self.build().piece("floor").cutouts, ())
        refused = self.post(
            "/stands", stand="fin-stand", do="keep", name="Fin stand", cut_by="laser", parts="a; nothing; 0; 0; 0; up", bolts=""
        )
        self.assertEqual(refused.status_code, 422)
        self.assertIn("there is no piece", plain(refused.text))
        self.assertEqual(self.post("/stands", stand="fin-stand", do="remove").status_code, 200)


class Welding(Pages):
    def test_a_gate_is_seen_by_somebody_else(self):
        self.assertEqual(
            self.post("/welding", weldment="crossmember-in", do="gate", gate_what="clamped to the bench", gate_kind="clamped").status_code,
            200,
        )
        gate = self.build().weldment("crossmember-in").gates[-1]
        self.post("/welding", weldment="crossmember-in", do="gate_done", gate=gate.id)
        refused = self.post("/welding", weldment="crossmember-in", do="gate_seen", gate=gate.id)
        self.assertEqual(refused.status_code, 422)
        self.assertIn("somebody else looks", plain(refused.text))
        self.post("/welding", self.orla, weldment="crossmember-in", do="gate_seen", gate=gate.id)
        self.assertEqual(self.build().weldment("crossmember-in").gates[-1].seen_by, "Orla Fennick")

    def test_from_nothing_to_an_order(self):
        self.post("/welding", do="begin", new_name="Tow plate")
        for name, y in (("left", -40), ("right", 40)):
            answer = self.post(
                "/welding",
                weldment="tow-plate",
                do="seam",
                seam_name=name,
                seam_ax="0",
                seam_ay=str(y),
                seam_az="0",
                seam_bx="120",
                seam_by=str(y),
                seam_bz="0",
                seam_throat="4",
                seam_runs="2",
                seam_bevel="none",
                seam_thick="4",
            )
            self.assertEqual(answer.status_code, 200)
        shown = self.page("/welding", weldment="tow-plate")
        self.assertIn("Tacks first", shown)
        self.assertIn("qualified", shown)
        self.post("/welding", weldment="tow-plate", do="welded", run="tack left.1")
        self.assertEqual([d.id for d in self.build().weldment("tow-plate").done], ["tack left.1"])
        self.post("/welding", weldment="tow-plate", do="welded", run="tack left.1")
        self.assertEqual(self.build().weldment("tow-plate").done, ())
        self.post("/welding", weldment="tow-plate", do="heat", heat_name="bush", heat_kind="bush", heat_x="0", heat_y="30", heat_z="0")
        self.assertIn("the heat harms it", self.page("/welding", weldment="tow-plate"))
        self.post("/welding", weldment="tow-plate", do="spared", thing="bush")
        self.assertNotIn("the heat harms it", self.page("/welding", weldment="tow-plate"))
        self.assertEqual(self.post("/welding", weldment="tow-plate", do="remove").status_code, 200)


class WeldingInLines(Pages):
    def test_sent_as_shown_it_stays_what_it_was_and_a_bad_line_is_refused(self):
        before = self.build()
        text = html.unescape(self.teo.get(f"{self.where}/welding?option=low").text)
        fields = {n: re.search(rf'<textarea[^>]*name="{n}"[^>]*>(.*?)</textarea>', text, re.S)[1] for n in ("seams", "heated")}
        sent = {
            "weldment": "crossmember-in",
            "do": "keep",
            "name": "Crossmember into its frame",
            "welder": "Wil Adeyemi",
            "structural": "1",
            **fields,
        }
        self.assertEqual(self.post("/welding", **sent).status_code, 200)
        self.assertEqual(self.build().weldments, before.weldments)
        changed = self.post("/welding", **{**sent, "seams": "one; 0; 0; 0; 50; 0; 0; 4; 2; one side; 8; 40; hoist-crossmember-left"})
        self.assertEqual(changed.status_code, 200)
        seam = self.build().weldment("crossmember-in").seams[0]
        self.assertEqual(
            (seam.runs, seam.bevel, seam.thick_mm, seam.room_mm, seam.joins), (2, "one side", 8.0, 40.0, ("hoist-crossmember-left",))
        )
        refused = self.post("/welding", **{**sent, "seams": "one; 0; 0; 0; 50; 0; 0; 4; 2; rounded"})
        self.assertEqual(refused.status_code, 422)
        self.assertIn("is none of none, one side, both sides", plain(refused.text))


class CutList(Pages):
    def test_what_is_short_is_bought_and_the_shelf_is_as_it_is_after(self):
        shown = self.page("/cut-list")
        self.assertIn("The shelf alone is short: Hose stay, bent", shown)
        self.assertIn("steel tube 25 x 2, 6000 mm", shown)
        refused = self.post("/cut-list", place="")
        self.assertIn("say where what remains is put", plain(refused.text))
        self.assertIn("after cutting", plain(self.post("/cut-list", place="rack C").text))
        names = {i.name: i for i in self.shop.shop.shelf.items()}
        self.assertEqual(names["Tube 42 x 2.5"].qty, 0)
        self.assertTrue(any(n.startswith("steel tube 42 x 2.5") for n in names))

    def test_chosen_pieces_and_files(self):
        only = self.page("/cut-list", only="hose-stay")
        self.assertNotIn("steel sheet 4", only)
        self.assertEqual(self.teo.get(f"{self.where}/cut-list.pdf?option=low&only=hose-stay").content[:5], b"%PDF-")
        data = self.teo.get(f"{self.where}/cut-list.csv?option=low&only=hose-stay").content.decode("utf-8-sig")
        self.assertIn("768.7", data)
        bad = self.teo.get(f"{self.where}/cut-list?option=low&saw=wide")
        self.assertIn("wide", plain(bad.text))
        self.assertEqual(bad.status_code // 100, 2 if bad.status_code < 300 else 4)

    def test_a_sheet_goes_on_the_shelf_by_hand(self):
        self.teo.post(
            "/shelf",
            name="Sheet 5",
            form="sheet",
            mm="5",
            qty="1",
            wide="800",
            long="400",
            bore="",
            outside="",
            thread="",
            material="steel",
            place="rack",
        )
        self.assertIn("Sheet 5", {i.name for i in self.shop.shop.shelf.items()})
        refused = self.teo.post(
            "/shelf", name="Sheet 6", form="sheet", mm="6", qty="1", wide="", long="", bore="", outside="", thread="", material="", place=""
        )
        self.assertIn("needed for a sheet", plain(refused.text))


class LiesBetween(Pages):
    def test_typed_ticked_and_taken_back(self):
        self.post("", name="Sandwich", thick="8", material="aluminium")
        self.post(
            "/piece",
            piece="sandwich",
            name="Sandwich",
            thick="8",
            material="aluminium",
            count="1",
            hand="either",
            cut_by="laser",
            margin="15",
            radius="3",
            outline="0 0\n200 0\n200 150\n0 150",
            own_holes="",
            bends="",
            cutouts="",
        )
        fields = {"piece": "sandwich", "do": "keep", "reach": "30", "reach_sd": "0.3", "chain": "", "needs": "20", "dowel": "10", "dowel_long": "30", "dowel_deep": "10", "dowel_least": "", "thread": "M10", "bolt_long": "40", "engaged": "25"}  # fmt: skip
        self.assertEqual(self.post("/piece/between", **fields).status_code, 200)
        self.assertIn("The shaft reaches 22.0", self.page("/piece", piece="sandwich"))
        self.post("/piece/between", piece="sandwich", do="turns")
        self.assertEqual(self.build().piece("sandwich").between.turned_by, "Teo Marsh")
        refused = self.post("/piece/between", **{**fields, "thread": "Q10"})
        self.assertEqual(refused.status_code, 422)
        self.post("/piece/between", piece="sandwich", do="none")
        self.assertIsNone(self.build().piece("sandwich").between)


class Sleeves(Pages):
    def test_the_sleeves_of_mounts_become_pieces_by_one_button(self):
        own = next(p.id for p in self.build().pieces if p.tube and p.tube.member.startswith("mount:"))
        self.post("/piece", piece=own, do="remove")
        self.assertIn("a sleeve that is no piece yet", self.page(""))
        self.assertEqual(self.post("/sleeves").status_code, 200)
        self.assertNotIn("a sleeve that is no piece yet", self.page(""))
        piece = next(p for p in self.build().pieces if p.tube and p.tube.member.startswith("mount:"))
        self.assertIn("It is the sleeve of a mount", self.page("/piece", piece=piece.id))
