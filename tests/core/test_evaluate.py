"""The one evaluation: the demo's story, its independence of order, its doubt, and remedies that really mend."""

import math
import random
import unittest
from dataclasses import replace

from hypothesis import given, settings
from hypothesis import strategies as st

from elmpeg.core.base import naming
from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.base.vectors import norm, sub
from elmpeg.core.build.limits import Limits
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.judging.doubt import doubt_of
from elmpeg.core.methods.driveline.joint_limits import JointLimits
from elmpeg.core.scene.scene import Scene, assembly_of, root_of
from elmpeg.core.stages.drive import rule_edits
from elmpeg.core.stages.drive.line_checks import LineState
from elmpeg.core.stages.mount import stack_edits
from elmpeg.core.stages.mount.mount_checks import geometry_of
from elmpeg.core.stages.place import option_edits, position_edits
from elmpeg.demo import bookworm, cairn, dynamo

CAIRN = cairn.build()


class Story(unittest.TestCase):
    """The demo builds come out as the shop tells them."""

    def verdicts(self, build, option):
        return {c.code: c.verdict for c in evaluate(build, option).checks}

    def test_low_and_level_fails_its_pinion_and_is_near_on_the_crossmember(self):
        low = self.verdicts(CAIRN, "low")
        self.assertEqual(low["line.rear.J2"], "fails")
        self.assertEqual(low["room.sump-crossmember"], "near")
        self.assertEqual(low["mount.GM.gap"], "fails")

    def test_tail_lifted_brings_the_rear_line_inside(self):
        lifted = self.verdicts(CAIRN, "lifted")
        self.assertEqual({lifted[f"line.rear.{j}"] for j in ("J1", "J2")}, {"holds"})
        self.assertEqual(lifted["room.sump-crossmember"], "holds")
        self.assertTrue({lifted[f"mount.{m}.gap"] for m in ("LM", "RM", "GM", "C1")} <= {"holds", "near"})

    def test_the_front_shaft_runs_sideways_as_well_as_down(self):
        line = next(s for s in evaluate(CAIRN, "low").of(LineState) if s.line.id == "front")
        bent = line.motion.joints[0]
        self.assertGreater(abs(bent.plan_deg), 0.7)
        self.assertGreater(abs(bent.side_deg), 0.7)
        self.assertAlmostEqual(bent.angle_deg, math.hypot(bent.side_deg, bent.plan_deg), delta=0.02)

    def test_a_borrowed_figure_marks_what_rests_on_it(self):
        check = evaluate(CAIRN, "lifted").check("line.front.F1")
        self.assertIn("front output (borrowed)", check.why.template)
        self.assertGreater(check.at_most, 3.0, "a direction known to 1° and a place to 10 mm")
        self.assertNotIn("borrowed", evaluate(CAIRN, "lifted").check("line.rear.J1").why.template)

    def test_a_reading_that_disagrees_is_a_check_of_its_own(self):
        check = evaluate(CAIRN, "low").check("reading.front-hub-left.r1.r2")
        self.assertEqual(check.verdict, "fails")
        self.assertAlmostEqual(check.value, 7.575)

    def test_the_early_bus_has_unknown_checks_that_say_what_is_missing(self):
        evaluation = evaluate(bookworm.build(), "first")
        self.assertGreaterEqual(evaluation.count("unknown"), 3)
        self.assertIn("the axis of motor front seat", evaluation.check("mount.MF.gap").why.template)
        self.assertIn("axis of rear pinion", evaluation.check("line.main.J1").why.template)

    def test_the_finished_lorry_holds(self):
        self.assertEqual({c.verdict for c in evaluate(dynamo.build(), "after").checks}, {"holds"})

    def test_checks_come_worst_first(self):
        order = {"fails": 0, "near": 1, "unknown": 2, "holds": 3}
        for option in ("low", "lifted"):
            ranks = [order[c.verdict] for c in evaluate(CAIRN, option).checks]
            self.assertEqual(ranks, sorted(ranks))


