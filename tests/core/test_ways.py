"""Ways of joining the same ends, and what turns a pinion: each figure worked out a second way."""

import math
import unittest
from dataclasses import replace

from elmpeg.core.advice.line_ways import best_way, way_now, ways_of
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.base.vectors import angle_deg, norm, sub
from elmpeg.core.build.document import with_option
from elmpeg.core.build.drivelines import LineJoint
from elmpeg.core.build.options import Position, with_positions
from elmpeg.core.methods.driveline.shaft_tubes import Tube, critical_rpm
from elmpeg.core.scene.line_in_scene import angles_in, laid_line, lengths_of
from elmpeg.core.stages.drive.line_checks import line_checks
from elmpeg.core.stages.drive.pinion_turn import means_of, turned_at
from elmpeg.demo import dynamo
from tests.core.lines_shop import build, road, scene


def rows(made, option="o", line="rear"):
    return {r.way: r for r in ways_of(made, option, made.driveline(line))}


class SideBySide(unittest.TestCase):
    """One piece, two pieces, a double joint, over the same ends."""

    def test_the_ends_stay_and_the_way_it_is_now_is_the_line_itself(self):
        made = build(road=road())
        found = rows(made)
        now = line_checks(scene(made), made.driveline("rear"))
        self.assertEqual(found["one_piece"].state.motion, now.state.motion)
        ends = {(r.state.geometry.joints[0].xyz_mm, r.state.geometry.joints[-1].xyz_mm) for r in found.values()}
        self.assertEqual(len(ends), 1)

    def test_two_pieces_share_the_length_and_turn_four_times_as_fast_safely(self):
        found = rows(build(road=road()))
        one, two = found["one_piece"], found["two_piece"]
        self.assertAlmostEqual(two.lengths_mm[0], one.lengths_mm[0] / 2, places=6)
        self.assertAlmostEqual(two.safe_rpm, 0.75 * critical_rpm(Tube(max(two.lengths_mm), 76.0, 2.0, "steel")), places=6)
        self.assertAlmostEqual(two.safe_rpm / one.safe_rpm, (one.lengths_mm[0] / max(two.lengths_mm)) ** 2, places=6)
        self.assertAlmostEqual(two.safe_kmh / one.safe_kmh, two.safe_rpm / one.safe_rpm)
        self.assertIn("1 carrier bearing", two.parts)

    def test_the_trial_carrier_bends_the_first_shaft_just_enough(self):
        found = rows(build())["two_piece"]
        self.assertAlmostEqual(found.state.motion.joints[0].angle_deg, 0.75, places=6)

    def test_turning_the_pinion_as_told_points_it_at_the_double_joint_under_drive(self):
        made = build(engine_pose=Pose(1000, -20, 500, 0, 2, 0))
        told = rows(made)["double_joint"].to_build[1]
        amount = told.quantities[0].value * (1 if " up " in told.template else -1)
        line = replace(
            made.driveline("rear"), joints=(LineJoint("J1", "out", "double_cardan"), LineJoint("J2", "pin")), arrangement="pointed"
        )
        turned = turned_at(scene(made), "axle", amount, (2700.0, 0.0, 400.0))
        mended = with_option(replace(made, drivelines=(line,)), with_positions(made.options[0], (Position("axle", turned),)))
        left = next(c for c in line_checks(scene(mended), line).checks if c.code.endswith("school.pointed"))
        # The pinion's joint moves as the axle turns, so a little is left of several degrees.
        self.assertLess(left.value, 1.0)
        self.assertGreater(abs(amount), 1.0)

    def test_a_sideways_offset_is_told_since_no_pinion_takes_it_out(self):
        found = rows(build(engine_pose=Pose(1000, 90, 500, 0, 2, 0)))["double_joint"]
        self.assertTrue(any("plan" in w.template for w in found.to_build))

    def test_the_way_with_fewest_outside_is_best_and_the_demo_lorry_chose_it(self):
        made = dynamo.build()
        found = ways_of(made, "after", made.driveline("rear"))
        self.assertEqual(way_now(made.driveline("rear")), "two_piece")
        self.assertEqual(best_way(found).way, made.driveline("rear").decision.way)
        one = next(r for r in found if r.way == "one_piece")
        self.assertTrue(any(c.family == "speed" and c.verdict == "fails" for c in one.checks), "one tube would whip")

    def test_a_line_that_cannot_run_one_way_says_so(self):
        made = build()
        bare = replace(made, points=tuple(replace(p, axis=None) if p.id == "pin" else p for p in made.points))
        with self.assertRaises(ValueError):
            ways_of(bare, "o", bare.driveline("rear"))


