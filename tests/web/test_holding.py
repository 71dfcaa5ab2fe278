"""Mounts, patterns, plates, chains and the shelf as their pages answer; a shelf that two builds fight over."""

import math
import re
import threading
import unittest
from dataclasses import replace

import ezdxf

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.hardware import PatternHole
from elmpeg.core.build.mounts import StackPiece
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape
from elmpeg.core.stages.mount.mount_checks import MountState
from elmpeg.core.stages.mount.plates import plate_geometry
from elmpeg.core.stages.mount.shelf import StockItem
from elmpeg.demo.shelf import SHELF
from elmpeg.formats import dxf, piece_dxf, piece_svg, shelf_csv
from elmpeg.store.revisions import Author
from tests.shop import TestShop
from tests.store.test_shop_store import reserve
from tests.web.test_words import plain


class Holding(unittest.TestCase):
    """A shop of its own for each test."""

    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo = self.shop.browser("teo")
        self.shelf = self.shop.shop.shelf

    def build(self):
        return self.shop.shop.builds.head("cairn-2").build

    def post(self, path, **fields):
        return self.teo.post(f"/builds/cairn-2/{path}" if not path.startswith("/") else path, option="low", **fields)

    def page(self, path):
        return plain(self.teo.get(path).text)


class Mounts(Holding):
    """The page a fabricator takes to the bench."""

    def test_the_joint_is_drawn_to_its_scale(self):
        text = self.teo.get("/builds/cairn-2/mounts?option=low&mount=LM").text
        scale = float(re.search(r'is-joint"[^>]*data-px-per-mm="([\d.]+)"', text)[1])
        foot = re.search(r'<polygon points="([^"]+)" class="cut is-aluminium kind-layer"><title>cast foot, 14.0.mm', text)
        heights = [float(p.split(",")[1]) for p in foot[1].split()]
        self.assertAlmostEqual((max(heights) - min(heights)) / scale, 14.0, delta=0.05)
        bolt = re.search(r'<rect x="[\d.]+" y="[\d.]+" width="([\d.]+)" height="([\d.]+)" class="bolt"><title>M12', text)
        self.assertAlmostEqual(float(bolt[1]) / scale, 12.0, delta=0.05)
        self.assertAlmostEqual(float(bolt[2]) / scale, 75.0, delta=0.05)
        for words in ("M12x1.75 × 75 mm", "Spacer block 28 mm", "engine bracket"):
            self.assertIn(words, plain(text))

    def test_printed_it_is_at_a_round_scale(self):
        text = self.teo.get("/builds/cairn-2/mounts/print?option=low&mount=LM").text
        self.assertIn("Drawn 1:1", plain(text))
        self.assertAlmostEqual(float(re.search(r'data-px-per-mm="([\d.]+)"', text)[1]), 96 / 25.4, places=3)
        self.assertIn("say first what", plain(self.teo.get("/builds/cairn-2/mounts/print?option=low&mount=RB").text))

    def test_what_a_stack_does_to_the_whole_part_stands_beside_it(self):
        page = self.page("/builds/cairn-2/mounts?option=low&mount=GM")
        self.assertRegex(page, r"Plate 12 mm, 13 hole Sump to front crossmember .* was")
        before = self.build().option("low").positions[0].pose
        self.post("mounts/stack", mount="GM", pieces="plate-12:1,plate-4:1", settle="1")
        after = self.build()
        pose = next(p.pose for p in after.option("low").positions if p.component == "engine")
        self.assertLess(pose.pitch_deg, before.pitch_deg)
        state = next(m for m in self.shop.shop.evaluated(self.shop.shop.builds.head("cairn-2"), "low").of(MountState) if m.mount.id == "GM")
        self.assertAlmostEqual(state.left_over_mm, 0.0, delta=0.01)

    def test_saying_what_it_is_made_of_and_what_is_wrong_with_that(self):
        said = {
            "mount": "C2",
            "hold": "spacers",
            "tolerance": "0.5",
            "thread": "M8",
            "head": "hex",
            "end": "nut",
            "length": "25",
            "head_washer": "1.6",
        }
        page = plain(self.post("mounts/made", **said).text)
        self.assertIn("two threads, for it to grip", page)
        self.assertEqual(self.build().mount("C2").fastener.length_mm, 25.0)
        bad = self.post("mounts/made", **{**said, "thread": "M8x9"})
        self.assertEqual(bad.status_code, 422)
        self.assertIn("no standard thread", plain(bad.text))
        self.assertIn('value="M8x9"', bad.text)
        self.post("mounts/layer", mount="C2", layer_name="packing", layer_mm="3", side="seat", material="aluminium", layer_edge="9")
        self.assertEqual(self.build().mount("C2").layers[-1].edge_mm, 9.0)
        self.assertEqual(self.post("mounts/layer", mount="C2", layer_name="", layer_mm="3").status_code, 422)

    def test_existing_holes_become_a_mount(self):
        page = self.page("/builds/cairn-2/mounts/holes?option=low&point=A3-stay")
        self.assertIn("1. right rail, hole A and right rail, hole C", page)
        self.assertIn("to the edge 35 mm", page)
        self.assertEqual(self.post("mounts/holes", point="A3-stay", holes="rail-a|rail-c", name="Stay").status_code, 204)
        self.assertEqual(self.build().mounts[-1].uses, ("rail-a", "rail-c"))
        self.assertEqual(self.post("mounts/holes", point="A3-stay", holes="rail-b", name="Again").status_code, 422)


