"""An axle through suspension travel, and the driveline that follows it.

The axle, with all that sits on it, moves in the side view so that its centre
rises by each step (bump positive). Four ways of carrying it:

* **parallel**: straight up, without turning.
* **swing**: rigid with an arm about a pivot.
* **four_link**: on an upper and a lower link of fixed length.
* **leaf**: on a leaf spring, whose seat moves on the arc of an equivalent arm:
  three quarters of its half towards the fixed eye long, about a point that far
  along the line from the seat to that eye. With halves of one length the seat
  does not turn; with unlike halves it turns as two cantilevers of one section
  do, by (eye half - shackle half) / (eye half x shackle half) radians for each
  mm of rise, the longer half's side going up.
  Source: the three-quarter rule of spring design manuals; the turn from beam
  theory (deflections of two cantilevers under one seat's reactions go with the
  squares of their lengths).

One wheel up and one down: each side goes its own way at its own height, and the
axle takes the middle of both, rolled, and turned in plan where one side went
further back than the other.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, rotate, rotation
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, norm, sub
from elmpeg.core.methods.driveline.line_motion import Joint, LaidLine, driveline_motions

TravelKind = Literal["parallel", "swing", "four_link", "leaf"]
SidePoint = tuple[float, float]
"""X and Z in the side view, mm."""

SUBSTEP_MM = 20.0
"""Links are followed from rest in steps this small, so that they never snap over to their other way of closing."""
CLOSED_MM = 1e-9
"""A link whose length is off by more than this has not closed yet."""
MOST_TRIES = 25
LARGEST_TURN_RAD = 0.2
"""In one substep; links that would turn the axle further are about to lock."""
SHORTEST_ARM_MM = 1.0
LEAF_SHARE = 0.75
"""Of a leaf spring's half towards its fixed eye: the length of its equivalent arm."""


@record
class Link:
    """A link of fixed length from the frame to the axle, its ends at rest."""

    frame_mm: SidePoint
    axle_mm: SidePoint


@record
class Leaf:
    """A leaf spring at rest: its seat on the axle, its fixed eye, and the lengths of its halves."""

    seat_mm: SidePoint
    eye_mm: SidePoint
    eye_half_mm: float
    shackle_half_mm: float


@record
class Suspension:
    """How an axle is carried. ``apart_mm`` is how far apart the two sides' springs or links stand."""

    kind: TravelKind
    axle_centre_mm: Vec3
    pivot_mm: SidePoint | None = None
    upper: Link | None = None
    lower: Link | None = None
    leaf: Leaf | None = None
    apart_mm: float = 0.0


@record
class AxleMove:
    """Where the axle has gone: shift of its centre, and its turns (tail down, right side up, tail right positive)."""

    shift_mm: Vec3
    pitch_deg: float
    roll_deg: float = 0.0
    yaw_deg: float = 0.0


@record
class TravelStep:
    """A driveline with the axle at one height."""

    step_mm: float
    angles_deg: tuple[float, ...]
    last_length_mm: float
    slip_mm: float
    output_pitch_change_deg: float
    equivalent_angle_deg: float


def axle_move(suspension: Suspension, step_mm: float, roll_deg: float = 0.0) -> AxleMove:
    """Where the axle goes when its centre rises by a step. Raises InputError when the geometry does not reach so far."""
    return axle_moves(suspension, (step_mm,), roll_deg)[0]


def axle_moves(suspension: Suspension, steps_mm: tuple[float, ...], roll_deg: float = 0.0) -> tuple[AxleMove, ...]:
    """Where the axle goes at each step, its right side up by a roll at all of them. Raises InputError out of reach."""
    if not roll_deg:
        return _in_side_view(suspension, steps_mm)
    if abs(roll_deg) >= 90:
        raise InputError("travel.roll_deg", f"is {roll_deg:g}°; an axle rolls by less than 90°")
    apart = suspension.apart_mm / 2
    lift = apart * math.sin(math.radians(roll_deg))
    right = _in_side_view(suspension, tuple(s + lift for s in steps_mm))
    left = _in_side_view(suspension, tuple(s - lift for s in steps_mm))
    moves = []
    for step, r, el in zip(steps_mm, right, left, strict=True):
        # The right side further back turns the axle's right end rearward: about Z that is tail to the left.
        yaw = -math.degrees(math.atan2(r.shift_mm[0] - el.shift_mm[0], 2 * apart)) if apart else 0.0
        moves.append(AxleMove(((r.shift_mm[0] + el.shift_mm[0]) / 2, 0.0, step), (r.pitch_deg + el.pitch_deg) / 2, roll_deg, yaw))
    return tuple(moves)


