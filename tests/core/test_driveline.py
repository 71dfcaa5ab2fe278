"""Joint kinematics. A wrong phase or a forgotten sideways angle shakes the vehicle apart at speed."""

import math
import unittest
from itertools import pairwise

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.verdicts import verdict_within
from elmpeg.core.methods.driveline.joint_limits import JointLimits, joint_bands, line_verdicts, speed_cap_deg
from elmpeg.core.methods.driveline.line_motion import Joint, LaidLine, driveline_motion, equivalent_angle_deg, traces


def sloping(slope_deg, plan_deg=0.0):
    """A direction by its side slope (tail down) and plan slope (tail right)."""
    return (1.0, math.tan(math.radians(plan_deg)), -math.tan(math.radians(slope_deg)))


def one_joint(angle_deg, kind="cardan"):
    return driveline_motion(3000, (1, 0, 0), sloping(angle_deg), (Joint("J", (0, 0, 0), kind),), ())


class SingleJoint(unittest.TestCase):
    """One cross has a closed solution: tan(driven) = tan(driving) / cos(angle)."""

    @given(st.floats(1, 35))
    def test_ripple_is_half_of_secant_less_cosine(self, angle):
        """The driven side runs between cos b and 1 / cos b."""
        c = math.cos(math.radians(angle))
        motion = one_joint(angle)
        self.assertAlmostEqual(motion.members[-1].speed_ripple_pct, (1 / c - c) / 2 * 100, places=5)
        self.assertAlmostEqual(motion.equivalent_angle_deg, angle, places=5)
        self.assertAlmostEqual(motion.joints[0].angle_deg, angle, places=9)

    def test_peak_acceleration_by_differentiating_the_closed_solution_numerically(self):
        for angle in (3.0, 12.0, 30.0):
            with self.subTest(angle):
                c, omega = math.cos(math.radians(angle)), 3000 * 2 * math.pi / 60
                speed = [
                    c / (1 - math.sin(math.radians(angle)) ** 2 * math.cos(t) ** 2) for t in (k * math.pi / 20000 for k in range(20001))
                ]
                peak = max(abs(b - a) for a, b in pairwise(speed)) / (math.pi / 20000) * omega**2
                self.assertAlmostEqual(one_joint(angle).members[-1].accel_peak_rad_s2 / peak, 1.0, places=4)

    def test_a_straight_joint_and_a_constant_velocity_joint_pass_motion_on(self):
        for motion in (one_joint(0.0), one_joint(15.0, "constant_velocity"), one_joint(15.0, "double_cardan")):
            self.assertAlmostEqual(motion.members[-1].speed_ripple_pct, 0.0, places=9)

    @given(st.floats(0, 30))
    def test_equivalent_angle_undoes_the_ripple_formula(self, angle):
        c = math.cos(math.radians(angle))
        self.assertAlmostEqual(equivalent_angle_deg((1 / c - c) / 2), angle, places=4)


class TwoJoints(unittest.TestCase):
    """A second joint undoes the first when its angle and its fork match."""

    def line(self, out_slope=0.0, out_plan=0.0, phase=0.0, rpm=3000.0):
        joints = (Joint("J1", (0, 0, 500)), Joint("J2", (1300, 40, 430)))
        return driveline_motion(rpm, (1, 0, 0), sloping(out_slope, out_plan), joints, (phase,))

    def test_parallel_ends_cancel_even_with_a_sideways_offset(self):
        motion = self.line()
        self.assertAlmostEqual(motion.members[-1].speed_ripple_pct, 0.0, places=7)
        self.assertGreater(motion.members[0].speed_ripple_pct, 0.1)
        self.assertAlmostEqual(motion.joints[0].angle_deg, math.degrees(math.atan2(math.hypot(40, 70), 1300)), places=9)

    def test_a_fork_a_quarter_turn_out_adds_what_it_should_cancel(self):
        """In phase the two joints cancel; at 90 deg their ripples multiply: 1 / cos² b at the peak."""
        c = math.cos(math.radians(self.line().joints[0].angle_deg))
        self.assertAlmostEqual(self.line(phase=90).members[-1].speed_ripple_pct, (1 / c**2 - c**2) / 2 * 100, places=5)

    def test_a_fork_half_a_turn_out_is_the_same_fork(self):
        self.assertAlmostEqual(self.line(3, 1, 0).members[-1].speed_ripple_pct, self.line(3, 1, 180).members[-1].speed_ripple_pct, places=9)

    @settings(max_examples=40)
    @given(st.floats(-6, 6), st.floats(-6, 6), st.floats(-90, 90))
    def test_the_mean_speed_is_the_input_speed_whatever_the_joints(self, slope, plan, phase):
        """A shaft that turned faster on average would wind itself up: 2/pi Simpson-free mean over half a turn."""
        joints = (Joint("J1", (0, 0, 500)), Joint("J2", (1300, 40, 430)))
        for trace in traces(3000, LaidLine((1, 0, 0), sloping(slope, plan), joints), (phase,)):
            self.assertAlmostEqual(sum(trace.speeds) / len(trace.speeds), 1.0, places=9)

    def test_acceleration_grows_with_the_square_of_speed(self):
        slow, fast = self.line(4, rpm=1000), self.line(4, rpm=3000)
        self.assertAlmostEqual(fast.members[-1].accel_peak_rad_s2 / slow.members[-1].accel_peak_rad_s2, 9.0, places=9)
        self.assertAlmostEqual(fast.members[-1].speed_ripple_pct, slow.members[-1].speed_ripple_pct)

    def test_side_and_plan_parts_keep_their_signs_and_a_forward_line_reads_small(self):
        bent = self.line(5, 2).joints[1]
        self.assertAlmostEqual(bent.side_deg, 5 - math.degrees(math.atan2(70, 1300)))
        self.assertAlmostEqual(bent.plan_deg, 2 - math.degrees(math.atan2(40, 1300)))
        forward = driveline_motion(1500, (-1, 0, 0.02), (-1, 0, -0.01), (Joint("F1", (1200, 0, 400)), Joint("F2", (300, 0, 410))), (0.0,))
        self.assertTrue(all(abs(j.side_deg) < 5 for j in forward.joints))


