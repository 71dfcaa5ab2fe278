"""Mesh files and drawings: read whole or refused with words, simplified by as much as is said, whatever is in them."""

import io
import random
import struct
import subprocess
import sys
import tempfile
import unittest
import zipfile
from pathlib import Path

import ezdxf
import numpy as np
import trimesh

from elmpeg.core.base.errors import InputError
from elmpeg.formats import dxf_outlines, mesh_reading
from elmpeg.formats.mesh_reading import MOST_KEPT, kind_of, loaded, off_by, refuse_absurd, simplified

BALL = trimesh.creation.icosphere(subdivisions=4, radius=100.0)


def file_of(mesh, kind):
    data = mesh.export(file_type=kind)
    return data.encode() if isinstance(data, str) else data


def refusal(call, *given):
    try:
        call(*given)
    except InputError as refused:
        return refused.message
    return ""


class Reading(unittest.TestCase):
    def test_each_kind_gives_the_same_body(self):
        for kind in mesh_reading.KINDS:
            data = file_of(BALL, kind)
            with self.subTest(kind):
                self.assertEqual(kind_of(f"Scan.{kind.upper()}", data), kind)
                vertices, triangles = loaded(kind, data)
                made = trimesh.Trimesh(vertices, triangles)
                self.assertEqual(len(triangles), len(BALL.faces))
                self.assertAlmostEqual(made.volume / BALL.volume, 1.0, places=4)

    def test_a_file_that_is_not_what_it_says_is_refused_in_words(self):
        stl = file_of(BALL, "stl")
        packed = io.BytesIO()
        with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as file:
            file.writestr("3D/3dmodel.model", b"0" * 450_000_000)
        for kind, data, words in (
            ("stl", stl[:2000], "cut short"),
            ("stl", stl[:80] + struct.pack("<I", 4_000_000_000) + stl[84:], "at most"),
            ("ply", b"plain text, nothing else " * 9, "not a PLY"),
            ("3mf", b"not a zip at all " * 9, "3MF"),
            ("3mf", packed.getvalue(), "unpacks"),
        ):
            self.assertIn(words, refusal(refuse_absurd, kind, data))
        for name, data, words in (("a.step", stl, "none of"), ("a.stl", b"x", "cut short"), ("a", stl, "none of")):
            self.assertIn(words, refusal(kind_of, name, data))
        for kind in mesh_reading.KINDS:
            self.assertTrue(refusal(loaded, kind, b"v 0 0 0\nrubbish " * 40), kind)

    def test_files_with_bits_turned_over_are_read_or_refused_and_nothing_else(self):
        draw, small = random.Random(8), trimesh.creation.icosphere(subdivisions=1, radius=50.0)
        for kind in mesh_reading.KINDS:
            data = file_of(small, kind)
            for _ in range(25):
                spoiled = bytearray(data)
                for _ in range(draw.randint(1, 12)):
                    spoiled[draw.randrange(len(spoiled))] ^= 1 << draw.randrange(8)
                try:
                    vertices, triangles = loaded(kind, bytes(spoiled))
                    simplified(vertices, triangles)
                except InputError as refused:
                    self.assertTrue(refused.message)

    def test_in_a_process_of_its_own_it_tells_how_far_it_is_and_leaves_arrays(self):
        with tempfile.TemporaryDirectory() as folder:
            source, answer = Path(folder) / "a.ply", Path(folder) / "a.npz"
            source.write_bytes(file_of(BALL, "ply"))
            asked = [sys.executable, "-m", "elmpeg.formats.mesh_reading", str(source), "ply", str(answer)]
            said = subprocess.run(asked, capture_output=True, text=True, check=True).stdout.splitlines()
            self.assertEqual([said[0], said[-1]], ["reading", "done"])
            with np.load(answer) as arrays:
                self.assertEqual(int(arrays["before"]), len(BALL.faces))
            source.write_bytes(b"rubbish" * 30)
            broken = subprocess.run(asked, capture_output=True, text=True)
            self.assertEqual(broken.returncode, 2)
            self.assertIn("refused is not a PLY", broken.stdout)


