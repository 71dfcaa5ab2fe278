"""Files of the shop: the shelf as a table, photographs, a build with its pictures, plates to cut and drawings to read."""

import csv
import io
import math
import random
import unittest
import xml.etree.ElementTree as ET
import zipfile
from dataclasses import replace
from hashlib import sha256
from unittest import mock

import ezdxf
from ezdxf import units
from ezdxf.path import make_path
from hypothesis import given, settings
from hypothesis import strategies as st
from PIL import Image

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.pieces import Piece
from elmpeg.core.build.survey import Photo
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape
from elmpeg.core.stages.mount.plates import plate_geometry
from elmpeg.core.stages.mount.shelf import StockItem
from elmpeg.demo import cairn
from elmpeg.demo.shelf import SHELF
from elmpeg.formats import build_zip, dxf, photographs, piece_dxf, piece_svg, shelf_csv
from elmpeg.formats.csv_table import decoded

CAIRN = cairn.build()
PLATE = CAIRN.pieces[0]
MADE = plate_geometry(CAIRN, PLATE)
INCH = 25.4


def refusal(case, act):
    with case.assertRaises(InputError) as refused:
        act()
    return "; ".join(f"{e.field} {e.message}" for e in refused.exception.errors)


def lines(*rows, separator=","):
    out = io.StringIO()
    csv.writer(out, delimiter=separator).writerows(rows)
    return out.getvalue().encode()


HEAD = ("id", "name", "form", "size [mm]", "bore [mm]", "outside [mm]", "thread", "material", "quantity", "place")


class ShelfTable(unittest.TestCase):
    """The shelf goes out as a table and comes back as the same, whatever wrote it in between."""

    def test_what_went_out_changes_nothing_in_either_unit(self):
        for unit in ("mm", "in"):
            with self.subTest(unit):
                back = shelf_csv.read(SHELF, shelf_csv.written_shelf(SHELF, unit))
                self.assertEqual((back.count("same"), back.items), (len(SHELF), ()))

    @settings(max_examples=40, deadline=None)
    @given(
        name=st.text(st.characters(codec="utf-8", exclude_categories=("C", "Z")), min_size=1, max_size=40),
        mm=st.floats(0.05, 900), qty=st.integers(0, 9999), comma=st.booleans(),
    )  # fmt: skip
    def test_any_name_and_size_as_a_spreadsheet_may_write_it(self, name, mm, qty, comma):
        item = StockItem("odd", name, "washer", round(mm, 2), 13.0, qty, outside_mm=24.0)
        sent = shelf_csv.written_shelf((item,)).decode("utf-8-sig")
        if comma:
            rows = [
                [c.replace(".", ",") if k in (3, 4, 5) and n else c for k, c in enumerate(row)]
                for n, row in enumerate(csv.reader(io.StringIO(sent)))
            ]
            sent = lines(*rows, separator=";").decode()
        back = shelf_csv.read((replace(item, qty=qty + 1),), sent.encode("utf-16"))
        self.assertEqual([x.verdict for x in back.lines], ["changed"], back.lines)
        self.assertEqual(back.items[0].qty, qty)
        self.assertEqual(back.items[0].name, name)
        self.assertAlmostEqual(back.items[0].mm, item.mm, places=3)

    def test_a_formula_in_a_name_stays_text_in_a_spreadsheet(self):
        for name in ("=1+1", "@sum", "+cmd", "-x"):
            item = replace(SHELF[0], name=name)
            row = next(iter(list(csv.reader(io.StringIO(shelf_csv.written_shelf((item,)).decode("utf-8-sig"))))[1:]))
            self.assertFalse(row[1][:1] in "=+-@", row)
            self.assertEqual(shelf_csv.read((item,), shelf_csv.written_shelf((item,))).count("same"), 1)

    def test_lines_that_cannot_be_taken_say_why_and_nothing_is_kept(self):
        good = ("", "Packing", "plate", "6", "13", "", "", "steel", "4", "rack")
        for change, words in (
            ({3: ""}, "size"), ({3: "-2"}, "size"), ({2: "thing"}, "thing"), ({8: "2.5"}, "whole"), ({8: "-1"}, "whole"),
            ({3: "=1+1"}, "formula"), ({1: ""}, "name"), ({3: "6", 5: "9"}, "outside"),
        ):  # fmt: skip
            bad = tuple(change.get(k, v) for k, v in enumerate(good))
            with self.subTest(words, change=change):
                told = shelf_csv.read(SHELF, lines(HEAD, (*good[:1], "Other packing", *good[2:]), bad))
                self.assertIsNone(told.items)
                self.assertEqual([x.verdict for x in told.lines_worst_first], ["refused", "new"])
                self.assertIn(words, told.lines_worst_first[0].why)
        twice = shelf_csv.read(SHELF, lines(HEAD, good, good))
        self.assertIn("line 2", twice.lines[1].why)

    def test_files_that_are_no_shelf(self):
        for data, words in (
            (b"", "empty"), (b"\x89PNG\r\n\x00\x00", "text"), (lines(("name", "form", "size", "quantity")), "unit"), (lines(("name", "form")), "needs"),
            (lines((*HEAD, "colour")), "colour"), (lines((*HEAD, "name")), "twice"), (lines(("name", "size [ft]", "form", "quantity")), "[mm] or [in]"),
            (b"x" * 900_000, "MB"), (b'name,form,size [mm],quantity\n"open', "CSV"),
        ):  # fmt: skip
            with self.subTest(words):
                self.assertIn(words, refusal(self, lambda data=data: shelf_csv.read(SHELF, data)))

    def test_text_in_the_codings_that_spreadsheets_write(self):
        for coding in ("utf-8", "utf-8-sig", "utf-16", "cp1252"):
            self.assertEqual(decoded("Ölkühler, 5 µm".encode(coding)), "Ölkühler, 5 µm", coding)


