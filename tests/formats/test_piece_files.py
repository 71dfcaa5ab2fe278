"""Files of a piece, read back with other tools and measured: what leaves the shop is what was drawn."""

import io
import itertools
import json
import math
import unittest
import xml.etree.ElementTree as ET
from dataclasses import replace

import ezdxf
import numpy as np
import pypdfium2
import trimesh
from ezdxf import units
from ezdxf.path import make_path
from reportlab.lib import pagesizes
from shapely.geometry import Point as Dot
from shapely.geometry import Polygon

from elmpeg.core.build.pieces import OwnHole, Piece, PlateHole, Sending
from elmpeg.core.methods.shapes.outlines import chords, straight
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.counted_from import other_side
from elmpeg.core.stages.make.on_the_metal import bench_holes, bench_steps
from elmpeg.core.stages.make.pair_as_one import pair_as_one
from elmpeg.core.stages.make.piece_marks import engraved, engraving
from elmpeg.core.stages.make.piece_shape import other_hand_of, piece_shape
from elmpeg.core.stages.make.print_proofs import print_proof
from elmpeg.demo import cairn
from elmpeg.formats import cut_order, dxf_outlines, piece_dxf, piece_print, piece_solid, piece_svg, true_size
from elmpeg.formats.paper import Head
from elmpeg.web.showing import Show
from tests.effort import at_most

CAIRN = cairn.build()
SCENE = Scene(CAIRN, CAIRN.options[0])
STAY, LAMP, BRACKET = (CAIRN.piece(i) for i in ("alternator-stay", "lamp-plate", "seat-bracket"))
PLATES = tuple(p for p in CAIRN.pieces if p.tube is None and p.turned is None)
SHOW = Show("mm")
PX_PER_MM = 8.0
HEAD = Head("Piece", "Cairn 2", "Orla Fennick", pagesizes.A4)


def shape_of(piece):
    return piece_shape(SCENE, piece)


def printed(piece, head=HEAD, **more):
    shape = shape_of(piece)
    holes = bench_holes(SCENE, shape)
    return piece_print.as_pdf(piece, shape, holes, bench_steps(piece, shape, holes), head, SHOW.words, lambda v: f"{v:.1f} mm", **more)


def pixels(data, page):
    """A page as grey pixels, eight to a millimetre, y up."""
    document = pypdfium2.PdfDocument(data)
    grey = np.asarray(document[page].render(scale=PX_PER_MM * 25.4 / 72).to_pil().convert("L"))
    document.close()
    return grey[::-1]


