"""What a line's checks say: load, schools, travel, slip, speed, ground. Each is what a shaft shop or an inspector would ask."""

import math
import unittest
from dataclasses import replace

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, placed, pose_of
from elmpeg.core.base.vectors import angle_deg, sub
from elmpeg.core.build.components import Wheel
from elmpeg.core.build.drivelines import LineJoint, TravelReading
from elmpeg.core.build.limits import Limits
from elmpeg.core.build.survey import Point
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.judging.doubt import doubt_of
from elmpeg.core.methods.driveline.axle_travel import through_travel
from elmpeg.core.methods.driveline.joint_limits import JointLimits, joint_bands, judged_rpm, speed_cap_deg
from elmpeg.core.methods.driveline.line_motion import driveline_motion
from elmpeg.core.methods.driveline.shaft_tubes import Tube, critical_rpm
from elmpeg.core.scene.carried_axle import at_heights, heights_mm, reach_of, suspension_of, wound_up
from elmpeg.core.scene.line_in_scene import Lines, angles_in, angles_of, laid_line, lengths_of, motions_under_load, steps_at
from elmpeg.core.scene.states import AT_REST, axle_at, risen
from elmpeg.core.stages.drive.ground_clearance import below_axis_mm, clearance_at, lowest
from elmpeg.core.stages.drive.joint_remedies import with_remedies
from elmpeg.core.stages.drive.line_checks import LineState, judged, judged_with, line_checks
from elmpeg.core.stages.place import position_edits
from elmpeg.formats import build_file
from tests.core.lines_shop import SHAFT, build, road, scene


def checks(made, line_id="rear"):
    found = with_remedies(scene(made), line_checks(scene(made), made.driveline(line_id)))
    return {c.code.removeprefix(f"line.{line_id}."): c for c in found.checks}


