"""Which verdict is graver, and what comes first where checks are set in order."""

import itertools
import unittest
from dataclasses import replace

from elmpeg.core.base.verdicts import GRAVEST_FIRST, verdict_within, worst
from elmpeg.core.evaluation.catalogue import KINDS
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.evaluation.kept_findings import rank_of
from elmpeg.core.judging.kinds import Gravity
from elmpeg.demo import bookworm, cairn, dynamo


class Order(unittest.TestCase):
    def test_fails_before_near_before_unknown_before_holds(self):
        self.assertEqual(GRAVEST_FIRST, ("fails", "near", "unknown", "holds"))

    def test_the_worst_of_any_two_is_the_one_that_stands_first(self):
        for a, b in itertools.product(GRAVEST_FIRST, repeat=2):
            with self.subTest(a=a, b=b):
                self.assertEqual(worst((a, b)), GRAVEST_FIRST[min(GRAVEST_FIRST.index(a), GRAVEST_FIRST.index(b))])
        self.assertEqual(worst(()), "holds")

    def test_at_a_limit_and_at_its_doubt(self):
        told = [verdict_within(v, 5.0, None, 2.0) for v in (4.999, 5.0, 6.999, 7.0)]
        self.assertEqual(told, ["fails", "near", "near", "holds"])

    def test_what_only_a_move_mends_stands_before_what_can_be_made_and_that_before_what_need_be_read(self):
        self.assertEqual(sorted(Gravity, key=int), [Gravity.MOVE, Gravity.MAKE, Gravity.READ])
        wants = {
            "MOVE": {"offset", "joint", "shaft", "load", "layout", "travel", "room"},
            "MAKE": {"gap", "tilt", "bolt", "hole", "hold", "slip", "speed", "ground"},
        }
        for gravity, families in wants.items():
            for family in families:
                with self.subTest(family):
                    self.assertEqual(KINDS[family].gravity, Gravity[gravity])

    def test_the_checks_of_every_demo_option_stand_in_this_order(self):
        mixed = 0
        for build in (cairn.build(), bookworm.build(), dynamo.build()):
            for option in build.options:
                checks = evaluate(build, option.id).checks
                stands = [rank_of(c)[:2] for c in checks]
                self.assertEqual(stands, sorted(stands))
                mixed += len(set(stands)) > 3
        self.assertGreater(mixed, 1)

    def test_of_two_that_fail_the_one_further_out_stands_first(self):
        for build in (cairn.build(), bookworm.build()):
            for option in build.options:
                checks = evaluate(build, option.id).checks
                for one, other in itertools.pairwise(checks):
                    if rank_of(one)[:2] == rank_of(other)[:2]:
                        self.assertLessEqual((one.room_share, one.code), (other.room_share, other.code))

    def test_moving_an_engine_into_a_rail_puts_what_fails_on_top(self):
        build = cairn.build()
        low = build.option("low")
        deeper = replace(low, positions=tuple(replace(p, pose=replace(p.pose, z_mm=p.pose.z_mm - 60)) for p in low.positions))
        moved = replace(build, options=(deeper,), agreed=None)
        top = evaluate(moved, "low").checks[0]
        self.assertEqual(top.verdict, "fails")
        self.assertLess(top.value, top.low, "deeper in its seat than anything else is out")
        self.assertTrue(KINDS[top.family].gravity == Gravity.MOVE or top.family == "gap")