class Pure(unittest.TestCase):
    """The answer depends on the document alone."""

    def test_not_on_the_order_in_which_things_are_listed(self):
        rng = random.Random(5)

        def shuffled(items):
            return tuple(rng.sample(items, len(items)))

        mixed = replace(
            CAIRN,
            **{k: shuffled(getattr(CAIRN, k)) for k in ("components", "points", "mounts", "drivelines", "rooms", "options", "solids")},
        )
        for option in ("low", "lifted"):
            self.assertEqual(evaluate(mixed, option).checks, evaluate(CAIRN, option).checks)

    def test_asked_twice_it_says_the_same(self):
        self.assertEqual(evaluate(CAIRN, "low"), evaluate(CAIRN, "low"))

    @settings(max_examples=15, deadline=None)
    @given(
        st.sampled_from(["x", "y", "z", "roll", "pitch", "yaw"]),
        st.floats(-3, 3),
        st.sampled_from(["origin", "front", "rear", "rear-output"]),
    )
    def test_a_move_and_its_inverse_evaluate_alike(self, freedom, amount, about):
        there = position_edits.nudged(CAIRN, "low", "gearbox", freedom, amount, about)
        back = position_edits.nudged(there, "low", "gearbox", freedom, -amount, about)
        for was, now in zip(
            sorted(evaluate(CAIRN, "low").checks, key=lambda c: c.code),
            sorted(evaluate(back, "low").checks, key=lambda c: c.code),
            strict=True,
        ):
            self.assertEqual(was.code, now.code)
            if was.value is not None:
                self.assertAlmostEqual(was.value, now.value, places=4)

    def test_an_unknown_option_is_refused_by_name(self):
        with self.assertRaises(MissingError) as refused:
            evaluate(CAIRN, "sideways")
        self.assertIn("sideways", str(refused.exception))


class Assemblies(unittest.TestCase):
    """What is bolted together moves together."""

    def test_gearbox_and_transfer_case_go_with_the_engine(self):
        self.assertEqual([c.id for c in assembly_of(CAIRN, "transfer")], ["engine", "gearbox", "transfer"])
        self.assertEqual(root_of(CAIRN, "transfer").id, "engine")
        before = {p.point: p.xyz_mm for p in evaluate(CAIRN, "low").points}
        after = {p.point: p.xyz_mm for p in evaluate(position_edits.nudged(CAIRN, "low", "transfer", "z", 7.0), "low").points}
        for point in ("LM-foot", "GM-foot", "rear-output"):
            self.assertAlmostEqual(after[point][2] - before[point][2], 7.0)
        self.assertEqual(after["rear-pinion"], before["rear-pinion"])

    def test_turning_about_the_front_mounts_leaves_them_and_lifts_the_tail(self):
        after = position_edits.nudged(CAIRN, "low", "engine", "pitch", -1.0, "front")
        was, now = ({p.point: p.xyz_mm for p in evaluate(b, "low").points} for b in (CAIRN, after))
        middle = [sum(x) / 2 for x in zip(now["LM-foot"], now["RM-foot"], strict=True)]
        start = [sum(x) / 2 for x in zip(was["LM-foot"], was["RM-foot"], strict=True)]
        self.assertLess(norm(sub(tuple(middle), tuple(start))), 1e-6)
        self.assertGreater(now["GM-foot"][2] - was["GM-foot"][2], 10)

    def test_a_ring_of_bolted_parts_is_refused(self):
        ring = replace(CAIRN, components=tuple(replace(c, parent="transfer") if c.id == "engine" else c for c in CAIRN.components))
        with self.assertRaises(MissingError):
            root_of(ring, "gearbox")


