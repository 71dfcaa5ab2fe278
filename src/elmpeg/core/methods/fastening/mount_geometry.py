"""One mount: the component's hole against the seat that is to hold it.

The **gap** is measured along the seat's axis, the **offset** square to it, the
**tilt** between the two axes. The **float** is how far the holes let the bolt
stand off centre.
"""

from __future__ import annotations

import math

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, cross, dot, norm, scale, sub, unit
from elmpeg.core.base.verdicts import AT_LIMIT


@record
class MountGeometry:
    """Where a mount's two sides stand to each other, in the vehicle frame."""

    component_point_mm: Vec3
    gap_mm: float
    offset_mm: float
    offset_vector_mm: Vec3
    tilt_vector_deg: Vec3
    float_mm: float
    tighter_mm: float

    @property
    def tilt_deg(self) -> float:
        """The acute angle between the axes."""
        return norm(self.tilt_vector_deg)

    @property
    def interferes(self) -> bool:
        """Whether the two sides stand in each other."""
        return self.gap_mm < 0

    @property
    def lines_up(self) -> bool:
        """Whether the bolt goes through both holes as they stand; one that does not pass a hole never does."""
        return self.tighter_mm >= -AT_LIMIT and self.offset_mm <= self.float_mm + AT_LIMIT


def mount_geometry(
    component_point_mm: Vec3,
    component_axis: Vec3,
    component_hole_mm: float,
    seat_point_mm: Vec3,
    seat_axis: Vec3,
    seat_hole_mm: float,
    bolt_mm: float,
) -> MountGeometry:
    """Gap, offset, tilt and float of one mount; all points and axes in the vehicle frame.

    The gap is positive where there is room and negative where the two sides
    interfere. The tilt is the acute angle between the axes, whichever way each
    is drawn. Axes need any non-zero length. Hole and bolt are diameters; a hole
    smaller than the bolt takes from the float, and nothing lines up. ``tighter_mm`` is the smaller hole less the bolt.
    """
    normal = unit(seat_axis)
    between = sub(component_point_mm, seat_point_mm)
    gap = dot(between, normal)
    offset = sub(between, scale(normal, gap))
    return MountGeometry(
        component_point_mm=component_point_mm,
        gap_mm=gap,
        offset_mm=norm(offset),
        offset_vector_mm=offset,
        tilt_vector_deg=_turn_deg(unit(component_axis), normal),
        float_mm=(component_hole_mm - bolt_mm) / 2 + (seat_hole_mm - bolt_mm) / 2,
        tighter_mm=min(component_hole_mm, seat_hole_mm) - bolt_mm,
    )


def _turn_deg(a: Vec3, b: Vec3) -> Vec3:
    """The turn that brings one unit axis onto another, whichever way each is drawn: along what it turns about, as long as the
    acute angle in degrees."""
    about = cross(a, b)
    sine = norm(about)
    if sine == 0:
        return (0.0, 0.0, 0.0)
    sign = 1.0 if dot(a, b) >= 0 else -1.0
    return scale(about, sign * math.degrees(math.atan2(sine, abs(dot(a, b)))) / sine)
