"""Wraps printed to pixels and rolled round a tube of the right size; slips for the turner and cut lists read back."""

import csv
import io
import json
import math
import re
import unittest
from dataclasses import replace

import numpy as np
import pypdfium2

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.pieces import CrossHole, Piece, TubeBody
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.methods.tubes.tube_ends import TubeEnd
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.cut_list import CutRules, after_cutting, cut_list
from elmpeg.core.stages.make.tube_checks import PieceState, made_tube
from elmpeg.core.stages.make.tube_shape import tube_shape
from elmpeg.core.stages.make.turned_shape import turned_shape
from elmpeg.demo import cairn
from elmpeg.demo.shelf import SHELF
from elmpeg.formats import cut_list_files, true_size, turned_slip, wrap_print
from elmpeg.formats.paper import room_pt
from tests.formats.test_piece_files import HEAD, PX_PER_MM, pixels

CAIRN = cairn.build()
SCENE = Scene(CAIRN, CAIRN.options[0])


def text_of(data):
    document = pypdfium2.PdfDocument(data)
    said = "\n".join(page.get_textpage().get_text_range() for page in document)
    document.close()
    return said


class Rolled(unittest.TestCase):
    """What is cut out along the printed line and laid round the tube is the tube's own edge on the header."""

    def edge_in_pixels(self, piece, at_start):
        """The printed edge: for each place round the tube how far along it lies, read off the pixels from where nothing is drawn."""
        shape = tube_shape(piece)
        page = 0 if at_start else 1
        grey = pixels(wrap_print.as_pdf(piece, shape, HEAD, ("words",)), page)
        left, bottom, _, _ = true_size.frame_mm(HEAD)
        box = wrap_print.wrap_box(shape, at_start)
        found = []
        for k in range(1, 60):
            x = shape.girth_mm * k / 60
            if min(x, shape.girth_mm - x) < 4.5:
                continue  # the seam lines and their words
            column = round((left + true_size.AROUND_MM + x) * PX_PER_MM)
            # The band in which the edge lies, a little wider on its open side, where nothing else is printed.
            low, high = (
                (box[1] - 3.0, shape.start.farthest_mm + 1.0)
                if at_start
                else (shape.bent.straight_mm - shape.end.farthest_mm - 1.0, box[3] + 3.0)
            )
            rows = [int((bottom + true_size.AROUND_MM + y - box[1]) * PX_PER_MM) for y in (low, high)]
            dark = np.nonzero(grey[rows[0] : rows[1], column] < 120)[0]
            if len(dark):
                line = np.split(dark, np.nonzero(np.diff(dark) > 1)[0] + 1)[0 if at_start else -1]
                row = rows[0] + float(line.mean())
                found.append((x, (row + 0.5) / PX_PER_MM - bottom - true_size.AROUND_MM + box[1]))
        return shape, found

    def test_rolled_round_its_tube_the_edge_lies_on_the_header(self):
        """Each printed place laid on the cylinder and held against the header as a solid in space."""
        for angle, offset, turn in ((90.0, 0.0, 0.0), (62.0, 0.0, 130.0), (75.0, 3.0, 40.0)):
            body = TubeBody(
                "round",
                40.0,
                0.2,
                legs_mm=(300.0,),
                start=TubeEnd("cope", angle, 60.0, offset, turn),
                end=TubeEnd("mitre", 90.0, turn_deg=90.0),
            )
            piece = Piece("t", "t", 2.0, tube=body)
            _, edge = self.edge_in_pixels(piece, True)
            self.assertGreater(len(edge), 50)
            a = math.radians(angle)
            for x, along in edge:
                t = x / 20.0 - math.radians(turn)
                p = np.array([20 * math.cos(t), 20 * math.sin(t), along])
                header = np.array([math.sin(a), 0.0, -math.cos(a)])
                off = p - np.array([0.0, -offset, 0.0])
                self.assertAlmostEqual(float(np.linalg.norm(off - header * (off @ header))), 30.0, delta=0.35, msg=(angle, x))

    def test_the_other_end_is_printed_the_right_way_round(self):
        """A mitre at the end: its edge lies in the plane that halves the angle, its long side where it is told."""
        body = TubeBody("round", 40.0, 0.2, legs_mm=(300.0,), start=TubeEnd("cope", 90.0, 60.0), end=TubeEnd("mitre", 90.0, turn_deg=90.0))
        _, edge = self.edge_in_pixels(Piece("t", "t", 2.0, tube=body), False)
        for x, along in edge:
            self.assertAlmostEqual(along, 300.0 + 20.0 * math.cos(x / 20.0 - math.pi / 2), delta=0.3, msg=x)

    def test_seams_stand_a_girth_apart(self):
        piece = Piece("t", "t", 2.0, tube=TubeBody("round", 40.0, 2.0, legs_mm=(300.0,), start=TubeEnd("cope", 90.0, 60.0)))
        shape = tube_shape(piece)
        grey = pixels(wrap_print.as_pdf(piece, shape, HEAD, ("words",)), 0)
        left, bottom, _, _ = true_size.frame_mm(HEAD)
        box = wrap_print.wrap_box(shape, True)
        row = int((bottom + true_size.AROUND_MM + box[3] - box[1] - 2.0) * PX_PER_MM)
        start = int((left + true_size.AROUND_MM - 2) * PX_PER_MM)
        dark = np.nonzero(grey[row, start : start + int(140 * PX_PER_MM)] < 130)[0]
        groups = np.split(dark, np.nonzero(np.diff(dark) > 3)[0] + 1)
        middles = [float(g.mean()) / PX_PER_MM for g in groups]
        self.assertTrue(any(abs(b - a - math.pi * 40.0) < 0.2 for a in middles for b in middles), middles)

    def test_a_hole_near_the_end_is_on_the_wrap_across_the_seam_too(self):
        body = TubeBody("round", 40.0, 2.0, legs_mm=(300.0,), start=TubeEnd("cope", 90.0, 60.0), holes=(CrossHole("h", 52.0, 0.0, 12.0),))
        piece = Piece("t", "t", 2.0, tube=body)
        shape = tube_shape(piece)
        grey = pixels(wrap_print.as_pdf(piece, shape, HEAD, ("words",)), 0)
        left, bottom, _, _ = true_size.frame_mm(HEAD)
        box = wrap_print.wrap_box(shape, True)

        def dark(x, y):
            col, row = int((left + true_size.AROUND_MM + x) * PX_PER_MM), int((bottom + true_size.AROUND_MM + y - box[1]) * PX_PER_MM)
            return bool((grey[row - 2 : row + 3, col - 2 : col + 3] < 140).any())

        girth = math.pi * 40.0
        for x in (6.0583, girth - 6.0583, girth / 2 - 6.0583, girth / 2 + 6.0583):
            self.assertTrue(dark(x, 52.0), x)

    def test_words_go_on_to_further_sheets_and_never_off_one(self):
        piece = Piece("t", "t", 2.0, tube=TubeBody("round", 40.0, 2.0, legs_mm=(300.0,), start=TubeEnd("cope", 90.0, 60.0)))
        said = [
            f"Step {k}: scribe along the whole tube, turn it in the vee block, and measure again before anything is cut." for k in range(90)
        ]
        data = wrap_print.as_pdf(piece, tube_shape(piece), HEAD, said)
        for k in range(90):
            self.assertIn(f"Step {k}:", text_of(data))
        left, bottom, width, height = room_pt(HEAD)
        document = pypdfium2.PdfDocument(data)
        self.addCleanup(document.close)
        self.assertGreater(len(document), 2)
        for page in list(document)[1:]:
            text = page.get_textpage()
            for found in re.finditer(r"Step[^\r\n]*", text.get_text_range()):
                boxes = [text.get_charbox(i) for i in range(*found.span())]
                self.assertGreaterEqual(min(b[1] for b in boxes), bottom - 4.0)
                self.assertLessEqual(max(b[3] for b in boxes), bottom + height)
                self.assertLessEqual(max(b[2] for b in boxes), left + width + 0.5)

    def test_square_ends_have_nothing_to_wrap(self):
        piece = Piece("t", "t", 2.0, tube=TubeBody("round", 40.0, 2.0, legs_mm=(300.0,)))
        with self.assertRaisesRegex(InputError, "nothing to wrap"):
            wrap_print.as_pdf(piece, tube_shape(piece), HEAD, ())


