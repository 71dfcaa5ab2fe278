"""Brackets between two faces: folded again they must lie on the holes that they were made for."""

import math
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import add, cross, dot, norm, scale, sub, unit
from elmpeg.core.methods.shapes.outlines import polygon_of
from elmpeg.core.methods.sheet_metal.bracket_forms import bracket, offers
from elmpeg.core.methods.sheet_metal.bracket_profile import SheetRules, TouchedFace, TouchedHole
from elmpeg.core.methods.sheet_metal.folded_bracket import Face, FaceHole, folded_bracket
from elmpeg.core.methods.sheet_metal.folded_sheet import folded

RULES = SheetRules(3.0, 3.0)
ON_POINT_MM = 0.01


def face(name, normal, *places, hole=9.0, bolt=8.0):
    return TouchedFace(name, normal, tuple(TouchedHole(f"{name}{n}", p, hole, bolt) for n, p in enumerate(places, 1)))


def turned(v, a, b, c):
    for axis, angle in (((1, 0, 0), a), ((0, 1, 0), b), ((0, 0, 1), c)):
        k, t = axis, math.radians(angle)
        v = add(add(scale(v, math.cos(t)), scale(cross(k, v), math.sin(t))), scale(k, dot(k, v) * (1 - math.cos(t))))
    return v


def moved(f, by, *angles):
    return TouchedFace(
        f.name,
        turned(f.normal, *angles),
        tuple(TouchedHole(h.id, add(turned(h.xyz_mm, *angles), by), h.hole_mm, h.bolt_mm) for h in f.holes),
    )


RAIL = face("rail", (0.0, 1.0, 0.0), (0.0, 0.0, -60.0), (80.0, 0.0, -60.0))
FLOOR = face("floor", (0.0, 0.0, 1.0), (10.0, 70.0, 0.0), (70.0, 70.0, 0.0))
PAIRS = {
    "angle": (RAIL, FLOOR),
    "flat": (FLOOR, face("step", (0.0, 0.0, 1.0), (30.0, 160.0, 0.4), (60.0, 160.0, 0.4))),
    "spacers": (FLOOR, face("step", (0.0, 0.0, 1.0), (30.0, 160.0, 25.0), (60.0, 160.0, 25.0))),
    "stepped": (FLOOR, face("step", (0.0, 0.0, 1.0), (20.0, 190.0, 40.0), (60.0, 190.0, 40.0))),
    "channel": (FLOOR, face("shelf", (0.0, 0.0, -1.0), (10.0, 70.0, 120.0), (70.0, 75.0, 120.0))),
    "three": (RAIL, face("head", unit((0.3, -0.2, 1.0)), (20.0, 240.0, 90.0), (60.0, 260.0, 90.0 - 12.0 + 4.0))),
}


