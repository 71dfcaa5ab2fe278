"""Lines, axles and limits made and changed: what makes no sense is refused in words, and nothing else of a build moves."""

import unittest
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose
from elmpeg.core.build.drivelines import CarriedAxle, ControlLink, JointSeries, LengthReading, TravelReading
from elmpeg.core.build.options import Position
from elmpeg.core.build.survey import Point
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity.sound import problems, require_sound
from elmpeg.core.methods.driveline.joint_limits import JointLimits
from elmpeg.core.stages.drive import axle_edits, line_edits, order_edits, rule_edits
from elmpeg.core.stages.drive.line_checks import LineState
from elmpeg.core.stages.drive.line_edits import SaidJoint, SaidLine
from elmpeg.core.stages.place import option_edits
from tests.core.lines_shop import SHAFT, build

SAID = SaidLine("Rear", 2400, (SaidJoint("out"), SaidJoint("pin")), (0.0,), "propeller", "", "springs")


def refused(case, call):
    with case.assertRaises(InputError) as caught:
        call()
    return caught.exception


class Lines(unittest.TestCase):
    """Making and changing lines."""

    def test_a_new_line_is_sound_and_evaluated_and_its_joints_are_named(self):
        made = line_edits.with_line(build(), replace(SAID, name="Pump drive", use="power_take_off", rpm=1000))
        line = made.drivelines[-1]
        self.assertEqual([j.id for j in line.joints], ["P1", "P2"])
        require_sound(made)
        self.assertTrue(evaluate(made, "o").check(f"line.{line.id}.P1"))

    def test_joints_keep_their_names_when_another_comes_between(self):
        made = build()
        made = replace(made, points=(*made.points, Point("mid", "carrier", "vehicle", "joint", (1900, 10, 462), (1, 0, 0))))
        said = replace(SAID, joints=(SaidJoint("out"), SaidJoint("mid"), SaidJoint("pin")), phases_deg=(90.0,))
        line = line_edits.with_line_changed(made, "rear", said).driveline("rear")
        self.assertEqual([(j.id, j.point) for j in line.joints], [("J1", "out"), ("J3", "mid"), ("J2", "pin")])
        self.assertEqual(line.phases_deg, (90.0, 0.0))
        self.assertEqual(line.shafts, (), "what one shaft was made of says nothing of two")

    def test_what_its_shafts_are_made_of_stays_with_their_number(self):
        self.assertEqual(line_edits.with_line_changed(build(), "rear", replace(SAID, rpm=1800)).driveline("rear").shafts, (SHAFT,))

    def test_steering_and_take_offs_follow_no_school(self):
        made = line_edits.with_line_changed(build(), "rear", replace(SAID, use="steering", arrangement="pointed"))
        self.assertEqual(made.driveline("rear").arrangement, "")

    def test_refusals(self):
        made = build()
        taped = order_edits.with_length(
            made, LengthReading("", "rear", "J1", "J2", "1", 1300.0, "tape", "Teo", "2026-11-01T09:00:00", "ride")
        )
        ordered = order_edits.with_order(made, "rear", "o", "shop", 3, "Teo", "2026-11-01T09:00:00")
        cases = {
            "rpm": lambda: line_edits.with_line(made, replace(SAID, name="x", rpm=0)),
            "joints": lambda: line_edits.with_line(made, replace(SAID, name="x", joints=(SaidJoint("out"),))),
            "joint_1_point": lambda: line_edits.with_line(made, replace(SAID, name="x", joints=(SaidJoint("out"), SaidJoint("nowhere")))),
            "joint_0_max": lambda: line_edits.with_line(
                made, replace(SAID, name="x", joints=(SaidJoint("out", "cardan", 95.0), SaidJoint("pin")))
            ),
            "name": lambda: line_edits.with_line(made, SAID),
            "line": lambda: line_edits.without_line(ordered, "rear"),
            "od_0": lambda: line_edits.with_shafts(made, "rear", (replace(SHAFT, od_mm=0.0),)),
            "wall_0": lambda: line_edits.with_shafts(made, "rear", (replace(SHAFT, wall_mm=40.0),)),
            "slip_in_0": lambda: line_edits.with_shafts(made, "rear", (replace(SHAFT, slip_in_mm=-1.0),)),
            "reason": lambda: line_edits.with_decision(made, "rear", "one_piece", " x ", "Orla", "2026-11-01T09:00:00"),
            "after": lambda: line_edits.with_carrier(made, "o", "rear", 5, (1900, 0, 460)),
        }
        for field, call in cases.items():
            with self.subTest(field):
                self.assertEqual(refused(self, call).errors[0].field, field)
        twice = replace(SAID, joints=(SaidJoint("out"), SaidJoint("out")))
        self.assertIn("one point twice", str(refused(self, lambda: line_edits.with_line(made, replace(twice, name="x")))))
        other = replace(SAID, joints=(SaidJoint("out"), SaidJoint("seat")))
        self.assertIn("taped", str(refused(self, lambda: line_edits.with_line_changed(taped, "rear", other))))

    def test_taken_out_with_its_tapes(self):
        made = build()
        self.assertEqual(line_edits.without_line(made, "rear").drivelines, ())

    def test_a_carrier_is_a_component_with_its_own_mount(self):
        made = line_edits.with_carrier(build(), "o", "rear", 0, (1900.0, 10.0, 462.0))
        require_sound(made)
        line = made.driveline("rear")
        self.assertEqual(len(line.joints), 3)
        self.assertEqual(line.arrangement, "two_piece")
        part = made.point(line.joints[1].point).on
        mount = next(m for m in made.mounts if made.point(m.component_point).on == part)
        found = evaluate(made, "o")
        self.assertAlmostEqual(found.check(f"mount.{mount.id}.gap").value, 0.0, places=6)
        state = next(s for s in found.of(LineState) if s.line.id == "rear")
        self.assertEqual(state.geometry.joints[1].xyz_mm, (1900.0, 10.0, 462.0))
        self.assertIn("assumed", found.check(f"line.rear.{line.joints[1].id}").why.template, "until it is measured it says so")


