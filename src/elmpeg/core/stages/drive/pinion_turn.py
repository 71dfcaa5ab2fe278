"""What to make or set so that an axle turns by so many degrees about its own line, and its pinion with it."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Placed, Pose, compose, pose_of, rotation
from elmpeg.core.base.quantities import Quantity, Words, deg, joined, mm, words
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, norm, sub
from elmpeg.core.build.drivelines import CarriedAxle, ControlLink, Driveline
from elmpeg.core.judging.checks import Remedy
from elmpeg.core.methods.driveline.shaft_tubes import perch_rise_mm
from elmpeg.core.methods.fastening.fasteners import thread
from elmpeg.core.scene.line_in_scene import axle_of
from elmpeg.core.scene.scene import Scene

Array = NDArray[np.float64]
LEAST_ENGAGED_D = 1.0
"""Thread left in a steel rod end, in its diameters: the usual least for steel in steel."""


@record
class Means:
    """One way of turning an axle: in words, the pose it then has, and whether it can be done as things are."""

    kind: str
    words: Words
    pose: Pose
    sound: bool = True


def turned_at(scene: Scene, axle_component: str, pitch_deg: float, about_mm: Vec3) -> Pose:
    """An axle's pose after its front side has come up by so much about a place that stays."""
    where = scene.placement(axle_component)
    turn = Placed(rotation(Pose(pitch_deg=pitch_deg)), (0.0, 0.0, 0.0))
    origin = add(about_mm, turn.point(sub(where.origin_mm, about_mm)))
    turned = compose(turn, Placed(where.rotation, (0.0, 0.0, 0.0)))
    return pose_of(Placed(turned.rotation, origin))


def means_of(scene: Scene, axle: CarriedAxle, pitch_deg: float) -> tuple[Means, ...]:
    """The ways of turning an axle's front side up by an angle (down, negative), as it is carried."""
    found: list[Means] = []
    centre = scene.placement(axle.component).origin_mm
    about_centre = turned_at(scene, axle.component, pitch_deg, centre)
    if axle.perches == "loose":
        found.append(_rolled_perches(axle, pitch_deg, about_centre))
    if axle.kind == "leaf" and axle.perch_mm:
        found.append(_wedge(scene, axle, axle.perch_mm, pitch_deg))
    if axle.kind == "four_link" and axle.upper and axle.lower and axle.upper.is_placed and axle.lower.is_placed:
        found.append(_upper_link(scene, axle, axle.upper, axle.lower, pitch_deg))
    return tuple(found)


def turned_as_made(scene: Scene, component: str, pitch_deg: float) -> Pose:
    """A part's pose after its front side has come up by so much the way it is done first: an axle in its perches about its middle,
    by a wedge about its spring's seat, by its upper links about the lower ones' end; what is carried by nothing about its own origin.
    """
    return turned_at(scene, component, pitch_deg, _stays(scene, component))


def turned_in_steps(scene: Scene, component: str, pitches_deg: Sequence[float]) -> tuple[Array, Array]:
    """Where a part is after each of some turns, as ``turned_as_made``: rotations, n x 3 x 3, and origins, n x 3, mm."""
    where, about = scene.placement(component), np.array(_stays(scene, component))
    turns = np.array([rotation(Pose(pitch_deg=pitch)) for pitch in pitches_deg])
    return turns @ np.array(where.rotation), about + turns @ (np.array(where.origin_mm) - about)


def _stays(scene: Scene, component: str) -> Vec3:
    """The place about which a part turns the way it is done first."""
    axle = next((a for a in scene.build.axles if a.component == component), None)
    if axle is not None and axle.perches != "loose":
        if axle.kind == "leaf" and axle.perch_mm and axle.seat_point:
            return scene.xyz(axle.seat_point)
        if axle.kind == "four_link" and axle.lower and axle.lower.is_placed:
            return scene.xyz(axle.lower.axle_point)
    return scene.placement(component).origin_mm


