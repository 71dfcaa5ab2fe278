"""Shapes: tubes against the definition, mirror images, copies, and what is refused."""

import math
import random
import unittest
from dataclasses import replace
from itertools import pairwise

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.build.rooms import Room, SolidRef
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.integrity.sound import problems, require_sound
from elmpeg.core.methods.shapes.room import nearest
from elmpeg.core.methods.shapes.solids import FIXED, Box, Cylinder, Extrusion, Tube, bounds_mm, crossing_mm, silhouette
from elmpeg.core.stages.place import shape_edits
from elmpeg.core.starters.vehicle import vehicle_begun

PATH = ((0.0, 0.0, 0.0), (400.0, 0.0, 0.0), (400.0, 300.0, 0.0), (400.0, 300.0, 500.0))
SHAPES = (
    Box("b", "left box", (100, -200, 50), (30, 40, 50)),
    Cylinder("c", "left can", (0, -100, 0), (50, -300, 20), 60),
    Tube("t", "left hose", PATH, 30.0),
    Extrusion("e1", "side plate", "side", ((0, 0), (100, 0), (50, 80)), -120, -90),
    Extrusion("e2", "floor plate", "plan", ((0, -10), (100, -10), (50, -80)), 5, 9),
    Extrusion("e3", "bulkhead", "rear", ((-10, 0), (-100, 0), (-50, 80)), 5, 9),
)


def to_path(place, path):
    """Distance from a place to a line of straight pieces."""
    found = []
    for a, b in pairwise(path):
        along = [q - p for p, q in zip(a, b, strict=True)]
        t = sum((x - p) * d for x, p, d in zip(place, a, along, strict=True)) / sum(d * d for d in along)
        t = min(1.0, max(0.0, t))
        found.append(math.dist(place, [p + t * d for p, d in zip(a, along, strict=True)]))
    return min(found)


class Tubes(unittest.TestCase):
    def test_room_beside_a_tube_is_what_lies_between_its_path_and_its_half(self):
        """A small ball beside the tube, away from its flat ends: the distance to its path less both halves."""
        draw, tube = random.Random(5), Tube("t", "hose", PATH, 40.0)
        tried = 0
        while tried < 60:
            place = (draw.uniform(60, 700), draw.uniform(-300, 600), draw.uniform(-300, 420))
            away = to_path(place, PATH)
            if away < 40:
                continue
            tried += 1
            pin = Cylinder("p", "pin", place, (place[0], place[1], place[2] + 0.02), 0.02)
            self.assertAlmostEqual(nearest(tube, FIXED, pin, FIXED).distance_mm, away - 20.0, delta=0.03)

    def test_a_straight_tube_is_a_cylinder(self):
        tube, can = Tube("t", "x", (PATH[0], PATH[1]), 40.0), Cylinder("c", "x", PATH[0], PATH[1], 40.0)
        where = placed(Pose(10, 20, 30, 5, 6, 7))
        box = Box("b", "b", (900, 200, 100), (50, 50, 50))
        self.assertAlmostEqual(nearest(tube, where, box, FIXED).distance_mm, nearest(can, where, box, FIXED).distance_mm)
        self.assertEqual(bounds_mm(tube), bounds_mm(can))

    def test_its_silhouette_covers_its_path_and_is_as_wide_as_it_is(self):
        (outline,) = silhouette(Tube("t", "x", PATH, 40.0), FIXED, "plan")
        us, vs = [u for u, _ in outline], [v for _, v in outline]
        self.assertAlmostEqual(max(vs), 320.0, delta=0.2)
        self.assertAlmostEqual(max(us), 420.0, delta=0.2)
        self.assertAlmostEqual(min(vs), -20.0, delta=0.2)


class Edits(unittest.TestCase):
    def setUp(self):
        self.build = replace(vehicle_begun("bare", "x", "", {}), solids=SHAPES)
        require_sound(self.build)

    def test_a_mirror_image_lies_as_far_on_the_other_side_and_is_its_own_way_back(self):
        for shape in SHAPES:
            image = shape_edits.mirrored(shape)
            (low, high), (low_m, high_m) = bounds_mm(shape), bounds_mm(image)
            with self.subTest(shape.name):
                self.assertAlmostEqual(low_m[1], -high[1])
                self.assertAlmostEqual(high_m[1], -low[1])
                self.assertEqual([(low[i], high[i]) for i in (0, 2)], [(low_m[i], high_m[i]) for i in (0, 2)])
                self.assertEqual(shape_edits.mirrored(image), shape)

    def test_left_becomes_right_in_the_name(self):
        made = shape_edits.with_mirrored(self.build, VEHICLE, "b")
        self.assertEqual(made.solids[-1].name, "right box")
        again = shape_edits.with_mirrored(made, VEHICLE, "b")
        self.assertEqual(again.solids[-1].name, "right box 2")
        require_sound(again)

    def test_a_shift_moves_all_of_a_shape_and_turns_nothing(self):
        for shape in SHAPES:
            (low, high), (low_s, high_s) = bounds_mm(shape), bounds_mm(shape_edits.shifted(shape, (7.0, -8.0, 9.0)))
            for i, by in enumerate((7.0, -8.0, 9.0)):
                self.assertAlmostEqual(low_s[i] - low[i], by)
                self.assertAlmostEqual(high_s[i] - high[i], by)

    def test_a_copy_is_one_more_under_a_name_of_its_own(self):
        made = shape_edits.with_copy(self.build, VEHICLE, "t", (0.0, 50.0, 0.0))
        self.assertEqual(made.solids[-1].name, "left hose 2")
        self.assertEqual(len({s.id for s in made.solids}), len(SHAPES) + 1)

    def test_names_differ_and_are_there(self):
        for name in ("", "Left BOX"):
            with self.assertRaises(InputError):
                shape_edits.with_shape(self.build, VEHICLE, replace(SHAPES[1], id="", name=name))

    def test_a_shape_goes_only_with_the_room_that_is_watched_to_it(self):
        watched = replace(self.build, rooms=(Room("r", "hose to can", SolidRef(VEHICLE, "t"), SolidRef(VEHICLE, "c"), 10.0),))
        with self.assertRaises(InputError) as refused:
            shape_edits.without_shape(watched, VEHICLE, "t")
        self.assertIn("hose to can", str(refused.exception))
        gone = shape_edits.without_shape(watched, VEHICLE, "t", with_rooms=True)
        self.assertEqual(gone.rooms, ())
        require_sound(gone)

    def test_an_outline_that_crosses_itself_is_told_where(self):
        knot = ((0.0, 0.0), (100.0, 100.0), (100.0, 0.0), (0.0, 100.0))
        self.assertEqual(crossing_mm(knot), (50.0, 50.0))
        self.assertIsNone(crossing_mm(((0.0, 0.0), (100.0, 0.0), (100.0, 100.0), (0.0, 100.0))))
        said = problems(replace(self.build, solids=(Extrusion("k", "k", "side", knot, 0, 5),)))
        self.assertIn("at 50, 50 mm", said[0].message)

    def test_tubes_that_cannot_be_are_told(self):
        for bad in (
            Tube("x", "x", PATH[:1], 30.0),
            Tube("x", "x", (PATH[0], PATH[0]), 30.0),
            Tube("x", "x", PATH, 0.0),
            Tube("x", "x", tuple((float(k), 0.0, 0.0) for k in range(80)), 3.0),
            replace(SHAPES[0], sd_mm=-1.0),
        ):
            self.assertTrue(problems(replace(self.build, solids=(bad,))), bad)


if __name__ == "__main__":
    unittest.main()