class ForTheCutter(unittest.TestCase):
    def read(self, piece, **more):
        doc = ezdxf.read(io.StringIO(piece_dxf.written_piece(piece, shape_of(piece), **more).decode()))
        self.assertEqual(doc.units, units.MM)
        self.assertFalse(doc.audit().has_errors)
        return list(doc.modelspace())

    def test_each_contour_is_closed_and_once_with_arcs_as_arcs(self):
        for piece in PLATES:
            found = self.read(piece)
            with self.subTest(piece.name):
                cut = [e for e in found if e.dxf.layer == piece_dxf.CUT]
                lines = [e for e in cut if e.dxftype() == "LWPOLYLINE"]
                self.assertTrue(all(e.closed for e in lines))
                self.assertEqual({e.dxftype() for e in cut}, {"LWPOLYLINE", "CIRCLE"} if shape_of(piece).holes else {"LWPOLYLINE"})
                whole = [Polygon([(v.x, v.y) for v in make_path(e).flattening(0.01)]) for e in lines]
                for k, one in enumerate(whole):
                    self.assertTrue(one.is_valid)
                    self.assertTrue(all(one.symmetric_difference(other).area > 1.0 for other in whole[:k]), "twice")
                for e in lines:
                    points = e.get_points("xyb")
                    steps = [math.dist(a[:2], b[:2]) for a, b in zip(points, [*points[1:], points[0]], strict=True)]
                    self.assertGreaterEqual(min(steps), piece_dxf.SMALLEST_STEP_MM)
                outline = max(whole, key=lambda w: w.area)
                self.assertAlmostEqual(outline.area, Polygon(chords(shape_of(piece).outline)).area, delta=2e-3 * outline.area)
        self.assertTrue(any(abs(b) > 0.1 for e in self.read(STAY) if e.dxftype() == "LWPOLYLINE" for *_, b in e.get_points("xyb")))

    def test_holes_are_what_is_cut(self):
        tapped = replace(LAMP, holes=(PlateHole("own", "L1", "tapped", "M8x1.25"), PlateHole("own", "L2", "countersunk", "M8x1.25")))
        found = self.read(tapped)
        sizes = {
            (round(e.dxf.center.x), round(e.dxf.center.y)): round(2 * e.dxf.radius, 2)
            for e in found if e.dxftype() == "CIRCLE" and e.dxf.layer == piece_dxf.CUT
        }  # fmt: skip
        self.assertEqual(sizes[(-55, -30)], 6.8)
        self.assertEqual(sizes[(55, -30)], 9.0)
        self.assertEqual(sum(e.dxftype() == "CIRCLE" and e.dxf.layer == piece_dxf.MARK for e in found), 1)

    def test_a_hole_smaller_than_the_sheet_is_thick_is_only_marked(self):
        thick = replace(LAMP, thick_mm=12.0)
        found = [e for e in self.read(thick) if e.dxftype() == "CIRCLE"]
        self.assertEqual({e.dxf.layer for e in found}, {piece_dxf.MARK})

    def test_the_other_hand_is_mirrored_and_its_letters_are_not(self):
        one, other = self.read(STAY), self.read(STAY, mirrored=True)
        places = [
            sorted((round(s * e.dxf.center.x, 3), round(e.dxf.center.y, 3)) for e in found if e.dxftype() == "CIRCLE")
            for found, s in ((one, 1), (other, -1))
        ]
        self.assertEqual(*places)
        said = [e.dxf.text for e in other if e.dxftype() == "TEXT" and e.dxf.layer == piece_dxf.ENGRAVE]
        self.assertIn("OTHER HAND", said)

    def test_an_opening_of_one_hand_is_cut_in_that_hand_alone(self):
        """As many contours, and as much metal, as that hand has."""
        for only, openings in (("as drawn", (1, 0)), ("other hand", (0, 1)), ("", (1, 1))):
            piece = replace(LAMP, cutouts=tuple(replace(c, only=only) for c in LAMP.cutouts))
            hands = (shape_of(piece), piece_shape(SCENE, other_hand_of(piece)))
            for shape, mirrored, want in zip(hands, (False, True), openings, strict=True):
                doc = ezdxf.read(io.StringIO(piece_dxf.written_piece(piece, shape, mirrored).decode()))
                lines = [e for e in doc.modelspace() if e.dxf.layer == piece_dxf.CUT and e.dxftype() == "LWPOLYLINE"]
                with self.subTest(only, mirrored=mirrored):
                    self.assertEqual(len(lines), 1 + want)
            self.assertAlmostEqual(
                hands[0].area_mm2 - hands[1].area_mm2, {"as drawn": -1, "other hand": 1, "": 0}[only] * 24 * 28, places=6
            )
            document = pypdfium2.PdfDocument(printed(piece, hand="pair as one"))
            said = document[0].get_textpage().get_text_range()
            document.close()
            self.assertEqual([f"only {h} has it" in said for h in ("ONE", "OTHER HAND")], [only == "as drawn", only == "other hand"])

    def test_what_is_engraved_lies_on_the_piece(self):
        for piece in PLATES:
            shape = shape_of(piece)
            metal = shape.metal
            for line in engraving(piece, shape):
                wide = 0.55 * line.high_mm * len(line.text) / 2
                for x in (line.x_mm - wide, line.x_mm, line.x_mm + wide):
                    with self.subTest(piece.name, line=line.text):
                        self.assertTrue(metal.contains(Dot(x, line.y_mm)) or line.high_mm <= 1.6)

    def test_read_again_it_is_the_same_piece(self):
        drawn = dxf_outlines.read_contours(piece_dxf.written_piece(LAMP, shape_of(LAMP)))
        self.assertEqual(len(drawn.outline), 4)
        self.assertEqual(len(drawn.cutouts), 1)
        self.assertEqual(
            sorted((round(x), round(y), d) for x, y, d in drawn.holes),
            sorted((round(h.x_mm), round(h.y_mm), h.hole_mm) for h in LAMP.own_holes),
        )

    def test_loose_lines_and_arcs_become_one_contour(self):
        doc = ezdxf.new("R2010", units=units.IN)
        space = doc.modelspace()
        for a, b in (((0, 0), (4, 0)), ((4, 2), (0, 2)), ((0, 2), (0, 0))):
            space.add_line(a, b)
        space.add_arc((4, 1), 1, -90, 90)
        out = io.StringIO()
        doc.write(out)
        drawn = dxf_outlines.read_contours(out.getvalue().encode())
        piece = Piece("p", "p", 3.0, outline=drawn.outline)
        self.assertAlmostEqual(shape_of(piece).area_mm2, (8 + math.pi / 2) * 25.4**2, delta=1.0)
        self.assertEqual(sum(abs(c.bulge) > 0.1 for c in drawn.outline), 1 if len(drawn.outline) == 4 else 2)

    def test_svg_is_the_same_piece_at_true_size(self):
        root = ET.fromstring(piece_svg.written_piece(STAY, shape_of(STAY)))
        wide, tall = shape_of(STAY).size_mm
        self.assertAlmostEqual(float(root.get("width")[:-2]), wide + 20, places=2)
        self.assertAlmostEqual(float(root.get("height")[:-2]), tall + 20, places=2)
        groups = {g.get("id"): list(g) for g in root if g.tag.endswith("}g")}
        self.assertEqual(len(groups["bend"]), 2)
        self.assertEqual(sum(c.tag.endswith("circle") for c in groups["cut"]), 3)


