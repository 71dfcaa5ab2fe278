"""How figures scatter, and the chance of being inside: against simulation, limiting cases, and turned and mirrored frames."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from statistics import NormalDist

import numpy as np

from elmpeg.core.base.quantities import Words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import AT_LIMIT, margin_within, verdict_within
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.judging.checks import Check
from elmpeg.core.judging.judge import verdict_of, with_verdict
from elmpeg.core.judging.scatter import Least, Normal, Size, Twins, least_of, normal_spreads
from elmpeg.core.scene.scene import Scene
from elmpeg.demo import bookworm, cairn
from tests.core.frames import half_turned, mirrored
from tests.core.shaken import shaken

SETS = 60
"""Sets of readings simulated here; with so few a share is known to 0.05 or so."""


class Sizes(unittest.TestCase):
    """The size of a vector whose parts scatter."""

    def cases(self):
        rng = np.random.default_rng(4)
        for parts in (1, 2, 3):
            for away in (0.0, 0.3, 1.0, 4.0):
                vector = rng.normal(size=parts) * away
                rows = rng.normal(size=(5, parts)) * np.array([1.0, 0.2, 0.5])[:parts]
                yield vector, rows, np.linalg.norm(vector + rng.normal(size=(200_000, 5)) @ rows, axis=1)

    def test_against_simulation(self):
        for vector, rows, lengths in self.cases():
            size = Size(tuple(vector), rows)
            with self.subTest(parts=len(vector), value=size.value):
                self.assertLess(abs(size.sd / lengths.std() - 1), 0.02)
                for share in (0.05, 0.3, 0.7, 0.975):
                    self.assertAlmostEqual(size.inside(None, float(np.quantile(lengths, share))), share, delta=0.005)
                if size.at_most is not None:
                    self.assertLess(abs(size.at_most / np.quantile(lengths, 0.975) - 1), 0.04)

    def test_the_same_in_every_frame(self):
        rng = np.random.default_rng(6)
        for vector, rows, _ in self.cases():
            turn, _ = np.linalg.qr(rng.normal(size=(len(vector), len(vector))))
            here, there = Size(tuple(vector), rows), Size(tuple(vector @ turn), rows @ turn)
            self.assertAlmostEqual(here.sd, there.sd, delta=1e-9)
            self.assertAlmostEqual(here.inside(0.2, 1.1), there.inside(0.2, 1.1), delta=2e-4)

    def test_one_part_is_a_folded_normal_figure(self):
        size = Size((0.0,), np.array([[2.0]]))
        self.assertAlmostEqual(size.sd, 2.0 * math.sqrt(1 - 2 / math.pi), delta=1e-3)
        self.assertAlmostEqual(size.inside(None, 2.0), math.erf(1 / math.sqrt(2)), places=6)

    def test_two_like_parts_at_nothing_are_rayleighs(self):
        size = Size((0.0, 0.0), 0.5 * np.eye(2))
        self.assertAlmostEqual(size.sd, 0.5 * math.sqrt(2 - math.pi / 2), delta=1e-3)
        self.assertAlmostEqual(size.inside(None, 0.7), 1 - math.exp(-0.5 * (0.7 / 0.5) ** 2), delta=1e-4)
        self.assertAlmostEqual(size.at_most, 0.5 * math.sqrt(-2 * math.log(0.025)), delta=1e-3)

    def test_far_from_nothing_it_is_a_plain_figure(self):
        rows = np.array([[0.3, 0.0], [0.0, 0.1]])
        size = Size((9.0, 0.0), rows)
        self.assertIsNone(size.at_most)
        self.assertAlmostEqual(size.sd, 0.3, places=6)
        self.assertAlmostEqual(size.inside(None, 9.3), Normal(9.0, 0.3).inside(None, 9.3), places=6)

    def test_without_doubt_it_is_certain(self):
        size = Size((0.3, 0.4), np.zeros((2, 2)))
        self.assertEqual((size.sd, size.inside(None, 0.5), size.inside(None, 0.4)), (0.0, 1.0, 0.0))

    def test_twins_tell_shares_to_either_side_of_a_limit(self):
        z = normal_spreads(3)[:, 0]
        self.assertAlmostEqual(float(z.mean()), 0.0, places=9)
        self.assertAlmostEqual(float(z.std()), 1.0, delta=0.05)
        self.assertAlmostEqual(Twins(0.0, z).inside(None, 1.0), 0.841, delta=0.02)


class Seldom(unittest.TestCase):
    """A figure that is certain but for a candidate that is seldom the least."""

    def stated(self, apart_spreads):
        scatter = least_of(Least((60.0, 60.0 + 0.05 * apart_spreads)), np.array([[0.0, 0.05]]))
        check = Check("c", "slip", "slip", "mm", "unknown", Words("", ()), value=60.0, low=10.0)
        return scatter, with_verdict(check, scatter, 0.975)

    def test_no_doubt_is_stated_but_how_seldom_it_changes(self):
        scatter, check = self.stated(2.5)
        self.assertAlmostEqual(scatter.stays, NormalDist().cdf(2.5), delta=2e-3)
        self.assertIsNone(check.sd)
        self.assertEqual((check.verdict, check.exact), ("holds", "at most 1 in 100 sets of readings would change it"))

    def test_one_that_changes_more_often_states_its_doubt(self):
        for apart in (0.5, 1.0, 1.9):
            _, check = self.stated(apart)
            # Of max(0, g), g below nothing by so many of its spreads: the censored normal figure's moments.
            above, density = 1 - NormalDist().cdf(apart), NormalDist().pdf(apart)
            mean = density - apart * above
            square = (1 + apart * apart) * above - apart * density
            with self.subTest(apart):
                self.assertAlmostEqual(check.sd, 0.05 * math.sqrt(square - mean * mean), delta=3e-4)
                self.assertEqual(check.exact, "")

    def test_many_sources_in_few_directions(self):
        """As it scatters is told by how the candidates scatter together, whatever number of sources brings it."""
        rng = np.random.default_rng(3)
        values, rows = Least((5.0, 5.3, 5.1)), rng.normal(size=(40, 3)) * 0.1
        drawn = (np.array(values) + rng.normal(size=(400_000, 40)) @ rows).min(axis=1)
        found = least_of(values, rows)
        self.assertLess(abs(found.sd / drawn.std() - 1), 0.01)
        for share in (0.005, 0.025, 0.5, 0.975):
            self.assertAlmostEqual(found.inside(None, float(np.quantile(drawn, share))), share, delta=0.003)


class VerdictsByChance(unittest.TestCase):
    """Holds asks for the shop's measure of sure."""

    def test_the_words(self):
        self.assertEqual(verdict_of(1.0, None, 2.0, 0.98, 0.975), "holds")
        self.assertEqual(verdict_of(1.0, None, 2.0, 0.97, 0.975), "near")
        self.assertEqual(verdict_of(2.1, None, 2.0, 0.40, 0.3), "fails", "outside is outside, however likely it is inside")
        self.assertEqual(verdict_of(1.9, None, 2.0, 1.0, 0.975, near=0.25), "near")

    def test_at_its_limit_it_is_inside_but_for_rounding(self):
        self.assertEqual(verdict_within(2.0 + AT_LIMIT / 2, None, 2.0), "holds")
        self.assertEqual(verdict_within(2.0 + 2 * AT_LIMIT, None, 2.0), "fails")

    def test_a_lead_may_ask_for_more_or_less(self):
        build = cairn.build()
        easy = replace(build, limits=replace(build.limits, sure=0.6))
        strict = replace(build, limits=replace(build.limits, sure=0.9999))
        counts = [evaluate(b, "lifted").count("near") for b in (easy, build, strict)]
        self.assertLess(counts[0], counts[1])
        self.assertLess(counts[1], counts[2])
        for check in evaluate(easy, "lifted").checks:
            if check.family == "offset" and check.verdict != "fails":
                self.assertEqual(check.verdict, "holds" if check.inside >= 0.6 else "near", check.code)


