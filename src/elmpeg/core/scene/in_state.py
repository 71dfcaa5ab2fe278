"""A scene in a state: what the state moves is moved, and what hangs on it goes along.

What is asked of a scene in a state is asked of it whatever else changes: a point found elsewhere, or a part moved, is where it is at
rest, and then everything is brought into the state anew. So a doubt in a state has in it what the points bring that carry an axle.
"""

from __future__ import annotations

from itertools import groupby

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Placed, Pose, about_axis, rotation
from elmpeg.core.base.vectors import Vec3, add, scale, unit
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import CarriedAxle
from elmpeg.core.scene.carried_axle import at_heights, wound_up
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import AT_REST, AxleAt, Shifted, State


def load_turns_deg(build: Build, axle: CarriedAxle) -> tuple[float, float]:
    """How far an axle's front side comes up under full drive, and (negative) on the overrun."""
    limits = build.limits.joints
    rise = limits.windup_deg(axle.kind)
    return (rise, -rise * limits.coast_share)


def load_turn_deg(build: Build, axle: CarriedAxle, at: AxleAt) -> float:
    """How far an axle's front side comes up by the load that it stands under."""
    if not at.load:
        return 0.0
    drive, coast = load_turns_deg(build, axle)
    return drive if at.load == "drive" else coast


def in_state(scene: Scene, state: State) -> Scene:
    """The scene with everything where the state has it. Raises InputError where something does not reach so far, or turns about or
    slides along a point without an axis; MissingError for what is not there."""
    return in_states(scene, (state,))[0]


def in_states(scene: Scene, states: tuple[State, ...]) -> tuple[Scene, ...]:
    """The scene in each state of a movement; one axle's way through its travel is followed as a whole."""
    rest = scene.at_rest
    found: list[Scene] = []
    for one_way, together in groupby(states, _way):
        path = tuple(together)
        stood = _travelled(rest, path) if one_way is not None else [_stood(rest, s) for s in path]
        found += [rest if s == AT_REST else there.standing_in(rest, s, _stood) for s, there in zip(path, stood, strict=True)]
    return tuple(found)


def _way(state: State) -> tuple[str, float] | None:
    """Of a state in which nothing but one axle, without load, is away from rest: which, and how it is rolled."""
    if len(state.axles) != 1 or state.axles[0].load or state != State(state.axles):
        return None
    return (state.axles[0].axle, state.axles[0].roll_deg)


def _travelled(rest: Scene, path: tuple[State, ...]) -> list[Scene]:
    at = path[0].axles[0]
    return list(at_heights(rest, rest.build.axle(at.axle), tuple(s.axles[0].rise_mm for s in path), at.roll_deg))


def _stood(rest: Scene, state: State) -> Scene:
    there = rest
    for shift in state.shifted:
        there = there.with_motion(shift.component, _shift(there, shift))
    for turn in state.turned:
        axis, centre = _axis(there, turn.about), there.xyz(turn.about)
        there = there.with_motion(turn.component, about_axis(centre, axis, turn.deg))
    for slide in state.slid:
        along = scale(unit(_axis(there, slide.along)), slide.mm)
        there = there.with_motion(slide.component, Placed(rotation(Pose()), along))
    for axle in state.axles:
        there = _raised(there, axle)
    return there


def _raised(scene: Scene, at: AxleAt) -> Scene:
    axle = scene.build.axle(at.axle)
    there = at_heights(scene, axle, (at.rise_mm,), at.roll_deg)[0]
    turn = load_turn_deg(scene.build, axle, at)
    return wound_up(there, axle, turn) if turn else there


def _axis(scene: Scene, point_id: str) -> Vec3:
    axis = scene.axis(point_id)
    if axis is None:
        raise InputError("axis", f"Needs the axis of {scene.declared(point_id).name}.")
    return axis


def _shift(scene: Scene, shift: Shifted) -> Placed:
    """The motion, in the vehicle frame, that turns a part about its own origin and moves it."""
    origin, turn = scene.placement(shift.component).origin_mm, rotation(shift.by)
    about = Placed(turn, (0.0, 0.0, 0.0))
    moved = about.point(scale(origin, -1.0))
    by = (shift.by.x_mm, shift.by.y_mm, shift.by.z_mm)
    return Placed(turn, add(add(origin, moved), by))
