"""A driveline through suspension travel: the axle, with the last joint and the output axis, moves in the side view.

Bump is positive. Leaf springs are taken as the arc of an equivalent swing arm by whoever gives the pivot.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from elmpeg.core.driveline import Joint, driveline_motion
from elmpeg.core.errors import InputError
from elmpeg.core.pose import Pose, rotate, rotation
from elmpeg.core.record import record
from elmpeg.core.vectors import Vec3, add, norm, sub

TravelKind = Literal["parallel", "swing", "four_link"]
SidePoint = tuple[float, float]
"""X and Z in the side view, mm."""

SUBSTEP_MM = 10.0
"""Links are followed from rest in steps this small, so that they never snap over to their other way of closing."""
CLOSED_MM = 1e-6
"""A link whose length is off by more than this cannot reach."""
SHORTEST_ARM_MM = 1.0


@record
class Link:
    """A link of fixed length from the frame to the axle, its ends at rest."""

    frame_mm: SidePoint
    axle_mm: SidePoint


@record
class Suspension:
    """How an axle is carried: straight up, on an arm about a pivot, or by two links."""

    kind: TravelKind
    axle_centre_mm: Vec3
    pivot_mm: SidePoint | None = None
    upper: Link | None = None
    lower: Link | None = None


@record
class AxleMove:
    """Where the axle has gone: shift of its centre, and its turn (tail down positive)."""

    shift_mm: Vec3
    pitch_deg: float


@record
class TravelStep:
    """A driveline with the axle at one height."""

    step_mm: float
    angles_deg: tuple[float, ...]
    last_length_mm: float
    slip_mm: float
    output_pitch_change_deg: float
    equivalent_angle_deg: float


def axle_move(suspension: Suspension, step_mm: float) -> AxleMove:
    """Where the axle goes when its centre rises by a step. Raises InputError when the geometry does not reach so far."""
    if suspension.kind == "parallel":
        return AxleMove((0.0, 0.0, step_mm), 0.0)
    if suspension.kind == "swing":
        return _swung(suspension, step_mm)
    return _linked(suspension, step_mm)


def _swung(suspension: Suspension, step_mm: float) -> AxleMove:
    if suspension.pivot_mm is None:
        raise InputError("travel.pivot_mm", "is missing; a swing arm needs its pivot as X and Z")
    x, z = suspension.axle_centre_mm[0] - suspension.pivot_mm[0], suspension.axle_centre_mm[2] - suspension.pivot_mm[1]
    arm = math.hypot(x, z)
    if arm < SHORTEST_ARM_MM:
        raise InputError("travel.pivot_mm", "is at the axle's centre; an arm needs a length")
    if abs(z + step_mm) >= arm:
        raise InputError("travel.steps_mm", f"{step_mm:g} mm is out of reach of an arm of {arm:.0f} mm")
    ahead = math.copysign(math.sqrt(arm * arm - (z + step_mm) ** 2), x)
    turn = math.atan2(z + step_mm, ahead) - math.atan2(z, x)
    return AxleMove((ahead - x, 0.0, step_mm), -math.degrees(math.remainder(turn, 2 * math.pi)))


def _linked(suspension: Suspension, step_mm: float) -> AxleMove:
    if suspension.upper is None or suspension.lower is None:
        raise InputError("travel", "needs an upper and a lower link, each with its frame and axle end")
    links = (suspension.upper, suspension.lower)
    lengths = [math.dist(link.frame_mm, link.axle_mm) for link in links]
    if min(lengths) < SHORTEST_ARM_MM:
        raise InputError("travel", "has a link without a length")
    cx, cz = suspension.axle_centre_mm[0], suspension.axle_centre_mm[2]

    def off(unknown: NDArray[np.float64], rise: float) -> list[float]:
        shift, turn = float(unknown[0]), float(unknown[1])
        c, s = math.cos(turn), math.sin(turn)
        ends = []
        for link, length in zip(links, lengths, strict=True):
            x, z = link.axle_mm[0] - cx, link.axle_mm[1] - cz
            end = (cx + shift + c * x + s * z, cz + rise - s * x + c * z)
            ends.append(math.dist(end, link.frame_mm) - length)
        return ends

    unknown = np.zeros(2)
    count = max(1, math.ceil(abs(step_mm) / SUBSTEP_MM))
    for k in range(1, count + 1):
        rise = step_mm * k / count
        fit = least_squares(off, unknown, args=(rise,), xtol=1e-15, ftol=1e-15, gtol=1e-15, x_scale=[1.0, 1e-3])
        unknown = fit.x
        if max(abs(v) for v in off(unknown, rise)) > CLOSED_MM:
            raise InputError("travel.steps_mm", f"{step_mm:g} mm is out of reach of the links; they lock at about {rise:.0f} mm")
    return AxleMove((float(unknown[0]), 0.0, step_mm), math.degrees(float(unknown[1])))


def through_travel(
    rpm: float,
    input_axis: Vec3,
    output_axis: Vec3,
    joints: tuple[Joint, ...],
    phases_deg: tuple[float, ...],
    suspension: Suspension,
    steps_mm: tuple[float, ...],
) -> tuple[TravelStep, ...]:
    """The driveline at each step. ``slip_mm`` is the last shaft's length less its length at rest."""
    if len(joints) < 2:
        raise InputError("driveline.joints", "has one joint; travel needs a shaft with a joint at each end")
    at_rest = norm(sub(joints[-1].xyz_mm, joints[-2].xyz_mm))
    steps = []
    for step in steps_mm:
        move = axle_move(suspension, step)
        turn = rotation(Pose(pitch_deg=move.pitch_deg))
        centre = suspension.axle_centre_mm
        last = add(add(centre, move.shift_mm), rotate(turn, sub(joints[-1].xyz_mm, centre)))
        moved = (*joints[:-1], replace(joints[-1], xyz_mm=last))
        motion = driveline_motion(rpm, input_axis, rotate(turn, output_axis), moved, phases_deg)
        length = norm(sub(moved[-1].xyz_mm, moved[-2].xyz_mm))
        angles = tuple(j.angle_deg for j in motion.joints)
        steps.append(TravelStep(step, angles, length, length - at_rest, move.pitch_deg, motion.equivalent_angle_deg))
    return tuple(steps)


def slip_range_mm(steps: tuple[TravelStep, ...]) -> tuple[float, float]:
    """The largest shortening and the largest lengthening of the last shaft, both 0 or more."""
    slips = [0.0, *(s.slip_mm for s in steps)]
    return (-min(slips), max(slips))
