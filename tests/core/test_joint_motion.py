"""The motion of crosses against a simulation that knows nothing of its formulas: rotation matrices and square ears alone.

A wrong phase or a sideways bend that is left out shakes a vehicle apart; the
sums here are what the whole Drive stage stands on.
"""

import math
import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.optimize import brentq

from elmpeg.core.methods.driveline.fork_phasing import best_phases, ripple_with
from elmpeg.core.methods.driveline.joint_motion import passed_on
from elmpeg.core.methods.driveline.line_motion import (
    Joint,
    LaidLine,
    angles_between,
    axes_of,
    bare_figures,
    driveline_motion,
    driveline_motions,
    line_axes,
    traces,
)


def about(axis, angle):
    """The matrix that turns by an angle about an axis, from its definition as an exponential's closed form."""
    x, y, z = axis
    k = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
    return np.eye(3) + math.sin(angle) * k + (1 - math.cos(angle)) * k @ k


def square_to(axis):
    other = np.cross(axis, (0.3, -0.5, 0.81))
    return other / np.linalg.norm(other)


class Simulated:
    """A line turned step by step: each cross keeps its two pairs of ears square, found by root search, not by any formula."""

    def __init__(self, laid, phases):
        self.axes = [np.array(a) for a in line_axes(laid.input_axis, laid.output_axis, laid.joints)]
        self.kinds, self.phases = [j.kind for j in laid.joints], phases
        self.ears = [square_to(self.axes[0])]
        # Ears of each member at the start, one pair a side: near[k] takes the motion in, far[k] hands it on.
        self.near, self.far = [None], [self.ears[0]]
        for k, kind in enumerate(self.kinds):
            arriving, leaving, driving = self.axes[k], self.axes[k + 1], self.far[k]
            if kind == "cardan":
                base = square_to(leaving)
                turn = brentq(lambda a: float((about(leaving, a) @ base) @ driving), 0.0, math.pi)  # noqa: B023
                taken = about(leaving, turn) @ base
                if np.dot(np.cross(leaving, driving), taken) < 0:
                    taken = -taken
            else:
                over = np.cross(arriving, leaving)
                sine = np.linalg.norm(over)
                taken = about(over / sine, math.atan2(sine, float(arriving @ leaving))) @ driving if sine > 1e-12 else driving
            self.near.append(taken)
            phase = math.radians(phases[k]) if k < len(phases) else 0.0
            self.far.append(about(leaving, phase) @ taken)

    def turned(self, theta):
        """How far each member has turned when the input has turned by theta."""
        angles, angle = [], theta
        for k, kind in enumerate(self.kinds):
            driving = about(self.axes[k], angle) @ self.far[k]
            leaving, taken = self.axes[k + 1], self.near[k + 1]
            if kind == "cardan":
                square = lambda a: float((about(leaving, a) @ taken) @ driving)  # noqa: B023, E731
                low, high = angle - math.pi / 2 + 1e-9, angle + math.pi / 2 - 1e-9
                angle = brentq(square, low, high, xtol=1e-14)
            angles.append(angle)
        return angles

    def figures(self, steps=480):
        """Ripple and peak acceleration of each member by differences of the turned angles, per radian of input."""
        h = 2 * math.pi / steps
        turned = np.array([self.turned(k * h) for k in range(-1, steps + 2)])
        speed = (turned[2:] - turned[:-2]) / (2 * h)
        rate = (turned[2:] - 2 * turned[1:-1] + turned[:-2]) / h**2
        return (speed.max(0) - speed.min(0)) / 2 * 100, np.abs(rate).max(0)


def slope(side, plan):
    return (1.0, math.tan(math.radians(plan)), -math.tan(math.radians(side)))


