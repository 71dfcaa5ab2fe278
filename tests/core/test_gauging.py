"""Angle gauges: what was read from one zero belongs together, and the angle is the shaft's, not the floor's."""

import math
import unittest
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import angle_deg, unit
from elmpeg.core.build.drivelines import SlopeReading, members_of
from elmpeg.core.integrity import sound
from elmpeg.core.scene.axis_from_gauge import lean_deg
from elmpeg.core.scene.line_in_scene import laid_line
from elmpeg.core.stages.drive import line_edits, order_edits
from elmpeg.core.stages.drive.gauge_angles import gauged_joint
from elmpeg.core.stages.drive.line_edits import SaidJoint, SaidLine
from tests.core.lines_shop import build, scene

SD = 0.1


def read(made, near, far, value, zero="level", person="Teo", stance="ride"):
    return order_edits.with_slope(
        made, SlopeReading("", "rear", near, far, f"{value:g}", value, zero, "gauge", person, "2026-11-01T09:00:00", stance)
    )


def joint(made, index, position_sd=0.2):
    line = made.driveline("rear")
    return gauged_joint(made, line, laid_line(scene(made), line), index, position_sd)


class Joints(unittest.TestCase):
    """The output leans 2°, the shaft what its ends give, the pinion 6°: readings take the place of what the position says."""

    def setUp(self):
        self.made = build()
        line = laid_line(scene(self.made), self.made.driveline("rear"))
        along = unit(tuple(b - a for a, b in zip(line.joints[0].xyz_mm, line.joints[1].xyz_mm, strict=True)))
        self.shaft = lean_deg(along)
        self.aside = math.degrees(math.atan2(along[1], along[0]))

    def both(self, made, near, far, value, **more):
        return read(read(made, near, far, value, **more), near, far, value, person="Wil", **more)

    def test_a_floor_out_of_level_drops_out(self):
        angles = []
        for floor in (0.0, 1.5, -3.0):
            made = self.both(self.both(self.made, "", "J1", 2.0 + floor), "J1", "J2", 4.0 + floor)
            found = joint(made, 0)
            angles.append(found.angle_deg)
        self.assertAlmostEqual(angles[0], angles[1], places=9)
        self.assertAlmostEqual(angles[0], angles[2], places=9)
        # Side 2° by the gauge and the sideways run by the position, put together as small angles do.
        self.assertAlmostEqual(angles[0], math.hypot(2.0, self.aside), delta=0.01)

    def test_zeroed_on_the_output_needs_no_reading_of_it(self):
        made = self.both(self.made, "J1", "J2", 0.1, zero="drive end")
        found = joint(made, 0)
        self.assertAlmostEqual(found.angle_deg, math.hypot(0.1, self.aside), delta=0.01)
        made = self.both(made, "J2", "", 4.0, zero="drive end")
        self.assertAlmostEqual(joint(made, 1).angle_deg, math.hypot(3.9, self.aside), delta=0.01)

    def test_readings_that_agree_with_the_position_give_its_angle_and_lack_nothing(self):
        made = self.both(self.both(self.made, "J1", "J2", round(self.shaft, 2)), "J2", "", 6.0)
        found = joint(made, 1)
        line = self.made.driveline("rear")
        laid = laid_line(scene(self.made), line)
        along = tuple(b - a for a, b in zip(laid.joints[0].xyz_mm, laid.joints[1].xyz_mm, strict=True))
        self.assertAlmostEqual(found.angle_deg, angle_deg(along, laid.output_axis), delta=0.01)
        self.assertEqual(found.lacking, ())
        self.assertIn("Teo, Wil", found.basis)

    def test_doubt_is_the_gauges_seen_from_the_side_and_the_positions_from_above(self):
        made = self.both(self.both(self.made, "J1", "J2", 2.0), "J2", "", 10.0)
        self.assertAlmostEqual(joint(made, 1).sd_deg, SD, delta=0.01)
        flat = self.both(self.both(self.made, "", "J1", 2.0), "J1", "J2", 2.0)
        self.assertAlmostEqual(joint(flat, 0, position_sd=0.7).sd_deg, 0.7, delta=0.01)

    def test_the_zero_read_more_often_is_the_one_that_counts(self):
        made = read(read(self.made, "J1", "J2", 5.0), "J2", "", 6.0)
        made = self.both(self.both(made, "J1", "J2", 0.1, zero="drive end"), "J2", "", 4.1, zero="drive end")
        found = joint(made, 1)
        self.assertAlmostEqual(found.angle_deg, math.hypot(4.0, self.aside), delta=0.01)
        self.assertFalse(any("read once" in x for x in found.lacking), found.lacking)

    def test_what_was_set_aside_or_read_on_stands_gives_no_angle(self):
        made = read(read(self.made, "J1", "J2", 2.0), "J2", "", 6.0, stance="stands")
        self.assertIsNone(joint(made, 1).angle_deg)
        made = read(read(self.made, "J1", "J2", 2.0), "J2", "", 6.0)
        self.assertIsNotNone(joint(made, 1).angle_deg)
        self.assertIsNone(joint(order_edits.with_slope_dropped(made, made.slopes[0].id, "slipped"), 1).angle_deg)
        with self.assertRaises(InputError):
            order_edits.with_slope_dropped(made, "nobody", "slipped")


class Kept(unittest.TestCase):
    """Readings stay with the part that they were taken on."""

    def test_a_part_that_goes_takes_its_readings_only_when_set_aside(self):
        made = read(build(), "J2", "", 6.0)
        said = SaidLine("Rear", 2400.0, (SaidJoint("out"), SaidJoint("ua")), (0.0,), axle="springs")
        with self.assertRaises(InputError) as refused:
            line_edits.with_line_changed(made, "rear", said)
        self.assertIn("a gauge was laid on", str(refused.exception))
        aside = order_edits.with_slope_dropped(made, made.slopes[0].id, "another pinion")
        self.assertEqual(line_edits.with_line_changed(aside, "rear", said).slopes, ())
        self.assertEqual(line_edits.without_line(made, "rear").slopes, ())

    def test_parts_in_order(self):
        self.assertEqual(members_of(build().driveline("rear")), (("", "J1"), ("J1", "J2"), ("J2", "")))

    def test_a_reading_of_a_part_that_is_not_there_is_no_sound_build(self):
        made = read(build(), "J2", "", 6.0)
        for field, changed in (("slopes.0", {"far": "J9"}), ("slopes.0.value_deg", {"value_deg": 95.0})):
            problems = {e.field: e.message for e in sound.problems(replace(made, slopes=(replace(made.slopes[0], **changed),)))}
            self.assertIn(field, problems)