class ForATrialPrint(unittest.TestCase):
    """Folded and flat, whole bodies of the right volume."""

    def test_each_piece_is_one_closed_body(self):
        for piece in PLATES:
            shape = shape_of(piece)
            for fold in (True, False):
                with self.subTest(piece.name, fold=fold):
                    body = piece_solid.solid(shape, fold)
                    self.assertTrue(body.is_watertight)
                    self.assertAlmostEqual(body.volume, shape.area_mm2 * shape.thick_mm, delta=0.02 * body.volume)

    def test_read_back(self):
        shape = shape_of(BRACKET)
        body = piece_solid.solid(shape)
        for kind in ("stl", "3mf"):
            read = trimesh.load(io.BytesIO(piece_solid.written(body, kind)), file_type=kind, force="mesh")
            self.assertAlmostEqual(abs(read.volume), body.volume, delta=1e-3 * body.volume)
        self.assertAlmostEqual(float(np.ptp(body.vertices, axis=0).min()), min(np.ptp(body.vertices, axis=0)), places=6)
        other = piece_solid.mirrored(body)
        self.assertAlmostEqual(other.volume, body.volume, places=3)
        self.assertFalse(np.allclose(sorted(other.vertices[:, 0]), sorted(body.vertices[:, 0]), atol=1.0))