class UnderLoad(unittest.TestCase):
    """The pinion winds up under drive and dips on the overrun."""

    def test_a_pinion_in_front_of_its_axle_rises_by_the_allowance(self):
        made = build()
        rest, wound = (
            laid_line(scene(made), made.driveline("rear")),
            laid_line(wound_up(scene(made), made.axle("springs"), 2.0), made.driveline("rear")),
        )
        self.assertAlmostEqual(angle_deg(rest.output_axis, wound.output_axis), 2.0, places=9)
        self.assertGreater(wound.joints[-1].xyz_mm[2], rest.joints[-1].xyz_mm[2])
        self.assertAlmostEqual(math.dist(wound.joints[-1].xyz_mm, (2700, 0, 400)), math.dist(rest.joints[-1].xyz_mm, (2700, 0, 400)))

    def test_one_behind_its_axle_dips(self):
        made = build()
        behind = replace(made, points=tuple(replace(p, xyz_mm=(300, 0, 20)) if p.id == "pin" else p for p in made.points))
        wound = wound_up(scene(behind), made.axle("springs"), 2.0)
        self.assertLess(wound.xyz("pin")[2], scene(behind).xyz("pin")[2])

    def test_the_check_is_the_larger_of_drive_and_overrun(self):
        made = build()
        limits, line = made.limits.joints, made.driveline("rear")
        peaks = []
        for turn in (limits.windup_leaf_deg, -limits.windup_leaf_deg * limits.coast_share):
            laid = laid_line(wound_up(scene(made), made.axle("springs"), turn), line)
            peaks.append(driveline_motion(2400, laid.input_axis, laid.output_axis, laid.joints, (0.0,)).members[-1].accel_peak_rad_s2)
        self.assertAlmostEqual(checks(made)["load.driven"].value, max(peaks), places=6)

    def peak(self, made, pose):
        """The larger peak under drive and on the overrun, worked out joint by joint."""
        there = scene(made).with_pose("axle", pose)
        limits, line, found = made.limits.joints, made.driveline("rear"), []
        for turn in (limits.windup_leaf_deg, -limits.windup_leaf_deg * limits.coast_share):
            laid = laid_line(wound_up(there, made.axle("springs"), turn), line)
            found.append(driveline_motion(2400, laid.input_axis, laid.output_axis, laid.joints, (0.0,)).members[-1].accel_peak_rad_s2)
        return max(found)

    def test_the_pinion_set_as_told_runs_evenly_wound_up_and_on_the_overrun(self):
        made = build(axle_pose=Pose(2700.0, 0.0, 400.0, 0.0, 9.0, 0.0))
        check = checks(made)["load.driven"]
        self.assertEqual(check.verdict, "fails")
        (remedy,) = check.remedies
        turn = remedy.words.quantities[0]
        self.assertLess(self.peak(made, remedy.pose), check.high)
        self.assertAlmostEqual(abs(remedy.pose.pitch_deg - 9.0), turn.value, places=6)
        less = remedy.pose.with_value("pitch", 9.0 + 0.5 * (remedy.pose.pitch_deg - 9.0))
        self.assertGreater(self.peak(made, less), check.high, "half of it would not do")

    def test_up_and_down_are_the_pinions_nose_whichever_way_it_looks(self):
        made = build(axle_pose=Pose(2700.0, 0.0, 400.0, 0.0, 9.0, 0.0))
        behind = replace(made, points=tuple(replace(p, xyz_mm=(300, 0, 20)) if p.id == "pin" else p for p in made.points))
        ways = set()
        for one in (made, behind):
            (remedy,) = checks(one)["load.driven"].remedies
            nose = [placed(pose).point(one.point("pin").xyz_mm)[2] for pose in (pose_of(scene(one).placement("axle")), remedy.pose)]
            way = "up" if nose[1] > nose[0] else "down"
            self.assertIn(f"Roll the pinion {way} {{0}}", remedy.words.template)
            ways.add(way)
        self.assertEqual(ways, {"up", "down"})

    def test_where_no_setting_will_do_it_says_so(self):
        made = build(axle_pose=Pose(2700.0, 0.0, 400.0, 0.0, 9.0, 0.0))
        strict = replace(made, limits=replace(made.limits, joints=replace(made.limits.joints, driven_accel_rad_s2=5.0)))
        (remedy,) = checks(strict)["load.driven"].remedies
        self.assertIn("No turn of the pinion", remedy.words.template)

    def test_without_an_axle_nothing_is_said_of_load_or_travel(self):
        bare = checks(replace(build(), drivelines=(replace(build().driveline("rear"), axle=""),)))
        self.assertFalse([code for code in bare if code.split(".")[0] in ("load", "travel")])


class CannotRun(unittest.TestCase):
    """A line that cannot be worked out says what is wrong, and at which point."""

    def test_an_end_without_a_direction_and_one_that_stands_across(self):
        level = build(axle_pose=Pose(2700.0, 0.0, 400.0, 0.0, 0.0, 0.0))
        x, _, z = (b - a for a, b in zip(scene(level).xyz("out"), scene(level).xyz("pin"), strict=True))
        for axis, words, subject in (
            (None, "Needs the axis of pinion.", ("pin",)),
            ((-z, 0.0, x), "Its joint 2 would bend 9", ("out", "pin")),
        ):
            made = replace(level, points=tuple(replace(p, axis=axis) if p.id == "pin" else p for p in level.points))
            (check,) = line_checks(scene(made), made.driveline("rear")).checks
            self.assertEqual((check.verdict, check.ids("points")), ("unknown", subject))
            self.assertIn(words, check.why.template)


