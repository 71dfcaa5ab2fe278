"""Make by its pages: from two faces to a cutting file, from a photograph to a plate, and everything typed on the way."""

import html
import io
import json
import math
import re
import unittest
from dataclasses import replace
from unittest import mock

import cv2
import ezdxf
import numpy as np
from PIL import Image
from shapely.geometry import Polygon

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.pieces import OwnHole, Piece
from elmpeg.core.methods.shapes.outlines import straight
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape
from elmpeg.core.stages.reference.reference_edits import with_photo
from elmpeg.demo.cairn_pieces import RELAY_FRAME, RELAY_HOLES, RELAY_OUTLINE, RELAY_PX, RELAY_SEEN
from elmpeg.demo.photographed import Bench, photograph
from elmpeg.formats import build_zip
from elmpeg.store.revisions import Author
from tests.effort import at_most
from tests.shop import TestShop


def plain(text):
    return html.unescape(re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", text)))


class Pages(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo = self.shop.browser("teo")
        self.where = "/builds/cairn-2/make"

    def build(self):
        return self.shop.shop.builds.head("cairn-2").build

    def piece(self, piece_id):
        return self.build().piece(piece_id)

    def post(self, path, **fields):
        number = str(self.shop.shop.builds.head("cairn-2").number)
        return self.teo.post(f"{self.where}{path}", base=number, option="low", **fields)

    def page(self, **fields):
        query = "&".join(f"{k}={v}" for k, v in {"option": "low", **fields}.items())
        return plain(self.teo.get(f"{self.where}/piece?{query}").text)

    def fields_of(self, piece_id):
        text = self.teo.get(f"{self.where}/piece?option=low&piece={piece_id}").text
        form = re.search(r'<form class="panel-form"[^>]*make/piece".*?</form>', text, re.DOTALL)[0]
        found = {}
        for tag in re.findall(r"<input[^>]*>", form):
            name, value = re.search(r'name="([^"]+)"', tag), re.search(r'value="([^"]*)"', tag)
            if name and ("checkbox" not in tag or "checked" in tag):
                found[name[1]] = html.unescape(value[1]) if value else ""
        for name, body in re.findall(r'<select name="([^"]+)">(.*?)</select>', form, re.DOTALL):
            chosen = re.search(r'<option(?: value="([^"]*)")? selected>\s*([^<]*)', body)
            found[name] = chosen[1] if chosen and chosen[1] is not None else (chosen[2].strip() if chosen else "")
        for name, body in re.findall(r'<textarea[^>]*name="([^"]+)"[^>]*>(.*?)</textarea>', form, re.DOTALL):
            found[name] = html.unescape(body)
        return {k: v for k, v in found.items() if k not in ("csrf", "base", "option")}


class FromTwoFaces(Pages):
    """A bracket by hand: named, two faces chosen, a form taken, printed, proved, sent."""

    def test_all_the_way(self):
        begun = self.post("", name="Bulkhead bracket", thick="3", material="steel")
        self.assertEqual(begun.status_code, 204)
        self.assertIn("part=joins", begun.headers["HX-Redirect"] if "HX-Redirect" in begun.headers else begun.headers["HX-Location"])
        own = "bulkhead-bracket"
        self.assertIn("Has no shape yet", self.page(piece=own, part="joins"))
        self.assertEqual(
            self.post("/piece/joins", piece=own, do="face", face_name="floor", points=["SF-1", "SF-2"], side="along").status_code, 200
        )
        self.assertIn("Add the second face", self.page(piece=own, part="joins"))
        self.assertEqual(
            self.post("/piece/joins", piece=own, do="face", face_name="seat", points=["SB-1", "SB-2"], side="along").status_code, 200
        )
        offered = self.page(piece=own, part="joins")
        for words in ("A folded angle", "Three flanges", "Not offered, and why", "A flat plate", "goes on"):
            self.assertIn(words, offered)
        self.assertEqual(self.post("/piece/joins", piece=own, do="form", form="angle", because="one fold").status_code, 200)
        self.assertEqual(self.piece(own).chosen_because, "one fold")
        text = self.teo.get(f"{self.where}/piece/file?option=low&piece={own}&kind=dxf").text
        drawn = ezdxf.read(io.StringIO(text)).modelspace()
        holes = [(e.dxf.center.x, e.dxf.center.y) for e in drawn if e.dxftype() == "CIRCLE"]
        self.assertEqual(len(holes), 4)
        scene = Scene(self.build(), self.build().option("low"))
        for a, b in (("SF-1", "SF-2"), ("SB-1", "SB-2")):
            true = math.dist(scene.xyz(a), scene.xyz(b))
            self.assertTrue(any(abs(math.dist(p, q) - true) < 1e-3 for p in holes for q in holes), "as far apart as they were measured")
        for kind in ("svg", "stl", "3mf"):
            self.assertEqual(self.teo.get(f"{self.where}/piece/file?option=low&piece={own}&kind={kind}").status_code, 200)
        self.assertEqual(self.teo.get(f"{self.where}/piece.pdf?option=low&piece={own}&paper=letter&hand=other").content[:5], b"%PDF-")
        single = self.teo.get(f"{self.where}/piece?option=low&piece={own}&part=paper").text
        self.assertIn("made as a pair", plain(single))
        self.assertNotIn("hand=pair", single)
        self.assertEqual(self.post("/piece/made", piece=own, made_of="print", changed="first print").status_code, 200)
        refused = self.post("/piece/made", piece=own, made_of="metal", changed="cut")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("measure the square", plain(refused.text))
        self.assertEqual(self.post("/piece/square", piece=own, paper="A4", x="150", y="150.1").status_code, 200)
        self.assertEqual(self.post("/piece/made", piece=own, made_of="metal", changed="cut").status_code, 200)
        self.assertEqual([r.made_of for r in self.piece(own).revisions], ["print", "metal"])
        self.assertEqual(self.post("/piece/made", piece=own, do="result", revision="r2", result="good", learnt="fits").status_code, 200)
        self.assertEqual(self.post("/piece/made", piece=own, do="unmake", revision="r2").status_code, 200)
        self.assertEqual(self.post("/piece/square", piece=own, do="unmeasure", square="q1").status_code, 200)
        self.assertEqual(self.piece(own).squares, ())
        self.assertEqual(self.post("/piece/joins", piece=own, do="unface", face="seat").status_code, 200)
        self.assertEqual(self.post("/piece", piece=own, do="remove").status_code, 204)
        self.assertNotIn(own, {p.id for p in self.build().pieces})

    def test_moving_the_part_puts_the_made_piece_out_of_date(self):
        self.post("/piece/made", piece="seat-bracket", made_of="card", changed="card")
        self.assertIn("is what is wanted today", self.page(piece="seat-bracket"))
        number = str(self.shop.shop.builds.head("cairn-2").number)
        self.teo.post("/builds/cairn-2/bay/move", base=number, option="low", part="seat", freedom="x", do="plus", step="5 mm")
        self.assertIn("now misses by", self.page(piece="seat-bracket"))


class ByHand(Pages):
    def test_every_field_comes_back_as_it_was_and_changes(self):
        for piece_id in ("lamp-plate", "relay-plate", "seat-bracket", "alternator-stay", "seat-adapter"):
            before = self.piece(piece_id)
            self.assertEqual(self.post("/piece", **self.fields_of(piece_id)).status_code, 200, piece_id)
            self.assertEqual(self.piece(piece_id), before, "sent as shown, it stays what it was")
        fields = {
            **self.fields_of("lamp-plate"),
            "outline": "-70 -45\n70 -45 0.2\n70 45\n-70 45",
            "own_holes": "L1; -55; -30; 8.5\nslot; 0; 30; 6; 20; 90; for the wire",
        }
        fields |= {
            "bends": "B1; -70; 20; 70; 20; 90; 3",
            "cutouts": "window\n-10 -10\n10 -10\n0 10\n\nvent; other hand; heat of the lamp\n20 -10\n40 -10\n30 10",
            "count": "4",
            "hand": "left",
            "conducts": "",
        }
        self.assertEqual(self.post("/piece", **fields).status_code, 200)
        piece = self.piece("lamp-plate")
        self.assertEqual(piece.outline[1].bulge, 0.2)
        self.assertEqual(piece.own_holes[1], OwnHole("slot", 0.0, 30.0, 6.0, 20.0, 90.0, "for the wire"))
        self.assertEqual((piece.bends[0].angle_deg, piece.cutouts[0].id, piece.count, piece.hand), (90.0, "window", 4, "left"))
        self.assertEqual([(c.id, c.only, c.why) for c in piece.cutouts], [("window", "", ""), ("vent", "other hand", "heat of the lamp")])

    def test_a_pair_is_drawn_as_one_on_its_page_and_on_paper(self):
        shown = self.teo.get(f"{self.where}/piece?option=low&piece=lamp-plate&part=paper").text
        self.assertEqual(shown.count('class="clamp-pad"'), 2)
        self.assertEqual(shown.count('class="bolted-ring"'), 2)
        self.assertIn("6 mm thick together", plain(shown))
        for size in ("a4", "a3", "letter"):
            answer = self.teo.get(f"{self.where}/piece.pdf?option=low&piece=lamp-plate&paper={size}&hand=pair")
            self.assertEqual(answer.content[:5], b"%PDF-")
        self.assertIn("cable, only ONE", plain(shown))
        cut = [self.teo.get(f"{self.where}/piece/file?option=low&piece=lamp-plate&kind=dxf{hand}").text for hand in ("", "&hand=other")]
        closed = [sum(e.dxftype() == "LWPOLYLINE" for e in ezdxf.read(io.StringIO(text)).modelspace()) for text in cut]
        self.assertEqual(closed, [2, 1], "the right one has no opening for the cable")

    def test_refused_beside_its_field_and_kept(self):
        for name, value, words in (
            ("outline", "0 0\n10 10\n10 0\n0 10", "crosses or touches itself"),
            ("outline", "1 2 3 4", "line 1 has 4 figures"),
            ("own_holes", "a; 1; 2", "line 1 has 3 parts"),
            ("bends", "B; 1; 2; 3", "line 1 has 4 parts"),
            ("cutouts", "window", "has 0 corners"),
            ("cutouts", "window; left\n-10 -10\n10 -10\n0 10", "“left” is no hand"),
            ("thick", "none", "is not a figure"),
            ("count", "0", "1"),
            ("k", "0.9", "0 to 0.5"),
        ):
            answer = self.post("/piece", **{**self.fields_of("lamp-plate"), name: value})
            with self.subTest(name=name, value=value):
                self.assertEqual(answer.status_code, 422)
                self.assertRegex(plain(answer.text), words)
                self.assertIn(value.split("\n")[0], html.unescape(answer.text), "what was typed stands")

    def test_holes_tapped_and_sunk(self):
        self.assertEqual(self.post("/piece/holes", piece="lamp-plate", kind_L1="tapped", thread_L1="M8").status_code, 200)
        self.assertIn("M8", {h.thread.split("x")[0] for h in self.piece("lamp-plate").holes})
        refused = self.post("/piece/holes", piece="lamp-plate", kind_L1="tapped", thread_L1="")
        self.assertEqual(refused.status_code, 422)
        self.assertIn("for which thread", plain(refused.text))

    def test_outline_own_cut_and_following_again(self):
        self.assertEqual(self.post("/piece/outline", piece="seat-bracket", do="own").status_code, 200)
        own = self.piece("seat-bracket").outline
        self.assertTrue(own)
        self.assertEqual(self.post("/piece/outline", piece="seat-bracket", do="corner").status_code, 200)
        self.assertNotEqual(self.piece("seat-bracket").outline, own)
        self.assertEqual(self.post("/piece/outline", piece="seat-bracket", do="follow").status_code, 200)
        self.assertEqual(self.piece("seat-bracket").outline, ())

    def test_a_drawing_is_read_into_a_piece(self):
        drawing = self.teo.get(f"{self.where}/piece/file?option=low&piece=lamp-plate&kind=dxf").content
        self.post("", name="Copy", thick="3", material="steel")
        number = str(self.shop.shop.builds.head("cairn-2").number)
        headers = {"X-CSRF-Token": self.teo.csrf, "HX-Request": "true"}
        data = {"base": number, "option": "low", "piece": "copy", "do": "read", "unit": ""}
        answer = self.teo.client.post(f"{self.where}/piece/outline", files={"file": ("lamp.dxf", drawing)}, data=data, headers=headers)
        self.assertEqual(answer.status_code, 200)
        copy = self.piece("copy")
        self.assertEqual((len(copy.outline), len(copy.own_holes), len(copy.cutouts)), (4, 4, 1))

    def test_an_order_needs_a_second_person(self):
        order = {"piece": "seat-bracket", "to": "Quayside Cutting", "process": "laser", "count": "2", "price": "EUR 20", "days": "4"}
        refused = self.post("/piece/sent", **order, state="sent", checked="1")
        self.assertIn("somebody else checks", plain(refused.text))
        self.assertEqual(self.post("/piece/sent", **order, state="drafted").status_code, 200)
        number = str(self.shop.shop.builds.head("cairn-2").number)
        sent = {**order, "sending": "s1", "state": "sent", "checked": "1", "option": "low", "base": number}
        self.assertEqual(self.shop.browser("orla").post(f"{self.where}/piece/sent", **sent).status_code, 200)
        self.assertEqual(self.piece("seat-bracket").sendings[0].checked_by, "Orla Fennick")
        self.assertEqual(self.piece("seat-bracket").sendings[0].drawing.thick_mm, 3.0)
        said = json.loads(self.teo.get(f"{self.where}/piece/order.json?option=low&piece=seat-bracket&sending=s1").content)
        self.assertEqual(said["order"]["count"], 2)
        self.assertEqual(self.teo.get(f"{self.where}/piece/order.pdf?option=low&piece=seat-bracket&sending=s1").content[:5], b"%PDF-")
        refused = self.post("/piece/sent", piece="seat-bracket", do="unsend", sending="s1")
        self.assertIn("only Orla Fennick or a lead takes that back", plain(refused.text))
        number = str(self.shop.shop.builds.head("cairn-2").number)
        taken = self.shop.browser("orla").post(f"{self.where}/piece/sent", piece="seat-bracket", do="unsend", sending="s1", base=number)
        self.assertEqual(taken.status_code, 200)

    def test_strips_and_the_brake(self):
        strip = {
            "name": "thin",
            "material": "steel",
            "thick": "2",
            "radius": "2",
            "angle": "90",
            "flat": "100",
            "one": "51.9",
            "other": "51.9",
        }
        self.assertEqual(self.post("/sheet", **strip).status_code, 200)
        self.assertEqual(len(self.build().strips), 2)
        refused = self.post("/sheet", **{**strip, "flat": "80"})
        self.assertIn("would put the neutral line at", plain(refused.text))
        self.assertEqual(self.post("/sheet", **strip, strip="thin").status_code, 200)
        self.assertEqual(self.post("/sheet", do="remove", strip="thin").status_code, 200)
        self.assertEqual(len(self.build().strips), 1)
        self.assertEqual(self.post("/sheet/brake", most_thick="2", widest="1000", least_flange="10", channel_share="1").status_code, 200)
        self.assertIn("folds up to 2 mm", self.page(piece="seat-bracket"))


CORNERS = (((200, 2900), (0, 0)), ((3800, 2900), (360.04, 0)), ((3800, 100), (360.04, 280)), ((200, 100), (0, 280)))
"""Of a bench that is photographed square on: where in the picture, and where on the bench."""


class FromAPhotograph(Pages):
    def test_taken_in_traced_and_made_a_piece(self):
        data, marks = photograph(RELAY_OUTLINE, RELAY_HOLES, RELAY_FRAME, RELAY_SEEN, RELAY_PX, Bench(seed=9, fine=2))
        number = str(self.shop.shop.builds.head("cairn-2").number)
        headers = {"X-CSRF-Token": self.teo.csrf, "HX-Request": "true"}
        taken = self.teo.client.post(
            f"{self.where}/trace",
            files={"photo": ("bench.jpg", data)},
            data={"base": number, "option": "low", "do": "photo"},
            headers=headers,
        )
        self.assertEqual(taken.status_code, 200)
        picture = self.build().photos[-1].id
        fields = {"picture": picture}
        for k, mark in enumerate(marks):
            fields |= {
                f"px_{k}_x": f"{mark.px[0]}",
                f"px_{k}_y": f"{mark.px[1]}",
                f"at_{k}_u": f"{mark.at_mm[0]}",
                f"at_{k}_v": f"{mark.at_mm[1]}",
            }
        seen = self.post("/trace", do="trace", **fields)
        self.assertIn("6 straight edges, 5 round holes", plain(seen.text))
        few = self.post("/trace", do="trace", **{k: v for k, v in fields.items() if "_3_" not in k})
        self.assertEqual(few.status_code, 422)
        made = self.post("/trace", do="piece", name="Traced", thick="2", material="aluminium", **fields)
        self.assertEqual(made.status_code, 204)
        build = self.build()
        shape = piece_shape(Scene(build, build.option("low")), build.piece("traced"))
        want = Polygon(RELAY_OUTLINE).area - sum(math.pi * d * d / 4 for *_, d in RELAY_HOLES)
        self.assertAlmostEqual(shape.area_mm2, want, delta=0.005 * want)
        self.assertEqual(self.teo.get(f"{self.where}/piece/picture.jpg?piece=traced").headers["content-type"], "image/jpeg")
        self.assertIn("traced-picture", self.teo.get(f"{self.where}/piece?option=low&piece=traced").text)

    def test_what_takes_long_is_told_and_stopped(self):
        """A bench full of small squares: nobody waits for it, it says how far it is, and it is stopped."""
        shown = np.full((3000, 4000), 230, np.uint8)
        y, x = np.mgrid[0:3000, 0:4000]
        shown[300:2700, 400:3600] = 40
        shown[((x // 30) % 2 == 0) & ((y // 30) % 2 == 0) & (y > 350) & (y < 2650) & (x > 450) & (x < 3550)] = 230
        number = str(self.shop.shop.builds.head("cairn-2").number)
        self.teo.client.post(
            f"{self.where}/trace",
            files={"photo": ("bench.png", cv2.imencode(".png", shown)[1].tobytes())},
            data={"base": number, "option": "low", "do": "photo"},
            headers={"X-CSRF-Token": self.teo.csrf, "HX-Request": "true"},
        )
        fields = {"picture": self.build().photos[-1].id}
        for k, (px, at) in enumerate(CORNERS):
            fields |= {f"px_{k}_x": str(px[0]), f"px_{k}_y": str(px[1]), f"at_{k}_u": str(at[0]), f"at_{k}_v": str(at[1])}
        with mock.patch.object(self.shop.shop.settings, "patience_s", 0.0):
            begun = self.post("/trace", do="trace", **fields)
        self.assertIn("Stop", plain(begun.text))
        self.assertIn("every 900ms", begun.text)
        # What the page then asks with are the marks as they were typed, else it would ask for another tracing.
        shown = dict(re.findall(r'name="((?:px|at)_\d_\w)"[^>]*value="([^"]*)"', begun.text))
        self.assertLessEqual({k: v for k, v in fields.items() if k != "picture"}.items(), shown.items())
        stopped = self.post("/trace", do="stop", **fields)
        self.assertNotIn("every 900ms", stopped.text)
        self.assertIn("Trace it", plain(stopped.text))
        again = self.post("/trace", do="trace", **fields)
        if "every 900ms" in again.text:
            self.shop.shop.tracings.newest(2, "cairn-2").done.wait()
            again = self.post("/trace", do="look", **fields)
        self.assertEqual(again.status_code, 422)
        self.assertIn("holes and openings; at most 300 are traced", plain(again.text))

    def test_a_telephone_s_picture_of_several_million_bytes(self):
        """Taken in, shown, and carried into another shop with the build's file."""
        picture = io.BytesIO()
        Image.effect_noise((3000, 2200), 60).save(picture, "JPEG", quality=90)
        self.assertGreater(len(picture.getvalue()), 3_000_000)
        number = str(self.shop.shop.builds.head("cairn-2").number)
        taken = self.teo.client.post(
            f"{self.where}/trace",
            files={"photo": ("bench.jpg", picture.getvalue())},
            data={"base": number, "option": "low", "do": "photo"},
            headers={"X-CSRF-Token": self.teo.csrf, "HX-Request": "true"},
        )
        self.assertEqual(taken.status_code, 200)
        photo = self.build().photos[-1]
        self.assertGreater(photo.size_bytes, 1_000_000)
        self.assertEqual(len(self.teo.get(f"/builds/cairn-2/photos/{photo.id}").content), photo.size_bytes)
        carried = build_zip.read(self.teo.get("/builds/cairn-2/zip").content)
        self.assertEqual(carried.build.photos[-1], photo)
        self.assertIn(photo.id, [p.id for p in carried.pictures])
        full = replace(carried.build, photos=(replace(photo, id="other", size_bytes=118_000_000),))
        with self.assertRaisesRegex(InputError, "take one out"):
            with_photo(full, photo)


class Many(Pages):
    def test_two_hundred_pieces_take_no_more_than_so_many_times_one(self):
        """The pages of Make with 200 pieces: 0.3 s of work each, the first time of a process aside."""
        plates = tuple(
            Piece(f"p{k}", f"plate {k}", 3.0, outline=straight(((0, 0), (200 + k, 0), (200, 100), (0, 100))), own_holes=(OwnHole("a", 50, 50, 9.0), OwnHole("b", 150, 50, 9.0)))
            for k in range(200)
        )  # fmt: skip
        build = replace(self.build(), id="many", name="Many", pieces=(*self.build().pieces, *plates))
        self.shop.shop.builds.add(build, Author(1, "Orla Fennick", "lead"), "Began")
        for path in ("make?option=low", "make/piece?option=low&piece=p7", "make/piece?option=low&piece=p7&part=cutter"):
            self.teo.get(f"/builds/many/{path}")
            with self.subTest(path), at_most(self, 0.3):
                self.assertEqual(self.teo.get(f"/builds/many/{path}").status_code, 200)


if __name__ == "__main__":
    unittest.main()


class OnTheShape(Pages):
    """Rows of holes and outlines of parts' faces, by hand; a refusal stands beside its field and changes nothing."""

    def test_a_row_at_an_angle(self):
        before = self.piece("lamp-plate")
        self.post(
            "/piece/row",
            piece="lamp-plate",
            row_x="10",
            row_y="5",
            row_angle="30",
            row_hole="8.5",
            row_steps="20; 15",
            row_beside="12",
            row_why="bar",
        )
        after = self.piece("lamp-plate")
        new = after.own_holes[len(before.own_holes) :]
        self.assertEqual(len(new), 6)
        self.assertAlmostEqual(math.dist((new[0].x_mm, new[0].y_mm), (new[2].x_mm, new[2].y_mm)), 35.0)
        self.assertEqual({h.why for h in new}, {"bar"})
        refused = self.post("/piece/row", piece="lamp-plate", row_hole="wide", row_steps="20")
        self.assertIn("wide", refused.text)
        self.assertEqual(self.piece("lamp-plate"), after)

    def test_the_outline_of_a_parts_face(self):
        self.post("", name="Seat pan cover", thick="2", material="aluminium")
        seat = self.build().component("seat")
        box = next(s for s in seat.solids if s.kind == "box")
        self.post("/piece/outline", piece="seat-pan-cover", do="face", shape=f"seat|{box.id}", looks="up", grown="10")
        made = self.piece("seat-pan-cover")
        wide, long, _ = box.size_mm
        self.assertAlmostEqual(Polygon([c.xy_mm for c in made.outline]).area, (wide + 20) * (long + 20), places=3)
        refused = self.post("/piece/outline", piece="seat-pan-cover", do="face", shape="seat|nothing", looks="up")
        self.assertIn("no solid", plain(refused.text))
        self.assertEqual(self.piece("seat-pan-cover"), made)


class Taken(Pages):
    def test_a_form_that_is_taken_makes_its_mounts(self):
        before = self.build()
        self.post("/piece/joins", piece="seat-bracket", do="form", form="angle", way="0", because="one fold", mounts="on")
        new = [m for m in self.build().mounts if m not in before.mounts]
        self.assertEqual([m.component_point for m in new], ["SB-1", "SB-2"])
        self.assertIn("used by", self.page(piece="seat-bracket"))
        self.post("/piece/joins", piece="seat-bracket", do="mounts")
        self.assertEqual(len(self.build().mounts), len(before.mounts) + 2)

    def test_three_faces_are_folded_from_the_page(self):
        self.post("", name="Corner", thick="3", material="steel")
        for name, points, side in (("floor", ["SF-1", "SF-2"], "along"), ("side", ["SB-1", "SB-2"], "along"), ("arm", ["A4-arm"], "along")):
            self.post("/piece/joins", piece="corner", do="face", face_name=name, points=points, side=side)
        self.assertEqual(len(self.piece("corner").faces), 3)
        shown = self.teo.get(f"{self.where}/piece?option=low&piece=corner&part=joins").text
        self.assertIn("Not offered, and why", shown)
        refused = self.post("/piece/joins", piece="corner", do="form", form="angle", joins=["side|nowhere|angle|0"])
        self.assertIn("faces have changed since", plain(refused.text))
        self.assertEqual(self.piece("corner").form, "")