CASES = {
    "compound, forks in plane": (slope(2, 1), slope(5, -3), ((0, 0, 500), (1300, 60, 430)), ("cardan", "cardan"), (0.0,)),
    "compound, forks 37 out": (slope(2, 1), slope(5, -3), ((0, 0, 500), (1300, 60, 430)), ("cardan", "cardan"), (37.0,)),
    "two pieces, odd forks": (slope(3, 0), slope(8, 2), ((0, 0, 500), (900, 20, 470), (2000, -40, 380)), ("cardan",) * 3, (90.0, -23.0)),
    "three shafts": (slope(1, 4), slope(-6, 5), ((0, 0, 500), (600, 9, 470), (1200, -40, 480), (1900, 30, 400)), ("cardan",) * 4, (12.0, 90.0, 45.0)),
    "double joint first": (slope(0, 0), slope(1, 2), ((0, 0, 500), (800, 50, 380)), ("double_cardan", "cardan"), (15.0,)),
    "constant velocity between": (slope(0, 3), slope(12, 2), ((0, 0, 500), (700, 50, 380), (1300, 0, 420)),
                                  ("cardan", "constant_velocity", "cardan"), (30.0, 60.0)),
    "steering, steep and far out of plane": (slope(35, 0), slope(2, 24), ((0, 0, 900), (260, 70, 740), (600, 190, 690)), ("cardan",) * 3, (64.0, -18.0)),
}  # fmt: skip


def laid_of(case):
    first, last, places, kinds, phases = case
    joints = tuple(Joint(f"J{k}", p, kind) for k, (p, kind) in enumerate(zip(places, kinds, strict=True)))
    return LaidLine(first, last, joints), phases


class AgainstSimulation(unittest.TestCase):
    """Compound and two-piece lines, odd phases included."""

    def test_ripple_and_acceleration_of_every_member(self):
        for name, case in CASES.items():
            laid, phases = laid_of(case)
            motion = driveline_motion(3000, laid.input_axis, laid.output_axis, laid.joints, phases)
            ripple, rate = Simulated(laid, phases).figures()
            omega2 = (3000 * 2 * math.pi / 60) ** 2
            for k, member in enumerate(motion.members):
                with self.subTest(name, member=member.id):
                    self.assertAlmostEqual(member.speed_ripple_pct, ripple[k], delta=5e-4 * max(1.0, ripple[k]))
                    self.assertAlmostEqual(member.accel_peak_rad_s2, rate[k] * omega2, delta=6e-4 * max(50.0, rate[k] * omega2))

    def test_the_forks_count(self):
        """The same line with its forks set otherwise runs otherwise: the simulation is not blind to them."""
        laid, _ = laid_of(CASES["compound, forks in plane"])
        self.assertGreater(abs(Simulated(laid, (0.0,)).figures(180)[0][-1] - Simulated(laid, (60.0,)).figures(180)[0][-1]), 0.05)


class ManyAtOnce(unittest.TestCase):
    """Many lines asked together give what each gives alone."""

    def test_the_same_to_the_last_figure(self):
        rng = np.random.default_rng(4)
        laid = []
        for _ in range(25):
            ends = [slope(*rng.uniform(-8, 8, 2)) for _ in range(2)]
            joints = tuple(Joint(f"J{k}", (k * 700.0, *map(float, rng.uniform(-50, 50, 2)))) for k in range(3))
            laid.append(LaidLine(ends[0], ends[1], joints))
        together = driveline_motions(2500, tuple(laid), (90.0, 12.0))
        for one, found in zip(laid, together, strict=True):
            alone = driveline_motion(2500, one.input_axis, one.output_axis, one.joints, (90.0, 12.0))
            for a, b in zip(alone.members, found.members, strict=True):
                self.assertAlmostEqual(a.accel_peak_rad_s2, b.accel_peak_rad_s2, places=7)
                self.assertAlmostEqual(a.speed_ripple_pct, b.speed_ripple_pct, places=9)

    def test_none_asked_none_told(self):
        self.assertEqual(driveline_motions(2500, (), ()), ())

    def test_traces_are_what_the_figures_summarise(self):
        laid, phases = laid_of(CASES["two pieces, odd forks"])
        motion = driveline_motion(1800, laid.input_axis, laid.output_axis, laid.joints, phases)
        for trace, member in zip(traces(1800, laid, phases), motion.members, strict=True):
            self.assertAlmostEqual(
                (max(trace.speeds) - min(trace.speeds)) * 50, member.speed_ripple_pct, delta=2e-3 * max(0.1, member.speed_ripple_pct)
            )
            self.assertAlmostEqual(
                max(map(abs, trace.accels_rad_s2)), member.accel_peak_rad_s2, delta=2e-3 * max(1.0, member.accel_peak_rad_s2)
            )


