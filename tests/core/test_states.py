"""States: what is moved goes where its own axis, rails or suspension take it, with all that hangs on it, and nothing else does.

If these were wrong, a lever would be drawn through the floor that it clears, and a shaft called free at bump would bind there.
"""

import math
import random
import unittest
from dataclasses import replace

import numpy as np
from scipy.spatial.transform import Rotation as Turn

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.pose import Pose, pose_of
from elmpeg.core.build.components import Component, Wheel
from elmpeg.core.build.options import Position, with_positions
from elmpeg.core.build.survey import Point
from elmpeg.core.evaluation.catalogue import RUNNERS
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.judging.doubt import doubt_of
from elmpeg.core.scene.carried_axle import reach_of
from elmpeg.core.scene.in_state import in_state, in_states, load_turns_deg
from elmpeg.core.scene.line_in_scene import Lines, angles_in, laid_line
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import AT_REST, AxleAt, Shifted, Slid, State, Turned, axle_at, risen, under_load
from elmpeg.core.stages.place import position_edits
from elmpeg.demo import cairn
from elmpeg.formats import build_file
from tests.core.lines_shop import build, scene
from tests.core.test_kept_reads import rich


def geared():
    """An engine with a gearbox bolted to it, on that a lever and on the lever a knob; the lever turns about its pivot."""
    made = build()
    return replace(
        made,
        components=(
            *made.components,
            Component("box", "Gearbox", Pose(420.0, 0.0, -20.0, 0.0, 1.5, 3.0), parent="engine"),
            Component("lever", "Lever", Pose(150.0, 10.0, 90.0, 4.0, 0.0, 0.0), parent="box"),
            Component("knob", "Knob", Pose(0.0, 0.0, 260.0), parent="lever"),
        ),
        points=(
            *made.points,
            Point("pivot", "lever pivot", "box", "joint", (150.0, 10.0, 90.0), (0.2, 1.0, 0.1), sd_mm=0.4),
            Point("eye-of-lever", "lever eye", "lever", "joint", (0.0, 0.0, -60.0), (0.0, 1.0, 0.0), sd_mm=0.4),
            Point("grip", "grip", "knob", "edge", (0.0, 0.0, 30.0), sd_mm=0.4),
        ),
        wheels=(Wheel("w", (2700, 700, 400), 800, 200, "axle"), Wheel("f", (0, 700, 400), 800, 200)),
    )


def places(there):
    return {p.id: np.array(there.xyz(p.id)) for p in there.build.points}


class Parts(unittest.TestCase):
    def assert_moved_as(self, here, there, moving, motion):
        before, after = places(here), places(there)
        for point in here.build.points:
            with self.subTest(point.id):
                wanted = motion(before[point.id]) if point.on in moving else before[point.id]
                self.assertLess(np.max(np.abs(after[point.id] - wanted)), 1e-9)

    def test_a_lever_turns_about_its_pivot_and_takes_what_is_on_it_along(self):
        here = scene(geared())
        centre, axis = np.array(here.xyz("pivot")), np.array(here.axis("pivot"))
        turn = Turn.from_rotvec(math.radians(23.0) * axis / np.linalg.norm(axis))
        there = in_state(here, State(turned=(Turned("lever", "pivot", 23.0),)))
        self.assert_moved_as(here, there, {"lever", "knob"}, lambda p: centre + turn.apply(p - centre))
        wanted = turn.apply(np.array(here.axis("eye-of-lever")))
        self.assertLess(np.max(np.abs(np.array(there.axis("eye-of-lever")) - wanted)), 1e-12)

    def test_what_slides_goes_along_its_rail(self):
        here = scene(geared())
        axis = np.array(here.axis("pivot"))
        there = in_state(here, State(slid=(Slid("lever", "pivot", -40.0),)))
        self.assert_moved_as(here, there, {"lever", "knob"}, lambda p: p - 40.0 * axis / np.linalg.norm(axis))

    def test_an_engine_on_its_mounts_goes_with_all_that_is_bolted_to_it(self):
        here = scene(geared())
        by = Pose(2.0, -1.0, -6.0, 3.0, 0.5, -0.2)
        origin = np.array(here.placement("engine").origin_mm)
        turn = Turn.from_euler("xyz", (3.0, 0.5, -0.2), degrees=True)
        there = in_state(here, State(shifted=(Shifted("engine", by),)))
        moved = {"engine", "box", "lever", "knob"}
        self.assert_moved_as(here, there, moved, lambda p: origin + turn.apply(p - origin) + np.array((2.0, -1.0, -6.0)))

    def test_a_lever_pulled_on_a_moved_engine_turns_where_it_then_is(self):
        made = geared()
        moved = position_edits.shifted(made, "o", "engine", (30.0, 5.0, -12.0))
        pulled = State(turned=(Turned("lever", "pivot", 23.0),))
        apart = np.array(in_state(scene(moved), pulled).xyz("grip")) - np.array(in_state(scene(made), pulled).xyz("grip"))
        self.assertLess(np.max(np.abs(apart - np.array((30.0, 5.0, -12.0)))), 1e-9)

    def test_all_at_once_is_one_after_the_other(self):
        here = scene(geared())
        shifted, turned = Shifted("engine", Pose(z_mm=-6.0, roll_deg=2.0)), Turned("lever", "pivot", -15.0)
        both = in_state(here, State(shifted=(shifted,), turned=(turned,), axles=(AxleAt("springs", 40.0),)))
        placed = here.with_placed("engine", in_state(here, State(shifted=(shifted,))).placement("engine"))
        after = in_state(placed, State(turned=(turned,)))
        raised = in_state(here, axle_at("springs", 40.0))
        for point in here.build.points:
            wanted = (raised if point.on == "axle" else after).xyz(point.id)
            self.assertLess(math.dist(both.xyz(point.id), wanted), 1e-9, point.id)

    def test_wheels_go_with_what_they_are_on(self):
        there = in_state(scene(geared()), axle_at("springs", 60.0))
        wheels = {w.id: w.centre_mm for w in there.wheels}
        self.assertEqual(wheels["f"], (0, 700, 400))
        self.assertAlmostEqual(wheels["w"][2], 460.0, delta=1.0)
        self.assertIs(there.at_rest.wheels, there.build.wheels)

    def test_what_cannot_be_is_refused(self):
        here = scene(geared())
        with self.assertRaises(InputError) as no_axis:
            in_state(here, State(turned=(Turned("lever", "grip", 5.0),)))
        self.assertIn("axis of grip", str(no_axis.exception))
        with self.assertRaises(InputError):
            in_state(here, axle_at("springs", 3000.0))
        for state in (State(turned=(Turned("door", "pivot", 5.0),)), State(slid=(Slid("lever", "rail", 5.0),)), axle_at("other", 5.0)):
            with self.subTest(state), self.assertRaises(MissingError):
                in_state(here, state)


