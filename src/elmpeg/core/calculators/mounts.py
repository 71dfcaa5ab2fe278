"""Calculator ``mounts``: how each mount stands at a position."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.calculators.fields import Axis, Deg, Mm, Name, PointMm, PositiveMm, Request
from elmpeg.core.methods.fastening.mount_geometry import mount_geometry


class PoseFields(Request):
    """Where the component sits in the vehicle."""

    x_mm: Mm
    y_mm: Mm
    z_mm: Mm
    roll_deg: Deg
    pitch_deg: Deg
    yaw_deg: Deg


class Hole(Request):
    """One side of a mount."""

    point_mm: PointMm
    axis: Axis
    hole_mm: PositiveMm


class MountFields(Request):
    """The component's side in its own frame, the seat in the vehicle's, and the bolt between."""

    id: Name
    component: Hole
    seat: Hole
    bolt_mm: PositiveMm


class Mounts(Request):
    """A position and the mounts to work out there."""

    pose: PoseFields
    mounts: Annotated[list[MountFields], Field(max_length=1000)]


def compute(request: Mounts) -> dict[str, Any]:
    """Gap, offset, tilt, float and whether it lines up, mount by mount in the order asked."""
    where = placed(Pose(**request.pose.model_dump()))
    seen: set[str] = set()
    rows = []
    for i, mount in enumerate(request.mounts):
        if mount.id in seen:
            raise InputError(f"mounts.{i}.id", f"“{mount.id}” is listed twice; give each mount its own id")
        seen.add(mount.id)
        geometry = mount_geometry(
            where.point(mount.component.point_mm),
            where.direction(mount.component.axis),
            mount.component.hole_mm,
            mount.seat.point_mm,
            mount.seat.axis,
            mount.seat.hole_mm,
            mount.bolt_mm,
        )
        rows.append(
            {
                "id": mount.id,
                "component_point_mm": list(geometry.component_point_mm),
                "gap_mm": geometry.gap_mm,
                "offset_mm": geometry.offset_mm,
                "offset_vector_mm": list(geometry.offset_vector_mm),
                "tilt_deg": geometry.tilt_deg,
                "float_mm": geometry.float_mm,
                "lines_up": geometry.lines_up,
            }
        )
    return {"mounts": rows}
