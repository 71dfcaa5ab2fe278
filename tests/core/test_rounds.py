"""Test-fit rounds and the shelf: predictions that stay put, patterns that explain, pieces that exist."""

import math
import unittest
from dataclasses import replace

from elmpeg.core.advice import round_start, stack_choice
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.base.vectors import add
from elmpeg.core.build.components import Component
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Option, Position
from elmpeg.core.build.rooms import Room, SolidRef
from elmpeg.core.build.rounds import Measured, MeasuredPoint
from elmpeg.core.build.survey import Point
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity.sound import problems, require_sound
from elmpeg.core.methods.shapes.solids import Box
from elmpeg.core.stages.fit import rounds
from elmpeg.core.stages.mount import shelf, stack_edits
from elmpeg.core.stages.place import position_edits
from elmpeg.demo import cairn
from elmpeg.demo.shelf import SHELF

CAIRN = cairn.build()
WHEN = "2026-11-20T10:00:00"
POINTS = ("LM-foot", "RM-foot", "GM-foot", "rear-output", "crank-nose")


def started():
    return round_start.with_round(CAIRN, "low", "board", "Teo Marsh", WHEN)


def measured_at(build, moved):
    """All points found as if the part sat off by a pose in the vehicle frame."""
    one = build.rounds[-1]
    for p in one.points:
        if p.point in POINTS:
            build = rounds.with_measured_point(build, one.id, MeasuredPoint(p.point, "", moved(p.xyz_mm), 0.5, "Teo Marsh", WHEN))
    return build