class DoubtOfChecks(unittest.TestCase):
    """Doubt is the evaluation's own slope, so it must agree with what can be worked out by hand."""

    def test_of_a_gap_with_parallel_axes_is_the_two_points_together(self):
        scene = Scene(CAIRN, CAIRN.option("low"))
        mount = CAIRN.mount("C1")
        base = geometry_of(scene, mount)
        doubt = doubt_of(scene, (mount.component_point, mount.seat_point), lambda s: (geometry_of(s, mount).gap_mm,), (base.gap_mm,))
        self.assertAlmostEqual(doubt.sds[0], math.hypot(0.2, 0.2), places=3)
        self.assertAlmostEqual(sum(r.share for r in doubt.shares[0]), 1.0)

    def test_of_a_joint_angle_follows_the_axis_it_was_measured_with(self):
        """A pinion axis good to 0.1 deg leaves the joint's angle good to about 0.1 deg; ten times worse, ten times."""
        worse = replace(CAIRN, points=tuple(replace(p, axis_sd_deg=1.0) if p.id == "rear-pinion" else p for p in CAIRN.points))
        self.assertAlmostEqual(evaluate(CAIRN, "low").check("line.rear.J2").sd, 0.1, delta=0.02)
        self.assertAlmostEqual(evaluate(worse, "low").check("line.rear.J2").sd, 1.0, delta=0.1)

    def test_more_doubt_turns_holds_into_near_and_never_into_fails(self):
        vague = replace(CAIRN, points=tuple(replace(p, sd_mm=5.0, axis_sd_deg=2.0, readings=()) for p in CAIRN.points))
        turned = 0
        for check in evaluate(CAIRN, "lifted").checks:
            now = evaluate(vague, "lifted").check(check.code)
            if check.family in ("gap", "offset", "joint") and check.verdict == "holds":
                with self.subTest(check.code):
                    self.assertGreater(now.sd, 1.5 * check.sd)
                    self.assertLessEqual(now.inside, check.inside)
                    self.assertEqual(now.verdict, "near" if now.inside < CAIRN.limits.sure else "holds")
                    turned += now.verdict == "near"
        self.assertGreater(turned, 7)


class Remedies(unittest.TestCase):
    """What is offered mends what it is offered for, and a hair less would not."""

    def test_every_joint_remedy_brings_its_joint_inside(self):
        for start in (
            CAIRN,
            position_edits.nudged(CAIRN, "low", "engine", "z", -15.0),
            position_edits.nudged(CAIRN, "low", "rear-axle", "pitch", -6.0),
        ):
            for check in evaluate(start, "low").checks:
                if check.family != "joint" or check.verdict != "fails":
                    continue
                for remedy in (r for r in check.remedies if r.component):
                    with self.subTest(remedy.words.template):
                        mended = position_edits.placed_at(start, "low", remedy.component, remedy.pose)
                        self.assertNotEqual(evaluate(mended, "low").check(check.code).verdict, "fails")

    def test_the_rise_is_the_smallest_to_half_a_millimetre(self):
        remedy = evaluate(CAIRN, "low").check("line.rear.J2").remedies[0]
        rise = remedy.words.quantities[0].value
        self.assertEqual(remedy.words.template, "Raise the gearbox mount {0}.")
        foot = CAIRN.point("GM-foot")
        was = placed(cairn.LOW).point(foot.xyz_mm)[2]
        self.assertAlmostEqual(placed(remedy.pose).point(foot.xyz_mm)[2] - was, rise, places=6)
        little = placed_short_of(remedy.pose, cairn.LOW, (rise - 0.6) / rise)
        self.assertEqual(evaluate(position_edits.placed_at(CAIRN, "low", "engine", little), "low").check("line.rear.J2").verdict, "near")
        self.assertEqual(
            evaluate(position_edits.placed_at(CAIRN, "low", "engine", remedy.pose), "low").check("line.rear.J2").verdict, "holds"
        )

    def test_rolling_the_pinion_down_lowers_its_nose(self):
        remedy = next(r for r in evaluate(CAIRN, "low").check("line.rear.J2").remedies if "pinion" in r.words.template)
        self.assertIn("down", remedy.words.template)
        axle = CAIRN.component("rear-axle").pose
        self.assertLess(placed(remedy.pose).point((-340, 15, 20))[2], placed(axle).point((-340, 15, 20))[2])

    def test_room_and_offset_remedies_hold_when_tried(self):
        fouled = position_edits.shifted(CAIRN, "low", "engine", (6.0, 0.0, -4.0))
        for code in ("room.sump-crossmember", "mount.LM.offset"):
            check = evaluate(fouled, "low").check(code)
            self.assertEqual(check.verdict, "fails")
            mended = position_edits.placed_at(fouled, "low", check.remedies[0].component, check.remedies[0].pose)
            with self.subTest(code):
                self.assertNotEqual(evaluate(mended, "low").check(code).verdict, "fails")

    def test_the_speed_based_school_lets_a_slow_shaft_bend_further(self):
        eased = rule_edits.with_school(CAIRN, "speed_limited")
        self.assertNotEqual(evaluate(eased, "low").check("line.rear.J2").verdict, "fails")
        strict = replace(CAIRN, limits=Limits(joints=JointLimits(flat_cap_deg=2.0), mount_tilt_deg=0.1))
        self.assertEqual(evaluate(strict, "lifted").check("line.rear.J1").verdict, "fails")
        self.assertEqual(evaluate(strict, "lifted").check("mount.LM.tilt").verdict, "fails")


