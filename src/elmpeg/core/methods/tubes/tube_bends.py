"""Bends of a tube by the radius of its centre line: what is cut, where each bend begins and ends, what the bend uses up.

The shape is given by its legs from sharp corner to sharp corner, as it is measured and
drawn; each bend turns by an angle, its plane turned about the leg before it.
"""

from __future__ import annotations

import math
from itertools import pairwise

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, any_perpendicular, cross, dot, norm, scale, sub, unit

LEAST_CLR = 1.0
"""Of the tube's size: a tighter centre line folds the tube over itself."""
USUAL_CLR = 2.0
"""Of the tube's size: below it a mandrel is wanted."""
MOST_BEND_DEG = 180.0


@record
class TubeBend:
    """One bend: by how much, at which centre-line radius, and how far its plane is turned from that of the bend before."""

    angle_deg: float
    radius_mm: float
    turn_deg: float = 0.0


@record
class BendMark:
    """Where a bend begins, has its middle and ends on the straight tube, from the start; what it uses up, and what it saves
    against the sharp corner."""

    begins_mm: float
    middle_mm: float
    ends_mm: float
    uses_mm: float
    saves_mm: float
    angle_deg: float
    turn_deg: float


@record
class BentTube:
    """The straight length that makes it, the marks, the straight parts between bends, and the corners in space."""

    straight_mm: float
    marks: tuple[BendMark, ...]
    straights_mm: tuple[float, ...]
    corners_mm: tuple[Vec3, ...]


def tangent_mm(bend: TubeBend) -> float:
    """From the sharp corner to where the bend begins: R tan(A/2)."""
    return bend.radius_mm * math.tan(math.radians(bend.angle_deg) / 2)


def bent_tube(legs_mm: tuple[float, ...], bends: tuple[TubeBend, ...], across_mm: float, clamp_mm: float = 0.0) -> BentTube:
    """A bend takes R·A of the centre line. Raises InputError for legs that leave no straight between two bends, or less than
    ``clamp_mm`` (what the bender must hold) before, between and behind them."""
    if len(legs_mm) != len(bends) + 1:
        raise InputError("legs_mm", f"are {len(legs_mm)}; {len(bends)} bends have {len(bends) + 1} legs")
    for k, bend in enumerate(bends, 1):
        if not 0 < bend.angle_deg < MOST_BEND_DEG:
            raise InputError("bends", f"turns by {bend.angle_deg:g}° at bend {k}; more than 0° and less than 180° can be bent")
        if bend.radius_mm < LEAST_CLR * across_mm:
            raise InputError(
                "bends", f"has a centre line of {bend.radius_mm:g} mm at bend {k}; {LEAST_CLR * across_mm:g} mm is the least for this tube"
            )
    tangents = [0.0, *(tangent_mm(b) for b in bends), 0.0]
    straights = [leg - tangents[k] - tangents[k + 1] for k, leg in enumerate(legs_mm)]
    for k, straight in enumerate(straights, 1):
        if straight < clamp_mm - 1e-9:
            said = f"{straight:.1f} mm straight" if straight >= 0 else f"{-straight:.1f} mm too little for its bends"
            raise InputError("legs_mm", f"leaves leg {k} {said}" + (f"; the bender holds {clamp_mm:g} mm" if clamp_mm else ""))
    marks, at = [], 0.0
    for straight, bend in zip(straights, bends, strict=False):
        begin = at + straight
        arc = math.radians(bend.angle_deg) * bend.radius_mm
        marks.append(BendMark(begin, begin + arc / 2, begin + arc, arc, 2 * tangent_mm(bend) - arc, bend.angle_deg, bend.turn_deg))
        at = begin + arc
    return BentTube(at + straights[-1], tuple(marks), tuple(straights), _corners(legs_mm, bends))


def _corners(legs_mm: tuple[float, ...], bends: tuple[TubeBend, ...]) -> tuple[Vec3, ...]:
    """The sharp corners: the first leg along x, the first bend towards y where its plane is not turned."""
    at: Vec3 = (0.0, 0.0, 0.0)
    way: Vec3 = (1.0, 0.0, 0.0)
    inward: Vec3 = (0.0, 1.0, 0.0)
    found = [at]
    for k, leg in enumerate(legs_mm):
        at = add(at, scale(way, leg))
        found.append(at)
        if k < len(bends):
            t, a = math.radians(bends[k].turn_deg), math.radians(bends[k].angle_deg)
            side = cross(way, inward)
            inward = add(scale(inward, math.cos(t)), scale(side, math.sin(t)))
            way, inward = (
                add(scale(way, math.cos(a)), scale(inward, math.sin(a))),
                add(scale(inward, math.cos(a)), scale(way, -math.sin(a))),
            )
    return tuple(found)


def from_corners(corners_mm: tuple[Vec3, ...], radius_mm: float) -> tuple[tuple[float, ...], tuple[TubeBend, ...]]:
    """Legs and bends of a path through corners, all bent at one radius. Raises InputError for corners that lie on each other."""
    legs, ways = [], []
    for a, b in pairwise(corners_mm):
        along = sub(b, a)
        if norm(along) < 1e-6:
            raise InputError("corners_mm", "has two corners in one place")
        legs.append(norm(along))
        ways.append(unit(along))
    bends: list[TubeBend] = []
    before: Vec3 | None = None
    for one, other in pairwise(ways):
        angle = math.degrees(math.acos(max(-1.0, min(1.0, dot(one, other)))))
        inward = sub(other, scale(one, dot(one, other)))
        inward = unit(inward) if norm(inward) > 1e-9 else any_perpendicular(one)
        turn = 0.0
        if before is not None:
            turn = math.degrees(math.atan2(dot(cross(one, before), inward), dot(before, inward)))
        bends.append(TubeBend(angle, radius_mm, turn))
        turned = math.radians(angle)
        before = add(scale(inward, math.cos(turned)), scale(one, -math.sin(turned)))
    return tuple(legs), tuple(bends)


def thinned_wall_mm(wall_mm: float, across_mm: float, radius_mm: float) -> float:
    """The wall left on the outside of a bend, where it is stretched: t R / (R + OD/2) (tube-bending handbooks' estimate)."""
    return wall_mm * radius_mm / (radius_mm + across_mm / 2)