class OnPaper(unittest.TestCase):
    """Printed to pixels and measured."""

    def frame(self, head=HEAD):
        return true_size.frame_mm(head)

    def dark_near(self, grey, x_mm, y_mm, within=0.3):
        x, y, r = x_mm * PX_PER_MM, y_mm * PX_PER_MM, within * PX_PER_MM
        return bool((grey[int(y - r) : int(y + r) + 1, int(x - r) : int(x + r) + 1] < 140).any())

    def test_the_outline_and_the_holes_are_at_true_size(self):
        grey = pixels(printed(LAMP), 0)
        left, bottom, _, _ = self.frame()
        box = shape_of(LAMP).box_mm
        origin = (left - (box[0] - true_size.AROUND_MM), bottom - (box[1] - true_size.AROUND_MM))
        for k in range(1, 20):
            share = k / 20
            for x, y in ((-70 + 140 * share, -45.0), (-70 + 140 * share, 45.0), (-70.0, -45 + 90 * share), (70.0, -45 + 90 * share)):
                self.assertTrue(self.dark_near(grey, origin[0] + x, origin[1] + y), (x, y))
        for hole in LAMP.own_holes:
            for turn in range(0, 360, 20):
                a = math.radians(turn)
                x, y = hole.x_mm + 4.25 * math.cos(a), hole.y_mm + 4.25 * math.sin(a)
                self.assertTrue(self.dark_near(grey, origin[0] + x, origin[1] + y), (hole.id, turn))
        self.assertFalse(self.dark_near(grey, origin[0] + 10.0, origin[1] - 35.0), "nothing where nothing is")

    def test_the_square_has_its_size_both_ways(self):
        grey = pixels(printed(LAMP), 0)
        left, bottom, wide, high = self.frame()
        for x, y in ((left, bottom + 60), (left + 60, bottom), (left + wide, bottom + 60), (left + 60, bottom + high)):
            self.assertTrue(self.dark_near(grey, x, y, 0.2))
        column = grey[int((bottom - 0.8) * PX_PER_MM), int((left + 140) * PX_PER_MM) : int((left + 160) * PX_PER_MM)] < 140
        tick = left + 140 + float(np.nonzero(column)[0].mean()) / PX_PER_MM
        self.assertAlmostEqual(tick - left, true_size.SQUARE_MM, delta=0.2)

    def test_made_up_for_the_printer_that_was_measured_it_comes_out_true(self):
        proof = print_proof(LAMP, shape_of(LAMP).size_mm)
        scale = tuple(p / 100 for p in proof.print_at_pct)
        grey = pixels(printed(LAMP, scale=scale), 0)
        left, bottom, _, _ = self.frame()
        row = grey[int((bottom - 0.8) * PX_PER_MM), int((left + 145) * PX_PER_MM) : int((left + 165) * PX_PER_MM)] < 140
        drawn = 145 + float(np.nonzero(row)[0].mean()) / PX_PER_MM
        self.assertAlmostEqual(drawn * proof.x_scale, true_size.SQUARE_MM, delta=0.2)

    def test_tiles_overlap_and_go_together(self):
        long = Piece("p", "long", 3.0, outline=straight(((0, 0), (420, 0), (420, 60), (0, 60))), own_holes=(OwnHole("a", 200, 30, 20.0),))
        data = printed(long)
        head_wide = self.frame()[2]
        across, up = true_size.sheets_for(HEAD, shape_of(long).size_mm)
        self.assertEqual((across, up), (3, 1))
        pages = [pixels(data, k) for k in range(across)]
        left, bottom, _, _ = self.frame()
        for page in range(across):
            shift = page * (head_wide - true_size.OVERLAP_MM)
            for x in (5.0, 90.0, 170.0, 260.0, 400.0):
                at = left + x + true_size.AROUND_MM - shift
                if left + 1 < at < left + head_wide - 1:
                    self.assertTrue(self.dark_near(pages[page], at, bottom + true_size.AROUND_MM + 60.0), (page, x))

    def test_papers_hands_and_words(self):
        for name, size in true_size.PAPERS.items():
            data = printed(STAY, replace(HEAD, size_pt=size), hand="other hand")
            document = pypdfium2.PdfDocument(data)
            with self.subTest(name):
                self.assertAlmostEqual(document[0].get_size()[0], size[0], delta=0.1)
                said = "".join(page.get_textpage().get_text_range() for page in document)
                for words in ("OTHER HAND", "pilot", "measure it here", "Scribe the bend lines", "qualified person"):
                    self.assertIn(words, said)
            document.close()

    def test_a_pair_is_drawn_to_be_clamped_and_drilled_as_one(self):
        data = printed(LAMP, hand="pair as one")
        grey, plain = pixels(data, 0), pixels(printed(LAMP), 0)
        left, bottom, _, _ = self.frame()
        shape = shape_of(LAMP)
        origin = (left - (shape.box_mm[0] - true_size.AROUND_MM), bottom - (shape.box_mm[1] - true_size.AROUND_MM))
        pair = pair_as_one(LAMP, shape)
        self.assertEqual(len(pair.clamps_mm), 2)
        for x, y in pair.clamps_mm:
            around = [
                (origin[0] + x + pair.pad_mm / 2 * math.cos(a), origin[1] + y + pair.pad_mm / 2 * math.sin(a))
                for a in np.linspace(0, 2 * math.pi, 60)
            ]
            self.assertGreater(sum(self.dark_near(grey, *p) for p in around), 30, "dashed")
            self.assertLess(sum(self.dark_near(plain, *p) for p in around), 10)
        document = pypdfium2.PdfDocument(data)
        words = [page.get_textpage().get_text_range() for page in document]
        document.close()
        for said in ("first: bolt", "second: bolt", "K1", "K2", "back to back"):
            self.assertIn(said, words[0])
        for said in ("its upper face on top", "OTHER HAND: its upper face below", "a board to drill into"):
            self.assertIn(said, words[-1])
        # Both blanks from the side, at their true thickness.
        table = pixels(data, len(words) - 1)
        column = table[:, int((14 + 20) * PX_PER_MM)] < 140
        edges = np.flatnonzero(column[1:] & ~column[:-1]) / PX_PER_MM
        self.assertTrue(
            any(abs(b - a - LAMP.thick_mm) < 0.15 and abs(c - b - LAMP.thick_mm) < 0.15 for a, b, c in itertools.combinations(edges, 3))
        )

    def test_the_table_of_the_other_hand_has_its_own_places(self):
        off = replace(LAMP, own_holes=(OwnHole("a", -31.5, 20.0, 8.0), OwnHole("b", 47.25, -20.0, 8.0)))
        # The lamp plate is 140 by 90 about its middle: from the lower left corner, and from hole a.
        for hand, zero, want in (
            ("as drawn", "", ("38.5 mm", "117.2 mm")), ("other hand", "", ("101.5 mm", "22.8 mm")),
            ("as drawn", "a", ("78.8 mm", "-40.0 mm")), ("other hand", "a", ("-78.8 mm", "-40.0 mm")),
        ):  # fmt: skip
            document = pypdfium2.PdfDocument(printed(replace(off, zero=zero), hand=hand))
            said = document[len(document) - 1].get_textpage().get_text_range()
            document.close()
            cells = said.replace("\r", " ").replace("\n", " ").replace("−", "-").split(" ")
            self.assertIn(f"count from {'hole B' if zero else 'the lower left corner'}", said.replace("\r\n", " "))
            for value in want:
                with self.subTest(hand, value=value):
                    self.assertIn(value.split(" ")[0], cells)

    def test_in_dxf_a_hole_says_where_it_lies_as_the_table_counts(self):
        off = replace(LAMP, own_holes=(OwnHole("a", -31.5, 20.0, 8.0), OwnHole("b", 47.25, -20.0, 8.0)), zero="a")
        shape = piece_shape(SCENE, off)
        doc = ezdxf.read(io.StringIO(piece_dxf.written_piece(off, shape).decode()))
        said = {e.dxf.text for e in doc.modelspace().query("TEXT[layer=='MARK']")}
        self.assertLessEqual({"A", "B", "X78.75 Y-40.00", "X0.00 Y0.00"}, said)
        self.assertEqual(tuple(doc.ucs.get("ZERO").dxf.origin)[:2], (-31.5, 20.0))

    def test_left_and_right_change_places_on_the_other_hand(self):
        self.assertEqual(other_side("right rail, hole A"), "left rail, hole A")
        self.assertEqual(other_side("Left rail to right rail"), "Right rail to left rail")
        self.assertEqual(other_side("Upright of the right brightwork"), "Upright of the left brightwork")
        self.assertEqual(other_side(other_side("left, right and neither")), "left, right and neither")

    def test_more_than_sixty_sheets_are_refused(self):
        huge = Piece("p", "p", 3.0, outline=straight(((0, 0), (5000, 0), (5000, 4000), (0, 4000))))
        with self.assertRaisesRegex(Exception, "at most 60"):
            printed(huge)

    def test_ten_sheets_within_three_seconds(self):
        big = Piece(
            "p",
            "big",
            3.0,
            outline=straight(((0, 0), (820, 0), (820, 420), (0, 420))),
            own_holes=tuple(OwnHole(f"h{k}", 20 + 19 * k, 30, 9.0) for k in range(40)),
        )
        self.assertGreaterEqual(math.prod(true_size.sheets_for(HEAD, shape_of(big).size_mm)), 10)
        with at_most(self, 3.0):
            printed(big)


class TheSlip(unittest.TestCase):
    def test_as_json_and_on_paper(self):
        order = STAY.sendings[0]
        shape = shape_of(STAY)
        said = json.loads(cut_order.as_json(STAY, order, shape))
        self.assertEqual(said["format"], cut_order.FORMAT)
        self.assertEqual(said["order"]["checked_by"], "Orla Fennick")
        self.assertEqual(len(said["holes"]), 3)
        self.assertEqual([b["id"] for b in said["bends"]], ["B1", "B2"])
        paper = cut_order.as_pdf(
            STAY, Sending("s", "A & <B>", "laser", "drafted", "Teo", "2026-11-21T10:00:00"), shape, (), HEAD, SHOW.words
        )
        document = pypdfium2.PdfDocument(paper)
        text = document[0].get_textpage().get_text_range()
        document.close()
        for words in ("A & <B>", "nobody yet", "to be said", *engraved(STAY)[:1]):
            self.assertIn(words, text)


if __name__ == "__main__":
    unittest.main()
