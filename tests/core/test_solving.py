"""The search for the smallest set of changes. A wrong answer here is metal made twice."""

import unittest
from dataclasses import replace

from elmpeg.core.advice.single_mends import effects_of, mends_of
from elmpeg.core.advice.smallest_change import Cancelled, NoSolution, Solution, freedoms_of, moved, solve
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, pose_of
from elmpeg.core.build.document import with_option
from elmpeg.core.build.drivelines import LineJoint
from elmpeg.core.build.options import Position, with_positions
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.scene.carried_axle import heights_mm
from elmpeg.core.scene.line_in_scene import steps_at
from elmpeg.core.scene.states import risen
from elmpeg.core.stages.drive.travel_checks import binding_deg
from elmpeg.demo import cairn
from tests.core.lines_shop import build, scene
from tests.effort import at_most


def freedoms(made, *kinds):
    option = made.options[0]
    return tuple(f for f in freedoms_of(made, option, made.driveline("rear")) if not kinds or f.kind in kinds)


def line_fails(made, option="o", line="rear"):
    return [c.code for c in evaluate(made, option).checks if c.code.startswith(f"line.{line}.") and c.verdict == "fails"]


class Solving(unittest.TestCase):
    """Fewest changes, smallest amounts, judged by the whole evaluation."""

    def test_what_it_finds_holds_through_the_whole_travel_and_nothing_is_applied(self):
        made = build()
        self.assertTrue(line_fails(made))
        found = solve(made, "o", "rear", freedoms(made))
        self.assertIsInstance(found, Solution)
        self.assertTrue(line_fails(made), "the option itself stays as it was")
        mended = with_option(made, with_positions(made.options[0], found.positions))
        self.assertEqual(line_fails(mended), [])
        line, axle = mended.driveline("rear"), mended.axle("springs")
        limits = binding_deg(scene(mended), line)
        for step in steps_at(scene(mended), line, axle, risen(axle.id, heights_mm(mended, axle))):
            for angle, limit in zip(step.angles_deg, limits, strict=True):
                self.assertLess(angle, limit)

    def test_one_change_is_never_made_by_two(self):
        made = build()
        found = solve(made, "o", "rear", freedoms(made))
        self.assertEqual(len(found.changes), 1)
        # A step less of it fails: it is as small as it will go.
        change = found.changes[0]
        step = 0.1 if change.freedom.unit == "deg" else 0.5
        less = change.amount - step if change.amount > 0 else change.amount + step
        there = moved(scene(made), (change.freedom,), (less,))
        near = with_option(
            made, with_positions(made.options[0], (Position(change.freedom.component, _pose(there, change.freedom.component)),))
        )
        verdicts = {c.verdict for c in evaluate(near, "o").checks if c.code.startswith("line.rear.")}
        self.assertTrue(verdicts & {"fails", "near"})

    def test_where_no_single_change_does_it_two_are_found_and_a_look_at_each_alone_agrees(self):
        """Output off to one side and sloping up: turning the pinion leaves the sideways bend, moving across leaves the slope."""
        joints = (LineJoint("J1", "out", "double_cardan"), LineJoint("J2", "pin"))
        made = build(engine_pose=Pose(1000, 40, 500, 0, 2, 0), joints=joints, arrangement="pointed")
        chosen = tuple(replace(f, low=-80.0, high=80.0) if f.kind == "sideways" else f for f in freedoms(made, "sideways", "pinion"))
        found = solve(made, "o", "rear", chosen)
        self.assertIsInstance(found, Solution)
        self.assertEqual({c.freedom.kind for c in found.changes}, {"sideways", "pinion"})
        for freedom in chosen:
            for n in range(33):
                amount = freedom.low + (freedom.high - freedom.low) * n / 32
                there = moved(scene(made), (freedom,), (amount,))
                trial = with_option(made, with_positions(made.options[0], (Position(freedom.component, _pose(there, freedom.component)),)))
                self.assertTrue(line_fails(trial), (freedom.id, amount))
        mended = with_option(made, with_positions(made.options[0], found.positions))
        self.assertEqual(line_fails(mended), [])

    def test_a_sideways_bend_needs_a_sideways_move(self):
        """The output sits 90 mm off centre: no pinion angle takes that out, and the search says so."""
        made = build(
            engine_pose=Pose(1000, 90, 500, 0, 2, 0),
            joints=(LineJoint("J1", "out", "double_cardan"), LineJoint("J2", "pin")),
            arrangement="pointed",
        )
        stuck = solve(made, "o", "rear", freedoms(made, "pinion"))
        self.assertIsInstance(stuck, NoSolution)
        self.assertIn("line.rear.J2", [c.code for c in stuck.stopped_by])
        self.assertTrue(stuck.nearest)
        wide = tuple(replace(f, low=-120.0, high=120.0) for f in freedoms(made, "sideways"))
        both = solve(made, "o", "rear", (*freedoms(made, "pinion"), *wide))
        self.assertIsInstance(both, Solution)
        self.assertIn("sideways", [c.freedom.kind for c in both.changes])

    def test_it_keeps_to_the_room_that_is_given(self):
        made = build()
        for low, high in ((-1.0, 0.0), (-3.0, 0.5), (-6.0, 6.0), (-2.13, 0.0), (-0.07, 3.33)):
            chosen = tuple(replace(f, low=low, high=high) for f in freedoms(made, "pinion"))
            found = solve(made, "o", "rear", chosen)
            for change in found.changes if isinstance(found, Solution) else found.nearest:
                self.assertGreaterEqual(change.amount, low - 1e-9)
                self.assertLessEqual(change.amount, high + 1e-9)

    def test_it_stops_when_told_and_tells_how_far_it_is(self):
        made, seen = build(), []
        with self.assertRaises(Cancelled):
            solve(made, "o", "rear", freedoms(made), seen.append, lambda: len(seen) > 1)
        solve(made, "o", "rear", freedoms(made), seen.append)
        done = [p.done for p in seen]
        self.assertTrue(all(0 <= p.done <= p.total for p in seen))
        self.assertGreater(max(done), 1)

    def test_refusals(self):
        made = build()
        level = with_solved(build())
        for call, words in (
            (lambda: solve(made, "o", "rear", ()), "at least one"),
            (lambda: solve(made, "o", "rear", (replace(freedoms(made)[0], low=1.0, high=2.0),)), "room to move"),
            (lambda: solve(level, "o", "rear", freedoms(level)), "nothing to mend"),
        ):
            with self.subTest(words), self.assertRaises(InputError) as refused:
                call()
            self.assertIn(words, str(refused.exception))

    def test_the_demo_line_is_brought_right_with_little_work(self):
        made = cairn.build()
        chosen = freedoms_of(made, made.option("low"), made.driveline("rear"))
        with at_most(self, cpu_s=10.0):
            found = solve(made, "low", "rear", chosen)
        self.assertEqual(found.upset, ())
        mended = with_option(made, with_positions(made.option("low"), found.positions))
        self.assertEqual(line_fails(mended, "low"), [])

    def test_a_hopeless_demo_line_gives_up_with_little_work(self):
        made = cairn.build()
        strict = replace(
            made, limits=replace(made.limits, joints=replace(made.limits.joints, driven_accel_rad_s2=0.5, shaft_accel_rad_s2=0.5))
        )
        with at_most(self, cpu_s=10.0):
            found = solve(strict, "low", "rear", freedoms_of(strict, strict.option("low"), strict.driveline("rear")))
        self.assertIsInstance(found, NoSolution)
        self.assertTrue(found.stopped_by)