class Schools(unittest.TestCase):
    """Named rule sets, each judged under drive."""

    def test_equal_and_opposite(self):
        made = build(arrangement="equal_opposite")
        laid = laid_line(wound_up(scene(made), made.axle("springs"), 2.0), made.driveline("rear"))
        one = driveline_motion(2400, laid.input_axis, laid.output_axis, laid.joints, (0.0,))
        self.assertAlmostEqual(checks(made)["school.equal"].value, abs(one.joints[0].angle_deg - one.joints[1].angle_deg), places=9)

    def test_a_pointed_pinion_may_hang_low_at_rest_by_what_it_winds_up(self):
        kinds = (LineJoint("J1", "out", "double_cardan"), LineJoint("J2", "pin"))
        pointed, plain = build(arrangement="pointed", joints=kinds), build(joints=kinds)
        self.assertEqual(checks(pointed)["J2"].high, 3.0)
        self.assertEqual(checks(plain)["J2"].high, 1.0)
        self.assertEqual(checks(pointed)["school.pointed"].high, 1.0)
        self.assertIn("wind", checks(pointed)["J2"].why.template)

    def test_two_pieces_judge_the_first_shaft_and_the_second_as_if_alone(self):
        made = build(
            arrangement="two_piece",
            joints=(LineJoint("J1", "out"), LineJoint("JC", "mid"), LineJoint("J2", "pin")),
            phases_deg=(0.0, 90.0),
            shafts=(),
        )
        made = replace(made, points=(*made.points, Point("mid", "carrier", "vehicle", "joint", (1900, 10, 462), (1, 0, 0), sd_mm=0.5)))
        found = checks(made)
        laid = laid_line(wound_up(scene(made), made.axle("springs"), 2.0), made.driveline("rear"))
        a = driveline_motion(2400, laid.input_axis, laid.output_axis, laid.joints, (0.0, 90.0)).joints
        self.assertAlmostEqual(found["school.first"].value, a[0].angle_deg)
        self.assertAlmostEqual(found["school.equal"].value, abs(a[1].angle_deg - a[2].angle_deg))

    def test_a_crawler_is_judged_at_its_crawling_speed(self):
        """At 1200 rpm: sqrt(1000) / 125.66 rad = 14.42 deg, so the cap of 10 deg holds; at 2400 rpm uncapped it would be 7.2."""
        limits = JointLimits()
        laid = laid_line(scene(build()), build().driveline("rear"))
        self.assertEqual([b.high_deg for b in joint_bands(laid.joints, 2400, "low_speed_crawler", limits)], [10.0, 10.0])
        self.assertEqual(judged_rpm(2400, "low_speed_crawler", limits), 1200)
        self.assertEqual(judged_rpm(800, "low_speed_crawler", limits), 800)
        crawler = checks(replace(build(), limits=Limits(school="low_speed_crawler")))
        self.assertAlmostEqual(checks(build())["accel.driven"].value / crawler["accel.driven"].value, 4.0, places=6)

    def test_power_take_offs_go_by_their_speed_whatever_the_school(self):
        laid = laid_line(scene(build()), build().driveline("rear"))
        bands = joint_bands(laid.joints, 1000, "three_degree", JointLimits(), "power_take_off")
        self.assertAlmostEqual(bands[0].high_deg, speed_cap_deg(1000, JointLimits()))

    def test_steering_is_judged_by_what_the_hands_feel(self):
        made = build(use="steering", axle="", shafts=(), rpm=60.0)
        found = checks(made)
        self.assertEqual(found["accel.driven"].unit, "pct")
        self.assertEqual(found["J1"].high, 30.0)
        self.assertNotIn("accel.J1-J2", found)
        tight = replace(
            made, drivelines=(replace(made.driveline("rear"), joints=(LineJoint("J1", "out", "cardan", 25.0), LineJoint("J2", "pin"))),)
        )
        self.assertEqual(checks(tight)["J1"].high, 25.0)

    def test_a_lumpy_steering_shaft_is_told_how_to_set_its_fork(self):
        made = build(
            engine_pose=Pose(1000, 0, 500, 0, -14, 0),
            axle_pose=Pose(2700, 0, 400, 0, -13, 0),
            use="steering",
            axle="",
            shafts=(),
            rpm=60.0,
            phases_deg=(90.0,),
        )
        lumpy = replace(made, limits=replace(made.limits, joints=replace(made.limits.joints, steering_ripple_pct=1.0)))
        check = evaluate(lumpy, "o").check("line.rear.accel.driven")
        self.assertEqual(check.verdict, "fails")
        turn, left = check.remedies[0].words.quantities[:2]
        self.assertIn("Set the far fork", check.remedies[0].words.template)
        clockwise = 1.0 if " clockwise" in check.remedies[0].words.template else -1.0
        mended = replace(lumpy, drivelines=(replace(lumpy.driveline("rear"), phases_deg=(clockwise * turn.value,)),))
        self.assertAlmostEqual(evaluate(mended, "o").check("line.rear.accel.driven").value, left.value, places=6)
        self.assertLess(left.value, check.value)