class Patterns(Holding):
    """Patterns in, compared, and plates out."""

    def add(self, **fields):
        return self.post("patterns", **{"bolt": "8", **fields})

    def test_coordinates_and_distances_are_read_as_people_write_them(self):
        self.add(name="upper", got="coordinates", list="a; 0; 0; 9\nb; 4 in; 0; 9\nc  101,6  50.5  9")
        holes = {h.id: (h.x_mm, h.y_mm) for h in self.build().pattern("upper").holes}
        self.assertEqual(holes, {"a": (0.0, 0.0), "b": (101.6, 0.0), "c": (101.6, 50.5)})
        self.add(name="by caliper", got="distances", hole="9", list="a b 30\nb c 40\na c 50")
        holes = self.build().pattern("by-caliper").holes
        self.assertAlmostEqual(math.dist((holes[0].x_mm, holes[0].y_mm), (holes[2].x_mm, holes[2].y_mm)), 50.0, places=4)
        for fields, words in (
            ({"got": "coordinates", "list": "a; 1; 2"}, "line 1 has 3 parts"), ({"got": "coordinates", "list": "a; one; 2; 3"}, "line 1:"), ({"got": "distances", "list": "a b 30\nb c 40"}, "do not fix"),
            ({"got": "points"}, "at least two points"), ({"got": "drawing"}, "choose a DXF"), ({"got": "coordinates", "list": "a;0;0;9\na;1;1;9"}, "twice"), ({"got": "coordinates", "list": "a;0;0;9", "bolt": ""}, ""),
        ):  # fmt: skip
            with self.subTest(fields):
                answer = self.add(name="wrong one", **fields)
                if words:
                    self.assertEqual(answer.status_code, 422)
                    self.assertIn(words, plain(answer.text))
        self.assertIn("a; one; 2; 3", self.add(name="wrong", got="coordinates", list="a; one; 2; 3").text)

    def test_one_hole_out_and_the_mirror_are_told_on_the_page(self):
        page = self.page("/builds/cairn-2/patterns?option=low&plate=seat-marked&studs=runner")
        for words in ("0.75 mm short at its best", "Hole c is probably laid out wrong", "Drills are those on the shelf"):
            self.assertIn(words, page)
        mirror = self.page("/builds/cairn-2/patterns?option=low&plate=bracket-welded&studs=block")
        self.assertIn("Turned over it drops in", mirror)
        self.assertIn("Drops in, turned over", self.page("/builds/cairn-2/patterns?option=low&plate=bracket-welded&studs=block&mirror=1"))
        self.assertIn(
            "slot", self.page("/builds/cairn-2/patterns?option=low&side_plate=seat-marked&side_left=seat-marked&side_right=runner")
        )
        self.post("patterns/match", plate="runner-new", studs="runner")
        self.assertEqual(self.shop.shop.evaluated(self.shop.shop.builds.head("cairn-2"), "low").check("match.match-1").verdict, "holds")

    def test_a_plates_drawing_holds_its_holes_where_the_table_says(self):
        """Read by group codes, not by the library that wrote it."""
        text = self.teo.get("/builds/cairn-2/make/piece/file?kind=dxf&piece=seat-adapter").content.decode()
        pairs = list(zip(*[iter(text.split("\n"))] * 2, strict=False))
        circles, now = [], None
        for code, value in ((c.strip(), v.strip()) for c, v in pairs):
            if code == "0":
                now = {} if value == "CIRCLE" else None
                if now is not None:
                    circles.append(now)
            elif now is not None and code in ("8", "10", "20", "40"):
                now[code] = value
        drilled = sorted((float(c["10"]), float(c["20"]), 2 * float(c["40"])) for c in circles if c["8"] == "CUT")
        made = plate_geometry(self.build(), self.build().piece("seat-adapter"))
        want = sorted((*h.xy_mm, h.drill_mm) for h in made.holes)
        self.assertEqual(len(drilled), 8)
        for got, expected in zip(drilled, want, strict=True):
            for a, b in zip(got, expected, strict=True):
                self.assertAlmostEqual(a, b, places=6)
        self.assertEqual(sum(c["8"] == "MARK" for c in circles), 4)
        self.assertIn("\nCUT\n", text)
        outline = self.teo.get("/builds/cairn-2/make/piece/file?kind=svg&piece=seat-adapter").text
        self.assertEqual(len(re.findall(r'<g id="cut"[^>]*><path[^>]*/>(?:<circle[^>]*/>){8}</g>', outline)), 1)
        self.assertAlmostEqual(float(re.search(r'width="([\d.]+)mm"', outline)[1]), made.size_mm[0] + 20, delta=0.01)

    def test_a_drawing_comes_back_as_the_pattern_it_was(self):
        build = self.build()
        made = plate_geometry(build, build.piece("seat-adapter"))
        piece = build.piece("seat-adapter")
        read = dxf.read_circles(piece_dxf.written_piece(piece, piece_shape(Scene(build, build.options[0]), piece)))
        self.assertEqual(
            {(round(h.xy_mm[0], 4), round(h.xy_mm[1], 4), round(h.drill_mm, 4)) for h in made.holes},
            {(round(h.x_mm, 4), round(h.y_mm, 4), round(h.hole_mm, 4)) for h in read},
            "as many holes as were drilled, countersinks not among them",
        )
        self.assertEqual(len(read), len(made.holes))
        inches = ezdxf.new(units=1)
        inches.modelspace().add_circle((2, 1), 0.25)
        data = self.dxf(inches)
        self.assertEqual(dxf.read_circles(data), (PatternHole("h1", 50.8, 25.4, 12.7),))
        bare = ezdxf.new(units=0)
        bare.modelspace().add_circle((2, 1), 0.25)
        with self.assertRaisesRegex(InputError, "does not say its unit"):
            dxf.read_circles(self.dxf(bare))
        self.assertEqual(dxf.read_circles(self.dxf(bare), 25.4), dxf.read_circles(data))
        for junk in (b"", b"nonsense", b"\x00" * 100, b"0\nSECTION\n2\nENTITIES\n0\nENDSEC\n0\nEOF\n"):
            with self.subTest(junk[:10]), self.assertRaises(InputError):
                dxf.read_circles(junk)

    def dxf(self, document):
        import io

        out = io.StringIO()
        document.write(out)
        return out.getvalue().encode()

    def test_a_plate_is_worked_out_changed_and_kept_safe(self):
        made = self.post(
            "plates",
            name="bracket",
            lower="block",
            upper="runner",
            thick="8",
            margin="12",
            kind_lower="tapped",
            thread_lower="M10",
            kind_upper="through",
        )
        self.assertEqual(made.status_code, 204)
        plate = self.build().piece("bracket")
        self.assertEqual({h.kind for h in plate.holes}, {"tapped"})
        self.assertIn("needs 10.0 mm of plate", self.page("/builds/cairn-2/plates?option=low&plate=bracket"))
        for fields, words in (
            ({"thick": "0"}, "must be"),
            ({"upper": "block"}, "another pattern"),
            ({"outline": "1 2 3"}, "line 1 has 3"),
            ({"thread_lower": "M99"}, "not a known"),
        ):
            answer = self.post(
                "plates",
                **{
                    "plate": "bracket",
                    "name": "bracket",
                    "lower": "block",
                    "upper": "runner",
                    "thick": "8",
                    "kind_lower": "tapped",
                    "thread_lower": "M10",
                    **fields,
                },
            )
            self.assertEqual(answer.status_code, 422, fields)
            self.assertIn(words, plain(answer.text))
        self.assertEqual(self.post("plates", plate="seat-adapter", do="remove").status_code, 422)
        sly = replace(plate, name='<b>"&</b>')
        self.assertNotIn(b"<b>", piece_svg.written_piece(sly, piece_shape(Scene(self.build(), self.build().options[0]), sly)))

    def test_a_chain_is_built_link_by_link(self):
        self.assertEqual(self.post("chains", do="new", name="seat height").status_code, 204)
        self.post("chains", chain="seat-height", do="link", name="runner", layer="S1|runner", plus="0.3", direction="1")
        self.post(
            "chains",
            chain="seat-height",
            do="link",
            name="seats apart",
            from_point="LM-seat",
            to_point="RM-seat",
            axis="y",
            plus="1",
            minus="0.5",
            direction="1",
        )
        self.post("chains", chain="seat-height", do="limits", low="434", high="436")
        page = self.page("/builds/cairn-2/chains?option=low&chain=seat-height")
        self.assertIn("435.1 mm", page)
        self.assertIn("hold this tighter first", page)
        wrong = self.post("chains", chain="seat-height", do="link", name="x", plus="1")
        self.assertIn("choose two points or a layer", plain(wrong.text))
        self.post("chains", chain="seat-height", do="unlink", link="l1")
        self.assertEqual(len(self.build().chain("seat-height").links), 1)


