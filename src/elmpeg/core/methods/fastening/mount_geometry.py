"""One mount: the component's hole against the seat that is to hold it.

The **gap** is measured along the seat's axis, the **offset** square to it, the
**tilt** between the two axes. The **float** is how far the holes let the bolt
stand off centre.
"""

from __future__ import annotations

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, angle_deg, dot, norm, scale, sub, unit


@record
class MountGeometry:
    """Where a mount's two sides stand to each other, in the vehicle frame."""

    component_point_mm: Vec3
    gap_mm: float
    offset_mm: float
    offset_vector_mm: Vec3
    tilt_deg: float
    float_mm: float

    @property
    def interferes(self) -> bool:
        """Whether the two sides stand in each other."""
        return self.gap_mm < 0

    @property
    def lines_up(self) -> bool:
        """Whether the bolt goes through both holes as they stand."""
        return self.offset_mm <= self.float_mm


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
    smaller than the bolt makes the float negative and nothing lines up.
    """
    normal = unit(seat_axis)
    between = sub(component_point_mm, seat_point_mm)
    gap = dot(between, normal)
    offset = sub(between, scale(normal, gap))
    tilt = angle_deg(component_axis, seat_axis)
    return MountGeometry(
        component_point_mm=component_point_mm,
        gap_mm=gap,
        offset_mm=norm(offset),
        offset_vector_mm=offset,
        tilt_deg=min(tilt, 180.0 - tilt),
        float_mm=(component_hole_mm - bolt_mm) / 2 + (seat_hole_mm - bolt_mm) / 2,
    )