class ThroughTravel(unittest.TestCase):
    """The build's own line through travel against the calculator's, which knows no build."""

    def test_the_same_angles_and_lengths_as_the_plain_computation(self):
        made = build()
        for axle_id in ("springs", "links"):
            line, axle = replace(made.driveline("rear"), axle=axle_id), made.axle(axle_id)
            here = scene(made)
            laid = laid_line(here, line)
            heights = heights_mm(made, axle, 9)
            plain = through_travel(2400, laid.input_axis, laid.output_axis, laid.joints, (0.0,), suspension_of(here, axle), heights)
            for step, built in zip(plain, steps_at(here, line, axle, risen(axle_id, heights)), strict=True):
                self.assertAlmostEqual(step.last_length_mm, built.lengths_mm[-1], places=8)
                for a, b in zip(step.angles_deg, built.angles_deg, strict=True):
                    self.assertAlmostEqual(a, b, places=8)

    def test_heights_run_from_droop_to_bump_with_ride_among_them(self):
        made = build()
        heights = heights_mm(made, made.axle("springs"))
        self.assertEqual((len(heights), heights[0], heights[20], heights[-1]), (41, -90.0, 0.0, 80.0))

    def test_readings_of_travel_count_over_what_was_entered(self):
        made = build()
        taken = tuple(
            TravelReading(f"t{k}", "bump", str(v), v, "tape", "Pip", "2026-10-01T10:00:00", dropped)
            for k, (v, dropped) in enumerate(((70.0, ""), (72.0, ""), (95.0, "bottomed")))
        )
        reach = reach_of(made, replace(made.axle("springs"), readings=taken))
        self.assertEqual((reach.bump_mm, reach.droop_mm, reach.bump_readings, reach.droop_readings), (71.0, 90.0, 2, 0))

    def test_a_joint_that_bends_too_far_in_travel_binds(self):
        made = build(joints=(LineJoint("J1", "out", "cardan", 6.0), LineJoint("J2", "pin", "cardan", 6.0)))
        check = checks(made)["travel.bind"]
        worst = max(
            a
            for h in (-90.0, 80.0)
            for a in steps_at(scene(made), made.driveline("rear"), made.axle("springs"), (axle_at("springs", h),))[0].angles_deg
        )
        self.assertAlmostEqual(check.value, worst)
        self.assertEqual((check.high, check.verdict), (5.0, "fails"))

    def test_slip_left_is_what_is_chosen_less_what_travel_uses(self):
        made = build()
        line, axle = made.driveline("rear"), made.axle("springs")
        rest = lengths_of(laid_line(scene(made), line))[0]
        # Finer than the check looks, so that an extreme between its heights would show.
        lengths = [s.lengths_mm[0] - rest for s in steps_at(scene(made), line, axle, risen("springs", heights_mm(made, axle, 81)))]
        left = min(60.0 + min(lengths), 50.0 - max(lengths))
        self.assertAlmostEqual(checks(made)["travel.slip"].value, left, delta=0.2)
        short = build(shafts=(replace(SHAFT, slip_in_mm=2.0),))
        self.assertEqual(checks(short)["travel.slip"].verdict, "fails")
        unknown = build(shafts=(replace(SHAFT, slip_in_mm=None),))
        self.assertEqual(checks(unknown)["travel.slip"].verdict, "unknown")

    def test_an_axle_out_of_reach_is_unknown_and_not_a_crash(self):
        made = build()
        far = replace(made, axles=tuple(replace(a, bump_mm=900.0) for a in made.axles))
        check = checks(far)["travel.bind"]
        self.assertEqual(check.verdict, "unknown")
        self.assertIn("reach", check.why.template)

    def test_one_wheel_up_is_among_what_is_judged(self):
        made = build(joints=(LineJoint("J1", "out", "cardan", 20.0), LineJoint("J2", "pin", "cardan", 20.0)))
        steep = replace(made, axles=tuple(replace(a, bump_mm=1.0, droop_mm=1.0, roll_deg=25.0, apart_mm=1000.0) for a in made.axles))
        self.assertIn("wheel up", checks(steep)["travel.bind"].why.template)

    def test_at_ride_height_nothing_moves(self):
        made = build()
        self.assertEqual(
            steps_at(scene(made), made.driveline("rear"), made.axle("links"), (AT_REST,))[0].angles_deg,
            angles_in(scene(made), made.driveline("rear")),
        )

    def test_a_missing_point_is_named(self):
        made = build()
        with self.assertRaises(InputError) as refused:
            at_heights(scene(made), replace(made.axle("springs"), eye_point=""), (10.0,))
        self.assertIn("fixed eye", str(refused.exception))