class Axles(unittest.TestCase):
    """How axles are carried."""

    def test_added_changed_and_taken_out(self):
        made = build()
        added = axle_edits.with_carried(made, CarriedAxle("", "Front", "axle", "parallel", 50.0, 50.0))
        self.assertEqual(added.axles[-1].id, "front")
        changed = axle_edits.with_carried(added, replace(added.axles[-1], bump_mm=70.0))
        self.assertEqual(changed.axle("front").bump_mm, 70.0)
        self.assertEqual(axle_edits.without_carried(changed, "front").axles, made.axles)
        self.assertIn("still used by Rear", str(refused(self, lambda: axle_edits.without_carried(made, "springs"))))

    def test_points_must_be_on_the_side_they_speak_of(self):
        made = build()
        springs, links = made.axle("springs"), made.axle("links")
        for words, axle in (
            ("spring eye must be a point of the axle", replace(springs, seat_point="eye")),
            ("spring seat must be a point of the frame", replace(springs, eye_point="seat")),
            ("upper frame end must be a point of the axle", replace(links, upper=ControlLink("uf", "uf"))),
            ("thread", replace(links, upper=replace(links.upper, thread="M23x9"))),
            ("component", replace(springs, component="nothing")),
            ("0 or more", replace(springs, droop_mm=-1.0)),
            ("must be 0 to 40°", replace(springs, roll_deg=80.0)),
        ):
            with self.subTest(words):
                self.assertIn(words, str(refused(self, lambda axle=axle: axle_edits.with_carried(made, axle))))

    def test_travel_is_taken_down_and_set_aside(self):
        made = axle_edits.with_travel_reading(
            build(), "springs", TravelReading("", "bump", "3 in", 76.2, "tape", "Pip", "2026-11-01T09:00:00")
        )
        self.assertEqual((made.axle("springs").readings[0].id, made.axle("springs").source), ("t1", "measured"))
        dropped = axle_edits.with_travel_dropped(made, "springs", "t1", " bump stop missing ")
        self.assertEqual(dropped.axle("springs").readings[0].dropped, "bump stop missing")
        for field, reading in (
            ("travel_text", TravelReading("", "bump", "0", 0.0, "tape", "Pip", "x")),
            ("travel_tool", TravelReading("", "bump", "3", 3.0, "stick", "Pip", "x")),
        ):
            self.assertEqual(refused(self, lambda r=reading: axle_edits.with_travel_reading(build(), "springs", r)).errors[0].field, field)