class OnItsPoints(unittest.TestCase):
    """The folded solid's holes lie on the given points; a bracket that misses by a hole's play is scrap."""

    def assert_on_points(self, made, *faces):
        sheet = folded(polygon_of(made.outline), made.bends, made.thickness_mm, made.base_mm, made.lying)
        stands = dict(made.spacers_mm)
        for f in faces:
            for h in f.holes:
                at, up = sheet.place(next(g.xy_mm for g in made.holes if g.id == h.id))
                n = unit(f.normal)
                touching = at if dot(up, n) < 0 else sub(at, scale(up, made.thickness_mm))
                touching = sub(touching, scale(n, stands.get(h.id, 0.0)))
                self.assertAlmostEqual(abs(dot(up, n)), 1.0, places=3)
                miss = sub(touching, h.xyz_mm)
                level = sub(miss, scale(n, dot(miss, n)))
                self.assertLess(norm(level), ON_POINT_MM, (made.form, h.id))
                self.assertLess(abs(dot(miss, n)), 0.5 if made.form == "flat" else ON_POINT_MM, (made.form, h.id))

    def test_each_form(self):
        for form, (a, b) in PAIRS.items():
            with self.subTest(form):
                made = bracket(form, a, b, RULES)
                self.assert_on_points(made, a, b)
                shape = polygon_of(made.outline)
                for hole, f in zip(made.holes, [h for g in (a, b) for h in g.holes], strict=True):
                    edge = shape.exterior.distance(type(shape.centroid)(hole.xy_mm))
                    self.assertGreaterEqual(edge, 2 * f.bolt_mm - 0.06, hole.id)

    @settings(max_examples=40, deadline=None)
    @given(
        st.sampled_from(sorted(PAIRS)),
        st.tuples(*[st.floats(-170, 170)] * 3),
        st.tuples(*[st.floats(-2000, 2000)] * 3),
    )
    def test_vehicle_and_part_moved_together_change_nothing(self, form, angles, by):
        a, b = PAIRS[form]
        here = bracket(form, a, b, RULES)
        there = bracket(form, moved(a, by, *angles), moved(b, by, *angles), RULES)
        self.assert_on_points(there, moved(a, by, *angles), moved(b, by, *angles))
        for i, one in enumerate(here.holes):
            for j in range(i):
                self.assertAlmostEqual(
                    math.dist(one.xy_mm, here.holes[j].xy_mm), math.dist(there.holes[i].xy_mm, there.holes[j].xy_mm), places=4
                )
        self.assertAlmostEqual(polygon_of(here.outline).area, polygon_of(there.outline).area, delta=0.5)
        self.assertEqual([round(x.angle_deg, 4) for x in here.bends], [round(x.angle_deg, 4) for x in there.bends])

    @settings(max_examples=40, deadline=None)
    @given(st.floats(20, 160), st.floats(40, 120), st.floats(45, 150), st.floats(-60, 60), st.booleans(), st.booleans())
    def test_one_fold_is_that_of_the_calculator(self, opening, far, out, skew, inside_a, inside_b):
        """Two ways of working it out: the profile's walk along the upper face, and the sharp line of the outer faces."""
        t = math.radians(opening)
        b_way, b_normal = (math.cos(t), 0.0, math.sin(t)), (-math.sin(t), 0.0, math.cos(t))
        na = (0.0, 0.0, 1.0 if inside_a else -1.0)
        nb = scale(b_normal, -1.0 if inside_b else 1.0)
        a = face("a", na, (far, 0.0, 0.0), (far + 5, 40.0, 0.0))
        b = face("b", nb, add(scale(b_way, out), (0.0, skew, 0.0)), add(scale(b_way, out + 9.0), (0.0, skew + 30.0, 0.0)))
        try:
            made = bracket("angle", a, b, RULES)
        except InputError:
            return
        as_face = [Face(f.normal, tuple(FaceHole(h.id, h.xyz_mm, h.hole_mm) for h in f.holes)) for f in (a, b)]
        other = folded_bracket(3.0, 3.0, *as_face)
        self.assertAlmostEqual(abs(made.bends[0].angle_deg), other.bend_deg, places=6)
        for hole, (name, value) in zip(made.holes, other.hole_to_bend_mm, strict=True):
            self.assertEqual(hole.id, name)
            self.assertAlmostEqual(hole.room_mm, value, places=6)
        for i, one in enumerate(made.holes):
            for second in made.holes[:i]:
                self.assertAlmostEqual(math.dist(one.xy_mm, second.xy_mm), other.distance_mm(one.id, second.id), places=6)
        self.assert_on_points(made, a, b)

    def test_the_other_hand_is_the_mirror(self):
        for form, (a, b) in PAIRS.items():
            flip = [
                TouchedFace(f.name, (f.normal[0], -f.normal[1], f.normal[2]), tuple(
                    TouchedHole(h.id, (h.xyz_mm[0], -h.xyz_mm[1], h.xyz_mm[2]), h.hole_mm, h.bolt_mm) for h in f.holes
                ))
                for f in (a, b)
            ]  # fmt: skip
            with self.subTest(form):
                one, other = bracket(form, a, b, RULES), bracket(form, *flip, RULES)
                self.assertAlmostEqual(polygon_of(one.outline).area, polygon_of(other.outline).area, delta=0.5)
                self.assert_on_points(other, *flip)

    def test_without_thickness_the_flat_is_as_long_as_the_way_over_the_meeting_line(self):
        thin = SheetRules(1e-6, 1e-6)
        made = bracket("angle", RAIL, FLOOR, thin)
        across = abs(made.holes[0].xy_mm[1] - made.holes[2].xy_mm[1])
        self.assertAlmostEqual(across, 60.0 + 70.0, places=4)

    def test_a_point_moved_by_a_tenth_moves_the_flat_by_no_more_than_that(self):
        for form, (a, b) in PAIRS.items():
            with self.subTest(form):
                here = bracket(form, a, b, RULES)
                shifted = TouchedFace(b.name, b.normal, tuple(
                    TouchedHole(h.id, add(h.xyz_mm, (0.1, 0.0, 0.0)), h.hole_mm, h.bolt_mm) for h in b.holes
                ))  # fmt: skip
                there = bracket(form, a, shifted, RULES)
                for i in range(len(here.holes)):
                    for j in range(i):
                        one = math.dist(here.holes[i].xy_mm, here.holes[j].xy_mm)
                        self.assertLess(abs(one - math.dist(there.holes[i].xy_mm, there.holes[j].xy_mm)), 0.31)


class Refused(unittest.TestCase):
    """What cannot be bent or reached is not offered, and the reason can be asked for."""

    def said(self, a, b, rules=RULES):
        return {o.form: o.refused for o in offers(a, b, rules) if o.flat is None}

    def test_reasons(self):
        said = self.said(RAIL, FLOOR)
        self.assertNotIn("angle", said)
        self.assertIn("faces stand at 90.0°", said["flat"])
        level = self.said(*PAIRS["flat"])
        self.assertNotIn("flat", level)
        self.assertIn("shims do", level["spacers"])
        self.assertIn("faces are parallel", level["angle"])

    def test_a_hole_too_near_the_fold_names_it_and_how_far_it_must_be(self):
        close = face("rail", (0.0, 1.0, 0.0), (0.0, 0.0, -12.0), (80.0, 0.0, -60.0))
        least = 2.5 * 3 + 3 + 4.5
        self.assertIn(
            f"hole rail1 would lie 9.0 mm from where the bend begins; {least:.1f} mm is the least", self.said(close, FLOOR)["angle"]
        )

    def test_a_brake_that_is_too_narrow(self):
        self.assertIn("the brake folds 60 mm", self.said(RAIL, FLOOR, SheetRules(3.0, 3.0, widest_mm=60.0))["angle"])

    def test_no_holes(self):
        with self.assertRaises(InputError):
            offers(TouchedFace("rail", (0.0, 1.0, 0.0), ()), FLOOR, RULES)


if __name__ == "__main__":
    unittest.main()