def roll_remedy(scene: Scene, line: Driveline, root: str, turn_deg: float, also: str) -> Remedy:
    """A turn of a line's driven part in words, and what to make for it."""
    # A pinion in front of its axle looks up when the axle turns tail down; one behind it looks down.
    ahead = scene.xyz(line.joints[-1].point)[0] < scene.placement(root).origin_mm[0]
    way = "up" if (turn_deg > 0) == ahead else "down"
    said = words(f"Roll the pinion {way} {{0}}{also}.", deg(abs(turn_deg)))
    axle = axle_of(scene.build, line)
    means = means_of(scene, axle, turn_deg)[:1] if axle is not None and axle.component == root else ()
    how = next((m for m in means if m.sound), None)
    return Remedy(joined(said, how.words) if how else said, root, turned_as_made(scene, root, turn_deg))


def _rolled_perches(axle: CarriedAxle, pitch_deg: float, pose: Pose) -> Means:
    way = "up" if pitch_deg > 0 else "down"
    if axle.tube_mm:
        arc = math.pi * axle.tube_mm * abs(pitch_deg) / 360
        said = words(
            f"Before the perches are welded, roll the axle {{0}} in them, front side {way}: {{1}} round the tube.",
            deg(abs(pitch_deg)),
            mm(arc),
        )
    else:
        said = words(f"Before the perches are welded, roll the axle {{0}} in them, front side {way}.", deg(abs(pitch_deg)))
    return Means("perches", said, pose)


def _wedge(scene: Scene, axle: CarriedAxle, perch_mm: float, pitch_deg: float) -> Means:
    centre = scene.placement(axle.component).origin_mm
    seat = scene.xyz(axle.seat_point) if axle.seat_point else centre
    # Front side up opens the pad at the rear where the spring lies on the axle, at the front where it hangs below.
    thick = "rear" if (pitch_deg > 0) == (seat[2] >= centre[2]) else "front"
    said = words(
        f"Put wedges of {{0}} under the springs, {{1}} over the {{2}} of the perch, thick end to the {thick}.",
        deg(abs(pitch_deg)),
        mm(abs(perch_rise_mm(perch_mm, pitch_deg))),
        mm(perch_mm),
    )
    return Means("wedge", said, turned_at(scene, axle.component, pitch_deg, seat))


def _upper_link(scene: Scene, axle: CarriedAxle, upper: ControlLink, lower: ControlLink, pitch_deg: float) -> Means:
    stays, frame, end = scene.xyz(lower.axle_point), scene.xyz(upper.frame_point), scene.xyz(upper.axle_point)
    turn = Placed(rotation(Pose(pitch_deg=pitch_deg)), (0.0, 0.0, 0.0))
    longer = norm(sub(add(stays, turn.point(sub(end, stays))), frame)) - norm(sub(end, frame))
    pose = turned_at(scene, axle.component, pitch_deg, stays)
    verb = "Lengthen" if longer > 0 else "Shorten"
    text, figures = f"{verb} the upper links by {{0}}", [mm(abs(longer))]
    sound = True
    if upper.thread:
        try:
            size = thread(upper.thread)
        except InputError:
            return Means("links", words(f"{text}.", *figures), pose)
        figures.append(Quantity(abs(longer) / (size.pitch_mm * upper.ends), "count"))
        text += f" ({{1}} turns of {upper.thread})"
        if upper.engaged_mm is not None:
            left, least = upper.engaged_mm - longer / upper.ends, LEAST_ENGAGED_D * size.d_mm
            sound = left >= least
            figures += [mm(left), mm(least)]
            text += "; {2} of thread is then left, " + ("at least {3} is enough" if sound else "too little: {3} is the least")
    figures.append(deg(abs(pitch_deg)))
    text += f". Spring seats and bump stops on the axle tilt {{{len(figures) - 1}}} with it: see that they still sit right"
    return Means("links", words(f"{text}.", *figures), pose, sound)