class SpeedAndGround(unittest.TestCase):
    """Whip and rocks."""

    def test_the_tube_is_held_to_a_share_of_its_bending_speed_at_road_speed(self):
        made = build(road=road())
        check = checks(made)["tube.J1-J2"]
        length = lengths_of(laid_line(scene(made), made.driveline("rear")))[0]
        self.assertAlmostEqual(check.value, 0.75 * critical_rpm(Tube(length, 76.0, 2.0, "steel")))
        self.assertAlmostEqual(check.low, 100 / 60 * 1000 / (math.pi * 0.8) * 4)
        self.assertGreater(check.sd, 0.0, "the speed it stands hangs on its length, which was measured")

    def test_a_tubes_underside_against_points_all_over_it(self):
        rng = np.random.default_rng(3)
        for _ in range(20):
            along = np.array([1.0, *rng.uniform(-0.5, 0.5, 2)])
            u = along / np.linalg.norm(along)
            side = np.cross(u, (0, 0, 1.0))
            side /= np.linalg.norm(side)
            other = np.cross(u, side)
            lowest_z = math.inf
            for t in np.linspace(0, 2 * math.pi, 2000):
                rim = 40.0 * (math.cos(t) * side + math.sin(t) * other)
                # Slid along the tube until it stands over the same place along the vehicle.
                rim = rim - u * rim[0] / u[0]
                lowest_z = min(lowest_z, rim[2])
            self.assertAlmostEqual(below_axis_mm(80.0, tuple(map(float, along))), -lowest_z, places=3)

    def test_clearance_at_stations_and_the_lowest_point(self):
        made = build()
        line, laid = made.driveline("rear"), laid_line(scene(made), made.driveline("rear"))
        a, b = (j.xyz_mm for j in laid.joints)
        x = a[0] + 0.5 * (b[0] - a[0])
        self.assertAlmostEqual(clearance_at(made, line, laid, x), (a[2] + b[2]) / 2 - below_axis_mm(76.0, sub(b, a)))
        self.assertIsNone(clearance_at(made, line, laid, b[0] + 400))
        # The medium joint sweeps 104 mm: its underside lies lower than the tube's.
        self.assertAlmostEqual(lowest(made, line, laid).clearance_mm, min(a[2], b[2]) - 52.0)
        self.assertAlmostEqual(clearance_at(made, line, laid, b[0]), b[2] - 52.0)
        raised_ground = replace(made, datum=replace(made.datum, ground_z_mm=-30.0))
        self.assertAlmostEqual(lowest(raised_ground, line, laid).clearance_mm, min(a[2], b[2]) - 22.0)

    def test_without_a_tube_nothing_is_claimed(self):
        made = build(shafts=())
        self.assertIsNone(lowest(made, made.driveline("rear"), laid_line(scene(made), made.driveline("rear"))))
        self.assertFalse([c for c in checks(made) if c.startswith(("tube", "ground"))])


