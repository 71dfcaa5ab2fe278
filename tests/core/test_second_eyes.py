"""When a second person's blind readings count, and when they agree with the first."""

import math
import random
import unittest

from elmpeg.core.build.survey import Point, Reading
from elmpeg.core.stages.measure.point_readings import second_eyes

SDS = {"tape": 1.0, "caliper": 0.5}


def reading(id_, value, person, tool="tape", axis="x", blind=False, dropped=""):
    return Reading(id_, axis, f"{value:g}", value, tool, person, "2026-08-03T09:00:00", blind=blind, dropped=dropped)


def point(*readings):
    return Point("seat", "seat", "vehicle", "hole", None, readings=readings)


class Agreement(unittest.TestCase):
    def told(self, *readings):
        eyes = second_eyes(point(*readings), SDS)
        return None if eyes is None else eyes.agrees

    def test_they_agree_within_three_deviations_of_both_tools_together(self):
        allowed = 3.0 * math.hypot(SDS["tape"], SDS["caliper"])
        for off, agrees in (
            (allowed - 0.001, True),
            (allowed + 0.001, False),
            (-allowed + 0.001, True),
            (-allowed - 0.001, False),
            (0.0, True),
        ):
            with self.subTest(off=off):
                first, again = reading("a", 430.0, "Teo"), reading("b", 430.0 + off, "Wil", "caliper", blind=True)
                self.assertEqual(self.told(first, again), agrees)

    def test_a_tool_whose_doubt_is_not_known_counts_as_rough(self):
        for off, agrees in ((3.0 * math.hypot(5.0, 1.0) - 0.01, True), (3.0 * math.hypot(5.0, 1.0) + 0.01, False)):
            self.assertEqual(self.told(reading("a", 430.0, "Teo", "string"), reading("b", 430.0 + off, "Wil", blind=True)), agrees)

    def test_the_second_is_held_against_the_mean_of_the_first(self):
        first = (reading("a", 428.0, "Teo"), reading("b", 432.0, "Teo"))
        self.assertTrue(self.told(*first, reading("c", 434.0, "Wil", blind=True)))
        self.assertFalse(self.told(*first, reading("c", 434.3, "Wil", blind=True)))

    def test_good_readings_are_told_apart_about_three_times_in_a_thousand(self):
        chance, apart, tries = random.Random(7), 0, 4000
        for _ in range(tries):
            one, other = chance.gauss(430, SDS["tape"]), chance.gauss(430, SDS["caliper"])
            apart += not self.told(reading("a", one, "Teo"), reading("b", other, "Wil", "caliper", blind=True))
        self.assertLess(abs(apart / tries - 0.0027), 0.0027)

    def test_it_counts_only_by_somebody_else_blind_and_for_every_figure(self):
        x, y = reading("a", 430.0, "Teo"), reading("b", 30.0, "Teo", axis="y")
        seen, own = reading("c", 430.0, "Wil"), reading("c", 430.0, "Teo", blind=True)
        again, set_aside = reading("c", 430.0, "Wil", blind=True), reading("c", 430.0, "Wil", blind=True, dropped="slipped")
        for name, readings, agrees in (
            ("not blind", (x, seen), None),
            ("the same person", (x, own), None),
            ("set aside", (x, set_aside), None),
            ("one figure of two", (x, y, again), None),
            ("the only reading there is", (again,), None),
            ("a figure that the first has set aside", (x, reading("d", 30.0, "Teo", axis="y", dropped="wrong edge"), again), True),
        ):
            with self.subTest(name):
                self.assertEqual(self.told(*readings), agrees)