class Whenever(unittest.TestCase):
    """What is asked of a scene in a state is asked of it whatever else changes."""

    STATES = (
        axle_at("springs", 55.0, 4.0),
        axle_at("links", -60.0),
        *under_load("springs"),
        State(turned=(Turned("lever", "pivot", 20.0),), axles=(AxleAt("links", 30.0, -3.0, "drive"),)),
        State(shifted=(Shifted("engine", Pose(z_mm=-5.0, roll_deg=1.0)),), slid=(Slid("knob", "pivot", 12.0),)),
    )

    def test_a_point_found_elsewhere_first_or_afterwards(self):
        chance = random.Random(41)
        here = scene(geared())
        for state in self.STATES:
            there = in_state(here, state)
            for point in here.build.points:
                by = tuple(chance.uniform(-6.0, 6.0) for _ in range(3))
                before, after = in_state(here.with_point_shifted(point.id, by), state), there.with_point_shifted(point.id, by)
                for other in here.build.points:
                    self.assertLess(math.dist(before.xyz(other.id), after.xyz(other.id)), 1e-9, (state, point.id, other.id))

    def test_a_part_moved_first_or_afterwards(self):
        here = scene(geared())
        pose = Pose(1040.0, 8.0, 520.0, 1.0, -2.0, 0.5)
        for state in self.STATES:
            before, after = in_state(here.with_pose("engine", pose), state), in_state(here, state).with_pose("engine", pose)
            for point in here.build.points:
                self.assertLess(math.dist(before.xyz(point.id), after.xyz(point.id)), 1e-9, (state, point.id))

    def test_what_carries_an_axle_counts_in_what_is_known_of_it_in_its_travel(self):
        here, line = scene(geared()), geared().driveline("rear")
        subject = ("out", "pin", "seat", "eye")

        def bend(one):
            return (angles_in(one, line)[1],)

        for rise, counts in ((0.0, False), (70.0, True)):
            there = in_state(here, axle_at("springs", rise))
            found = doubt_of(there, subject, bend, bend(there))
            eye = sum(r.share for r in found.shares[0] if r.point == "eye")
            self.assertEqual(eye > 0, counts, rise)
        check = evaluate(geared(), "o", axle_at("springs", 70.0)).check("line.rear.J2")
        self.assertAlmostEqual(check.sd, found.sds[0], delta=0.02 * found.sds[0])

    def test_a_movement_is_its_states_one_by_one(self):
        here = scene(geared())
        path = (*risen("links", (-80.0, -40.0, 0.0, 40.0, 75.0)), *risen("springs", (-20.0, 60.0), 3.0), *self.STATES)
        for state, there in zip(path, in_states(here, path), strict=True):
            alone = in_state(here, state)
            self.assertEqual(there.state, state)
            for point in here.build.points:
                self.assertLess(math.dist(there.xyz(point.id), alone.xyz(point.id)), 1e-6, (state, point.id))

    def test_rest_is_a_state_and_brings_back_what_was(self):
        here = scene(geared())
        self.assertIs(in_state(in_state(here, axle_at("springs", 50.0)), AT_REST), here)
        self.assertEqual(axle_at("springs", 0.0), AT_REST)
        self.assertTrue(AT_REST.is_rest)