def _in_side_view(suspension: Suspension, steps_mm: tuple[float, ...]) -> tuple[AxleMove, ...]:
    if suspension.kind == "parallel":
        return tuple(AxleMove((0.0, 0.0, step), 0.0) for step in steps_mm)
    if suspension.kind == "swing":
        return tuple(_swung(suspension, step) for step in steps_mm)
    if suspension.kind == "leaf":
        return tuple(_sprung(suspension, step) for step in steps_mm)
    return _linked(suspension, steps_mm)


def _arc(pivot_mm: SidePoint, end_mm: SidePoint, step_mm: float, field: str) -> tuple[float, float]:
    """How far back an arm's end goes when it rises by a step, and how far the arm turns (counter to tail down), rad."""
    x, z = end_mm[0] - pivot_mm[0], end_mm[1] - pivot_mm[1]
    arm = math.hypot(x, z)
    if arm < SHORTEST_ARM_MM:
        raise InputError(field, "is at the axle's centre; an arm needs a length")
    if abs(z + step_mm) >= arm:
        raise InputError("travel.steps_mm", f"{step_mm:g} mm is out of reach of an arm of {arm:.0f} mm")
    ahead = math.copysign(math.sqrt(arm * arm - (z + step_mm) ** 2), x)
    turn = math.atan2(z + step_mm, ahead) - math.atan2(z, x)
    return ahead - x, math.remainder(turn, 2 * math.pi)


def _swung(suspension: Suspension, step_mm: float) -> AxleMove:
    if suspension.pivot_mm is None:
        raise InputError("travel.pivot_mm", "is missing; a swing arm needs its pivot as X and Z")
    centre = (suspension.axle_centre_mm[0], suspension.axle_centre_mm[2])
    back, turn = _arc(suspension.pivot_mm, centre, step_mm, "travel.pivot_mm")
    return AxleMove((back, 0.0, step_mm), -math.degrees(turn))


def leaf_arm(leaf: Leaf) -> SidePoint:
    """Where the pivot of a leaf spring's equivalent arm is. Raises InputError for a spring without a length."""
    x, z = leaf.eye_mm[0] - leaf.seat_mm[0], leaf.eye_mm[1] - leaf.seat_mm[1]
    apart = math.hypot(x, z)
    if apart < SHORTEST_ARM_MM or min(leaf.eye_half_mm, leaf.shackle_half_mm) < SHORTEST_ARM_MM:
        raise InputError("travel.leaf", "needs a fixed eye away from the seat and two halves with a length")
    arm = LEAF_SHARE * leaf.eye_half_mm
    return (leaf.seat_mm[0] + x / apart * arm, leaf.seat_mm[1] + z / apart * arm)


def _sprung(suspension: Suspension, step_mm: float) -> AxleMove:
    leaf = suspension.leaf
    if leaf is None:
        raise InputError("travel.leaf", "is missing; a leaf spring needs its seat, its fixed eye and its halves")
    back, _ = _arc(leaf_arm(leaf), leaf.seat_mm, step_mm, "travel.leaf")
    near, far = leaf.eye_half_mm, leaf.shackle_half_mm
    ahead = 1.0 if leaf.eye_mm[0] <= leaf.seat_mm[0] else -1.0
    # The longer half bends further; both eyes keep their height, so the seat looks up on the longer half's side.
    return AxleMove((back, 0.0, step_mm), ahead * math.degrees(step_mm * (near - far) / (near * far)))


def _linked(suspension: Suspension, steps_mm: tuple[float, ...]) -> tuple[AxleMove, ...]:
    if suspension.upper is None or suspension.lower is None:
        raise InputError("travel", "needs an upper and a lower link, each with its frame and axle end")
    links = (suspension.upper, suspension.lower)
    if min(math.dist(link.frame_mm, link.axle_mm) for link in links) < SHORTEST_ARM_MM:
        raise InputError("travel", "has a link without a length")
    found: dict[float, AxleMove] = {}
    for way in (1.0, -1.0):
        # Gone along from rest in steps of one size whatever is asked, so that each height has one answer of its own.
        shift, turn, gone = 0.0, 0.0, 0
        for step in sorted({s for s in steps_mm if s * way >= 0}, key=abs):
            while (gone + 1) * SUBSTEP_MM <= abs(step):
                closed = _closed(links, suspension.axle_centre_mm, way * (gone + 1) * SUBSTEP_MM, shift, turn)
                if closed is None:
                    raise _locked(step, way * (gone + 1) * SUBSTEP_MM)
                (shift, turn), gone = closed, gone + 1
            there = _closed(links, suspension.axle_centre_mm, step, shift, turn)
            if there is None:
                raise _locked(step, step)
            found[step] = AxleMove((there[0], 0.0, step), math.degrees(there[1]))
    return tuple(found[step] for step in steps_mm)


