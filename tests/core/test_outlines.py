"""Outlines of straight pieces and arcs: the cutter follows them, so their lengths, areas and arcs must be what was meant."""

import math
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st
from shapely.geometry import Point, Polygon

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.shapes.outlines import (
    Corner,
    arc_of,
    area_mm2,
    chords,
    crossing,
    length_mm,
    mirrored,
    polygon_of,
    straight,
    with_arcs,
)

SLOT = (Corner(0, 0), Corner(40, 0, 1.0), Corner(40, 10), Corner(0, 10, 1.0))
"""A slot of two half circles of 5 mm: 40 x 10 and a whole circle."""


class ByHand(unittest.TestCase):
    def test_a_slot(self):
        self.assertAlmostEqual(area_mm2(SLOT), 40 * 10 + math.pi * 25)
        self.assertAlmostEqual(length_mm(SLOT), 2 * 40 + 2 * math.pi * 5)
        middle, radius = arc_of(SLOT[1], SLOT[2])
        self.assertAlmostEqual(radius, 5.0)
        self.assertAlmostEqual(middle[0], 40.0)
        self.assertAlmostEqual(middle[1], 5.0)
        self.assertGreater(max(x for x, _ in chords(SLOT)), 44.9, "the half circle bulges outwards")

    def test_chords_stay_within_the_sagitta(self):
        for x, y in chords(SLOT, 0.05):
            self.assertLessEqual(abs(math.hypot(x - 40, y - 5) - 5), 0.05 if x > 40 else 99)
        self.assertAlmostEqual(Polygon(chords(SLOT, 1e-4)).area, area_mm2(SLOT), delta=0.01)

    def test_the_mirror_has_the_same_area_and_bulges_outwards_too(self):
        turned = mirrored(SLOT)
        self.assertAlmostEqual(area_mm2(turned), area_mm2(SLOT))
        self.assertLess(min(x for x, _ in chords(turned)), -44.9)
        self.assertEqual(sorted(mirrored(turned), key=lambda c: c.xy_mm), sorted(SLOT, key=lambda c: c.xy_mm))

    def test_where_it_crosses_itself_is_said(self):
        bow = straight(((0, 0), (100, 100), (100, 0), (0, 100)))
        self.assertEqual(crossing(bow), (50.0, 50.0))
        with self.assertRaisesRegex(InputError, "near 50.0, 50.0 mm"):
            polygon_of(bow)
        with self.assertRaisesRegex(InputError, "at least three"):
            polygon_of(straight(((0, 0), (1, 0))))


class ArcsFoundAgain(unittest.TestCase):
    """Plates grown round their holes come back from the plane library in chords; a cutter wants arcs."""

    def test_a_grown_hull_has_one_arc_a_corner(self):
        hull = Polygon([(0, 0), (100, 0), (100, 60), (0, 60)]).buffer(12, quad_segs=16)
        found = with_arcs(list(hull.exterior.coords))
        arcs = [arc_of(a, b) for a, b in zip(found, (*found[1:], found[0]), strict=True)]
        self.assertEqual(sum(a is not None for a in arcs), 4)
        self.assertEqual(len(found), 8)
        self.assertAlmostEqual(area_mm2(found), 100 * 60 + 2 * 160 * 12 + math.pi * 144, delta=0.01)

    def test_a_circle_is_two_half_circles(self):
        found = with_arcs(list(Point(7, 9).buffer(20, quad_segs=16).exterior.coords))
        self.assertLessEqual(len(found), 3)
        self.assertAlmostEqual(area_mm2(found), math.pi * 400, delta=0.5)

    def test_a_hexagon_stays_one(self):
        hexagon = [(10 * math.cos(math.pi * k / 3), 10 * math.sin(math.pi * k / 3)) for k in range(6)]
        self.assertTrue(all(c.bulge == 0 for c in with_arcs(hexagon)))

    @settings(max_examples=60, deadline=None)
    @given(st.lists(st.tuples(st.floats(-200, 200), st.floats(-200, 200), st.floats(3, 40)), min_size=2, max_size=7))
    def test_never_another_shape(self, discs):
        hull = Polygon()
        for x, y, r in discs:
            hull = hull.union(Point(x, y).buffer(r, quad_segs=16))
        hull = hull.convex_hull
        found = polygon_of(with_arcs(list(hull.exterior.coords)))
        self.assertLess(found.symmetric_difference(hull).area, 0.004 * hull.area + 1.0)


if __name__ == "__main__":
    unittest.main()