class Limits(unittest.TestCase):
    """What leads may change."""

    def test_limits_are_kept_and_nonsense_refused(self):
        made = rule_edits.with_limits(build(), replace(JointLimits(), flat_cap_deg=4.0))
        self.assertEqual(evaluate(made, "o").check("line.rear.J1").high, 4.0)
        for field, changed in (
            ("flat_cap_deg", {"flat_cap_deg": 0.0}),
            ("least_deg", {"least_deg": 3.0}),
            ("speed_share", {"speed_share": 1.2}),
        ):
            self.assertEqual(
                refused(self, lambda c=changed: rule_edits.with_limits(build(), replace(JointLimits(), **c))).errors[0].field, field
            )

    def test_joint_sizes(self):
        made = rule_edits.with_series(build(), JointSeries("", "our own", 21.0, 99.0))
        self.assertEqual(made.series[-1].id, "our-own")
        changed = rule_edits.with_series(made, JointSeries("our-own", "our own", 19.0, 99.0))
        self.assertEqual((len(changed.series), changed.series[-1].max_angle_deg), (len(made.series), 19.0))
        for field, one in (
            ("series_name", JointSeries("", " ", 20, 90)),
            ("series_angle", JointSeries("", "x", 90, 90)),
            ("series_swing", JointSeries("", "x", 20, 0)),
        ):
            self.assertEqual(refused(self, lambda o=one: rule_edits.with_series(build(), o)).errors[0].field, field)

    def test_a_trial_is_a_new_option_and_the_old_one_stays(self):
        made = build()
        tried = option_edits.with_trial(made, "o", "Tried", (Position("axle", Pose(2700, 0, 400, 0, 3, 0)),), "pinion down")
        self.assertEqual(tried.options[0], made.options[0])
        self.assertEqual({p.component: p.pose.pitch_deg for p in tried.options[1].positions}["axle"], 3)
        self.assertEqual(refused(self, lambda: option_edits.with_trial(tried, "o", "tried", (), "")).errors[0].field, "name")


class Soundness(unittest.TestCase):
    """A file's lines, axles and orders are refused where they lead nowhere."""

    def test_each_problem_is_named(self):
        made = build()
        line, springs = made.driveline("rear"), made.axle("springs")
        ordered = order_edits.with_order(made, "rear", "o", "shop", 3, "Teo", "2026-11-01T09:00:00")
        order = ordered.orders[0]
        tape = LengthReading("t", "rear", "J1", "J2", "1", 1300.0, "tape", "Teo", "2026-11-01T09:00:00", "ride")

        def with_line(**changed):
            return replace(made, drivelines=(replace(line, **changed),))

        for field, broken in (
            ("drivelines.0.axle", with_line(axle="nothing")), ("drivelines.0.shafts", with_line(shafts=(SHAFT, SHAFT))),
            ("drivelines.0.shafts.0.wall_mm", with_line(shafts=(replace(SHAFT, wall_mm=39.0),))), ("drivelines.0.shafts.0.series", with_line(shafts=(replace(SHAFT, series="huge"),))),
            ("drivelines.0", with_line(stations_mm=(1.0,) * 50)), ("drivelines.0", with_line(phases_deg=())),
            ("axles.0.component", replace(made, axles=(replace(springs, component="no"),))), ("axles.0.eye_point", replace(made, axles=(replace(springs, eye_point="no"),))),
            ("axles.0.perch_mm", replace(made, axles=(replace(springs, perch_mm=-1.0),))), ("series.0.max_angle_deg", replace(made, series=(JointSeries("s", "s", 95.0, 1.0),))),
            ("orders.0.line", replace(ordered, orders=(replace(order, line="no"),))), ("orders.0.lead_days", replace(ordered, orders=(replace(order, lead_days=-1),))),
            ("orders.0.photos.0", replace(ordered, orders=(replace(order, photos=("no",)),))), ("lengths.0", replace(made, lengths=(replace(tape, far="J9"),))),
            ("lengths.0.value_mm", replace(made, lengths=(replace(tape, value_mm=0.0),))), ("orders", replace(ordered, orders=(order, order))),
        ):  # fmt: skip
            with self.subTest(field):
                self.assertIn(field, [p.field for p in problems(broken)])
        self.assertEqual(problems(made), ())