class Shelf(Holding):
    """Never below zero, whoever asks first."""

    def test_two_builds_ask_at_once_and_one_gets_it(self):
        self.shelf.keep(StockItem("rare", "Rare spacer", "spacer", 33.0, 13.0, 3))
        results = []

        def ask(build_id, mounts):
            for mount in mounts:
                try:
                    reserve(self.shop.shop.builds, build_id, mount, (StackPiece("rare", "Rare spacer", 33.0, 2),))
                    results.append(build_id)
                except InputError as refused:
                    self.assertIn("are free", str(refused))

        asked = (("cairn-2", ("LM", "RM")), ("bookworm", ("MF", "MR", "PL")), ("dynamo", ("CB",)), ("cairn-2", ("C1", "C2")))
        threads = [threading.Thread(target=ask, args=a) for a in asked]
        for one in threads:
            one.start()
        for one in threads:
            one.join()
        self.assertEqual(len(results), 1)
        line = next(x for x in self.shelf.lines() if x.item.id == "rare")
        self.assertEqual((line.item.qty, line.reserved, line.free), (3, 2, 1))
        with self.assertRaisesRegex(InputError, "has 2"):
            other = next((b, m[0]) for b, m in asked if b != results[0])
            reserve(self.shop.shop.builds, *other, (StackPiece("rare", "Rare spacer", 33.0, 2),))

    def test_used_pieces_leave_and_returned_ones_come_back(self):
        mark, wil = self.shop.shop.builds.mark_held, Author(None, "Wil")
        held = next(h for h in self.shelf.held("cairn-2") if h.stock_id == "washer-25")
        qty = {i.id: i.qty for i in self.shelf.items()}["washer-25"]
        mark("cairn-2", held.id, "used", wil)
        self.assertEqual({i.id: i.qty for i in self.shelf.items()}["washer-25"], qty - 2)
        used = next(h for h in self.shelf.held("cairn-2") if h.state == "used")
        with self.assertRaises(InputError):
            mark("cairn-2", used.id, "used", wil)
        with self.assertRaises(LookupError):
            mark("bookworm", used.id, "returned", wil)
        mark("cairn-2", used.id, "returned", wil)
        self.assertEqual({i.id: i.qty for i in self.shelf.items()}["washer-25"], qty)

    def test_what_another_build_reserved_is_not_offered(self):
        mine = {i.id: i.qty for i in self.shelf.items_for("dynamo")}
        self.assertEqual(mine["tube-25"], next(i.qty for i in SHELF if i.id == "tube-25") - 1)
        self.assertEqual({i.id: i.qty for i in self.shelf.items_for("cairn-2")}["tube-25"], 3)
        page = plain(self.post("mounts/reserve", mount="LM").text)
        self.assertIn("Reserved on the shelf", page)
        self.assertEqual(
            [h.stock_id for h in self.shelf.held("cairn-2") if h.mount == "LM"], ["block-28"], "the other option's are given back"
        )
        refused = self.teo.post("/shelf", id="block-28", do="count", qty="0")
        self.assertIn("cannot go to 0: 1 are reserved; Cairn 2", plain(refused.text))
        self.assertIn("builds hold some", plain(self.teo.post("/shelf", id="block-28", do="drop").text))

    def test_pieces_are_added_counted_and_refused(self):
        self.teo.post("/shelf", name="Spacer 3.1", form="spacer", mm="3.1", bore="8.5", qty="2", place="bench")
        self.assertNotIn("Compressor rear mount : cut", self.page("/shelf?build=cairn-2&option=low"))
        for fields, words in (
            ({"name": ""}, "is empty"),
            ({"mm": "0"}, "above 0"),
            ({"qty": "-1"}, "whole number"),
            ({"form": "bolt"}, "is needed for bolts"),
            ({"form": "bolt", "thread": "M8x9"}, "no standard thread"),
        ):
            with self.subTest(fields):
                answer = self.teo.post("/shelf", **{"name": "x", "form": "spacer", "mm": "3", "qty": "2", **fields})
                self.assertEqual(answer.status_code, 422)
                self.assertIn(words, plain(answer.text))

    def test_as_csv_out_and_in(self):
        data = self.teo.get("/shelf.csv").content
        self.assertEqual(shelf_csv.read(self.shelf.items(), data).count("same"), len(SHELF))
        text = "name;form;size [mm];bore [mm];quantity\nSpacer 7,5;spacer;7,5;13;4\nShim 0.5 mm, 13 bore;shim;0,5;13;9\n"
        preview = shelf_csv.read(self.shelf.items(), text.encode())
        self.assertEqual((preview.count("new"), preview.count("changed")), (1, 1))
        bad = shelf_csv.read(
            self.shelf.items(), b"name,form,size [mm],quantity\nx,spacer,=1+1,3\ny,cake,3,3\nz,spacer,3,few\nx,spacer,3,3\n"
        )
        self.assertIsNone(bad.items)
        self.assertEqual(bad.count("refused"), 4)
        headers = {"X-CSRF-Token": self.teo.csrf, "HX-Request": "true"}
        self.assertIn(
            "1 new, 1 changed", plain(self.teo.client.post("/shelf/csv", files={"csv": ("s.csv", text.encode())}, headers=headers).text)
        )
        self.teo.post("/shelf/csv/accept", content=text, file_name="s.csv")
        self.assertEqual({i.name: i.qty for i in self.shelf.items()}["Spacer 7,5"], 4)


if __name__ == "__main__":
    unittest.main()