class Refusals(unittest.TestCase):
    """Nonsense is refused by the joint's name."""

    def test_each(self):
        two = (Joint("J1", (0, 0, 0)), Joint("J2", (1000, 0, 0)))
        cases = [
            ((3000, (0, 0, 0), (1, 0, 0), two, (0.0,)), "input_axis"), ((3000, (1, 0, 0), (0, 0, 0), two, (0.0,)), "output_axis"),
            ((3000, (1, 0, 0), (1, 0, 0), (two[0], Joint("J9", (0, 0, 0))), (0.0,)), "J9"), ((3000, (-1, 0, 0), (1, 0, 0), two, (0.0,)), "J1"),
            ((0, (1, 0, 0), (1, 0, 0), two, (0.0,)), "rpm"), ((3000, (1, 0, 0), (1, 0, 0), two, ()), "phases_deg"), ((3000, (1, 0, 0), (1, 0, 0), (), ()), "joints"),
        ]  # fmt: skip
        for arguments, named in cases:
            with self.subTest(named), self.assertRaises(InputError) as refused:
                driveline_motion(*arguments)
            self.assertIn(named, str(refused.exception))


class Schools(unittest.TestCase):
    """How far a joint may bend, by the school the build follows."""

    def bands(self, kinds, school="three_degree", rpm=3000.0, most=None):
        joints = tuple(Joint(f"J{i}", (i * 500.0, 0, 0), kind, most) for i, kind in enumerate(kinds))
        return [(b.low_deg, round(b.high_deg, 3)) for b in joint_bands(joints, rpm, school, JointLimits())]

    def test_flat_cap(self):
        self.assertEqual(self.bands(["cardan", "cardan"]), [(0.5, 3.0), (0.5, 3.0)])

    def test_a_cap_below_the_least_angle_is_told_and_leaves_no_least(self):
        joints = (Joint("J1", (0, 0, 0)), Joint("J2", (1000, 0, 0)))
        # sqrt(1000) / omega is 0.5 deg at 34,600 rpm, or at 3,000 with a shaft that stands far less.
        weak = JointLimits(shaft_accel_rad_s2=5.0)
        for school in ("speed_limited", "low_speed_crawler"):
            band = joint_bands(joints, 3000, school, weak)[0]
            rpm = 3000 if school == "speed_limited" else weak.crawler_rpm
            self.assertAlmostEqual(band.high_deg, speed_cap_deg(rpm, weak))
            if band.high_deg < weak.least_deg:
                self.assertIsNone(band.low_deg)
                self.assertIn("lies below the 0.5° its needles need", band.reason)
        self.assertLess(speed_cap_deg(3000, weak), weak.least_deg)
        slower = joint_bands(joints, 3000, "low_speed_crawler", JointLimits(shaft_accel_rad_s2=0.5))[0]
        self.assertLess(slower.high_deg, 0.5, "the crawler's cap is not lifted to the least angle")
        self.assertIn("lies below", slower.reason)

    def test_speed_cap_worked_by_hand(self):
        """At 3000 rpm: sqrt(1000) / 314.16 rad = 0.10066 rad = 5.767 deg; half the speed allows twice the angle."""
        self.assertAlmostEqual(speed_cap_deg(3000, JointLimits()), 5.767, places=3)
        self.assertEqual(self.bands(["cardan", "cardan"], "speed_limited", 1500), [(0.5, 11.535)] * 2)

    def test_a_lone_cardan_beside_a_double_one_should_be_straight(self):
        self.assertEqual(self.bands(["double_cardan", "cardan"]), [(None, 20.0), (None, 1.0)])
        self.assertEqual(self.bands(["double_cardan", "cardan", "cardan"])[1], (0.5, 3.0))

    def test_a_makers_limit_counts_where_it_is_tighter(self):
        self.assertEqual(self.bands(["double_cardan", "cardan"], most=12.0), [(None, 12.0), (None, 1.0)])
        self.assertEqual(self.bands(["cardan", "cardan"], most=2.0), [(0.5, 2.0), (0.5, 2.0)])

    def test_verdicts(self):
        for value, doubt, expected in (
            (2.0, 0.3, "holds"),
            (2.9, 0.3, "near"),
            (0.6, 0.3, "near"),
            (3.1, 0.3, "fails"),
            (0.4, 0.3, "fails"),
            (3.0, 0.0, "holds"),
        ):
            with self.subTest(value):
                self.assertEqual(verdict_within(value, 0.5, 3.0, doubt), expected)
        self.assertEqual(verdict_within(0.0, None, 1.0, 0.1), "holds")

    def test_the_driven_end_is_held_tighter_than_a_shaft(self):
        motion = driveline_motion(3000, (1, 0, 0), sloping(4.6), (Joint("J1", (0, 0, 0)),), ())
        self.assertEqual(
            line_verdicts(motion, joint_bands((Joint("J1", (0, 0, 0)),), 3000, "speed_limited", JointLimits()), JointLimits()),
            ("holds", "fails"),
        )
