"""Mounts, solids, fits and doubt, against figures worked out by hand."""

import math
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import FREEDOMS, Pose, placed
from elmpeg.core.base.vectors import add, norm, scale, sub, unit
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import Datum, Point, Reading
from elmpeg.core.methods.fastening.mount_geometry import mount_geometry
from elmpeg.core.methods.measuring.rigid_fit import PointPair, rigid_fit
from elmpeg.core.methods.shapes.clearance import room_of
from elmpeg.core.methods.shapes.room import nearest
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, FIXED, Box, Cylinder, Extrusion, faces, silhouette
from elmpeg.core.scene.located_points import located

mm = st.floats(-500, 500)
vectors = st.tuples(mm, mm, mm)
axes = vectors.filter(lambda v: norm(v) > 1)


class Mounting(unittest.TestCase):
    """Gap along the seat's axis, offset square to it."""

    def test_a_foot_38_above_and_2_beside_its_seat(self):
        g = mount_geometry((2, 0, 138), (0, 0, 1), 13, (0, 0, 100), (0, 0, 1), 14, 12)
        self.assertEqual((g.gap_mm, g.offset_mm, g.tilt_deg, g.float_mm, g.lines_up), (38, 2, 0, 1.5, False))

    def test_tilt_is_acute_whichever_way_an_axis_is_drawn(self):
        for axis in (
            (0, math.sin(math.radians(3)), -math.cos(math.radians(3))),
            (0, -math.sin(math.radians(3)), math.cos(math.radians(3))),
        ):
            self.assertAlmostEqual(mount_geometry((0, 0, 0), axis, 13, (0, 0, 0), (0, 0, 5), 13, 12).tilt_deg, 3.0)

    def test_interference_is_a_negative_gap(self):
        self.assertEqual(mount_geometry((0, 0, -4), (0, 0, 1), 13, (0, 0, 0), (0, 0, 1), 13, 12).gap_mm, -4)

    @given(vectors, vectors, axes, st.floats(-50, 50))
    def test_gap_and_offset_rebuild_the_distance_and_a_shift_along_the_axis_changes_only_the_gap(self, foot, seat, axis, shift):
        g = mount_geometry(foot, axis, 13, seat, axis, 13, 12)
        self.assertAlmostEqual(math.hypot(g.gap_mm, g.offset_mm), norm(sub(foot, seat)), places=6)
        moved = mount_geometry(add(foot, scale(unit(axis), shift)), axis, 13, seat, axis, 13, 12)
        self.assertAlmostEqual(moved.gap_mm - g.gap_mm, shift, places=6)
        self.assertAlmostEqual(moved.offset_mm, g.offset_mm, places=6)


class Solids(unittest.TestCase):
    """Room between parts, and their outlines."""

    box = Box("b", "box", (0, 0, 0), (100, 100, 100))
    ell = Extrusion("l", "bracket", "side", ((0, 0), (100, 0), (100, 20), (20, 20), (20, 100), (0, 100)), -20, 20)

    def test_room_worked_by_hand(self):
        disc = Cylinder("c", "pulley", (0, 0, -50), (0, 0, 50), 60)
        turned = placed(Pose(x_mm=200, yaw_deg=45))
        cases = [
            (self.box, placed(Pose(x_mm=130)), 30.0), (self.box, placed(Pose(x_mm=103, y_mm=104)), 5.0), (disc, placed(Pose(x_mm=100)), 20.0),
            (self.box, turned, 150 - 50 * math.sqrt(2)), (disc, placed(Pose(x_mm=50 + 30 + 7)), 7.0), (self.box, placed(Pose(x_mm=95)), -5.0),
        ]  # fmt: skip
        for other, where, expected in cases:
            with self.subTest(expected):
                self.assertAlmostEqual(nearest(self.box, FIXED, other, where).distance_mm, expected, places=3)

    def test_a_hollow_counts_as_room(self):
        """A 20 mm box stands in the bracket's corner, 40 mm from both limbs; a bracket taken as its hull would foul it."""
        small = Box("s", "nut", (70, 0, 70), (20, 20, 20))
        found = nearest(small, FIXED, self.ell, FIXED)
        self.assertAlmostEqual(found.distance_mm, 40.0, places=4)
        self.assertAlmostEqual(norm(sub(found.on_a_mm, found.on_b_mm)), 40.0, places=3)

    def test_overlap_of_a_hollow_outline_is_the_shift_that_parts_it_whole(self):
        """A block 10 mm into one limb and 15 mm into the other: out of the corner, by both, is the least. Out of one limb alone is not out."""
        block = Box("b", "block", (35, 0, 27.5), (50, 40, 45))
        found = room_of(block, FIXED, self.ell, FIXED)
        self.assertAlmostEqual(found.distance_mm, -math.hypot(10, 15), places=4)
        shift = sub(found.on_b_mm, found.on_a_mm)
        self.assertGreater(nearest(block, placed(Pose(*shift)), self.ell, FIXED).distance_mm, -1e-4)
        self.assertLess(nearest(block, placed(Pose(*scale(shift, 0.99))), self.ell, FIXED).distance_mm, 0.0)
        self.assertGreater(nearest(block, FIXED, self.ell, FIXED).distance_mm, found.distance_mm, "the deepest pieces alone say less")

    def test_silhouettes_keep_their_area(self):
        def area(outline):
            return abs(sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(outline, outline[1:] + outline[:1], strict=True))) / 2

        cases = [
            (self.box, "side", FIXED, 10000), (self.box, "plan", placed(Pose(yaw_deg=45)), 10000), (self.box, "side", placed(Pose(yaw_deg=45)), 14142.1),
            (self.ell, "side", FIXED, 3600), (self.ell, "plan", FIXED, 4000), (Cylinder("c", "tube", (0, -50, 0), (0, 50, 0), 40), "side", FIXED, math.pi * 400),
        ]  # fmt: skip
        for solid, view, where, expected in cases:
            with self.subTest(solid=solid.id, view=view):
                outlines = silhouette(solid, where, view)
                self.assertEqual(len(outlines), 1)
                self.assertAlmostEqual(area(outlines[0]) / expected, 1.0, delta=0.004)

    @settings(max_examples=60)
    @given(
        st.builds(Pose, mm, mm, mm, st.floats(-180, 180), st.floats(-80, 80), st.floats(-180, 180)),
        st.sampled_from(("side", "plan", "rear")),
    )
    def test_an_outline_reaches_just_as_far_as_the_corners_of_the_placed_solid(self, pose, view):
        where, (i, j) = placed(pose), AXES_OF_VIEW[view]
        tube = Cylinder("c", "tube", (0, -50, 0), (0, 50, 0), 40)
        for solid in (self.box, self.ell, tube):
            corners = [where.point(c) for face in faces(solid) for c in face]
            drawn = [p for outline in silhouette(solid, where, view) for p in outline]
            for k, axis in enumerate((i, j)):
                for end in (min, max):
                    self.assertAlmostEqual(end(p[k] for p in drawn), end(c[axis] for c in corners), places=6)