class Simplifying(unittest.TestCase):
    def test_it_keeps_the_size_and_says_how_far_it_is_off(self):
        vertices, triangles, closed = simplified(np.asarray(BALL.vertices), np.asarray(BALL.faces))
        self.assertLessEqual(len(triangles), MOST_KEPT)
        self.assertTrue(closed)
        said = off_by(np.asarray(BALL.vertices), vertices, triangles)
        # An independent look: the corners of the ball lie at 100 from its middle, the faces of what is kept nearer.
        middles = trimesh.Trimesh(vertices, triangles).triangles_center
        self.assertLess(said, 8.0)
        self.assertGreater(said, 0.5 * (100.0 - np.linalg.norm(middles, axis=1).min()) - 0.5)

    def test_small_bodies_are_not_given_up_for_large_ones(self):
        small = trimesh.creation.icosphere(subdivisions=4, radius=10.0)
        small.apply_translation((400.0, 0.0, 0.0))
        both = trimesh.util.concatenate([BALL, small])
        vertices, triangles, _ = simplified(np.asarray(both.vertices), np.asarray(both.faces))
        self.assertGreater(np.asarray(vertices)[:, 0].max(), 405.0)
        self.assertLess(off_by(np.asarray(both.vertices), vertices, triangles), 8.0)

    def test_a_body_that_gets_stuck_is_brought_down_all_the_same(self):
        fans = trimesh.creation.cylinder(radius=100.0, height=80.0, sections=900)
        vertices, triangles, _ = simplified(np.asarray(fans.vertices), np.asarray(fans.faces), 300)
        self.assertLess(len(triangles), 2 * 300)
        self.assertLess(off_by(np.asarray(fans.vertices), vertices, triangles), 12.0)

    def test_a_surface_that_needs_no_simplifying_is_not_off(self):
        box = trimesh.creation.box((10, 20, 30))
        vertices, triangles, closed = simplified(np.asarray(box.vertices), np.asarray(box.faces))
        self.assertEqual((len(triangles), closed), (12, True))
        self.assertLess(off_by(np.asarray(box.vertices), vertices, triangles), 1e-3)


class Drawings(unittest.TestCase):
    def drawing(self, units=4):
        made = ezdxf.new(units=units)
        space = made.modelspace()
        space.add_lwpolyline([(0, 0), (200, 0), (200, 100), (0, 100)], close=True)
        space.add_circle((50, 50), 20)
        space.add_lwpolyline([(0, 0), (500, 500)])
        space.add_text("not an outline")
        out = io.StringIO()
        made.write(out)
        return out.getvalue().encode()

    def test_closed_outlines_come_out_largest_first_in_their_unit(self):
        found = dxf_outlines.read(self.drawing())
        self.assertEqual((len(found.outlines), found.unit), (2, "mm"))
        self.assertEqual(set(found.outlines[0]), {(0.0, 0.0), (200.0, 0.0), (200.0, 100.0), (0.0, 100.0)})
        radii = [np.hypot(x - 50, y - 50) for x, y in found.outlines[1]]
        self.assertLess(max(abs(r - 20) for r in radii), 0.02)
        self.assertEqual(dxf_outlines.read(self.drawing(1)).unit, "in")
        self.assertEqual(dxf_outlines.read(self.drawing(0)).unit, "")

    def test_what_is_no_drawing_or_has_no_outline_is_refused(self):
        empty = ezdxf.new()
        out = io.StringIO()
        empty.write(out)
        self.assertIn("no closed outline", refusal(dxf_outlines.read, out.getvalue().encode()))
        for data in (b"", b"rubbish", b"\x00\xff" * 400, self.drawing()[:300]):
            self.assertTrue(refusal(dxf_outlines.read, data))


if __name__ == "__main__":
    unittest.main()