class Doubt(unittest.TestCase):
    """Every figure of a line asked together has the doubt it has when asked alone."""

    def test_against_one_figure_at_a_time(self):
        made = build(arrangement="equal_opposite", road=road())
        line, here = made.driveline("rear"), scene(made)
        subject = ("out", "pin", "seat", "eye")
        alone = {
            "J1": lambda s: (Lines([s], line).at_rest()[0].rest.bends_deg[0],),
            "J2": lambda s: (Lines([s], line).at_rest()[0].rest.bends_deg[1],),
            "travel.bind": lambda s: (steps_at(s, line, made.axle("springs"), (axle_at("springs", 80.0),))[0].angles_deg[1],),
            "ground.low": lambda s: (lowest(made, line, laid_line(s, line)).clearance_mm,),
        }
        found = checks(made)
        for code, measure in alone.items():
            with self.subTest(code):
                self.assertAlmostEqual(found[code].sd, doubt_of(here, subject, measure, measure(here)).sds[0], places=9)
        self.assertTrue(any(r.point == "eye" and r.share > 0 for r in found["travel.bind"].rests_on), "travel rests on the spring's eye")


class WorkedOutTogether(unittest.TestCase):
    """Many scenes as arrays, against each scene moved and looked at by itself."""

    def test_load_and_travel_in_nudged_scenes(self):
        made = build()
        here = scene(made)
        twins = [
            here,
            here.with_point_shifted("pin", (3.0, -2.0, 1.5)),
            here.with_point_shifted("eye", (-12.0, 0.0, 20.0)),
            here.with_axis("pin", (1, 0.05, 0.02)),
        ]
        for axle_id in ("springs", "links"):
            line, axle = replace(made.driveline("rear"), axle=axle_id), made.axle(axle_id)
            heights = ((0.0, 0.0), (70.0, 0.0), (-85.0, 0.0), (20.0, 6.0), (0.0, -6.0))
            together = Lines(twins, line)
            for twin, at, steps in zip(
                twins, together.at_rest(), together.steps(tuple(axle_at(axle_id, *h) for h in heights)), strict=True
            ):
                for figures, motion in zip((at.rest, at.drive, at.coast), motions_under_load(twin, line), strict=True):
                    self.assertEqual([round(v, 9) for v in figures.angles_deg], [round(j.angle_deg, 9) for j in motion.joints])
                    for a, m in zip(figures.accels_rad_s2, motion.members, strict=True):
                        self.assertAlmostEqual(a, m.accel_peak_rad_s2, places=5)
                    self.assertAlmostEqual(figures.ripples_pct[-1], motion.members[-1].speed_ripple_pct, places=8)
                for (rise, roll), step in zip(heights, steps, strict=True):
                    laid = laid_line(at_heights(twin, axle, (rise,), roll)[0], line)
                    self.assertEqual([round(v, 8) for v in step.lengths_mm], [round(v, 8) for v in lengths_of(laid)])
                    for a, b in zip(step.angles_deg, angles_of(laid), strict=True):
                        self.assertAlmostEqual(a, b, places=8)

    def test_a_part_turned_under_load(self):
        """As arrays, against each scene with the part set so; of one that carries the axle's end, and of one that carries the other."""
        made = build()
        here = scene(made)
        for axle_id in ("springs", "links"):
            line = replace(made.driveline("rear"), axle=axle_id)
            for root in {here.root(here.declared(j.point).on) for j in line.joints} - {"vehicle"}:
                pose = pose_of(here.placement(root))
                poses = [
                    replace(pose, pitch_deg=pose.pitch_deg + t, yaw_deg=pose.yaw_deg + 0.5 * t, z_mm=pose.z_mm + 3 * t)
                    for t in (-4.0, -0.7, 0.0, 2.5)
                ]
                by_scene = judged([here.with_pose(root, p) for p in poses], line, travel=False)
                places = [placed(p) for p in poses]
                found = judged_with(here, line, root, np.array([p.rotation for p in places]), np.array([p.origin_mm for p in places]))
                self.assertGreater(len(found.codes), 5)
                for row, other in zip(found.values.tolist(), by_scene, strict=True):
                    self.assertEqual(found.codes, tuple(j.code for j in other))
                    for value, low, high, judged_there in zip(row, found.lows, found.highs, other, strict=True):
                        self.assertAlmostEqual(value, judged_there.value, places=6)
                        self.assertEqual(
                            (low if np.isfinite(low) else None, high if np.isfinite(high) else None), (judged_there.low, judged_there.high)
                        )

    def test_what_cannot_run_is_refused_and_not_drawn_wrong(self):
        made = build()
        here = scene(made)
        on_top = here.with_point_shifted(
            "pin", tuple(a - b for a, b in zip(here.placement("axle").local(here.xyz("out")), here.local("pin"), strict=True))
        )
        with self.assertRaises(InputError):
            Lines([here, on_top], made.driveline("rear")).at_rest()
        with self.assertRaises(InputError):
            Lines([here], replace(made.driveline("rear"), axle="")).steps((AT_REST,))

    def test_what_is_kept_from_one_move_to_the_next_is_what_a_fresh_look_finds(self):
        made = build(arrangement="equal_opposite", road=road())
        moved = made
        for k in range(12):
            moved = position_edits.shifted(moved, "o", "engine" if k % 3 else "axle", (0.0, 0.7 * k, -0.4 * k))
            kept = evaluate(moved, "o")
            fresh = evaluate(build_file.read(build_file.written(moved)), "o")
            self.assertEqual(kept.checks, fresh.checks)