class Fitting(unittest.TestCase):
    """A part's position from points measured on it."""

    corners = ((0, 0, 0), (600, 0, 20), (0, 300, -40), (580, 310, 90))

    @settings(max_examples=60)
    @given(st.builds(Pose, mm, mm, mm, st.floats(-30, 30), st.floats(-30, 30), st.floats(-30, 30)))
    def test_points_carried_by_a_pose_give_that_pose(self, pose):
        where = placed(pose)
        fit = rigid_fit(tuple(PointPair(str(i), c, where.point(c)) for i, c in enumerate(self.corners)))
        self.assertLess(fit.rms_mm, 1e-6)
        for freedom in FREEDOMS:
            self.assertAlmostEqual(fit.pose.value(freedom), pose.value(freedom), places=5)

    def test_a_mirrored_part_is_not_fitted_by_mirroring_it(self):
        mirrored = tuple(PointPair(str(i), c, (c[0], -c[1], c[2])) for i, c in enumerate(self.corners))
        self.assertGreater(rigid_fit(mirrored).rms_mm, 10)

    def test_too_few_or_in_a_line(self):
        for points in (self.corners[:2], ((0, 0, 0), (1, 1, 1), (5, 5, 5))):
            with self.subTest(len(points)), self.assertRaises(InputError):
                rigid_fit(tuple(PointPair(str(i), p, p) for i, p in enumerate(points)))


class Locating(unittest.TestCase):
    """A point's figure and its doubt from what it rests on."""

    def at(self, *readings, **more):
        rows = tuple(Reading(str(i), "z", str(v), v, tool, "Teo Marsh", "2026-11-01T09:00:00") for i, (v, tool) in enumerate(readings))
        point = Point("p", "seat", "vehicle", "hole", (1.0, 2.0, 500.0), readings=rows, **more)
        return located(Build("b", "b", "v", Datum("here", ""), points=(point,)), "p")

    def test_repeats_with_one_tool_average_and_tighten(self):
        where = self.at((500.0, "tape"), (501.0, "tape"), (502.0, "tape"), (501.0, "tape"))
        self.assertAlmostEqual(where.xyz_mm[2], 501.0)
        self.assertAlmostEqual(where.sd_mm[2], 0.5)
        self.assertEqual(where.sd_mm[0], 1.0)

    def test_a_caliper_outweighs_a_tape(self):
        self.assertAlmostEqual(self.at((500.0, "caliper"), (501.0, "tape")).xyz_mm[2], 500.0, delta=0.01)

    def test_readings_that_disagree_are_flagged_and_not_averaged_away(self):
        where = self.at((500.0, "tape"), (510.0, "tape"))
        self.assertEqual(len(where.fix.disagreements), 1)
        self.assertAlmostEqual(where.fix.disagreements[0].allowed_mm, 3 * math.sqrt(2))
        self.assertAlmostEqual(where.sd_mm[2], 5.0)
        self.assertEqual(self.at((500.0, "tape"), (504.0, "tape")).fix.disagreements, ())

    def test_borrowed_figures_carry_ten_millimetres_and_a_degree(self):
        for source in ("borrowed", "assumed"):
            where = self.at(source=source, sd_mm=0.1)
            self.assertEqual((where.sd_mm, where.axis_sd_deg), ((10.0, 10.0, 10.0), 1.0))
