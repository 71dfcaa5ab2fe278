"""A bar that holds an axle sideways against the steering link beside it.

Both have a fixed length, so as the axle rises its ends are drawn sideways. Where the
two draw differently the wheels are steered without a hand on the wheel.
"""

from __future__ import annotations

import math

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, norm, sub

UPRIGHT_MM = 1e-6
"""Sideways length below which a bar stands upright and draws neither way."""


@record
class Rod:
    """A rod by its end on the frame and its end on the axle, at rest."""

    frame_mm: Vec3
    axle_mm: Vec3


@record
class BarStep:
    """One rise of the axle: how far each rod draws its end to the right, and the steer that the difference makes."""

    rise_mm: float
    bar_shift_mm: float
    link_shift_mm: float
    difference_mm: float
    steer_deg: float | None


@record
class BarAndLink:
    """Lengths, slopes in the rear view (right end higher positive) and every rise."""

    bar_mm: float
    link_mm: float
    bar_deg: float
    link_deg: float
    apart_deg: float
    steps: tuple[BarStep, ...]


def bar_and_link(bar: Rod, link: Rod, rises_mm: tuple[float, ...], steer_arm_mm: float | None = None) -> BarAndLink:
    """Bar against link through the axle's rises, the axle moving straight up and sideways only.

    ``apart_deg`` is the angle between their slopes, without a sign. ``steer_deg`` = atan(difference / steering arm).
    Raises InputError for a rod that stands upright in the rear view, and for a rise beyond a rod's reach.
    """
    for rod, name in ((bar, "bar"), (link, "link")):
        if abs(rod.axle_mm[1] - rod.frame_mm[1]) < UPRIGHT_MM:
            raise InputError(f"{name}.axle_mm", "is straight above or below the other end, so the rod holds nothing sideways")
    steps = []
    for k, rise in enumerate(rises_mm):
        shifts = [_shift_mm(rod, rise, name, k) for rod, name in ((bar, "bar"), (link, "link"))]
        apart = shifts[0] - shifts[1]
        steer = None if steer_arm_mm is None else math.degrees(math.atan(apart / steer_arm_mm))
        steps.append(BarStep(rise, shifts[0], shifts[1], apart, steer))
    slopes = [_slope_deg(rod) for rod in (bar, link)]
    lengths = [norm(sub(rod.axle_mm, rod.frame_mm)) for rod in (bar, link)]
    return BarAndLink(lengths[0], lengths[1], slopes[0], slopes[1], abs(slopes[0] - slopes[1]), tuple(steps))


def _slope_deg(rod: Rod) -> float:
    left, right = sorted((rod.frame_mm, rod.axle_mm), key=lambda p: p[1])
    return math.degrees(math.atan2(right[2] - left[2], right[1] - left[1]))


def _shift_mm(rod: Rod, rise_mm: float, name: str, k: int) -> float:
    dx, dy, dz = sub(rod.axle_mm, rod.frame_mm)
    left = dx * dx + dy * dy + dz * dz - dx * dx - (dz + rise_mm) ** 2
    if left < 0:
        reach = math.hypot(dy, dz)
        raise InputError(
            f"rises_mm.{k}", f"is {rise_mm:g} mm, beyond the {name}'s reach; it can rise from {-dz - reach:.1f} to {-dz + reach:.1f} mm"
        )
    return math.copysign(math.sqrt(left), dy) - dy