def _locked(step_mm: float, at_mm: float) -> InputError:
    return InputError("travel.steps_mm", f"{step_mm:g} mm is out of reach of the links; they lock at about {at_mm:.0f} mm")


def _closed(links: tuple[Link, Link], centre_mm: Vec3, rise_mm: float, shift: float, turn: float) -> tuple[float, float] | None:
    """Shift and turn (tail down, rad) at which both links have their length, by Newton's steps; None where they cannot reach."""
    cx, cz = centre_mm[0], centre_mm[2]
    started = turn
    for _ in range(MOST_TRIES):
        c, s = math.cos(turn), math.sin(turn)
        rows = []
        for link in links:
            x, z = link.axle_mm[0] - cx, link.axle_mm[1] - cz
            dx = cx + shift + c * x + s * z - link.frame_mm[0]
            dz = cz + rise_mm - s * x + c * z - link.frame_mm[1]
            long = math.hypot(dx, dz)
            if not long:
                return None
            turning = (dx * (c * z - s * x) - dz * (c * x + s * z)) / long
            rows.append((dx / long, turning, long - math.dist(link.axle_mm, link.frame_mm)))
        (a, b, e), (d, f, g) = rows
        if max(abs(e), abs(g)) < CLOSED_MM:
            return (shift, turn)
        spread = a * f - b * d
        if not spread:
            return None
        shift, turn = shift - (e * f - b * g) / spread, turn - (a * g - e * d) / spread
        if abs(turn - started) > LARGEST_TURN_RAD:
            return None
    return None


def moved_point(centre_mm: Vec3, move: AxleMove, point_mm: Vec3) -> Vec3:
    """Where a point fixed to the axle has gone."""
    turn = rotation(Pose(roll_deg=move.roll_deg, pitch_deg=move.pitch_deg, yaw_deg=move.yaw_deg))
    return add(add(centre_mm, move.shift_mm), rotate(turn, sub(point_mm, centre_mm)))


def through_travel(
    rpm: float,
    input_axis: Vec3,
    output_axis: Vec3,
    joints: tuple[Joint, ...],
    phases_deg: tuple[float, ...],
    suspension: Suspension,
    steps_mm: tuple[float, ...],
    roll_deg: float = 0.0,
) -> tuple[TravelStep, ...]:
    """The driveline at each step. ``slip_mm`` is the last shaft's length less its length at rest."""
    if len(joints) < 2:
        raise InputError("driveline.joints", "has one joint; travel needs a shaft with a joint at each end")
    at_rest = norm(sub(joints[-1].xyz_mm, joints[-2].xyz_mm))
    moves = axle_moves(suspension, steps_mm, roll_deg)
    laid = []
    for move in moves:
        turn = rotation(Pose(roll_deg=move.roll_deg, pitch_deg=move.pitch_deg, yaw_deg=move.yaw_deg))
        last = replace(joints[-1], xyz_mm=moved_point(suspension.axle_centre_mm, move, joints[-1].xyz_mm))
        laid.append(LaidLine(input_axis, rotate(turn, output_axis), (*joints[:-1], last)))
    steps = []
    for step, move, one, motion in zip(steps_mm, moves, laid, driveline_motions(rpm, tuple(laid), phases_deg), strict=True):
        length = norm(sub(one.joints[-1].xyz_mm, one.joints[-2].xyz_mm))
        angles = tuple(j.angle_deg for j in motion.joints)
        steps.append(TravelStep(step, angles, length, length - at_rest, move.pitch_deg, motion.equivalent_angle_deg))
    return tuple(steps)


def slip_range_mm(steps: tuple[TravelStep, ...]) -> tuple[float, float]:
    """The largest shortening and the largest lengthening of the last shaft, both 0 or more."""
    slips = [0.0, *(s.slip_mm for s in steps)]
    return (-min(slips), max(slips))
