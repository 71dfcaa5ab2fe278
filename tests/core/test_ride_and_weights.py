"""Ride, shocks, U-bolts and weights against statics and finite differences."""

import math
import random
import unittest

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.mass.weight_balance import Springs, Tilt, WeightChange, WheelWeight, weight_balance
from elmpeg.core.methods.springs.ride_heights import Station, ride_heights
from elmpeg.core.methods.springs.shock_travel import shock_travel, upper_shift_mm
from elmpeg.core.methods.springs.u_bolts import u_bolt


class RideHeights(unittest.TestCase):
    def test_the_axles_themselves_change_by_their_drops(self):
        found = ride_heights(
            2840, 12, 57, (Station("front", 0, 300, None), Station("rear", 2840, 300, None), Station("nose", -700, 300, None))
        )
        front, rear, nose = (s.change_mm for s in found.stations)
        self.assertEqual((front, rear), (-12, -57))
        self.assertAlmostEqual(nose, -12 + 45 * 700 / 2840)
        self.assertIsNone(found.found)

    def test_a_tape_held_to_a_known_drop_finds_it(self):
        rng = random.Random(2)
        stations = [Station(f"s{k}", x, 300, 300 - (20 + 35 * x / 2600)) for k, x in enumerate(rng.uniform(-600, 3200) for _ in range(6))]
        found = ride_heights(2600, 0, 0, tuple(stations)).found
        self.assertAlmostEqual(found.front_drop_mm, 20)
        self.assertAlmostEqual(found.rear_drop_mm, 55)
        self.assertAlmostEqual(found.rms_mm, 0, places=9)

    def test_the_found_drops_leave_least(self):
        """Any other pair of drops leaves more over."""
        rng = random.Random(9)
        stations = tuple(Station(f"s{k}", x, 300, 280 + rng.uniform(-9, 9)) for k, x in enumerate((0, 500, 1400, 2600)))
        found = ride_heights(2600, 0, 0, stations).found

        def rms(front, rear):
            return math.sqrt(np.mean([(s.after_mm - s.before_mm + front + (rear - front) * s.x_mm / 2600) ** 2 for s in stations]))

        self.assertAlmostEqual(rms(found.front_drop_mm, found.rear_drop_mm), found.rms_mm)
        for df, dr in ((0.1, 0), (0, 0.1), (-0.1, 0.1), (0.1, 0.1)):
            self.assertGreater(rms(found.front_drop_mm + df, found.rear_drop_mm + dr), found.rms_mm)

    def test_two_tapes_at_one_place_find_nothing(self):
        self.assertIsNone(ride_heights(2600, 0, 0, (Station("l", 900, 300, 290), Station("r", 900, 300, 288))).found)


class Shocks(unittest.TestCase):
    eyes = ((-11, -383, 824), (0, -468, 331))

    def test_motion_ratio_is_how_the_length_changes(self):
        for way in ((0, 0, 1), (0.2, 0.1, 1)):
            h = 1e-3
            at = [shock_travel(400, 655, *self.eyes, h, h, way)][0]
            self.assertAlmostEqual(at.motion_ratio, (at.droop_mm - at.bump_mm) / (2 * h), places=6)

    def test_the_eye_moved_by_what_is_said_leaves_what_is_wanted(self):
        found = shock_travel(402, 655, *self.eyes, 100, 110, wanted_up_mm=95)
        upper, lower = (np.array(e, dtype=float) for e in self.eyes)
        along = (upper - lower) / np.linalg.norm(upper - lower)
        self.assertAlmostEqual(np.linalg.norm(upper + along * found.upper_shift_mm - lower) - 402, 95)
        for rise, wanted in ((100, 412), (-110, 645)):
            shift = upper_shift_mm(*self.eyes, (0, 0, 1), rise, wanted)
            moved = tuple(upper + along * shift)
            self.assertAlmostEqual(np.linalg.norm(np.array(moved) - lower - (0, 0, rise)), wanted)
        self.assertIsNone(upper_shift_mm((0, 0, 500), (0, 0, 100), (1, 0, 0), 300, 100))

    def test_swapped_lengths_are_refused(self):
        with self.assertRaisesRegex(InputError, "swap"):
            shock_travel(700, 430, (0, 0, 900), (0, 0, 350), 50, 50)


class UBolts(unittest.TestCase):
    def test_the_shortest_that_is_long_enough(self):
        found = u_bolt((81.3, 6.7, 59.5, 36.4, 10, 2.5, 11), 1.5, (225, 212.5, 200, 211.9))
        self.assertEqual((found.length_mm, round(found.proud_mm, 6)), (211.9, 4.5))
        self.assertIsNone(u_bolt((100,), 1.5, (100, 104)).length_mm)


class Weights(unittest.TestCase):
    wheels = (
        WheelWeight("FL", 0, -760, 465),
        WheelWeight("FR", 0, 755, 416),
        WheelWeight("RL", 2710, -770, 328),
        WheelWeight("RR", 2710, 770, 344),
    )

    def test_axle_loads_hold_the_vehicle_in_balance(self):
        changes = (
            WeightChange("old", -294, (1400, 0, 330)),
            WeightChange("new", 437, (1460, 5, 310)),
            WeightChange("bumper", 40, (-600, 0, 400)),
        )
        found = weight_balance(self.wheels, changes, 0, 2710)
        parts = [(w.kg, w.x_mm) for w in self.wheels] + [(c.kg, c.xyz_mm[0]) for c in changes]
        loads = np.linalg.solve([[1, 1], [0, 2710]], [sum(kg for kg, _ in parts), sum(kg * x for kg, x in parts)])
        self.assertAlmostEqual(found.after.front_kg, loads[0])
        self.assertAlmostEqual(found.after.rear_kg, loads[1])
        self.assertAlmostEqual(found.before.front_kg, 881)

    def test_springs_carry_what_is_said(self):
        found = weight_balance(self.wheels, (WeightChange("pack", 143, (2710, 0, 300)),), 0, 2710, Springs(24, 22.5))
        self.assertAlmostEqual(found.front_sinks_mm, 0)
        self.assertAlmostEqual(2 * 22.5 * found.rear_sinks_mm, 143 * 9.80665)
        before, after = (kg * 9.80665 / (2 * rate) for kg, rate in ((672, 22.5), (815, found.rear_rate_same_n_mm)))
        self.assertAlmostEqual(before, after)

    def test_height_comes_back_from_a_vehicle_tipped_by_statics(self):
        """A rigid body with its centre of gravity where we put it, its rear axle raised, weighed at the front."""
        base, radius, height, kg, x = 2710.0, 312.0, 655.0, 1553.0, 1173.0
        wheels = (WheelWeight("F", 0, 0, kg * (base - x) / base), WheelWeight("R", base, 0, kg * x / base))
        for raised in (150.0, 420.0, 800.0):
            sin = raised / base
            cos = math.sqrt(1 - sin * sin)
            behind = (base - x) * cos + (height - radius) * sin
            front = kg * behind / (base * cos)
            found = weight_balance(wheels, (), 0, base, None, Tilt(raised, front, radius))
            self.assertAlmostEqual(found.height_mm, height, places=6)

    def test_nothing_and_backwards_are_refused(self):
        for args, field in (
            ((self.wheels, (), 2710, 0), "rear_x_mm"),
            ((self.wheels, (WeightChange("all", -2000, (0, 0, 0)),), 0, 2710), "changes"),
        ):
            with self.assertRaises(InputError) as refused:
                weight_balance(*args)
            self.assertEqual(refused.exception.errors[0].field, field)