@record
class _Seen:
    """One check through simulated sets of readings."""

    values: list[float]
    inside: list[bool]


class Simulated(unittest.TestCase):
    """What a check states, against sets of readings that scatter as their tools do."""

    def seen(self, build, option, sets=SETS):
        scene, rng = Scene(build, build.option(option)), np.random.default_rng(11)
        told = {c.code: c for c in evaluate(build, option).checks if c.value is not None and c.margin is not None}
        seen = {code: _Seen([], []) for code in told}
        for _ in range(sets):
            for check in evaluate(shaken(build, scene, rng), option).checks:
                if check.code in seen and check.value is not None:
                    seen[check.code].values.append(check.value)
                    seen[check.code].inside.append(margin_within(check.value, check.low, check.high) >= -AT_LIMIT)
        return told, seen

    def test_chance_and_doubt_are_what_readings_do(self):
        for build, option in ((cairn.build(), "low"), (bookworm.build(), "first")):
            told, seen = self.seen(build, option)
            for code, check in told.items():
                if check.family == "room" or len(seen[code].values) < SETS:
                    # Rooms scatter by what was said of their shapes, which no reading moves.
                    continue
                with self.subTest(build=build.id, check=code):
                    share = float(np.mean(seen[code].inside))
                    if check.inside is not None:
                        # Three standard errors of so few sets.
                        allowed = 0.03 + 3 * math.sqrt(max(share * (1 - share), 0.01) / SETS)
                        self.assertLess(abs(check.inside - share), allowed)
                    scatter = float(np.std(seen[code].values))
                    if check.sd is None:
                        if check.exact:
                            self.assertTrue(scatter < 1e-9 or check.family == "reading", "it states no doubt and scatters")
                    elif scatter > 1e-9:
                        self.assertGreater(check.sd / scatter, 0.68)
                        self.assertLess(check.sd / scatter, 1.45)