class Rounds(unittest.TestCase):
    """One test fit."""

    def test_predictions_are_frozen(self):
        build = started()
        before = build.rounds[-1].predictions
        moved = position_edits.nudged(build, "low", "engine", "z", 25.0)
        self.assertEqual(moved.rounds[-1].predictions, before)
        self.assertNotAlmostEqual(
            evaluate(moved, "low").check("mount.GM.gap").value, next(p.value for p in before if p.code == "mount.GM.gap")
        )

    def test_a_difference_within_the_doubt_is_not_called_real(self):
        build = started()
        predicted = next(p for p in build.rounds[-1].predictions if p.code == "room.sump-crossmember")
        for off, beyond in ((1.0, False), (6.0, True)):
            entered = rounds.with_measured(build, "round-4", Measured(predicted.code, "", predicted.value + off, 1.0, "Teo Marsh", WHEN))
            row = next(d for d in rounds.report(entered.rounds[-1]).values if d.measured)
            with self.subTest(off):
                self.assertAlmostEqual(row.difference, off)
                self.assertAlmostEqual(row.sd, math.hypot(1.0, 2.0))
                self.assertEqual(row.beyond_doubt, beyond)

    def test_a_part_low_at_the_tail_is_told_as_that(self):
        """Turned tail down about the nose by 0.25 deg: 4 mm over 1554 mm is 0.15 deg; here the tail drops 6.8 mm."""
        build = started()
        nose = next(p for p in build.rounds[-1].points if p.point == "crank-nose").xyz_mm
        tail = next(p for p in build.rounds[-1].points if p.point == "rear-output").xyz_mm
        turn = placed(Pose(pitch_deg=0.25))
        moved = measured_at(build, lambda p: add(nose, turn.direction(tuple(a - b for a, b in zip(p, nose, strict=True)))))
        report = rounds.report(moved.rounds[-1])
        self.assertIn("low at the tail", report.pattern.template)
        self.assertNotIn("low at the nose", report.pattern.template)
        self.assertAlmostEqual(report.pattern.quantities[0].value, (tail[0] - nose[0]) * math.sin(math.radians(0.25)), delta=0.3)
        self.assertGreater(report.explained, 0.99)

    def test_a_plain_shift_is_told_once(self):
        report = rounds.report(measured_at(started(), lambda p: add(p, (0, 3.0, 0))).rounds[-1])
        self.assertEqual(report.pattern.template, "The whole part sits {0} to the right.")
        self.assertAlmostEqual(report.pattern.quantities[0].value, 3.0)
        self.assertAlmostEqual(report.rms_mm, 3.0)

    def test_one_wild_point_is_not_called_a_movement(self):
        build = measured_at(started(), lambda p: p)
        one = build.rounds[-1]
        wild = next(p for p in one.points if p.point == "GM-foot")
        build = rounds.with_measured_point(
            build, one.id, MeasuredPoint("GM-foot", "", add(wild.xyz_mm, (0, 20, 0)), 0.5, "Teo Marsh", WHEN)
        )
        self.assertIn("not as one part would", rounds.report(build.rounds[-1]).pattern.template)

    def test_where_a_round_found_the_part_is_the_pose_it_was_moved_to(self):
        """Measured as if the engine had been 6 mm back, 2 mm down and 0.4 deg tail down: the fit says so, in the engine's own pose."""
        moved = replace(cairn.LOW, x_mm=cairn.LOW.x_mm + 6, z_mm=cairn.LOW.z_mm - 2, pitch_deg=cairn.LOW.pitch_deg + 0.4)
        was, now = placed(cairn.LOW), placed(moved)
        build = measured_at(started(), lambda p: now.point(was.local(p)))
        found = rounds.measured_place(build, build.rounds[-1])
        self.assertEqual((found.component, found.suspect), ("engine", None))
        for name in ("x_mm", "y_mm", "z_mm", "roll_deg", "pitch_deg", "yaw_deg"):
            self.assertAlmostEqual(getattr(found.pose, name), getattr(moved, name), places=6)
        put = position_edits.placed_at(build, "low", found.component, found.pose)
        self.assertAlmostEqual(
            next(p.xyz_mm for p in evaluate(put, "low").points if p.point == "GM-foot")[0], now.point((480, 0, -122))[0], places=6
        )
        self.assertIsNone(rounds.measured_place(started(), started().rounds[-1]))

    def test_a_point_read_an_inch_out_is_named(self):
        build = measured_at(started(), lambda p: p)
        wild = next(p for p in build.rounds[-1].points if p.point == "GM-foot")
        build = rounds.with_measured_point(
            build, "round-4", MeasuredPoint("GM-foot", "", add(wild.xyz_mm, (0, 0, 25.4)), 0.5, "Teo Marsh", WHEN)
        )
        self.assertEqual(rounds.measured_place(build, build.rounds[-1]).suspect, "gearbox foot")

    def test_two_points_do_not_fix_a_part(self):
        build = started()
        for p in build.rounds[-1].points[:2]:
            build = rounds.with_measured_point(build, "round-4", MeasuredPoint(p.point, "", p.xyz_mm, 0.5, "Teo Marsh", WHEN))
        report = rounds.report(build.rounds[-1])
        self.assertIn("at least three", report.pattern.template)
        self.assertIsNone(report.explained)

    def test_the_demo_rounds_shrink(self):
        sizes = [rms for _, rms in rounds.shrinking(CAIRN.rounds)]
        self.assertEqual(sizes, sorted(sizes, reverse=True))
        self.assertGreater(sizes[0], 3 * sizes[-1])

    def test_refusals(self):
        build = started()
        closed = rounds.with_decision(build, "round-4", "again", "", WHEN)
        cases = [
            (lambda: round_start.with_round(build, "low", "card", "Teo Marsh", WHEN), "still open"),
            (lambda: rounds.with_measured(build, "round-4", Measured("nothing", "", 1, 1, "", WHEN)), "predicted nothing"),
            (lambda: rounds.with_measured_point(build, "round-4", MeasuredPoint("LM-seat", "", (0, 0, 0), 1, "", WHEN)), "predicted no place"),
            (lambda: rounds.with_finding(build, "round-4", "gap", "nowhere", "words here", "x"), "neither a point nor a mount"),
            (lambda: rounds.with_finding(build, "round-4", "gap", "", " ", "x"), "3 to 500"),
            (lambda: rounds.with_decision(build, "round-4", "", "", WHEN), "choose"),
            (lambda: rounds.with_finding(closed, "round-4", "gap", "", "too late", "x"), "closed"),
        ]  # fmt: skip
        for change, words in cases:
            with self.subTest(words), self.assertRaises(InputError) as refused:
                change()
            self.assertIn(words, str(refused.exception))

    def test_a_finding_can_be_done_after_the_round_is_closed(self):
        made = rounds.with_finding_done(CAIRN, "round-2", "finding-1", True)
        self.assertTrue(made.round("round-2").findings[0].done)

    def test_what_was_measured_can_be_replaced_and_taken_out(self):
        build = started()
        for value in (1.0, 2.0):
            build = rounds.with_measured(build, "round-4", Measured("mount.GM.gap", str(value), value, 1.0, "Teo Marsh", WHEN))
        self.assertEqual([m.value for m in build.rounds[-1].measured], [2.0])
        self.assertEqual(rounds.without_measured(build, "round-4", "mount.GM.gap").rounds[-1].measured, ())