class InTravel(unittest.TestCase):
    """The whole build with one axle somewhere in its travel."""

    def test_the_axle_its_wheels_and_its_line_go_and_nothing_else_does(self):
        made = replace(build(), wheels=(Wheel("w", (2700, 700, 400), 800, 200, "axle"), Wheel("f", (0, 700, 400), 800, 200)))
        there = evaluate(made, "o", axle_at("springs", 60.0, 5.0))
        wheels = {w.id: w.centre_mm for w in there.wheels}
        self.assertEqual(wheels["f"], (0, 700, 400))
        self.assertGreater(wheels["w"][2], 460.0 + 700 * math.sin(math.radians(5)) - 1.0)
        before = {c.component: c.where for c in evaluate(made, "o").components}
        after = {c.component: c.where for c in there.components}
        self.assertEqual(before["engine"], after["engine"])
        self.assertAlmostEqual(after["axle"].origin_mm[2], 460.0)
        (state,) = there.of(LineState)
        step = steps_at(scene(made), made.driveline("rear"), made.axle("springs"), (axle_at("springs", 60.0, 5.0),))[0]
        for joint, angle in zip(state.motion.joints, step.angles_deg, strict=True):
            self.assertAlmostEqual(joint.angle_deg, angle, places=9)

    def test_its_joints_are_judged_by_how_far_they_bend_and_not_by_ride_height(self):
        made = build(joints=(LineJoint("J1", "out", "cardan", 30.0), LineJoint("J2", "pin", "cardan", 4.0)))
        there = evaluate(made, "o", axle_at("springs", 80.0))
        self.assertEqual(there.of(LineState)[0].verdicts, ("holds", "fails"))
        self.assertEqual({c.family for c in there.checks if c.ids("drivelines")}, {"joint"}, "how it runs all day is asked at rest")

    def test_out_of_reach_is_refused(self):
        with self.assertRaises(InputError):
            evaluate(build(), "o", axle_at("springs", 2000.0))