class Frames(unittest.TestCase):
    """Nothing that is stated hangs on which way the axes look."""

    def test_half_a_turn_and_a_mirror_change_no_doubt(self):
        build = cairn.build()
        # What drive does to an axle hangs on which way is forward; it is only looked at where that stays.
        same = ("gap", "offset", "tilt", "joint", "shaft", "hold")
        for made, families in ((half_turned(build), same), (mirrored(build), (*same, "load"))):
            here = {c.code: c for c in evaluate(build, "lifted").checks if c.family in families}
            there = {c.code: c for c in evaluate(made, "lifted").checks}
            for code, check in here.items():
                if check.sd is None:
                    continue
                with self.subTest(code):
                    self.assertAlmostEqual(there[code].value, check.value, places=6)
                    self.assertLess(abs(there[code].sd - check.sd), 1e-3 * check.sd + 1e-9)
                    self.assertAlmostEqual(there[code].inside, check.inside, delta=2e-3)

    def test_two_like_mounts_state_one_doubt_and_its_true_split(self):
        checks = {c.code: c for c in evaluate(cairn.build(), "low").checks}
        left, right = checks["mount.RL.offset"], checks["mount.RR.offset"]
        self.assertAlmostEqual(left.value, right.value, places=6)
        self.assertAlmostEqual(left.sd, right.sd, delta=1e-3)
        self.assertAlmostEqual(sum(r.share for r in left.rests_on), 1.0, places=9)


class LeastOfSeveral(unittest.TestCase):
    """The least of some figures, which one it is being in doubt."""

    def test_scatters_as_drawn_at_random(self):
        rng = np.random.default_rng(4)
        cases = [
            ((10.0, 10.1, 14.0), rng.normal(size=(3, 3))),
            ((5.0, 5.0), np.array([[1.0, 0.0], [0.0, 1.0]])),
            ((2.0, 2.3, 2.1, 2.2), rng.normal(size=(5, 4)) * 0.3),
            ((60.0, 60.0), np.array([[0.0, 0.4]])),
        ]
        for values, rows in cases:
            drawn = (np.array(values) + rng.normal(size=(40_000, len(rows))) @ rows).min(axis=1)
            found = least_of(Least(values), rows)
            self.assertEqual(found.value, min(values))
            self.assertAlmostEqual(found.sd / drawn.std(), 1.0, delta=0.12)
            for limit in np.quantile(drawn, (0.1, 0.25, 0.4)):
                self.assertAlmostEqual(found.inside(float(limit), None), float((drawn >= limit).mean()), delta=0.05)

    def test_one_that_lies_well_below_the_others_scatters_as_it_does_itself(self):
        rows = np.array([[0.3, 5.0], [0.4, 0.0]])
        found = least_of(Least((1.0, 40.0)), rows)
        self.assertIsInstance(found, Normal)
        self.assertAlmostEqual(found.sd, 0.5)

    def test_what_moves_all_alike_changes_no_places(self):
        found = least_of(Least((1.0, 1.2)), np.array([[2.0, 2.0], [0.01, 0.0]]))
        self.assertIsInstance(found, Normal)
        self.assertAlmostEqual(found.sd, math.hypot(2.0, 0.01))