class TurningAPinion(unittest.TestCase):
    """Wedges, links and perches: what is told, made, gives the angle that was asked for."""

    def turned(self, made, means):
        moved = with_option(made, with_positions(made.options[0], (Position("axle", means.pose),)))
        before, after = placed(Pose(2700, 0, 400, 0, 6, 0)), scene(moved).placement("axle")
        return angle_deg(before.direction((1, 0, 0)), after.direction((1, 0, 0)))

    def test_every_means_turns_the_axle_by_the_angle(self):
        made = build()
        for axle_id, kinds in (("springs", {"wedge"}), ("links", {"links"})):
            for turn in (-2.5, 3.0):
                found = means_of(scene(made), made.axle(axle_id), turn)
                self.assertEqual({m.kind for m in found}, kinds)
                for means in found:
                    self.assertAlmostEqual(self.turned(made, means), abs(turn), places=6)

    def test_a_wedge_opens_the_pad_on_the_side_it_must(self):
        """The spring lies on top of the axle: to bring its front up, the rear of the pad must come away from the spring."""
        made = build()
        means = means_of(scene(made), made.axle("springs"), 2.0)[0]
        moved = placed(means.pose)
        before = placed(Pose(2700, 0, 400, 0, 6, 0))
        rear_pad, front_pad = (75.0, -500.0, 80.0), (-75.0, -500.0, 80.0)
        dropped_rear = before.point(rear_pad)[2] - moved.point(rear_pad)[2]
        dropped_front = before.point(front_pad)[2] - moved.point(front_pad)[2]
        self.assertGreater(dropped_rear, dropped_front)
        self.assertIn("thick end to the rear", means.words.template)
        self.assertAlmostEqual(means.words.quantities[1].value, 150 * math.tan(math.radians(2.0)), places=9)
        below = replace(made, points=tuple(replace(p, xyz_mm=(0, -500, -80)) if p.id == "seat" else p for p in made.points))
        self.assertIn("thick end to the front", means_of(scene(below), below.axle("springs"), 2.0)[0].words.template)

    def test_the_links_new_length_is_the_distance_between_their_moved_ends(self):
        made = build()
        axle = made.axle("links")
        before = norm(sub(scene(made).xyz("ua"), scene(made).xyz("uf")))
        means = means_of(scene(made), axle, 2.0)[0]
        moved = scene(with_option(made, with_positions(made.options[0], (Position("axle", means.pose),))))
        change = norm(sub(moved.xyz("ua"), moved.xyz("uf"))) - before
        self.assertAlmostEqual(means.words.quantities[0].value, abs(change), places=6)
        self.assertEqual("Lengthen" in means.words.template, change > 0)
        self.assertAlmostEqual(norm(sub(moved.xyz("la"), scene(made).xyz("la"))), 0.0, places=9, msg="the lower link is left alone")
        # M20x1.5 turning at both ends: 3 mm a turn; what is left is what was in less half the change.
        self.assertAlmostEqual(means.words.quantities[1].value, abs(change) / 3.0, places=6)
        self.assertAlmostEqual(means.words.quantities[2].value, 35.0 - change / 2, places=6)

    def test_too_little_thread_left_says_so(self):
        made = build()
        short = replace(made.axle("links"), upper=replace(made.axle("links").upper, engaged_mm=21.0))
        signs = {m.sound for turn in (-6.0, 6.0) for m in means_of(scene(made), short, turn)}
        self.assertEqual(signs, {True, False})

    def test_perches_not_welded_yet_are_rolled_by_an_arc_of_the_tube(self):
        made = build()
        loose = replace(made.axle("springs"), perches="loose", tube_mm=90.0)
        rolled = next(m for m in means_of(scene(made), loose, -4.0) if m.kind == "perches")
        self.assertAlmostEqual(rolled.words.quantities[1].value, math.pi * 90 * 4 / 360)
        self.assertAlmostEqual(norm(sub(rolled.pose.origin_mm, (2700, 0, 400))), 0.0, places=9)

    def test_the_angles_at_the_pinion_follow(self):
        made = build()
        means = means_of(scene(made), replace(made.axle("springs"), perches="loose"), -3.0)[0]
        moved = scene(with_option(made, with_positions(made.options[0], (Position("axle", means.pose),))))
        before, after = angles_in(scene(made), made.driveline("rear")), angles_in(moved, made.driveline("rear"))
        self.assertAlmostEqual(before[1] - after[1], 3.0, delta=0.7)
        self.assertAlmostEqual(
            lengths_of(laid_line(moved, made.driveline("rear")))[0],
            lengths_of(laid_line(scene(made), made.driveline("rear")))[0],
            delta=3.0,
        )
