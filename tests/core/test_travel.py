"""Suspension travel, shafts, wedges and tolerance chains, each against geometry worked another way."""

import math
import unittest
from dataclasses import replace

import numpy as np
from hypothesis import given
from hypothesis import strategies as st
from scipy.optimize import least_squares

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, rotate, rotation
from elmpeg.core.base.vectors import add, sub
from elmpeg.core.calculators import Refused, answer
from elmpeg.core.methods.driveline.axle_travel import (
    AxleMove,
    Leaf,
    Link,
    Suspension,
    axle_move,
    axle_moves,
    moved_point,
    slip_range_mm,
    through_travel,
)
from elmpeg.core.methods.driveline.line_motion import Joint
from elmpeg.core.methods.driveline.shaft_tubes import Tube, critical_rpm, mass_kg, mount_rise_mm, perch_rise_mm
from elmpeg.core.methods.fastening.tolerance_stack import ChainPart, chain_band

CENTRE = (1480.0, 0.0, 430.0)
SWING = Suspension("swing", CENTRE, (820.0, 450.0))
LINKED = Suspension("four_link", CENTRE, upper=Link((900.0, 560.0), (1450.0, 560.0)), lower=Link((820.0, 400.0), (1480.0, 370.0)))
JOINTS = (Joint("J1", (0.0, 0.0, 520.0)), Joint("J2", (1250.0, 10.0, 440.0)))


class AxleMoves(unittest.TestCase):
    """Where an axle goes."""

    @given(st.floats(-150, 150))
    def test_a_swing_arm_keeps_its_length_and_turns_with_it(self, step):
        move = axle_move(SWING, step)
        after = add(CENTRE, move.shift_mm)
        self.assertAlmostEqual(math.dist(after[::2], (820, 450)), math.dist(CENTRE[::2], (820, 450)), places=6)
        arm_before = math.atan2(CENTRE[2] - 450, CENTRE[0] - 820)
        self.assertAlmostEqual(move.pitch_deg, -math.degrees(math.atan2(after[2] - 450, after[0] - 820) - arm_before), places=6)
        self.assertAlmostEqual(move.shift_mm[2], step)

    @given(st.floats(-90, 90))
    def test_links_keep_their_lengths(self, step):
        move = axle_move(LINKED, step)
        turn = rotation(Pose(pitch_deg=move.pitch_deg))
        for link in (LINKED.upper, LINKED.lower):
            end = (link.axle_mm[0], 0.0, link.axle_mm[1])
            moved = add(add(CENTRE, move.shift_mm), rotate(turn, sub(end, CENTRE)))
            self.assertAlmostEqual(math.dist(moved[::2], link.frame_mm), math.dist(link.axle_mm, link.frame_mm), places=5)
        self.assertAlmostEqual(move.shift_mm[2], step)

    def test_equal_parallel_links_do_not_turn_the_axle(self):
        parallel = Suspension("four_link", CENTRE, upper=Link((820.0, 500.0), (1480.0, 500.0)), lower=Link((820.0, 400.0), (1480.0, 400.0)))
        for step in (-80, 35, 80):
            self.assertAlmostEqual(axle_move(parallel, step).pitch_deg, 0.0, places=6)

    def test_a_very_long_arm_is_nearly_straight_up(self):
        far = axle_move(Suspension("swing", CENTRE, (-1e5, 430.0)), 60.0)
        self.assertAlmostEqual(far.pitch_deg, 0.0, delta=0.04)
        self.assertAlmostEqual(far.shift_mm[0], 0.0, delta=0.02)

    def test_out_of_reach_and_incomplete(self):
        for suspension, step, words in (
            (SWING, 900, "reach"), (SWING, -900, "reach"), (LINKED, 900, "reach"), (Suspension("swing", CENTRE), 10, "pivot"),
            (Suspension("swing", CENTRE, (1480.0, 430.0)), 10, "length"), (Suspension("four_link", CENTRE), 10, "lower link"),
        ):  # fmt: skip
            with self.subTest(words, step=step), self.assertRaises(InputError) as refused:
                axle_move(suspension, step)
            self.assertIn(words, str(refused.exception))


