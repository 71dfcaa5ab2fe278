"""One sheet over three faces: folded again every hole lies on its point, and nothing of it lies in two places."""

import itertools
import math
import unittest
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import dot, norm, scale, sub, unit
from elmpeg.core.methods.shapes.outlines import polygon_of
from elmpeg.core.methods.sheet_metal.bracket_forms import bracket
from elmpeg.core.methods.sheet_metal.bracket_tree import FaceJoin, bracket_tree, ways_to_join
from elmpeg.core.methods.sheet_metal.folded_sheet import folded
from tests.core.test_bracket_forms import RULES, face, moved

FLOOR = face("floor", (0.0, 0.0, 1.0), (60.0, 60.0, 0.0), (140.0, 60.0, 0.0))
WALL = face("wall", (0.0, -1.0, 0.0), (60.0, 160.0, 70.0), (140.0, 160.0, 70.0))
SIDE = face("side", (1.0, 0.0, 0.0), (0.0, 60.0, 60.0))
STEP = face("step", (0.0, 0.0, 1.0), (300.0, 40.0, 30.0), (300.0, 80.0, 30.0))


class Trees(unittest.TestCase):
    def assert_lies_on(self, made, faces):
        """By the folded sheet, with the face that touches: a sheet that lies a thickness off is scrap as well."""
        sheet = folded(polygon_of(made.outline), made.bends, made.thickness_mm, made.base_mm, made.lying)
        for f in faces:
            n = unit(f.normal)
            for h in f.holes:
                at, up = sheet.place(next(g.xy_mm for g in made.holes if g.id == h.id))
                touching = at if dot(up, n) < 0 else sub(at, scale(up, made.thickness_mm))
                self.assertLess(norm(sub(touching, h.xyz_mm)), 0.01, h.id)
                self.assertAlmostEqual(abs(dot(up, n)), 1.0, places=6)
        # What is flat and what is folded together are the sheet: nothing was laid on anything else.
        flat = sum(f.region.area for f in sheet.flanges)
        rolled = sum(math.dist(b.a_mm, b.b_mm) * b.arc_mm(made.thickness_mm) for b in made.bends)
        self.assertAlmostEqual(flat + rolled, polygon_of(made.outline).area, delta=0.02 * polygon_of(made.outline).area)

    def test_three_faces_of_a_corner(self):
        faces = (FLOOR, WALL, SIDE)
        joins = ways_to_join(faces, "angle", RULES)
        self.assertEqual({j.face for j in joins}, {"wall", "side"})
        made = bracket_tree(faces, joins, RULES)
        self.assert_lies_on(made, faces)
        self.assertEqual(len(made.bends), 2)
        self.assertEqual([round(abs(b.angle_deg), 6) for b in made.bends], [90.0, 90.0])

    def test_four_faces_with_a_step(self):
        faces = (FLOOR, WALL, SIDE, STEP)
        joins = ways_to_join(faces, "angle", RULES)
        made = bracket_tree(faces, joins, RULES)
        self.assert_lies_on(made, faces)
        self.assertEqual(len(made.bends), 4)

    def test_a_branch_on_the_far_flange(self):
        """Hung on a face that is itself hung on, sheet turned over or not."""
        far = face("far", (0.0, 0.0, 1.0), (60.0, 230.0, 140.0), (140.0, 230.0, 140.0))
        faces = (FLOOR, WALL, far)
        for form in ("angle",):
            joins = (FaceJoin("wall", "floor", "angle"), FaceJoin("far", "wall", form))
            made = bracket_tree(faces, joins, RULES)
            self.assert_lies_on(made, faces)

    def test_two_faces_alone_are_the_bracket(self):
        one = bracket("angle", FLOOR, WALL, RULES)
        tree = bracket_tree((FLOOR, WALL), (FaceJoin("wall", "floor", "angle"),), RULES)
        self.assertEqual(one, tree)

    def test_moved_and_mirrored_together(self):
        faces = (FLOOR, WALL, SIDE)
        joins = ways_to_join(faces, "angle", RULES)
        here = bracket_tree(faces, joins, RULES)
        shifted = tuple(moved(f, (300.0, -20.0, 77.0), 20.0, -35.0, 110.0) for f in faces)
        there = bracket_tree(shifted, joins, RULES)
        self.assert_lies_on(there, shifted)
        mirrored = tuple(
            replace(
                f,
                normal=(f.normal[0], -f.normal[1], f.normal[2]),
                holes=tuple(replace(h, xyz_mm=(h.xyz_mm[0], -h.xyz_mm[1], h.xyz_mm[2])) for h in f.holes),
            )
            for f in faces
        )
        other = bracket_tree(mirrored, joins, RULES)
        self.assert_lies_on(other, mirrored)
        for made in (there, other):
            self.assertAlmostEqual(polygon_of(made.outline).area, polygon_of(here.outline).area, delta=0.5)
            for i, j in itertools.combinations(range(len(here.holes)), 2):
                apart = [math.dist(m.holes[i].xy_mm, m.holes[j].xy_mm) for m in (here, made)]
                self.assertAlmostEqual(*apart, places=4)

    def test_without_an_outline_the_holes_are_the_same(self):
        faces = (FLOOR, WALL, SIDE, STEP)
        joins = ways_to_join(faces, "angle", RULES)
        whole, bare = bracket_tree(faces, joins, RULES), bracket_tree(faces, joins, replace(RULES, bare=True))
        for one, other in zip(whole.holes, bare.holes, strict=True):
            self.assertAlmostEqual(math.dist(one.xy_mm, other.xy_mm), 0.0, places=9)
            self.assertAlmostEqual(one.room_mm, other.room_mm, places=9)

    def test_what_would_lie_on_itself_is_refused(self):
        """Two walls that both fold from the same edge of the floor."""
        twin = face("twin", (0.0, -1.0, 0.0), (60.0, 160.0, 120.0), (140.0, 160.0, 120.0))
        with self.assertRaises(InputError) as refused:
            bracket_tree((FLOOR, WALL, twin), (FaceJoin("wall", "floor", "angle"), FaceJoin("twin", "floor", "angle")), RULES)
        self.assertIn("lie on another part", refused.exception.message)

    def test_each_face_hangs_once(self):
        with self.assertRaises(InputError):
            bracket_tree((FLOOR, WALL, SIDE), (FaceJoin("wall", "floor", "angle"),), RULES)
