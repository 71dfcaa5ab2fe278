"""What may be said of a whole build: that all is well, what comes next, what is wrong in three words, what comes first."""

import random
import unittest
from dataclasses import replace

from elmpeg.core.advice import agreeing
from elmpeg.core.advice.next_step import next_step
from elmpeg.core.base.errors import InputError
from elmpeg.core.build.rooms import Room, SolidRef
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.evaluation.kept_findings import by_hand_first, worst_first
from elmpeg.core.judging.in_short import in_short
from elmpeg.core.stages.place import option_edits, position_edits
from elmpeg.demo import bookworm, cairn, dynamo

CAIRN = cairn.build()
STAGES = ("Reference", "Measure", "Place", "Mount", "Drive", "Fit")
SHOPS = ((CAIRN, "low"), (CAIRN, "lifted"), (bookworm.build(), "first"), (dynamo.build(), "after"))


def moved(build, option_id, chance):
    """The option with its parts shaken."""
    build = option_edits.without_agreed(build) if build.agreed else build
    for part in [c for c in build.components if c.parent is None and c.movable]:
        by = tuple(chance.uniform(-40, 40) for _ in range(3))
        build = position_edits.shifted(build, option_id, part.id, by)
    return build


class AllIsWell(unittest.TestCase):
    def test_next_says_that_a_build_can_be_agreed_only_where_everything_of_it_holds(self):
        chance, said = random.Random(3), 0
        shapes = dynamo.build().solids
        apart = Room("watched", "Rail to what is beside it", SolidRef("vehicle", shapes[0].id), SolidRef("vehicle", shapes[1].id), 1.0)
        watched = replace(dynamo.build(), rooms=(apart,))
        self.assertEqual({c.verdict for c in evaluate(watched, "after").checks}, {"holds"})
        shops = (*SHOPS, (watched, "after"))
        for k in range(30):
            build, option_id = shops[k % len(shops)]
            build = moved(build, option_id, chance) if k >= len(shops) else replace(build, agreed=None, agreed_because="")
            evaluation = evaluate(build, option_id)
            told = next_step(build, evaluation, "Place")
            if told is not None and "can agree" in told.words.template:
                said += 1
                self.assertEqual({c.verdict for c in evaluation.checks}, {"holds"})
        self.assertGreater(said, 0, "the finished lorry is said to be done")

    def test_not_while_a_part_is_held_by_nothing(self):
        lorry = dynamo.build()
        evaluation = evaluate(lorry, "after")
        self.assertTrue(agreeing.all_is_well(lorry, evaluation))
        loose = replace(lorry, mounts=())
        self.assertFalse(agreeing.all_is_well(loose, evaluate(loose, "after")))
        empty = replace(lorry, mounts=(), components=(), drivelines=(), rooms=(), rounds=(), axles=(), orders=())
        self.assertFalse(agreeing.all_is_well(empty, replace(evaluation, checks=())))

    def test_what_fails_is_accepted_by_name_or_not_at_all(self):
        evaluation = evaluate(CAIRN, "low")
        codes = [c.code for c in agreeing.failing(evaluation)]
        self.assertGreater(len(codes), 3)
        for left_out in codes:
            with self.assertRaisesRegex(InputError, "tick what you agree with"):
                agreeing.with_agreed(CAIRN, "low", "why", [c for c in codes if c != left_out], in_short)
        made = agreeing.with_agreed(CAIRN, "low", "why", codes, in_short)
        self.assertEqual([e.check for e in made.agreed_except], codes)
        self.assertEqual(option_edits.without_agreed(made).agreed_except, ())


class Next(unittest.TestCase):
    def test_it_speaks_of_what_is_open(self):
        evaluation = evaluate(CAIRN, "low")
        for mount in CAIRN.mounts:
            fails = any(c.verdict == "fails" and mount.id in c.ids("mounts") for c in evaluation.checks)
            told = next_step(CAIRN, evaluation, "Mount", mount.id)
            if fails:
                self.assertIn(mount.name, told.words.template)
                self.assertEqual(told.query, (("mount", mount.id),))

    def test_a_joint_is_told_which_way_it_fails(self):
        for build, option_id in SHOPS:
            evaluation = evaluate(build, option_id)
            for line in build.drivelines:
                told = next_step(build, evaluation, "Drive", line.id)
                if told is not None and "bends" in told.words.template:
                    check = next(c for c in evaluation.checks if told.words.template.startswith(c.name[:1].upper() + c.name[1:]))
                    self.assertEqual("too far" in told.words.template, check.value > check.high)
                    self.assertEqual("too little" in told.words.template, check.low is not None and check.value < check.low)

    def test_nothing_is_said_to_do_about_a_failing_check_that_does_not_fail(self):
        for build, option_id in SHOPS:
            evaluation = evaluate(build, option_id)
            failing = {in_short(c) for c in evaluation.checks if c.verdict == "fails"}
            for stage in ("Mount", "Drive"):
                told = next_step(build, evaluation, stage)
                if told is not None and "See what" in told.words.template:
                    self.assertIn(told.words.template.rsplit(": ", 1)[1].split(".")[0], failing)


class InShort(unittest.TestCase):
    def test_three_words_that_point_the_way_the_figure_does(self):
        chance, seen = random.Random(9), set()
        for k in range(24):
            build, option_id = SHOPS[k % len(SHOPS)]
            for check in evaluate(moved(build, option_id, chance), option_id).checks:
                said = in_short(check)
                self.assertLessEqual(len(said.split()), 6, said)
                if check.verdict != "fails":
                    continue
                seen.add(said)
                if said == "gap overfilled":
                    self.assertLess(check.value, check.low)
                if said == "gap still open" or said == "bends too far":
                    self.assertGreater(check.value, check.high)
                if said == "bends too little":
                    self.assertLess(check.value, check.low)
        self.assertLessEqual({"gap overfilled", "gap still open", "bends too far", "no room for spanner"}, seen)


class Order(unittest.TestCase):
    def test_what_is_deep_in_its_seat_stands_above_a_small_offset(self):
        sunk = position_edits.shifted(CAIRN, "low", "engine", (0.0, 0.0, -178.0))
        checks = evaluate(sunk, "low").checks
        places = {c.code: k for k, c in enumerate(checks)}
        deep = next(c for c in checks if c.family == "gap" and c.value is not None and c.value < -100)
        for offset in (c for c in checks if c.family == "offset" and c.verdict == "fails" and c.value < 10):
            self.assertLess(places[deep.code], places[offset.code])

    def test_by_hand_first_begins_with_what_needs_no_move(self):
        checks = evaluate(CAIRN, "low").checks
        self.assertEqual(checks, worst_first(reversed(checks)))
        other = by_hand_first(checks)
        self.assertEqual(set(other), set(checks))
        self.assertEqual([c.verdict for c in other], [c.verdict for c in checks])
        fails = [c.family for c in other if c.verdict == "fails"]
        self.assertLess(fails.index("reading"), fails.index("gap"))
        self.assertLess(fails.index("gap"), fails.index("joint"))


if __name__ == "__main__":
    unittest.main()