class Slips(unittest.TestCase):
    def test_the_turners_slip_says_every_figure_with_its_limits(self):
        piece = CAIRN.piece("compressor-bush")
        shape = turned_shape(piece)
        told = json.loads(turned_slip.as_json(piece, shape))
        self.assertEqual([s["outside_mm"] for s in told["steps"]], [38.0, 25.0])
        self.assertAlmostEqual(told["fits"][0]["low_mm"], 24.987)
        said = text_of(turned_slip.as_pdf(piece, shape, HEAD))
        for words in ("4 off", "24.987 to 25.000 mm", "H8", "inside caliper", "from bar 39 mm"):
            self.assertIn(words, said.replace("\r\n", " "))


class CutLists(unittest.TestCase):
    def setUp(self):
        self.found = cut_list(SCENE, evaluate(CAIRN, "low").of(PieceState), SHELF, CutRules())

    def test_one_bar_too_few_and_what_is_bought_for_it(self):
        stay = next(b for b in self.found.bars if "tube 25" in b.of.called)
        self.assertEqual(stay.shelf_alone.missing, ("hose-stay",))
        self.assertIn(("steel tube 25 x 2, 6000 mm", 1), self.found.to_buy)
        rails = next(b for b in self.found.bars if "tube 48" in b.of.called)
        self.assertEqual([b.bar for b in rails.cuts.bars], ["tube-48-3"])

    def test_lengths_are_those_of_the_pieces(self):
        lengths = {i: long for b in self.found.bars for i, _, long in b.names}
        cross = CAIRN.piece("hoist-crossmember-cross")
        self.assertAlmostEqual(lengths["hoist-crossmember-cross"], made_tube(SCENE, cross)[1].blank_mm)
        self.assertEqual(sum(1 for i in lengths if i.startswith("compressor-bush")), 4)

    def test_read_back(self):
        rows = list(csv.DictReader(io.StringIO(cut_list_files.as_csv(self.found).decode("utf-8-sig"))))
        cut = {r["piece"] for r in rows}
        for name in ("Stretcher hoist crossmember, cross", "Hose stay, bent", "Stand base", "Compressor bush"):
            self.assertIn(name, cut)
        said = text_of(cut_list_files.as_pdf(self.found, HEAD))
        for words in ("To buy", "steel tube 25 x 2, 6000 mm", "636.0 mm"):
            self.assertIn(words, said)

    def test_a_name_is_no_formula(self):
        named = replace(CAIRN, pieces=tuple(replace(p, name="=1+1") if p.id == "hose-stay" else p for p in CAIRN.pieces))
        found = cut_list(Scene(named, named.options[0]), evaluate(named, "low").of(PieceState), SHELF, CutRules())
        self.assertIn("'=1+1", cut_list_files.as_csv(found).decode("utf-8-sig"))

    def test_the_shelf_after_cutting(self):
        """What was cut into is one less; what remains of a bar and of a sheet lies there, as long as it is."""
        changed = {(i.id or i.name): i for i in after_cutting(self.found, SHELF, "rack C")}
        self.assertEqual(changed["tube-42-25"].qty, 0)
        left = next(i for i in changed.values() if i.name.startswith("steel tube 42 x 2.5"))
        wanted = next(b.cuts.bars[0].left_mm for b in self.found.bars if "tube 42" in b.of.called)
        self.assertEqual((left.mm, left.place, left.outside_mm, left.bore_mm), (math.floor(wanted), "rack C", 42.0, 37.0))
        again = cut_list(
            SCENE, evaluate(CAIRN, "low").of(PieceState), tuple(changed.values()), CutRules(), frozenset({"hoist-crossmember-cross"})
        )
        self.assertEqual(again.bars[0].shelf_alone.missing, (), "what remains is cut from the next time")

    def test_without_buying_it_is_only_told(self):
        found = cut_list(SCENE, evaluate(CAIRN, "low").of(PieceState), SHELF, CutRules(buys=False))
        self.assertTrue(any(b.cuts.missing for b in found.bars))
        self.assertFalse(any(bar.buy for b in found.bars for bar in b.cuts.bars))
