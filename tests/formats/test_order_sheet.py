"""The order as it leaves the shop: one page, nothing left out, nothing called final that is not."""

import json
import math
import re
import unittest
import zlib
from base64 import a85decode
from dataclasses import replace
from itertools import pairwise

from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.shaft_order import sheet_of
from elmpeg.demo import cairn, dynamo
from elmpeg.figures.figure import Dimension, Note
from elmpeg.figures.shaft_order import shaft_order
from elmpeg.formats import build_file, order_sheet
from elmpeg.formats.paper import Head
from elmpeg.store.shop_record import PAPER_MM
from elmpeg.web.showing import Show


def pages(pdf):
    return len(re.findall(rb"/Type\s*/Page\b", pdf))


def drawn(pdf):
    """All that the pages draw and the faces they carry, decompressed. Letters beyond ASCII are numbered by face."""
    found = []
    for stream in re.findall(rb"stream\r?\n(.*?)endstream", pdf, re.S):
        data = stream.strip()
        try:
            found.append(zlib.decompress(a85decode(data.removesuffix(b"~>")) if data.endswith(b"~>") else data))
        except (ValueError, zlib.error):
            continue
    return b"".join(found)


def pdf_of(build, sheet, paper="A4"):
    wide, high = PAPER_MM[paper]
    head = Head("Shaft order: Rear line", f"{build.name}, revision 1", "Teo Marsh, today", (wide * 72 / 25.4, high * 72 / 25.4))
    return order_sheet.as_pdf(build, sheet, head, Show().words, Show().bar)


class Sheet(unittest.TestCase):
    """PDF and JSON of the demo's two orders."""

    @classmethod
    def setUpClass(cls):
        cls.orders = {b.id: (b, sheet_of(b, b.orders[0])) for b in (cairn.build(), dynamo.build())}

    def test_each_is_one_page(self):
        for name, (build, sheet) in self.orders.items():
            pdf = pdf_of(build, sheet)
            self.assertTrue(pdf.startswith(b"%PDF"), name)
            self.assertEqual(pages(pdf), 1, name)

    def test_it_is_drawn_to_scale_on_the_paper_of_the_shop_in_its_own_face(self):
        build, sheet = self.orders["dynamo"]
        for paper, (wide, high) in PAPER_MM.items():
            pdf = pdf_of(build, sheet, paper)
            box = re.search(rb"/MediaBox \[ 0 0 ([\d.]+) ([\d.]+) \]", pdf)
            self.assertAlmostEqual(float(box[1]) * 25.4 / 72, wide, places=2)
            self.assertAlmostEqual(float(box[2]) * 25.4 / 72, high, places=2)
            self.assertIn(b"AtkinsonNext", pdf)
            self.assertNotIn(b"Vera", pdf)
        figure = shaft_order(build, sheet.order)
        scene = Scene(build, build.option(sheet.order.option))
        line = build.driveline(sheet.order.line)
        lengths = [math.dist(scene.xyz(a.point), scene.xyz(b.point)) for a, b in pairwise(line.joints)]
        said = [i.says.quantities[0].value for i in figure.panels[0].items if isinstance(i, Dimension)]
        self.assertEqual(len(said), len(lengths))
        for told, length in zip(said, lengths, strict=True):
            self.assertAlmostEqual(told, length, places=6)
        words = " ".join(i.says.template for i in figure.panels[0].items if isinstance(i, Note))
        for joint in line.joints:
            self.assertIn(joint.id, words)
        self.assertIn(line.shafts[0].drive_flange, words)

    def test_one_page_however_long_and_foreign_the_words(self):
        build, sheet = self.orders["cairn-2"]
        order = replace(sheet.order, measured_how="Łódź, cœur, <b>bold</b> & more. " * 9, height="é" * 290, note="x" * 290)
        long = replace(build, orders=(order,), photos=())
        pdf = pdf_of(long, sheet_of(long, order))
        self.assertEqual(pages(pdf), 1)
        self.assertGreater(len(drawn(pdf)), len(drawn(pdf_of(build, sheet))), "nothing is cut to make it fit")

    def test_the_json_carries_every_figure_its_doubt_and_its_source(self):
        build, sheet = self.orders["dynamo"]
        plain = json.loads(order_sheet.as_json(build, sheet))
        self.assertTrue(plain["final"])
        self.assertEqual(plain["not_final_because"], [])
        self.assertEqual(plain["state"], "fitted")
        self.assertEqual([s["state"] for s in plain["steps"]], ["drafted", "checked", "sent", "received", "fitted"])
        first = plain["shafts"][0]
        self.assertEqual(first["member"], "J1-J2")
        for figure in first["figures"]:
            self.assertTrue(figure["from"])
            self.assertEqual(figure["sd"] is None, figure["unit"] == "rpm")
        self.assertEqual({t["stood"] for t in first["tapes"]}, {"ride"})
        self.assertEqual(
            {(r["part"], r["zeroed_on"]) for r in plain["slopes"]}, {(n, "level") for n in ("drive end", "J1-J2", "J2-J3", "driven end")}
        )
        for figure in first["figures"]:
            if figure["name"].startswith("angle"):
                self.assertIn("with an angle gauge at ride height by", figure["from"])
        self.assertEqual(first["chosen"]["drive flange"], "four bolts on 108 mm")
        self.assertEqual(len(plain["ordered_figures"]), sum(len(s["figures"]) for s in plain["shafts"]))

    def test_one_that_is_not_final_says_why(self):
        build, sheet = self.orders["cairn-2"]
        plain = json.loads(order_sheet.as_json(build, sheet))
        self.assertFalse(plain["final"])
        self.assertEqual(tuple(plain["not_final_because"]), sheet.blockers)
        self.assertTrue(any("off ride height" in why for why in plain["not_final_because"]))


class KeptInFiles(unittest.TestCase):
    """Lines, axles, tapes and orders come back from a file as they were."""

    def test_there_and_back(self):
        for build in (cairn.build(), dynamo.build()):
            self.assertEqual(build_file.read(build_file.written(build)), build)

    def test_a_file_of_version_three_has_none_of_them(self):
        plain = json.loads(build_file.written(dynamo.build()))
        plain["version"] = 3
        for name in ("axles", "series", "lengths", "slopes", "orders"):
            del plain["build"][name]
        for line in plain["build"]["drivelines"]:
            for name in ("use", "arrangement", "axle", "shafts", "road", "stations_mm", "decision"):
                del line[name]
        for wheel in plain["build"]["wheels"]:
            del wheel["on"]
        for name in [n for n in plain["build"]["limits"]["joints"] if n.startswith(("windup", "crawler", "steering", "coast"))]:
            del plain["build"]["limits"]["joints"][name]
        old = build_file.read(json.dumps(plain).encode())
        self.assertEqual((old.axles, old.orders, old.drivelines[0].axle), ((), (), ""))
        self.assertEqual(old.drivelines[0].joints, dynamo.build().drivelines[0].joints)
