"""Calculator ``mounts``: how each mount stands at a position."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.directions import AxisUp
from elmpeg.core.calculators.fields import Deg, Mm, Name, PointMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
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
    axis: AxisUp
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


def limits(_request: Mounts, result: Result) -> tuple[Limit, ...]:
    """Every bolt goes through, and nothing interferes."""
    found = []
    for m in result["mounts"]:
        over = words("move the part by that much across, or open the holes by {0}", mm(max(0.0, 2 * (m["offset_mm"] - m["float_mm"]))))
        away = words("raise the part by {0} along the seat's axis", mm(max(0.0, -m["gap_mm"])))
        found.append(Limit(f"offset {m['id']}", f"{m['id']} off to the side", m["offset_mm"], "mm", high=m["float_mm"], mend=over))
        found.append(Limit(f"gap {m['id']}", f"{m['id']} gap", m["gap_mm"], "mm", low=0.0, mend=away))
    return tuple(found)


CALCULATOR = Calculator(
    name="mounts",
    purpose="Gap, offset, tilt and float of each mount at a position",
    request=Mounts,
    compute=compute,
    stage="Mount",
    title="Gaps at the mounts",
    words=("mount", "gap", "engine mount", "spacer", "lines up", "offset", "bolt goes through"),
    answers=(Answer("mounts.0.gap_mm", "Gap at the first mount"), Answer("mounts.0.offset_mm", "Off to the side there")),
    tables=(
        Table("mounts", "Every mount", (
            Answer("id", "Mount"), Answer("gap_mm", "Gap"), Answer("offset_mm", "Off to the side"), Answer("float_mm", "Float"),
            Answer("tilt_deg", "Tilt"), Answer("lines_up", "Lines up"),
        )),
    ),
    formula="From seat to the part's point: the gap is along the seat's axis, what is left lies across it. Float is half of what each hole is "
    "larger than the bolt, both together.",
    source="Vectors.",
    not_told="Strength of mount and bolt.",
    example={
        "pose": {"x_mm": 400, "y_mm": 0, "z_mm": 620, "roll_deg": 0, "pitch_deg": 3, "yaw_deg": 0},
        "mounts": [
            {"id": "left", "component": {"point_mm": [0, -250, 0], "axis": {"kind": "up"}, "hole_mm": 13},
             "seat": {"point_mm": [401, -251, 605], "axis": {"kind": "up"}, "hole_mm": 14}, "bolt_mm": 12},
            {"id": "right", "component": {"point_mm": [0, 250, 0], "axis": {"kind": "up"}, "hole_mm": 13},
             "seat": {"point_mm": [399, 250, 608], "axis": {"kind": "up"}, "hole_mm": 14}, "bolt_mm": 12},
        ],
    },
    limits=limits,
    labels={
        "pose": "Where the part sits", "pose.roll_deg": "Right side up", "pose.pitch_deg": "Tail down", "pose.yaw_deg": "Tail to the right",
        "mounts": "Mounts", "mounts.id": "Mount", "mounts.component": "On the part, in its own frame",
        "mounts.seat": "Seat, in the vehicle", "mounts.component.point_mm": "Point", "mounts.seat.point_mm": "Point",
        "mounts.component.hole_mm": "Hole", "mounts.seat.hole_mm": "Hole", "mounts.bolt_mm": "Bolt",
        "mounts.component.axis": "Bolt points", "mounts.seat.axis": "Bolt points",
    },
    caution="Vehicle on stands, engine held, before a mount is undone.",
)  # fmt: skip