def picture(kind="JPEG", size=(120, 80), mode="RGB", **more):
    image = Image.new(mode, size)
    image.paste(Image.new(mode, (size[0] // 2, size[1]), "white" if mode == "RGB" else 1), (0, 0))
    out = io.BytesIO()
    image.save(out, kind, **more)
    return out.getvalue()


class Photographs(unittest.TestCase):
    """A photograph is judged by its content, and keeps nothing but the picture."""

    def test_each_kind_and_mode_is_kept_as_its_own_kind(self):
        for kind, ending in (("JPEG", "jpg"), ("PNG", "png"), ("WEBP", "webp")):
            kept = photographs.cleaned(picture(kind))
            self.assertTrue(kept.id.endswith(f".{ending}"), kept.id)
            self.assertEqual((kept.width_px, kept.height_px), (120, 80))
            with Image.open(io.BytesIO(kept.data)) as again:
                self.assertEqual(again.format, kind)
        for mode in ("L", "RGBA", "1", "P", "LA"):
            with self.subTest(mode):
                self.assertEqual(photographs.cleaned(picture("PNG", mode=mode)).width_px, 120)

    def test_cleaning_again_is_what_a_zip_may_bring_back(self):
        kept = photographs.cleaned(picture("PNG"))
        self.assertEqual(photographs.kept_before(kept.id, kept.data).thumb, kept.thumb)
        self.assertEqual(photographs.cleaned(picture("PNG")).id, kept.id)
        self.assertIn("content is not that", refusal(self, lambda: photographs.kept_before("0" * 24 + ".png", kept.data)))

    def test_notes_go_and_turned_pictures_stand_upright(self):
        notes = Image.Exif()
        notes[0x0112], notes[0x010F] = 6, "a camera"
        notes.get_ifd(0x8825)[1] = "N"
        kept = photographs.cleaned(picture("JPEG", exif=notes))
        self.assertEqual((kept.width_px, kept.height_px), (80, 120))
        self.assertNotIn(b"a camera", kept.data)
        with Image.open(io.BytesIO(kept.data)) as image:
            self.assertEqual(len(image.getexif()), 0)
            # The white half was on the left; turned by a quarter it is on top.
            self.assertGreater(image.convert("L").getpixel((40, 10)), 200)
            self.assertLess(image.convert("L").getpixel((40, 110)), 60)

    def test_what_is_no_picture(self):
        whole = picture("PNG", size=(900, 900))
        for data, words in ((b"", "not a JPEG"), (b"<svg/>", "not a JPEG"), (picture("GIF", mode="L"), "not a JPEG"), (whole[: len(whole) // 2], "cut short"), (b"\xff" * 12_000_001, "12.0 MB")):  # fmt: skip
            with self.subTest(words):
                self.assertIn(words, refusal(self, lambda data=data: photographs.cleaned(data)))
        vast = picture("PNG", size=(9000, 9000), mode="1")
        self.assertLess(len(vast), 100_000)
        self.assertIn("9000 x 9000", refusal(self, lambda: photographs.cleaned(vast)))


class CarriedBuilds(unittest.TestCase):
    """A build and its photographs in one zip come back whole or not at all."""

    def setUp(self):
        self.kept = photographs.cleaned(picture("PNG"))
        self.build = replace(
            CAIRN, photos=(Photo(self.kept.id, "left rail", "", 120, 80, len(self.kept.data), "Bea Lund", "2026-05-02T09:00"),)
        )
        self.zip = build_zip.written(self.build, {self.kept.id: self.kept.data}.__getitem__, {}.__getitem__)

    def changed(self, **contents):
        out = io.BytesIO()
        with zipfile.ZipFile(io.BytesIO(self.zip)) as old, zipfile.ZipFile(out, "w") as new:
            for name in old.namelist():
                key = "build" if name == build_zip.BUILD else "photo"
                content = contents.get(key, old.read(name))
                if content is not None:
                    new.writestr(name, content)
        return out.getvalue()

    def test_whole(self):
        back = build_zip.read(self.zip)
        self.assertEqual((back.build, back.pictures[0].data), (self.build, self.kept.data))

    def test_a_picture_with_notes_in_it_is_cleaned_as_any_other_is(self):
        """However the note is in it: the build then speaks of the picture as it is kept, wherever it names it."""
        notes = Image.Exif()
        notes[0x010F] = "a camera"
        noted = {
            "jpg": picture("JPEG", exif=notes),
            "png": self.kept.data + b"a camera",
            "webp": picture("WEBP", exif=notes.tobytes()),
        }
        for ending, data in noted.items():
            with self.subTest(ending):
                old = f"{sha256(data).hexdigest()[:24]}.{ending}"
                point = replace(
                    self.build.points[0], readings=(replace(next(p.readings[0] for p in CAIRN.points if p.readings), photo=old),)
                )
                build = replace(self.build, photos=(replace(self.build.photos[0], id=old),), points=(point, *self.build.points[1:]))
                back = build_zip.read(build_zip.written(build, {old: data}.__getitem__, {}.__getitem__))
                new = back.pictures[0]
                self.assertNotIn(b"a camera", new.data)
                self.assertNotEqual(new.id, old)
                self.assertEqual([(p.id, p.size_bytes) for p in back.build.photos], [(new.id, len(new.data))])
                self.assertEqual(back.build.points[0].readings[0].photo, new.id)

    def test_what_was_kept_always_comes_back(self):
        """A picture that grows when it is written anew is written less fine, so that it is never larger than what is taken."""
        noise = Image.effect_noise((700, 500), 120).convert("RGB")
        for kind in ("JPEG", "PNG", "WEBP"):
            out = io.BytesIO()
            noise.save(out, kind, **({"quality": 30} if kind != "PNG" else {}))
            most = len(out.getvalue()) + 20_000 if kind != "PNG" else 1_000_000
            with self.subTest(kind), mock.patch.object(photographs, "LARGEST_BYTES", most):
                kept = photographs.cleaned(out.getvalue()) if kind != "PNG" else photographs.cleaned(picture("PNG", size=(300, 300)))
                self.assertLessEqual(len(kept.data), most)
                self.assertTrue(photographs.only_picture(kept.data))
                self.assertEqual(photographs.kept_before(kept.id, kept.data).id, kept.id)
        kept = photographs.cleaned(picture("JPEG"))
        with mock.patch.object(photographs, "LARGEST_BYTES", 100):
            # Of an earlier version, which kept larger ones than it took.
            self.assertEqual(photographs.kept_before(kept.id, kept.data).id, kept.id)

    def test_never_part_of_it(self):
        other = photographs.cleaned(picture("PNG", size=(20, 20))).data
        for data, words in (
            (self.changed(photo=None), "lacks the photograph"), (self.changed(photo=other), "content"), (self.changed(photo=b"x"), "not a JPEG"),
            (self.changed(build=None), "build.json"), (self.changed(build=b"{"), ""), (self.zip[:-40], "zip"), (b"PK\x03\x04", "zip"),
        ):  # fmt: skip
            with self.subTest(words):
                self.assertIn(words, refusal(self, lambda data=data: build_zip.read(data)))

    def test_bytes_turned_over_anywhere_are_read_whole_or_refused(self):
        draw = random.Random(3)
        refused = 0
        for _ in range(60):
            spoiled = bytearray(self.zip)
            spoiled[draw.randrange(len(spoiled))] ^= 1 << draw.randrange(8)
            try:
                self.assertEqual(build_zip.read(bytes(spoiled)).pictures[0].id, self.kept.id)
            except InputError:
                refused += 1
        self.assertGreater(refused, 30)


class PlatesToCut(unittest.TestCase):
    """A plate's drawing carries the plate: read with another tool it has the same holes, outline and area."""

    def entities(self, plate: Piece, layer, kind):
        doc = ezdxf.read(io.StringIO(piece_dxf.written_piece(plate, piece_shape(Scene(CAIRN, CAIRN.options[0]), plate)).decode()))
        self.assertEqual(doc.units, units.MM)
        return [e for e in doc.modelspace() if e.dxf.layer == layer and e.dxftype() == kind]

    def test_holes_and_outline_in_dxf(self):
        circles = {
            (round(c.dxf.center.x, 6), round(c.dxf.center.y, 6), round(2 * c.dxf.radius, 6))
            for c in self.entities(PLATE, piece_dxf.CUT, "CIRCLE")
        }
        self.assertEqual(circles, {(round(h.xy_mm[0], 6), round(h.xy_mm[1], 6), round(h.drill_mm, 6)) for h in MADE.holes})
        (cut,) = self.entities(PLATE, piece_dxf.CUT, "LWPOLYLINE")
        self.assertTrue(cut.closed)
        corners = [(v.x, v.y) for v in make_path(cut).flattening(0.0005)][:-1]
        twice = sum(x0 * y1 - x1 * y0 for (x0, y0), (x1, y1) in zip(corners, corners[1:] + corners[:1], strict=True))
        drilled = sum(math.pi * h.drill_mm**2 / 4 for h in MADE.holes)
        self.assertAlmostEqual(abs(twice) / 2 - drilled, MADE.area_mm2, delta=2e-3 * MADE.area_mm2)

    def test_a_shift_and_a_turn_move_the_upper_holes_and_only_these(self):
        moved = replace(PLATE, shift_mm=(PLATE.shift_mm[0] + 7.0, PLATE.shift_mm[1] - 4.0))
        for before, after in zip(MADE.holes, plate_geometry(CAIRN, moved).holes, strict=True):
            by = (7.0, -4.0) if before.pattern == "upper" else (0.0, 0.0)
            self.assertAlmostEqual(after.xy_mm[0] - before.xy_mm[0], by[0])
            self.assertAlmostEqual(after.xy_mm[1] - before.xy_mm[1], by[1])

    def test_svg_is_at_true_size_with_the_same_holes(self):
        named = replace(PLATE, name='Plate <for> "both" & more')
        root = ET.fromstring(piece_svg.written_piece(named, piece_shape(Scene(CAIRN, CAIRN.options[0]), named)))
        space = {"s": "http://www.w3.org/2000/svg"}
        _, _, wide, tall = (float(v) for v in root.get("viewBox").split())
        self.assertEqual((root.get("width"), root.get("height")), (f"{wide:.4f}mm", f"{tall:.4f}mm"))
        self.assertEqual(root.find("s:title", space).text, named.name)
        drawn = [c for g in root.findall("s:g", space) if g.get("id") == "cut" for c in g if c.tag.endswith("circle")]
        self.assertEqual(len(drawn), len(MADE.holes))
        for one, other in ((0, 1), (0, len(drawn) - 1)):
            shown = math.dist(*[(float(drawn[k].get("cx")), float(drawn[k].get("cy"))) for k in (one, other)])
            places = {h.id: h.xy_mm for h in MADE.holes}
            self.assertAlmostEqual(shown, math.dist(*(places[drawn[k].get("id")] for k in (one, other))), places=3)
        for text in root.iter("{http://www.w3.org/2000/svg}text"):
            self.assertTrue(0 <= float(text.get("y")) <= tall, text.text)


class DrawingsToRead(unittest.TestCase):
    """Circles of a drawing become holes, in whatever unit it was drawn."""

    holes = ((0.0, 0.0, 10.0), (90.0, 5.0, 12.0), (40.0, 60.0, 10.0))

    def drawn(self, unit, scale, block=False):
        doc = ezdxf.new(units=unit)
        space = doc.blocks.new("B") if block else doc.modelspace()
        for x, y, d in self.holes:
            space.add_circle((x * scale, y * scale), d / 2 * scale)
        space.add_line((0, 0), (5, 5))
        if block:
            doc.modelspace().add_blockref("B", (100 * scale, 0))
        out = io.StringIO()
        doc.write(out)
        return out.getvalue().encode()

    def test_in_every_unit(self):
        for unit, mm in ((units.MM, 1.0), (units.CM, 10.0), (units.M, 1000.0), (units.IN, INCH), (units.FT, 12 * INCH)):
            found = dxf.read_circles(self.drawn(unit, 1 / mm))
            for hole, (x, y, d) in zip(found, self.holes, strict=True):
                self.assertAlmostEqual(hole.x_mm, x, places=5)
                self.assertAlmostEqual(hole.y_mm, y, places=5)
                self.assertAlmostEqual(hole.hole_mm, d, places=5)

    def test_without_a_unit_it_is_asked_for(self):
        data = self.drawn(0, 1 / INCH)
        self.assertIn("unit", refusal(self, lambda: dxf.read_circles(data)))
        self.assertAlmostEqual(dxf.read_circles(data, INCH)[1].x_mm, 90.0, places=5)

    def test_holes_in_a_block_are_where_the_block_is_put(self):
        self.assertAlmostEqual(dxf.read_circles(self.drawn(units.MM, 1.0, block=True))[0].x_mm, 100.0)

    def test_what_is_no_drawing(self):
        empty = ezdxf.new(units=units.MM)
        out = io.StringIO()
        empty.write(out)
        for data, words in (
            (b"", "no circles"),
            (b"not a drawing at all", "readable"),
            (out.getvalue().encode(), "no circles"),
            (b"0" * 5_000_001, "MB"),
        ):
            with self.subTest(words):
                self.assertIn(words, refusal(self, lambda data=data: dxf.read_circles(data)))
        whole = self.drawn(units.MM, 1.0)
        draw = random.Random(2)
        for _ in range(12):
            spoiled = bytearray(whole)
            for _ in range(20):
                spoiled[draw.randrange(len(spoiled))] = draw.randrange(256)
            try:
                self.assertLessEqual(len(dxf.read_circles(bytes(spoiled))), len(self.holes))
            except InputError as refused:
                self.assertTrue(refused.errors[0].message)
