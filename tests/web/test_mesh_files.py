"""A scan of unknown unit comes in, is brought to size, turned, placed and kept; it goes out with the build; it can be stopped."""

import io
import json
import re
import time
import unittest
import zipfile
from html import unescape

import ezdxf
import trimesh

from elmpeg.core.methods.shapes.solids import Mesh, bounds_mm
from tests.shop import TestShop

PATIENCE_S = 60


def scan(radius=8.0):
    """A lump in inches, lying on its side."""
    made = trimesh.creation.capsule(height=14.0, radius=radius)
    return made.export(file_type="stl")


class Scans(unittest.TestCase):
    def setUp(self):
        self.shop = TestShop()
        self.addCleanup(self.shop.close)
        self.teo = self.shop.browser("teo")

    def build(self):
        return self.shop.shop.builds.head("bookworm").build

    def send(self, name, data, **fields):
        base = str(self.shop.shop.builds.head("bookworm").number)
        return self.teo.client.post(
            "/builds/bookworm/shapes/file",
            data={"on": "vehicle", "base": base, **fields},
            files={"file": (name, data)},
            headers={"X-CSRF-Token": self.teo.csrf, "HX-Request": "true"},
        )

    def bring(self, name, data):
        """The address of a file that has come in."""
        answer = self.send(name, data)
        self.assertEqual(answer.status_code, 204, re.findall(r"field-error[^>]*>([^<]*)", answer.text))
        where = answer.headers["hx-redirect"]
        self.one = self.shop.shop.imports.of(re.search(r"import=([^&]+)", where)[1], 2)
        self.assertTrue(self.one.done.wait(PATIENCE_S))
        return where

    def keep(self, where, **fields):
        asked = dict(re.findall(r"(\w+)=([^&]+)", where.split("?")[1]))
        base = str(self.shop.shop.builds.head("bookworm").number)
        return self.teo.post(
            "/builds/bookworm/shapes/file/keep", **{"base": base, "name": "scan", "unit": "in", "sd_mm": "0", **asked, **fields}
        )

    def test_from_a_file_to_a_shape_in_its_place_and_out_again(self):
        where = self.bring("Old Gearbox.stl", scan())
        page = unescape(self.teo.get(where).text)
        self.assertIn("How large is it?", page)
        self.assertIn('value="Old Gearbox"', page)
        kept = self.keep(where, do="keep", turns="1", place_x="2000", place_z="300", name="old gearbox", role="hot")
        self.assertEqual(kept.status_code, 204, re.findall(r"field-error[^>]*>([^<]*)", kept.text))
        shape = self.build().solids[-1]
        self.assertIsInstance(shape, Mesh)
        low, high = bounds_mm(shape)
        # 14 in between the ends' middles and 8 in at each end, laid down by a quarter turn seen from the left.
        self.assertAlmostEqual(high[0] - low[0], 30 * 25.4, delta=3)
        self.assertAlmostEqual(high[2] - low[2], 16 * 25.4, delta=3)
        self.assertAlmostEqual(low[2], 300.0, delta=0.02)
        self.assertGreaterEqual(shape.sd_mm, shape.off_mm)
        self.assertEqual((shape.name, shape.role), ("old gearbox", "hot"))
        packed = self.teo.get("/builds/bookworm/zip")
        names = zipfile.ZipFile(io.BytesIO(packed.content)).namelist()
        self.assertIn(f"meshes/{shape.file}", names)
        other = TestShop()
        self.addCleanup(other.close)
        orla = other.browser("orla")
        sent = {"headers": {"X-CSRF-Token": orla.csrf, "HX-Request": "true"}, "data": {}}
        alone = orla.client.post("/builds", files={"file": ("b.json", self.teo.get("/builds/bookworm/file").content)}, **sent)
        self.assertIn("as a zip", alone.text, "without its file a mesh is not taken in")
        came = orla.client.post("/builds", files={"file": ("b.zip", packed.content)}, **sent)
        self.assertEqual(came.status_code, 204, came.text[:300])
        there = came.headers["hx-redirect"].split("/")[2]
        self.assertEqual(orla.get(f"/builds/{there}/meshes/{shape.file}").content, scan())

    def test_picked_places_bring_it_where_they_were_measured(self):
        where = self.bring("scan.stl", scan())
        asked = dict(re.findall(r"(\w+)=([^&]+)", where.split("?")[1]))
        seen = [
            self.teo.get(f"/builds/bookworm/shapes/file/seen?import={asked['import']}&unit=in&turns=&view={view}&u={u}&v={v}").text
            for view, u, v in (("side", 0, 300), ("side", 100, 500), ("plan", 0, 0), ("rear", 0, 200))
        ]
        places = [tuple(float(n) for n in s.split(";")) for s in seen]
        picks = {f"pick_{k}": s for k, s in enumerate(seen)}
        # Where the tape found them: everything 1500 back, 40 to the left and 200 up.
        wanted = {f"to_{k}_{a}": str(v + by) for k, p in enumerate(places) for a, v, by in zip("xyz", p, (1500, -40, 200), strict=True)}
        shown = self.keep(where, do="try", **picks, **wanted)
        self.assertIn("picks are met to", shown.text)
        self.assertEqual(self.build().solids[-1].id, "floor", "looking keeps nothing")
        self.assertEqual(self.keep(where, do="keep", **picks, **wanted).status_code, 204)
        low, high = bounds_mm(self.build().solids[-1])
        self.assertAlmostEqual((low[0] + high[0]) / 2, 1500.0, delta=1.0)
        self.assertAlmostEqual(low[2], 200.0, delta=1.0)
        line = self.keep(where, do="try", **{f"pick_{k}": f"{k};0;0" for k in range(3)}, **{f"to_{k}_x": str(k) for k in range(3)})
        self.assertIn("in a line", line.text)

    def test_what_cannot_be_read_is_told_and_nothing_is_kept(self):
        before = self.build()
        for name, data, words in (("a.step", b"x" * 100, "none of"), ("a.stl", b"", "empty"), ("a.ply", b"x" * 100, "not a PLY")):
            answer = self.send(name, data)
            self.assertEqual(answer.status_code, 422)
            self.assertIn(words, answer.text)
        where = self.bring("a.obj", b"v 0 0 0\nv 1 0 0\nf 1 2 9\n" * 3)
        self.assertIn("the file", unescape(self.teo.get(where).text))
        self.assertTrue(self.one.trouble)
        self.assertEqual(self.build(), before)

    def test_a_file_under_way_is_stopped(self):
        big = trimesh.creation.icosphere(subdivisions=7, radius=300.0).export(file_type="stl")
        where = self.send("big.stl", big).headers["hx-redirect"]
        key = re.search(r"import=([^&]+)", where)[1]
        one = self.shop.shop.imports.of(key, 2)
        while one.process is None and not one.done.is_set():
            time.sleep(0.01)
        self.assertIn("Stop", self.teo.get(where).text)
        self.assertEqual(self.teo.post("/builds/bookworm/shapes/file/stop", **{"import": key, "on": "vehicle"}).status_code, 204)
        self.assertTrue(one.done.wait(PATIENCE_S))
        self.assertTrue(one.stopped)
        self.assertIsNone(one.result)
        self.assertIsNone(self.shop.shop.imports.of(key, 1), "nobody sees what another brings in")

    def test_a_drawing_comes_in_as_pulled_outlines(self):
        made = ezdxf.new(units=0)
        made.modelspace().add_lwpolyline([(0, 0), (8, 0), (8, 4), (0, 4)], close=True)
        out = io.StringIO()
        made.write(out)
        self.assertIn("says no unit", self.send("plate.dxf", out.getvalue().encode()).text)
        answer = self.send("plate.dxf", out.getvalue().encode(), drawn_unit="in", drawn_in="plan")
        self.assertEqual(answer.status_code, 200)
        plate = self.build().solids[-1]
        self.assertEqual((plate.name, plate.view, plate.source), ("plate", "plan", "drawing"))
        self.assertAlmostEqual(max(u for u, _ in plate.outline_mm), 203.2)

    def test_a_mesh_is_told_in_the_build_file_and_reads_back(self):
        where = self.bring("scan.stl", scan())
        self.keep(where, do="keep")
        plain = json.loads(self.teo.get("/builds/bookworm/file").content)
        self.assertEqual(plain["build"]["solids"][-1]["kind"], "mesh")


if __name__ == "__main__":
    unittest.main()
