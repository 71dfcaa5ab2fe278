"""Readings: what a second reading does to a point, and to every check that rests on it."""

import unittest

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.survey import Reading
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.scene.located_points import located
from elmpeg.core.stages.measure import point_readings as measuring
from elmpeg.demo import cairn

CAIRN = cairn.build()


def taken(axis, value, tool="tape"):
    return Reading("", axis, f"{value:g}", value, tool, "Pip Okafor", "2026-11-21T08:00:00", "  second   pair of eyes ")


class Readings(unittest.TestCase):
    """Taking and setting aside."""

    def test_a_third_reading_and_setting_the_odd_one_aside_settles_a_disagreement(self):
        build = measuring.with_readings(CAIRN, "front-hub-left", (taken("z", 410.0),))
        self.assertEqual(evaluate(build, "low").check("reading.front-hub-left.r1.r2").verdict, "fails")
        build = measuring.with_reading_dropped(build, "front-hub-left", "r2", "weight of the seats")
        self.assertIsNone(evaluate(build, "low").check("reading.front-hub-left.r1.r2"))
        where = located(build, "front-hub-left")
        self.assertAlmostEqual(where.xyz_mm[2], (409.575 + 410.0) / 2)
        self.assertAlmostEqual(where.sd_mm[2], 1 / 2**0.5)
        self.assertEqual(build.point("front-hub-left").readings[-1].note, "second pair of eyes")
        again = measuring.with_reading_dropped(build, "front-hub-left", "r2", "")
        self.assertEqual(evaluate(again, "low").check("reading.front-hub-left.r1.r2").verdict, "fails")

    def test_measuring_a_borrowed_point_takes_its_doubt_out_of_the_joint(self):
        read = tuple(taken(a, v, "caliper") for a, v in zip("xyz", (-60.5, -190.2, -164.8), strict=True))
        build = measuring.with_readings(CAIRN, "front-output", read)
        self.assertEqual(build.point("front-output").source, "borrowed")
        build = measuring.with_source(build, "front-output", "measured")
        before, after = (evaluate(b, "lifted").check("line.front.F1") for b in (CAIRN, build))
        self.assertLess(after.sd, before.sd / 5)
        self.assertNotIn("borrowed", after.why.template)
        self.assertIsNone(evaluate(build, "lifted").check("source.front-output"))

    def test_a_point_without_a_direction_is_measured_once_all_three_figures_are_read(self):
        assumed = measuring.with_source(CAIRN, "sump-drain", "assumed")
        two = measuring.with_readings(assumed, "sump-drain", (taken("x", -61.0), taken("y", 1.0)))
        self.assertEqual(two.point("sump-drain").source, "assumed")
        self.assertEqual(measuring.with_readings(two, "sump-drain", (taken("z", -224.0),)).point("sump-drain").source, "measured")

    def test_ids_of_readings_never_clash(self):
        build = CAIRN
        for k in range(4):
            build = measuring.with_readings(build, "GM-seat", (taken("z", 425.0 + k / 10),))
        ids = [r.id for r in build.point("GM-seat").readings]
        self.assertEqual(len(ids), len(set(ids)))

    def test_refusals(self):
        cases = [
            (lambda: measuring.with_readings(CAIRN, "GM-seat", (taken("z", 1.0, "radar"),)), "radar"),
            (lambda: measuring.with_reading_dropped(CAIRN, "GM-seat", "r9", "gone"), "any more"),
            (lambda: measuring.with_reading_dropped(CAIRN, "GM-seat", "r1", "no"), "few words"),
        ]  # fmt: skip
        for change, words in cases:
            with self.subTest(words), self.assertRaises(InputError) as refused:
                change()
            self.assertIn(words, str(refused.exception))

    def test_what_hangs_on_a_point(self):
        self.assertEqual(measuring.hangs_on(CAIRN, "GM-foot").must_stay[0], "Gearbox mount")
        self.assertEqual([w for w in measuring.hangs_on(CAIRN, "GM-foot").goes_with_it if "round" in w], ["round 1", "round 2", "round 3"])
        self.assertIn("Front shaft", measuring.hangs_on(CAIRN, "front-output").must_stay)
        self.assertEqual(measuring.hangs_on(CAIRN, "sump-drain").must_stay, ())


class QuickLines(unittest.TestCase):
    """One line called out at the vehicle."""

    def test_spellings(self):
        cases = [
            ("LM-seat 12 3/8, -17 5/8, 22 1/16", "in", "LM-seat", (314.325, -447.675, 560.3875)), ("lm-seat 430 -227.4 553,4", "mm", "LM-seat", (430, -227.4, 553.4)),
            ("Gearbox seat  1213.4, -11.6 mm, 16 3/4 in", "mm", "GM-seat", (1213.4, -11.6, 425.45)), ("front hub, left 0, -745, 410", "mm", "front-hub-left", (0, -745, 410)),
        ]  # fmt: skip
        for text, unit, point, xyz in cases:
            with self.subTest(text):
                line = measuring.quick_line(CAIRN, text, unit)
                self.assertEqual(line.point, point)
                for got, want in zip(line.xyz_mm, xyz, strict=True):
                    self.assertAlmostEqual(got, want)

    def test_refusals_name_what_was_not_understood(self):
        for text, words in (
            ("XX 1, 2, 3", "does not start with a point"),
            ("LM-seat 1, 2", "has 2 figures"),
            ("LM-seat 1, 2, three", "three"),
            ("", "does not start"),
            ("LM-seat", "does not start"),
        ):
            with self.subTest(text), self.assertRaises(InputError) as refused:
                measuring.quick_line(CAIRN, text, "mm")
            self.assertIn(words, str(refused.exception))
