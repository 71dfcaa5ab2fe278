"""What is kept from one evaluation to the next is what would be worked out afresh; settling undoes a move."""

import random
import unittest
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.memo import Kept, Memo
from elmpeg.core.base.pose import Pose
from elmpeg.core.build.hardware import ChainLink
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount.chains import link_mm
from elmpeg.core.stages.mount.mount_checks import geometry_of
from elmpeg.core.stages.mount.settling import mounts_of, settled
from elmpeg.core.stages.place import position_edits
from elmpeg.demo import bookworm, cairn

CAIRN = cairn.build()


def afresh(build, option):
    """An evaluation with nothing kept from before."""
    for memo in Memo.everywhere.values():
        memo.clear()
    return evaluate(build, option)


class KeptAnswers(unittest.TestCase):
    """Only the newest few are kept, and only for exactly the same parts."""

    def test_the_same_parts_are_not_worked_out_twice_and_equal_ones_are(self):
        kept, made = Kept(2), []

        def answer(name):
            made.append(name)
            return name

        a, b, c = (1.5, 2.5), (3.5,), (4.5,)
        self.assertEqual([kept.get((k,), lambda k=k: answer(k)) for k in (a, a, b, a)], [a, a, b, a])
        self.assertEqual(made, [a, b])
        kept.get((c,), lambda: answer(c))
        kept.get((a,), lambda: answer(a))
        self.assertEqual(made, [a, b, c], "the one asked for longest ago is given up")
        kept.get((b,), lambda: answer(b))
        self.assertEqual(made, [a, b, c, b])
        kept.get(((*a,),), lambda: answer("another"))
        self.assertEqual(made[-1], "another")

    def test_a_failure_is_not_kept(self):
        kept, part = Kept(2), (1,)
        with self.assertRaises(ZeroDivisionError):
            kept.get((part,), lambda: 1 // 0)
        self.assertEqual(kept.get((part,), lambda: 7), 7)

    def test_any_walk_of_changes_evaluates_as_it_would_afresh(self):
        draw = random.Random(8)
        for build, part in ((CAIRN, "engine"), (bookworm.build(), None)):
            option = build.options[0].id
            part = part or build.option(option).positions[0].component
            build = replace(build, agreed=None)
            for step in range(8):
                act = draw.randrange(4)
                if act == 0:
                    build = position_edits.nudged(build, option, part, draw.choice(("x", "z", "pitch")), draw.uniform(-3, 3))
                elif act == 1:
                    k = draw.randrange(len(build.points))
                    moved = replace(build.points[k], note=f"looked at {step}")
                    build = replace(build, points=(*build.points[:k], moved, *build.points[k + 1 :]))
                elif act == 2 and build.patterns:
                    hole = build.patterns[0].holes[0] if build.patterns[0].holes else None
                    if hole:
                        shifted = replace(build.patterns[0], holes=(replace(hole, x_mm=hole.x_mm + 0.4), *build.patterns[0].holes[1:]))
                        build = replace(build, patterns=(shifted, *build.patterns[1:]))
                else:
                    build = replace(build, levellings=build.levellings)
                with self.subTest(build.id, step=step, act=act):
                    one, other = evaluate(build, option), afresh(build, option)
                    self.assertEqual(
                        [(c.code, c.verdict, c.value) for c in one.checks], [(c.code, c.verdict, c.value) for c in other.checks]
                    )


class Settling(unittest.TestCase):
    """A part set down on the gaps of any pose comes to rest in that pose."""

    scene = Scene(CAIRN, CAIRN.option("low"))
    start = CAIRN.option("low").positions[0].pose

    def gaps(self, pose, only=None):
        there = self.scene.with_pose("engine", pose)
        return {m.id: geometry_of(there, m).gap_mm for m in mounts_of(self.scene, "engine") if only is None or m.id in only}

    @settings(max_examples=25, deadline=None)
    @given(dz=st.floats(-25, 25), pitch=st.floats(-3, 3), roll=st.floats(-3, 3))
    def test_there_and_back(self, dz, pitch, roll):
        there = Pose(
            self.start.x_mm,
            self.start.y_mm,
            self.start.z_mm + dz,
            self.start.roll_deg + roll,
            self.start.pitch_deg + pitch,
            self.start.yaw_deg,
        )
        rest = settled(self.scene, "engine", self.gaps(there, ("LM", "RM", "GM")))
        self.assertLess(rest.worst_mm, 1e-3)
        for axis in ("z_mm", "roll_deg", "pitch_deg"):
            self.assertAlmostEqual(getattr(rest.pose, axis), getattr(there, axis), delta=2e-3)
        for axis in ("x_mm", "y_mm", "yaw_deg"):
            self.assertAlmostEqual(getattr(rest.pose, axis), getattr(self.start, axis), delta=1e-9)

    def test_where_it_is_it_stays(self):
        rest = settled(self.scene, "engine", self.gaps(self.start, ("LM", "RM", "GM")))
        self.assertAlmostEqual(rest.pose.z_mm, self.start.z_mm, places=9)
        self.assertAlmostEqual(rest.pose.pitch_deg, self.start.pitch_deg, places=9)

    def test_the_same_under_all_lifts_and_tips_nothing(self):
        here = self.gaps(self.start, ("LM", "RM", "GM"))
        rest = settled(self.scene, "engine", {k: v + 6.0 for k, v in here.items()})
        self.assertAlmostEqual(rest.pose.z_mm - self.start.z_mm, 6.0, delta=0.2)
        self.assertAlmostEqual(rest.pose.roll_deg, self.start.roll_deg, delta=0.05)

    def test_nothing_to_settle_on_is_said(self):
        for filled in ({}, {"RB": 4.0}, {"nobody": 3.0}):
            with self.subTest(filled), self.assertRaisesRegex(InputError, "measured well enough"):
                settled(self.scene, "engine", filled)


class Links(unittest.TestCase):
    """A link of a chain follows what it is taken from."""

    def test_a_link_between_points_is_as_long_along_an_axis_as_they_are_apart(self):
        scene = Scene(CAIRN, CAIRN.option("low"))
        draw = random.Random(1)
        names = [p.id for p in CAIRN.points]
        for _ in range(30):
            a, b = draw.sample(names, 2)
            for k, axis in enumerate("xyz"):
                link = ChainLink("l", "l", 1, 0.1, 0.1, axis=axis, from_point=a, to_point=b)
                self.assertAlmostEqual(link_mm(scene, link), abs(scene.xyz(a)[k] - scene.xyz(b)[k]))
                self.assertAlmostEqual(link_mm(scene, link), link_mm(scene, replace(link, from_point=b, to_point=a)))


class ManyAtOnce(unittest.TestCase):
    """Several people's pages are worked out at once, from the same kept answers."""

    def test_threads_moving_one_build_get_what_each_would_get_alone(self):
        made = cairn.build()
        moves = [position_edits.shifted(made, "low", "engine", (0.0, 0.3 * k, -0.2 * k)) for k in range(24)]
        with ThreadPoolExecutor(6) as pool:
            together = list(pool.map(lambda b: evaluate(b, "low"), moves))
        for build, found in zip(moves[::6], together[::6], strict=True):
            self.assertEqual(evaluate(build, "low").checks, found.checks)