class ThroughTravel(unittest.TestCase):
    """What travel does to a shaft."""

    def steps(self, suspension, *heights):
        return through_travel(2500, (1, 0, -0.03), (1, 0, -0.02), JOINTS, (0.0,), suspension, heights)

    def test_at_rest_nothing_slips_and_straight_up_is_pythagoras(self):
        rest, up = self.steps(Suspension("parallel", CENTRE), 0.0, 60.0)
        self.assertAlmostEqual(rest.slip_mm, 0.0)
        self.assertAlmostEqual(up.last_length_mm, math.dist((1250, 10, 500), (0, 0, 520)))
        self.assertEqual(up.output_pitch_change_deg, 0.0)

    def test_slip_in_and_out_are_never_negative(self):
        for suspension in (SWING, LINKED, Suspension("parallel", CENTRE)):
            for heights in ((-80.0, 0.0, 90.0), (40.0,), (-40.0,)):
                shorter, longer = slip_range_mm(self.steps(suspension, *heights))
                self.assertGreaterEqual(min(shorter, longer), 0.0)

    def test_an_arm_about_the_front_joint_never_slips(self):
        """An axle swinging about the joint itself keeps the shaft's length: the torque tube of old."""
        tube = Suspension("swing", CENTRE, (0.0, 520.0))
        for step in self.steps(tube, -70.0, 30.0, 80.0):
            self.assertAlmostEqual(step.slip_mm, 0.0, places=6)

    def test_one_joint_has_no_shaft(self):
        with self.assertRaises(InputError):
            through_travel(2500, (1, 0, 0), (1, 0, 0), JOINTS[:1], (), SWING, (0.0,))


class Shafts(unittest.TestCase):
    """How fast a tube may turn."""

    def test_a_thin_tube_against_the_beam_formula_with_area_and_inertia_apart(self):
        od, wall, length = 0.0762, 0.00165, 1.5
        area = math.pi / 4 * (od**2 - (od - 2 * wall) ** 2)
        inertia = math.pi / 64 * (od**4 - (od - 2 * wall) ** 4)
        expected = 60 * math.pi / (2 * length**2) * math.sqrt(207e9 * inertia / (7850 * area))
        tube = Tube(1500, 76.2, 1.65, "steel")
        self.assertAlmostEqual(critical_rpm(tube), expected, places=6)
        self.assertAlmostEqual(mass_kg(tube), 7850 * area * length, places=9)

    @given(st.floats(300, 3000), st.floats(30, 120))
    def test_twice_as_long_turns_a_quarter_as_fast(self, length, od):
        ratio = critical_rpm(Tube(length, od, 2, "aluminium")) / critical_rpm(Tube(2 * length, od, 2, "aluminium"))
        self.assertAlmostEqual(ratio, 4.0)

    def test_a_solid_bar_is_the_thickest_tube(self):
        critical_rpm(Tube(1000, 50, 25, "steel"))
        with self.assertRaises(InputError) as refused:
            critical_rpm(Tube(1000, 50, 25.1, "steel"))
        self.assertEqual(refused.exception.errors[0].field, "wall_mm")

    def test_road_speed_worked_by_hand(self):
        """A tyre of 1000/pi mm rolls 1 m a turn: at 60 km/h, 1000 turns a minute; times the axle's 4."""
        request = {
            "length_mm": 1400,
            "od_mm": 76.2,
            "wall_mm": 2,
            "material": "steel",
            "road": {"speed_kmh": 60, "tyre_diameter_mm": 1000 / math.pi, "axle_ratio": 4},
        }
        result = answer("shaft", request)
        self.assertAlmostEqual(result["rpm_at_speed"], 4000)
        self.assertAlmostEqual(result["speed_at_safe_kmh"] / 60, result["safe_rpm"] / 4000)


