"""Positions and turns. A sign wrong here puts every mount on the wrong side of the vehicle."""

import math
import unittest

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.base.pose import FREEDOMS, Pose, compose, placed, pose_of, turned_about
from elmpeg.core.base.vectors import angle_deg, norm, plan_slope_deg, side_slope_deg, sub, turned, unit, wrapped_deg

mm = st.floats(-3000, 3000)
turn = st.floats(-80, 80)
poses = st.builds(Pose, mm, mm, mm, turn, turn, turn)
points = st.tuples(mm, mm, mm)


class Directions(unittest.TestCase):
    """The signs a person at the vehicle uses."""

    def test_each_turn_moves_the_part_the_way_its_name_says(self):
        cases = {
            # freedom: (local point, where a quarter... a small turn sends it: axis index, sign)
            "pitch": ((100, 0, 0), 2, -1),  # tail down: the rear end goes down
            "roll": ((0, 100, 0), 2, +1),  # right side up: the right side goes up
            "yaw": ((100, 0, 0), 1, +1),  # tail right: the rear end goes right
        }
        for freedom, (local, axis, sign) in cases.items():
            with self.subTest(freedom):
                moved = placed(Pose().with_value(freedom, 5.0)).point(local)
                self.assertGreater(sign * moved[axis], 8.0)

    def test_a_gearbox_sloping_down_to_the_rear_has_positive_slope(self):
        axis = placed(Pose(pitch_deg=3.4)).direction((1, 0, 0))
        self.assertAlmostEqual(side_slope_deg(axis), 3.4)
        self.assertAlmostEqual(plan_slope_deg(placed(Pose(yaw_deg=2)).direction((1, 0, 0))), 2.0)

    def test_the_order_of_turns_is_roll_then_pitch_then_yaw(self):
        """Worked by hand with quarter turns: roll takes Y to Z, pitch takes Z to X, yaw takes X to Y."""
        where = placed(Pose(roll_deg=90, pitch_deg=90, yaw_deg=90))
        for local, expected in (((0, 1, 0), (0, 1, 0)), ((1, 0, 0), (0, 0, -1)), ((0, 0, 1), (1, 0, 0))):
            for got, want in zip(where.direction(local), expected, strict=True):
                self.assertAlmostEqual(got, want)


class Turning(unittest.TestCase):
    """Turning about a point leaves that point where it is."""

    @given(poses, st.sampled_from(["roll", "pitch", "yaw"]), st.floats(-20, 20), points)
    def test_the_pivot_stays(self, pose, freedom, amount, pivot):
        before, after = placed(pose).point(pivot), placed(turned_about(pose, freedom, amount, pivot)).point(pivot)
        self.assertLess(norm(sub(before, after)), 1e-6)

    @given(poses, st.sampled_from(FREEDOMS), st.floats(-20, 20), points)
    def test_a_move_and_its_inverse_cancel(self, pose, freedom, amount, pivot):
        there = turned_about(pose, freedom, amount, pivot)
        back = turned_about(there, freedom, -amount, pivot)
        for f in FREEDOMS:
            self.assertAlmostEqual(back.value(f), pose.value(f), places=6)

    def test_turning_about_a_point_elsewhere_moves_the_origin_on_a_circle(self):
        """A part 1000 mm behind its hinge, pitched by 1 deg, drops 17.452 mm: 1000 sin 1 deg."""
        pose = turned_about(Pose(1000, 0, 500), "pitch", 1.0, (-1000, 0, 0))
        self.assertAlmostEqual(pose.z_mm, 500 - 1000 * math.sin(math.radians(1)))
        self.assertAlmostEqual(pose.x_mm, 1000 * math.cos(math.radians(1)))


class Frames(unittest.TestCase):
    """Carrying points between frames."""

    @given(poses, points)
    def test_into_a_frame_and_back(self, pose, point):
        where = placed(pose)
        self.assertLess(norm(sub(where.local(where.point(point)), point)), 1e-6)

    @given(poses, poses, points)
    def test_a_part_bolted_to_a_part_goes_where_both_take_it(self, outer, inner, point):
        together = compose(placed(outer), placed(inner)).point(point)
        apart = placed(outer).point(placed(inner).point(point))
        self.assertLess(norm(sub(together, apart)), 1e-6)

    @given(poses)
    def test_six_numbers_from_a_placement_give_it_again(self, pose):
        again = pose_of(placed(pose))
        for freedom in FREEDOMS:
            self.assertAlmostEqual(again.value(freedom), pose.value(freedom), places=6)

    def test_looking_straight_down_still_gives_the_same_placement(self):
        where = placed(Pose(pitch_deg=90, yaw_deg=20, roll_deg=5))
        again = placed(pose_of(where))
        for local in ((1, 0, 0), (0, 1, 0), (0, 0, 1)):
            self.assertLess(norm(sub(where.direction(local), again.direction(local))), 1e-6)

    @settings(max_examples=50)
    @given(st.floats(-1e5, 1e5))
    def test_angles_are_brought_into_one_turn(self, value):
        wrapped = wrapped_deg(value)
        self.assertTrue(-180 < wrapped <= 180)
        self.assertAlmostEqual(math.cos(math.radians(wrapped)), math.cos(math.radians(value)), places=6)

    def test_a_turned_vector_keeps_its_angle_to_the_axis(self):
        axis, v = unit((1, 2, 3)), (4.0, -1.0, 2.0)
        moved = turned(v, axis, 70)
        self.assertAlmostEqual(angle_deg(moved, axis), angle_deg(v, axis))
        self.assertAlmostEqual(norm(moved), norm(v))