def placed_short_of(pose, start, share):
    """A pose part of the way from a start."""
    names = ("x_mm", "y_mm", "z_mm", "roll_deg", "pitch_deg", "yaw_deg")
    return Pose(*(getattr(start, n) + (getattr(pose, n) - getattr(start, n)) * share for n in names))


class Edits(unittest.TestCase):
    """Changes to the build refuse what makes no sense, in words."""

    def test_refusals(self):
        cases = [
            (lambda: position_edits.nudged(CAIRN, "lifted", "engine", "z", 1), "agreed"), (lambda: position_edits.nudged(CAIRN, "low", "steering-box", "z", 1), "part of the vehicle"),
            (lambda: position_edits.nudged(CAIRN, "low", "engine", "z", 1e6), "100 m"), (lambda: position_edits.nudged(CAIRN, "low", "rear-axle", "pitch", 1, "front"), "no front mounts"),
            (lambda: option_edits.with_duplicate(CAIRN, "low", " "), "empty"), (lambda: option_edits.with_duplicate(CAIRN, "low", "tail LIFTED"), "already"),
            (lambda: option_edits.with_option_renamed(CAIRN, "low", "x" * 81), "81"), (lambda: stack_edits.with_stack(CAIRN, "lifted", "GM", ()), "agreed"),
        ]  # fmt: skip
        for edit, words in cases:
            with self.subTest(words), self.assertRaises(InputError) as refused:
                edit()
            self.assertIn(words, str(refused.exception))

    def test_a_duplicate_carries_positions_and_stacks_and_is_free_to_move(self):
        made = option_edits.with_duplicate(CAIRN, "lifted", "Tail lifted 2")
        copy = made.options[-1]
        self.assertEqual((copy.positions, copy.stacks), (CAIRN.option("lifted").positions, CAIRN.option("lifted").stacks))
        moved = position_edits.nudged(made, copy.id, "engine", "z", 3.0)
        self.assertEqual(moved.option("lifted"), CAIRN.option("lifted"))
        self.assertEqual(moved.agreed, "lifted")

    def test_a_typed_value_is_what_stands_there_afterwards(self):
        made = position_edits.set_to(CAIRN, "low", "gearbox", "pitch", 2.25, "rear")
        pose = made.option("low").positions[-1].pose
        self.assertAlmostEqual(pose.pitch_deg, 2.25)

    def test_ids_made_from_names_never_clash(self):
        self.assertEqual(naming.new_id("Tail lifted!", {"tail-lifted", "tail-lifted-2"}), "tail-lifted-3")
        self.assertEqual(naming.new_id("…", ()), "item")

    def test_a_whole_is_named_once_with_its_part(self):
        self.assertEqual(naming.of_whole("Rear shaft", "gearbox output J1"), "Rear shaft, gearbox output J1")
        self.assertEqual(naming.of_whole("Rear shaft", "Rear shaft, front joint J1"), "Rear shaft, front joint J1")
        self.assertEqual(naming.of_whole("Rear shaft", "rear shaft J2"), "rear shaft J2")