class WedgesAndChains(unittest.TestCase):
    """Small sums that are easily turned round."""

    def test_raising_the_rear_mount_takes_pitch_out(self):
        self.assertAlmostEqual(mount_rise_mm(1000, 4, 3), 1000 * (math.sin(math.radians(4)) - math.sin(math.radians(3))))
        self.assertGreater(mount_rise_mm(1000, 4, 3), 0)
        self.assertAlmostEqual(perch_rise_mm(100, 45), 100)

    def test_fields_of_the_other_kind_are_refused(self):
        for request, field in (
            ({"kind": "perch", "length_mm": 100}, "angle_deg"),
            ({"kind": "perch", "length_mm": 1, "angle_deg": 1, "span_mm": 5}, "span_mm"),
            ({"kind": "mount", "span_mm": 9, "from_deg": 1}, "to_deg"),
        ):
            with self.subTest(field), self.assertRaises(Refused) as refused:
                answer("wedge", request)
            self.assertEqual(refused.exception.errors[0].field, field)

    def test_a_chain_worked_by_hand(self):
        """100 +1/-0 less 40 +0/-2: nominal 60, worst 60 to 63, middle 61.5, likely half width sqrt(0.5² + 1²)."""
        band = chain_band((ChainPart(100, 1, 0, 1), ChainPart(40, 0, 2, -1)))
        self.assertEqual((band.nominal_mm, band.worst_min_mm, band.worst_max_mm, band.rss_centre_mm), (60, 60, 63, 61.5))
        self.assertAlmostEqual(band.rss_half_mm, math.hypot(0.5, 1.0))

    @given(
        st.lists(
            st.builds(ChainPart, st.floats(0, 500), st.floats(0, 2), st.floats(0, 2), st.sampled_from([1, -1])), min_size=1, max_size=8
        )
    )
    def test_the_likely_band_lies_inside_the_worst(self, parts):
        band = chain_band(tuple(parts))
        self.assertLessEqual(band.rss_centre_mm + band.rss_half_mm, band.worst_max_mm + 1e-9)
        self.assertGreaterEqual(band.rss_centre_mm - band.rss_half_mm, band.worst_min_mm - 1e-9)
        self.assertAlmostEqual(band.rss_centre_mm, (band.worst_min_mm + band.worst_max_mm) / 2)


class LeafSprings(unittest.TestCase):
    """A leaf spring as its equivalent arm; turned the wrong way round it would point the pinion away from the shaft."""

    def spring(self, eye_half=600.0, shackle_half=600.0, ahead=True):
        eye = (880.0, 505.0) if ahead else (2080.0, 505.0)
        return Suspension("leaf", CENTRE, leaf=Leaf((1480.0, 505.0), eye, eye_half, shackle_half), apart_mm=1100.0)

    @given(st.floats(-110, 110))
    def test_the_seat_stays_on_an_arc_of_three_quarters_and_alike_halves_do_not_turn_it(self, step):
        move = axle_move(self.spring(), step)
        seat = (1480.0 + move.shift_mm[0], 505.0 + step)
        self.assertAlmostEqual(math.dist(seat, (1480.0 - 450.0, 505.0)), 450.0, places=6)
        self.assertEqual(move.pitch_deg, 0.0)

    def test_unlike_halves_turn_the_seat_as_two_cantilevers_do(self):
        """Reactions at the eyes go inversely with the halves, deflections with their cubes times that: solved here for the seat."""
        a, b, rise = 700.0, 500.0, 40.0
        front, rear = b * a**3, a * b**3
        # Eyes keep their heights: rise - tilt a = k front, rise + tilt b = k rear, tilt being the seat's slope to the rear.
        tilt, k = np.linalg.solve([[a, front], [-b, rear]], [rise, rise])
        move = axle_move(self.spring(a, b), rise)
        self.assertGreater(k, 0)
        self.assertAlmostEqual(move.pitch_deg, -math.degrees(tilt), places=9)
        self.assertGreater(move.pitch_deg, 0.0, "the longer half in front looks up in bump")
        self.assertAlmostEqual(axle_move(self.spring(a, b, ahead=False), rise).pitch_deg, -move.pitch_deg)

    def test_the_calculator_takes_it(self):
        driveline = {"rpm": 2000, "input_axis": [1, 0, 0], "output_axis": [1, 0, 0], "phases_deg": [0], "school": "three_degree",
                     "joints": [{"id": "J1", "xyz_mm": [0, 0, 520], "kind": "cardan"}, {"id": "J2", "xyz_mm": [1250, 0, 440], "kind": "cardan"}]}  # fmt: skip
        leaf = {"seat_mm": [1480, 505], "eye_mm": [880, 505], "eye_half_mm": 600, "shackle_half_mm": 600}
        travel = {"kind": "leaf", "axle_centre_mm": [1480, 0, 430], "leaf": leaf, "steps_mm": [0, 60]}
        rest, up = answer("travel", {"driveline": driveline, "travel": travel})["steps"]
        self.assertEqual(rest["slip_mm"], 0.0)
        back = 450 - math.sqrt(450**2 - 60**2)
        self.assertAlmostEqual(up["last_length_mm"], math.dist((1250 - back, 500), (0, 520)))
        with self.assertRaises(Refused):
            answer("travel", {"driveline": driveline, "travel": {**travel, "leaf": None}})