class Axles(unittest.TestCase):
    def test_a_line_in_many_states_at_once_is_the_line_in_each(self):
        made = build()
        line = made.driveline("rear")
        states = (
            *risen("springs", (-90.0, 0.0, 80.0)),
            axle_at("springs", 20.0, 5.0),
            *under_load("springs"),
            axle_at("springs", 45.0, -2.0, "coast"),
        )
        found = Lines([scene(made)], line).steps(states)[0]
        for step, there in zip(found, in_states(scene(made), states), strict=True):
            for a, b in zip(step.angles_deg, angles_in(there, line), strict=True):
                self.assertAlmostEqual(a, b, places=8)
            laid = laid_line(there, line)
            self.assertAlmostEqual(step.lengths_mm[0], math.dist(laid.joints[0].xyz_mm, laid.joints[1].xyz_mm), places=8)

    def test_a_load_turns_the_axle_about_its_centre_by_what_is_said(self):
        made = build()
        rest = pose_of(scene(made).placement("axle"))
        for state, turn in zip(under_load("springs"), load_turns_deg(made, made.axle("springs")), strict=True):
            there = pose_of(in_state(scene(made), state).placement("axle"))
            self.assertAlmostEqual(there.pitch_deg - rest.pitch_deg, turn, places=9)
            self.assertEqual(there.origin_mm, rest.origin_mm)


class Asked(unittest.TestCase):
    """Any check in any state, and what is kept of it."""

    def states(self, made):
        chance = random.Random(7)
        for axle in made.axles:
            reach = reach_of(made, axle)
            yield from (axle_at(axle.id, reach.bump_mm), axle_at(axle.id, -reach.droop_mm * chance.uniform(0.2, 1.0), axle.roll_deg / 2))
            yield from under_load(axle.id)
        driving = next(c for c in made.components if c.parent is None and c.movable)
        yield State(shifted=(Shifted(driving.id, Pose(z_mm=-4.0, roll_deg=1.5)),))

    def test_what_is_kept_is_what_a_fresh_look_finds(self):
        made = rich()
        option = made.options[0].id
        at_rest = evaluate(made, option)
        for state in self.states(made):
            kept = evaluate(made, option, state)
            fresh = evaluate(build_file.read(build_file.written(made)), option, state)
            self.assertEqual(kept.checks, fresh.checks, state)
            self.assertEqual(kept.state, state)
        self.assertEqual(evaluate(made, option).checks, at_rest.checks)

    def test_an_axle_put_higher_is_not_an_axle_that_has_come_up(self):
        made = build()
        there = evaluate(made, "o", axle_at("springs", 40.0))
        pose = pose_of(in_state(scene(made), axle_at("springs", 40.0)).placement("axle"))
        put = replace(
            made, options=(*made.options, replace(with_positions(made.options[0], (Position("axle", pose),)), id="high", name="High"))
        )
        high, again = evaluate(put, "high"), evaluate(put, "o", axle_at("springs", 40.0))
        self.assertEqual([c.value for c in there.checks], [c.value for c in again.checks])
        self.assertIsNotNone(high.check("line.rear.travel.bind"))
        self.assertIsNone(again.check("line.rear.travel.bind"), "its travel was asked of the line at rest")
        self.assertAlmostEqual(high.check("line.rear.J2").value, again.check("line.rear.J2").value, places=6)
        self.assertNotEqual(high.check("line.rear.J2").high, again.check("line.rear.J2").high)

    def test_what_the_state_does_not_touch_stands_as_it_did(self):
        made = cairn.build()
        option = made.options[0].id
        rest, there = evaluate(made, option), evaluate(made, option, axle_at(made.axles[0].id, 20.0))
        moved = {d.id for d in made.drivelines if d.axle == made.axles[0].id}
        touched = {c.code for c in rest.checks if set(c.ids("drivelines")) & moved or c.family == "piece"}
        points = {p.id for p in made.points if p.on != "vehicle" and Scene(made, made.option(option)).root(p.on) == made.axles[0].component}
        touched |= {
            c.code for c in rest.checks if set(c.ids("points")) & points or c.family in ("gap", "reach", "centring", "room", "ground")
        }
        same = [c for c in rest.checks if c.code not in touched]
        self.assertGreater(len(same), 20)
        for check in same:
            self.assertEqual(there.check(check.code), check)

    def test_a_runner_says_which_states_it_goes_through(self):
        made = cairn.build()
        here = Scene(made, made.options[0])
        ranging = {r.name for r in RUNNERS for thing in r.each(made) if r.ranges(here, thing)}
        self.assertEqual(ranging, {"lines", "pieces"})
        for runner in RUNNERS:
            for thing in runner.each(made):
                for there in in_states(here, runner.ranges(here, thing)):
                    self.assertFalse(there.state.is_rest)


if __name__ == "__main__":
    unittest.main()
