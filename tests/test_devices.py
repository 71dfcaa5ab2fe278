"""The simulated devices behave as real ones do, and tell what they cannot."""

import random
import statistics
import unittest

from elmpeg.core.base.errors import InputError
from elmpeg.devices.simulated import EMPTY_PCT, KINDS, LOW_PCT, pressed, set_to, turned_to_next_unit, zeroed


class Simulated(unittest.TestCase):
    """Noise, zero, unit, display step and battery."""

    def test_the_caliper_scatters_as_it_says_and_shows_hundredths(self):
        device, chance = set_to(KINDS["caliper"], 25.4, 0.03, 100.0), random.Random(1)
        shown = [pressed(device, chance).line["value"] for _ in range(400)]
        self.assertAlmostEqual(statistics.mean(shown), 25.4, delta=0.01)
        self.assertAlmostEqual(statistics.stdev(shown), 0.03, delta=0.006)
        self.assertTrue(all(abs(v * 100 - round(v * 100)) < 1e-6 for v in shown))

    def test_zeroed_it_shows_the_difference_and_in_inches_too(self):
        device = zeroed(set_to(KINDS["caliper"], 10.0, 0.0, 100.0))
        moved = set_to(device, 35.4, 0.0, 100.0)
        self.assertEqual(pressed(moved, random.Random(1)).line["value"], 25.4)
        line = pressed(turned_to_next_unit(moved), random.Random(1)).line
        self.assertEqual((line["value"], line["unit"]), (1.0, "in"))
        self.assertEqual(turned_to_next_unit(KINDS["gauge"]).unit, "deg")

    def test_the_battery_runs_down_is_told_and_then_it_stays_dark(self):
        device, chance = set_to(KINDS["laser"], 430.0, 0.0, LOW_PCT + 0.4), random.Random(1)
        self.assertFalse(device.low)
        device = pressed(device, chance).device
        self.assertTrue(device.low)
        while device.battery_pct > EMPTY_PCT:
            device = pressed(device, chance).device
        self.assertIsNone(pressed(device, chance).line)

    def test_knobs_beyond_reason_are_refused(self):
        for true, noise, battery, field in (
            (400.0, 0, 50, "true"),
            (1.0, 99.0, 50, "noise"),
            (1.0, 0, 101, "battery"),
            (1.0, -1.0, 5, "noise"),
        ):
            with self.subTest(field), self.assertRaises(InputError) as refused:
                set_to(KINDS["caliper"], true, noise, battery)
            self.assertEqual(refused.exception.errors[0].field, field)