class OneWheelUp(unittest.TestCase):
    """The axle rolled: one wheel up, the other down."""

    @given(st.floats(-80, 80), st.floats(-9, 9))
    def test_points_of_the_axle_keep_their_distances_and_the_right_side_goes_up(self, step, roll):
        suspension = replace(LINKED, apart_mm=900.0)
        move = axle_move(suspension, step, roll)
        left, right, nose = (1480.0, -450.0, 430.0), (1480.0, 450.0, 430.0), (1200.0, 30.0, 440.0)
        moved = [moved_point(CENTRE, move, p) for p in (left, right, nose)]
        for i, j in ((0, 1), (0, 2), (1, 2)):
            self.assertAlmostEqual(math.dist(moved[i], moved[j]), math.dist((left, right, nose)[i], (left, right, nose)[j]), places=6)
        self.assertAlmostEqual((moved[1][2] + moved[0][2]) / 2, 430 + step, places=6)
        if roll > 0.01:
            self.assertGreater(moved[1][2], moved[0][2])

    def test_an_axle_on_trailing_arms_steers_towards_the_side_that_went_back(self):
        """An arm already sloping down to the axle goes back as it rises: the risen side's wheel is further back."""
        suspension = Suspension("swing", CENTRE, (820.0, 560.0), apart_mm=900.0)
        move = axle_move(suspension, 0.0, 5.0)
        right, left = (moved_point(CENTRE, move, (1480.0, y, 430.0)) for y in (450.0, -450.0))
        self.assertGreater(right[0], left[0])
        self.assertAlmostEqual(axle_move(suspension, 0.0, -5.0).yaw_deg, -move.yaw_deg)

    def test_straight_up_it_only_rolls(self):
        move = axle_move(Suspension("parallel", CENTRE, apart_mm=900.0), 30.0, 4.0)
        self.assertEqual((move.pitch_deg, move.yaw_deg, move.roll_deg, move.shift_mm), (0.0, 0.0, 4.0, (0.0, 0.0, 30.0)))


class Linkages(unittest.TestCase):
    """Links followed by Newton's steps, against a general search and against the order they are asked in."""

    def test_any_linkage_closes_and_the_order_of_steps_does_not_matter(self):
        rng = np.random.default_rng(2)
        for _ in range(40):
            upper = Link(
                (float(rng.uniform(700, 1000)), float(rng.uniform(520, 640))),
                (float(rng.uniform(1400, 1520)), float(rng.uniform(520, 620))),
            )
            lower = Link(
                (float(rng.uniform(600, 900)), float(rng.uniform(360, 430))), (float(rng.uniform(1440, 1520)), float(rng.uniform(340, 400)))
            )
            suspension = Suspension("four_link", CENTRE, upper=upper, lower=lower)
            steps = (45.0, -60.0, 0.0, 20.0, -15.0)
            together = axle_moves(suspension, steps)
            for step, move in zip(steps, together, strict=True):
                alone = axle_move(suspension, step)
                self.assertAlmostEqual(alone.pitch_deg, move.pitch_deg, places=7)

                def off(unknown, step=step, upper=upper, lower=lower):
                    place = AxleMove((unknown[0], 0.0, step), unknown[1])
                    ends = [moved_point(CENTRE, place, (k.axle_mm[0], 0.0, k.axle_mm[1])) for k in (upper, lower)]
                    return [
                        math.dist(e[::2], k.frame_mm) - math.dist(k.axle_mm, k.frame_mm) for e, k in zip(ends, (upper, lower), strict=True)
                    ]

                found = least_squares(off, [move.shift_mm[0] + 0.5, move.pitch_deg + 0.2], xtol=1e-14, ftol=1e-14)
                self.assertAlmostEqual(found.x[0], move.shift_mm[0], places=4)
                self.assertAlmostEqual(found.x[1], move.pitch_deg, places=4)

    def test_links_that_would_lock_say_about_where(self):
        short = Suspension("four_link", CENTRE, upper=Link((1380.0, 560.0), (1450.0, 560.0)), lower=Link((1390.0, 400.0), (1480.0, 370.0)))
        with self.assertRaises(InputError) as refused:
            axle_moves(short, (0.0, 150.0))
        self.assertIn("lock at about", str(refused.exception))
