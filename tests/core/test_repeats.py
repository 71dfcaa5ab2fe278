"""Readings put together: a slip of the tape shows, and what was set aside stays on record."""

import random
import statistics
import unittest

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.survey import LeanReading
from elmpeg.core.methods.measuring.repeats import together, with_dropped


class Together(unittest.TestCase):
    """Mean, doubt and agreement."""

    def test_the_doubt_of_the_mean_is_what_means_of_many_such_readings_scatter_by(self):
        rng = random.Random(4)
        means = [together([rng.gauss(100.0, 0.8) for _ in range(4)], [0.8]).mean for _ in range(4000)]
        self.assertAlmostEqual(together([1.0] * 4, [0.8]).sd, statistics.pstdev(means), delta=0.02)

    def test_two_that_scatter_as_their_tool_does_hardly_ever_disagree_and_a_slip_always_does(self):
        rng = random.Random(5)
        pairs = [together([rng.gauss(0, 1.0), rng.gauss(0, 1.0)], [1.0, 1.0]) for _ in range(4000)]
        self.assertLess(sum(not p.agree for p in pairs) / len(pairs), 0.006)
        self.assertFalse(together([1319.0, 1344.4], [1.0]).agree)

    def test_the_worst_tool_speaks_for_all_and_one_reading_is_no_repeat(self):
        self.assertEqual(together([1.0, 2.0], [0.1, 1.0]).allowed, together([1.0, 2.0], [1.0, 1.0]).allowed)
        self.assertEqual([together([1.0] * n, [1.0]).repeated for n in (1, 2, 3)], [False, True, True])
        with self.assertRaises(ValueError):
            together([], [])


class SetAside(unittest.TestCase):
    """Set aside, counted again, and gone."""

    def test_only_the_one_that_is_meant(self):
        readings = tuple(LeanReading(i, i, 1.0, "gauge", "Teo", "2026-11-02T09:00:00") for i in "abc")
        aside = with_dropped(readings, "b", "slipped", "reading")
        self.assertEqual([r.dropped for r in aside], ["", "slipped", ""])
        self.assertEqual(with_dropped(aside, "b", "", "reading"), readings)
        with self.assertRaises(InputError) as refused:
            with_dropped(readings, "z", "slipped", "reading")
        self.assertEqual(refused.exception.errors[0].field, "reading")