class BestPhases(unittest.TestCase):
    """How to set the forks so that joints undo each other."""

    def test_two_joints_against_every_setting_to_the_degree(self):
        for name in ("compound, forks 37 out", "compound, forks in plane"):
            laid, _ = laid_of(CASES[name])
            found = best_phases(laid, (37.0,))
            least = min(ripple_with(laid, (float(p),)) for p in range(-90, 90))
            self.assertLessEqual(found.ripple_pct, least * 1.02 + 1e-4, name)
            searched = best_phases(laid, (-75.0,))
            self.assertLessEqual(searched.ripple_pct, least + 1e-4, name)

    @settings(max_examples=25, deadline=None)
    @given(st.floats(3, 15), st.floats(-12, 12), st.floats(-12, 12))
    def test_equal_angles_in_turned_planes_are_undone_by_the_angle_between_the_planes(self, bend, roll_in, roll_out):
        """Both joints bent alike, their planes turned against each other about the shaft: that turn is the phase, and nothing is left."""
        tilt = np.array([math.cos(math.radians(bend)), 0.0, math.sin(math.radians(bend))])
        first = about((1, 0, 0), math.radians(roll_in)) @ tilt
        last = about((1, 0, 0), math.radians(roll_out)) @ tilt
        laid = LaidLine(tuple(map(float, first)), tuple(map(float, last)), (Joint("A", (0, 0, 0)), Joint("B", (1000, 0, 0))))
        found = best_phases(laid, (0.0,))
        between = (roll_out - roll_in + 90) % 180 - 90
        self.assertLess(found.ripple_pct, 0.02)
        self.assertLess(abs((found.phases_deg[0] - between + 90) % 180 - 90), 0.8)

    def test_two_shafts_against_a_coarse_look_at_all_settings(self):
        laid, phases = laid_of(CASES["steering, steep and far out of plane"])
        found = best_phases(laid, phases)
        least = min(ripple_with(laid, (float(a), float(b))) for a in range(-90, 90, 6) for b in range(-90, 90, 6))
        self.assertLess(found.ripple_pct, least + 1e-6)
        self.assertLess(found.ripple_pct, ripple_with(laid, phases))

    def test_where_only_the_sum_of_two_turns_counts_plain_ones_are_told(self):
        """The middle joint is straight and turns the forks square; for two ends bent in one plane a quarter turn undoes that, however it is shared."""
        up = (1.0, 0.0, 0.1)
        laid = LaidLine(up, up, (Joint("A", (0, 0, 0)), Joint("M", (600, 0, 0)), Joint("B", (1200, 0, 0))))
        found = best_phases(laid, (20.0, 10.0))
        self.assertEqual(sorted(found.phases_deg), [0.0, 90.0])
        self.assertLess(found.ripple_pct, 1e-3)
        self.assertGreater(ripple_with(laid, (0.0, 0.0)), 0.5)

    def test_forks_that_do_as_well_stay_as_they_are(self):
        laid, _ = laid_of(CASES["double joint first"])
        self.assertEqual(best_phases(laid, (12.5,)).phases_deg, (12.5,))


def followed_round(axes, kinds, phases_deg, samples):
    """Speeds and rates of each member at many positions, its ears carried over from joint to joint at each by their own formula: another
    derivation than the matrices'."""
    turn = np.arange(samples) * (math.pi / samples)
    speed, rate, p, q = np.ones(samples), np.zeros(samples), np.cos(turn), np.sin(turn)
    along = square_to(axes[0])
    speeds, rates = [], []
    for i, kind in enumerate(kinds):
        both = np.cross(axes[i], axes[i + 1])
        sine, cosine = np.linalg.norm(both), axes[i] @ axes[i + 1]
        square = both / sine
        angle = math.atan2(square @ np.cross(axes[i], along), square @ along) - (math.radians(phases_deg[i - 1]) if i else 0.0)
        p, q = p * math.cos(angle) + q * math.sin(angle), q * math.cos(angle) - p * math.sin(angle)
        if kind == "cardan":
            below = 1.0 - (sine * q) ** 2
            ratio = cosine / below
            rate = rate * ratio + speed**2 * (ratio / below) * 2.0 * sine**2 * q * p
            speed = speed * ratio
            long = np.sqrt(p * p + (q * cosine) ** 2)
            p, q = -q * cosine / long, p / long
        speeds.append(speed)
        rates.append(rate)
        along = square
    return np.array(speeds), np.array(rates)


