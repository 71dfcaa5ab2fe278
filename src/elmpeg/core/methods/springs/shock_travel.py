"""A shock absorber between two eyes: its length at ride, at bump and at droop, and the room left each way."""

from __future__ import annotations

import math

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, dot, norm, scale, sub, unit

SHORTEST_MM = 1e-6


@record
class ShockTravel:
    """Lengths, room left closed (up) and open (down) at the ends of travel, and where in its stroke it rides.

    ``motion_ratio`` is how far the shock moves for each mm of the eye's rise, at ride. ``upper_shift_mm`` is how far to
    move the upper eye away along the shock so that the wanted room is left at ride.
    """

    ride_mm: float
    bump_mm: float
    droop_mm: float
    up_left_mm: float
    down_left_mm: float
    up_share: float
    motion_ratio: float
    upper_shift_mm: float | None


def shock_travel(
    compressed_mm: float,
    extended_mm: float,
    upper_mm: Vec3,
    lower_mm: Vec3,
    bump_mm: float,
    droop_mm: float,
    direction: Vec3 = (0.0, 0.0, 1.0),
    wanted_up_mm: float | None = None,
) -> ShockTravel:
    """The lower eye moves straight along ``direction``, by ``bump_mm`` that way and by ``droop_mm`` the other.

    Raises InputError where the open length is not more than the closed, or both eyes are in one place.
    """
    if extended_mm <= compressed_mm:
        raise InputError("extended_mm", f"is {extended_mm:g} mm, not more than the closed length of {compressed_mm:g} mm; swap them")
    along = unit(direction)
    ride, bump, droop = (norm(sub(upper_mm, add(lower_mm, scale(along, by)))) for by in (0.0, bump_mm, -droop_mm))
    if ride < SHORTEST_MM:
        raise InputError("lower_mm", "is at the upper eye; give the two eyes' own places")
    return ShockTravel(
        ride_mm=ride,
        bump_mm=bump,
        droop_mm=droop,
        up_left_mm=bump - compressed_mm,
        down_left_mm=extended_mm - droop,
        up_share=(ride - compressed_mm) / (extended_mm - compressed_mm),
        motion_ratio=abs(dot(sub(upper_mm, lower_mm), along)) / ride,
        upper_shift_mm=None if wanted_up_mm is None else compressed_mm + wanted_up_mm - ride,
    )


def upper_shift_mm(upper_mm: Vec3, lower_mm: Vec3, direction: Vec3, rise_mm: float, wanted_mm: float) -> float | None:
    """How far to move the upper eye away, along the shock as it stands at ride, for a length with the lower eye risen so far.

    The nearest such place; None where moving along the shock never gives that length.
    """
    along = unit(sub(upper_mm, lower_mm))
    d = sub(upper_mm, add(lower_mm, scale(unit(direction), rise_mm)))
    half, rest = dot(d, along), dot(d, d) - wanted_mm * wanted_mm
    inside = half * half - rest
    if inside < 0:
        return None
    root = math.sqrt(inside)
    return min((-half + root, -half - root), key=abs)
