"""Directions read with a gauge: the axis follows the readings, and so does all that hangs on it."""

import math
import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import angle_deg, unit
from elmpeg.core.build.survey import LeanReading
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.scene.axis_from_gauge import can_lean, direction_sd_deg, lean_deg, lean_of, leaning
from elmpeg.core.scene.line_in_scene import angles_in
from elmpeg.core.stages.measure import point_edits
from elmpeg.core.stages.measure import point_readings as measuring
from elmpeg.core.stages.measure.point_edits import Described
from tests.core.lines_shop import build, scene


def read(made, value, person="Teo", tool="gauge", point="pin"):
    return measuring.with_lean(made, point, LeanReading("", f"{value:g}", value, tool, person, "2026-11-02T09:00:00"))


def point(made, point_id="pin"):
    return made.point(point_id)


class Leaning(unittest.TestCase):
    """A lean is what the gauge shows, whichever way the drive runs along the shaft."""

    @given(st.floats(-80, 80), st.floats(-60, 60), st.booleans())
    def test_an_axis_and_its_lean_tell_the_same(self, lean, plan, forward):
        down, aside = math.radians(lean), math.radians(plan)
        axis = (math.cos(down) * math.cos(aside), math.cos(down) * math.sin(aside), -math.sin(down))
        axis = tuple(-v for v in axis) if forward else axis
        self.assertAlmostEqual(lean_deg(axis), lean, places=9)
        self.assertLess(angle_deg(leaning(axis, lean), axis), 1e-5)

    def test_turned_to_another_lean_it_keeps_its_way_seen_from_above(self):
        for axis in ((1.0, 0.3, -0.2), (-1.0, 0.4, 0.1)):
            turned = leaning(unit(axis), 7.0)
            self.assertAlmostEqual(math.atan2(turned[1], turned[0]), math.atan2(axis[1], axis[0]))
            self.assertAlmostEqual(lean_deg(turned), 7.0)

    def test_only_what_runs_lengthwise(self):
        self.assertEqual(
            [can_lean(a) for a in ((1, 0.2, -0.9), (-1, 0, 0), (0, 1, 0), (0.1, 0, 1), None)], [True, True, False, False, False]
        )


class Readings(unittest.TestCase):
    """The pinion's axis in the axle's own frame; the axle is pitched by 6°, the shaft leans by what its ends give."""

    def test_the_axis_follows_the_mean_and_the_joint_with_it(self):
        before = build()
        made = read(read(before, 1.2), 1.4, "Wil")
        self.assertAlmostEqual(lean_deg(point(made).axis), 1.3)
        line = before.driveline("rear")
        shaft = tuple(b - a for a, b in zip(scene(made).xyz("out"), scene(made).xyz("pin"), strict=True))
        # On an axle pitched by 6° the pinion then leans 7.3°.
        self.assertAlmostEqual(angles_in(scene(made), line)[1], angle_deg(shaft, leaning((1, 0, 0), 7.3)), places=6)
        self.assertAlmostEqual(angles_in(scene(before), line)[1], angle_deg(shaft, leaning((1, 0, 0), 6.0)), places=6)

    def test_one_set_aside_no_longer_counts_and_counts_again(self):
        made = read(read(build(), 1.2), 3.4, "Wil")
        aside = measuring.with_lean_dropped(made, "pin", point(made).leans[1].id, "gauge slipped")
        self.assertAlmostEqual(lean_deg(point(aside).axis), 1.2)
        again = measuring.with_lean_dropped(aside, "pin", point(made).leans[1].id, "")
        self.assertAlmostEqual(lean_deg(point(again).axis), 2.3)
        for reading, reason in (("nobody", "gone"), (point(made).leans[0].id, "x")):
            with self.subTest(reading), self.assertRaises(InputError):
                measuring.with_lean_dropped(made, "pin", reading, reason)

    def test_more_readings_are_surer_down_to_what_is_seen_from_above(self):
        tools = {t.id: t for t in build().tools}
        made, sds = build(), []
        for k in range(16):
            made = read(made, 1.0, f"P{k}")
            sds.append(direction_sd_deg(point(made), tools, 0.1))
        self.assertEqual(sds, sorted(sds, reverse=True))
        self.assertAlmostEqual(sds[0], 0.1)
        self.assertAlmostEqual(sds[-1], math.sqrt((0.025**2 + 0.1**2) / 2))
        located = scene(made).located("pin")
        self.assertAlmostEqual(located.axis_sd_deg, sds[-1])

    def test_readings_that_disagree_are_told_and_leave_it_as_unsure_as_they_are_apart(self):
        made = read(read(build(), 1.0), 3.0, "Wil")
        check = evaluate(made, "o").check("direction.pin")
        self.assertEqual((check.verdict, check.stage), ("fails", "Measure"))
        self.assertAlmostEqual(check.value, 2.0)
        self.assertAlmostEqual(lean_of(point(made), {t.id: t for t in made.tools}).apart, 2.0)
        self.assertAlmostEqual(scene(made).located("pin").axis_sd_deg, math.sqrt((1.0**2 + 0.1**2) / 2))
        agreeing = evaluate(read(read(build(), 1.0), 1.3, "Wil"), "o")
        self.assertFalse([c for c in agreeing.checks if c.code == "direction.pin"])

    def test_what_is_refused(self):
        for words, call in (
            ("lengthwise", lambda: read(build(), 1.0, point="L-foot")),
            ("at most", lambda: read(build(), 46.0)),
            ("tool for angles", lambda: read(build(), 1.0, tool="tape")),
        ):
            with self.subTest(words), self.assertRaises(InputError) as refused:
                call()
            self.assertIn(words, str(refused.exception))


class SaidAnew(unittest.TestCase):
    """A direction typed into the point's form replaces what was read, and says so."""

    def said(self, made, axis):
        p = point(made)
        described = Described(p.name, p.on, p.kind, axis=axis)
        return point_edits.with_point_changed(made, p.id, described)

    def test_the_same_direction_written_out_leaves_the_readings(self):
        made = read(build(), 1.3)
        rounded = tuple(float(f"{v:g}") for v in point(made).axis)
        kept = self.said(made, rounded)
        self.assertEqual(point(kept).axis, point(made).axis)
        self.assertEqual(point(kept).leans, point(made).leans)

    def test_another_direction_sets_them_aside(self):
        made = read(build(), 1.3)
        for axis in ((1.0, 0.0, -0.1), None):
            changed = point(self.said(made, axis))
            self.assertEqual(changed.axis, axis)
            self.assertEqual([r.dropped for r in changed.leans], ["its direction was said anew"])

    def test_an_older_reading_set_aside_keeps_its_own_reason(self):
        made = read(build(), 1.3)
        made = measuring.with_lean_dropped(made, "pin", point(made).leans[0].id, "gauge slipped")
        self.assertEqual(point(self.said(made, (1.0, 0.0, -0.1))).leans[0].dropped, "gauge slipped")
        self.assertEqual(replace(point(made), leans=()).leans, ())