class Shelf(unittest.TestCase):
    """Stacks use what is there, once."""

    def test_the_gearbox_gap_can_be_filled_and_the_compressors_cannot(self):
        evaluation = evaluate(CAIRN, "low")
        self.assertTrue(stack_choice.stacks_for(CAIRN, evaluation, "GM", SHELF)[0].within)
        self.assertFalse(any(s.within for s in stack_choice.stacks_for(CAIRN, evaluation, "C2", SHELF)))

    def test_using_a_stack_mends_the_mount(self):
        best = stack_choice.stacks_for(CAIRN, evaluate(CAIRN, "low"), "GM", SHELF)[0]
        pieces = shelf.pieces_from(CAIRN, "low", "GM", SHELF, {p.stock: p.count for p in best.pieces})
        check = evaluate(stack_edits.with_stack(CAIRN, "low", "GM", pieces), "low").check("mount.GM.gap")
        self.assertIn(check.verdict, ("holds", "near"))
        self.assertAlmostEqual(check.value, -best.option.error_mm)

    def test_only_pieces_that_go_over_the_bolt(self):
        for item in shelf.left_for(CAIRN, "low", "C2", SHELF):
            self.assertTrue(8 < item.bore_mm <= 10)

    def test_pieces_in_one_mount_are_not_there_for_another(self):
        left = {i.id: i.qty for i in shelf.left_for(CAIRN, "low", "GM", SHELF)}
        self.assertEqual(left["block-28"], 1)
        self.assertEqual({i.id: i.qty for i in shelf.left_for(CAIRN, "low", "LM", SHELF)}["block-28"], 2)
        with self.assertRaises(InputError):
            shelf.pieces_from(CAIRN, "low", "GM", SHELF, {"block-28": 2})
        with self.assertRaises(InputError):
            shelf.pieces_from(CAIRN, "low", "GM", SHELF, {"tube-8-25": 1})


class Integrity(unittest.TestCase):
    """A build that cannot be evaluated is never kept."""

    def test_the_demo_is_sound(self):
        self.assertEqual(problems(CAIRN), ())

    def test_each_fault_is_named(self):
        engine = CAIRN.components[0]
        cases = [
            (replace(CAIRN, agreed="gone"), "agreed"), (replace(CAIRN, options=()), "options"), (replace(CAIRN, points=(*CAIRN.points, CAIRN.points[0])), "points"),
            (replace(CAIRN, components=(replace(engine, parent="ghost"),)), "components.0.parent"), (replace(CAIRN, components=(replace(engine, parent="engine"),)), "components.0.parent"),
            (replace(CAIRN, mounts=(Mount("M", "m", "LM-foot", "nowhere", 12),)), "mounts.0.seat_point"), (replace(CAIRN, mounts=(Mount("M", "m", "LM-foot", "LM-seat", 0),)), "mounts.0.bolt_mm"),
            (replace(CAIRN, points=(*CAIRN.points, Point("far", "far", "vehicle", "hole", (2e5, 0, 0)))), f"points.{len(CAIRN.points)}.xyz_mm"),
            (replace(CAIRN, points=(*CAIRN.points, Point("z", "z", "vehicle", "hole", (0, 0, 0), (0, 0, 0)))), f"points.{len(CAIRN.points)}.axis"),
            (replace(CAIRN, rooms=(Room("r", "r", SolidRef("engine", "wing"), SolidRef("vehicle", "bulkhead"), 5),)), "rooms.0.a"),
            (replace(CAIRN, options=(*CAIRN.options, Option("o", "o", (Position("gearbox", Pose()),)))), "options.2.positions.0"),
            (replace(CAIRN, components=(*CAIRN.components, Component("c", "c", Pose(), (Box("b", "b", (0, 0, 0), (0, 1, 1)),)))), f"components.{len(CAIRN.components)}.solids.0"),
        ]  # fmt: skip
        for build, field in cases:
            with self.subTest(field):
                self.assertIn(field, [e.field for e in problems(build)])
                with self.assertRaises(InputError):
                    require_sound(build)