class Exact(unittest.TestCase):
    """Peaks told in closed form, against a line followed round."""

    def lines(self, rng, kinds, n, bent):
        places = np.cumsum(np.array([800, 0, 0]) + rng.normal(0, 200 * bent, (n, len(kinds), 3)), axis=1)
        return axes_of(np.array([1, 0, 0]) + rng.normal(0, bent, (n, 3)), np.array([1, 0, 0]) + rng.normal(0, bent, (n, 3)), places)

    def test_lines_bent_as_far_as_they_may(self):
        rng = np.random.default_rng(3)
        for kinds in (("cardan",), ("cardan", "cardan"), ("cardan", "constant_velocity", "cardan"), ("double_cardan", "cardan", "cardan")):
            axes = self.lines(rng, kinds, 40, 0.4)
            axes = axes[angles_between(axes).max(axis=1) < 60]
            self.assertGreater(len(axes), 15)
            forks = tuple(30.0 * k for k in range(len(kinds) - 1))
            found = bare_figures(3000, axes, kinds, forks)
            omega = 3000 * 2 * math.pi / 60
            for n, line in enumerate(axes):
                speeds, rates = followed_round(line, kinds, forks, 20_000)
                np.testing.assert_allclose(found.ripples_pct[n], (speeds.max(axis=1) - speeds.min(axis=1)) * 50.0, rtol=2e-6, atol=1e-9)
                for peak in (rates.max(axis=1), -rates.min(axis=1)):
                    np.testing.assert_allclose(found.accels_rad_s2[n], peak * omega**2, rtol=2e-6, atol=1e-6)

    def test_the_curves_that_are_drawn_are_those_of_the_line_followed_round(self):
        rng = np.random.default_rng(5)
        kinds, forks = ("cardan", "cardan", "cardan"), (20.0, -70.0)
        axes = self.lines(rng, kinds, 5, 0.2)
        speeds, rates = passed_on(axes, kinds, forks).followed(90)
        for n, line in enumerate(axes):
            want = followed_round(line, kinds, forks, 90)
            # Where a turn is counted from is arbitrary: they have the same waves, whatever their phase.
            for mine, its in ((speeds[n], want[0]), (rates[n], want[1])):
                np.testing.assert_allclose(*(np.abs(np.fft.rfft(one, axis=1)) for one in (mine, its)), atol=1e-9)

    def test_one_cross_by_the_textbook(self):
        """Its speed goes from cos b to 1 / cos b; at an angle of nothing it is even; the shortest answer is the whole of it."""
        for deg in (0.0, 1e-7, 0.5, 3.0, 30.0, 75.0):
            b = math.radians(deg)
            axes = np.array([[[1.0, 0.0, 0.0], [math.cos(b), 0.0, math.sin(b)]]])
            found = bare_figures(1000, axes, ("cardan",), ())
            self.assertAlmostEqual(found.ripples_pct[0, 0], 50 * (1 / math.cos(b) - math.cos(b)), places=9)

    def test_a_second_cross_undoes_the_first_for_good(self):
        axes = axes_of(np.array([[1.0, 0, 0]]), np.array([[1.0, 0, 0]]), np.array([[[0, 0, 0], [800.0, 0, 150.0]]]))
        found = bare_figures(3000, axes, ("cardan", "cardan"), (0.0,))
        self.assertLess(found.ripples_pct[0, 1], 1e-10)
        self.assertLess(found.accels_rad_s2[0, 1], 1e-6)
        self.assertGreater(found.ripples_pct[0, 0], 1.0)