class Mends(unittest.TestCase):
    """Single moves, and what each does to the rest of the build."""

    def test_each_mends_the_line_and_its_effects_are_the_evaluations_difference(self):
        made = build()
        before = evaluate(made, "o")
        mends = mends_of(made, "o", made.driveline("rear"))
        self.assertTrue(mends)
        for mend in mends:
            after_build = with_option(made, with_positions(made.options[0], mend.positions))
            after = evaluate(after_build, "o")
            self.assertEqual(line_fails(after_build), [])
            told = {e.after.code for e in mend.effects}
            for check in before.checks:
                now = after.check(check.code)
                if check.code.startswith("line.rear.") or check.unit != "mm" or check.margin is None:
                    continue
                if now and now.margin is not None and abs(now.margin - check.margin) > 0.5:
                    self.assertIn(check.code, told)

    def test_raising_the_tail_is_seen_at_its_own_mount_and_not_at_the_front_ones_height(self):
        made = build()
        tail = next((m for m in mends_of(made, "o", made.driveline("rear")) if m.freedom.startswith("tail")), None)
        if tail is not None:
            self.assertIn("mount.MT.gap", {e.after.code for e in tail.effects})

    def test_no_change_has_no_effects(self):
        made = build()
        self.assertEqual(effects_of(evaluate(made, "o"), evaluate(made, "o")), ())


def with_solved(made):
    return with_option(made, with_positions(made.options[0], solve(made, "o", "rear", freedoms(made)).positions))


def _pose(there, component):
    return pose_of(there.placement(component))
