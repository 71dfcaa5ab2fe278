"""Calculator ``travel``: a driveline through suspension travel."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.calculators.driveline import Driveline, line_joints
from elmpeg.core.calculators.fields import Finite, Mm, PointMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Table
from elmpeg.core.methods.driveline.axle_travel import Leaf, Link, Suspension, TravelKind, slip_range_mm, through_travel

SideFields = tuple[Mm, Mm]


class LinkFields(Request):
    """One link, its ends at rest as X and Z."""

    frame_mm: SideFields
    axle_mm: SideFields


class LeafFields(Request):
    """A leaf spring at rest: its seat on the axle and its fixed eye as X and Z, and the lengths of its halves."""

    seat_mm: SideFields
    eye_mm: SideFields
    eye_half_mm: PositiveMm
    shackle_half_mm: PositiveMm


class TravelFields(Request):
    """How the axle is carried, and the heights to look at; with ``roll_deg`` its right side stands that much higher at each."""

    kind: TravelKind
    axle_centre_mm: PointMm
    pivot_mm: SideFields | None = None
    upper: LinkFields | None = None
    lower: LinkFields | None = None
    leaf: LeafFields | None = None
    roll_deg: Annotated[Finite, Field(gt=-90, lt=90)] = 0.0
    apart_mm: Annotated[Mm, Field(ge=0)] = 0.0
    steps_mm: Annotated[list[Mm], Field(min_length=1, max_length=200)]


class Travel(Request):
    """A driveline at rest, and its axle's travel."""

    driveline: Driveline
    travel: TravelFields


def compute(request: Travel) -> dict[str, Any]:
    """Angles, length and slip at each step, and the slip in and out that the shaft needs."""
    line, way = request.driveline, request.travel
    links = [None if link is None else Link(link.frame_mm, link.axle_mm) for link in (way.upper, way.lower)]
    leaf = Leaf(**way.leaf.model_dump()) if way.leaf else None
    suspension = Suspension(way.kind, way.axle_centre_mm, way.pivot_mm, links[0], links[1], leaf, way.apart_mm)
    joints, phases = line_joints(line), tuple(line.phases_deg)
    steps = through_travel(line.rpm, line.input_axis, line.output_axis, joints, phases, suspension, tuple(way.steps_mm), way.roll_deg)
    slip_in, slip_out = slip_range_mm(steps)
    return {"steps": [{**asdict(s), "angles_deg": list(s.angles_deg)} for s in steps], "slip_in_mm": slip_in, "slip_out_mm": slip_out}


CALCULATOR = Calculator(
    name="travel",
    purpose="A driveline through suspension travel",
    request=Travel,
    compute=compute,
    stage="Drive",
    title="Driveline through travel",
    words=("slip", "spline", "travel", "bump", "droop", "shaft length", "plunge", "axle travel"),
    answers=(
        Answer("slip_in_mm", "The shaft shortens by"),
        Answer("slip_out_mm", "and lengthens by"),
    ),
    tables=(
        Table("steps", "At each height", (Answer("step_mm", "Axle rises"), Answer("angles_deg.0", "First joint"), Answer("last_length_mm", "Last shaft"),
              Answer("slip_mm", "Slip"), Answer("output_pitch_change_deg", "Pinion turns"), Answer("equivalent_angle_deg", "As uneven as"))),
    ),
    formula="The axle, with the last joint and the pinion, is shifted straight up, swung about a pivot, or carried by two links of fixed length; "
    "slip is the last shaft's length less that at rest.",
    source="Plane linkage in the side view.",
    not_told="Wind-up, bushes, and the spline's own limits.",
    example={
        "driveline": {
            "rpm": 3000, "input_axis": {"kind": "to_the_rear", "down_deg": 3}, "output_axis": {"kind": "to_the_rear", "down_deg": 3}, "phases_deg": [0], "school": "three_degree",
            "joints": [{"id": "front", "xyz_mm": [0, 0, 0], "kind": "cardan"}, {"id": "rear", "xyz_mm": [1300, 0, -110], "kind": "cardan"}],
        },
        "travel": {"kind": "swing", "axle_centre_mm": [1460, 0, -140], "pivot_mm": [300, -120], "steps_mm": [-80, -40, 0, 40, 80]},
    },
    exact=('travel.steps_mm', 'driveline.phases_deg'),
    labels={
        "driveline": "Driveline at rest", "driveline.rpm": "Shaft speed", "driveline.input_axis": "Drive end: its axis runs",
        "driveline.output_axis": "Driven end: its axis runs", "driveline.joints": "Joints, from the drive end", "driveline.joints.id": "Joint",
        "driveline.joints.xyz_mm": "Centre", "driveline.joints.kind": "Kind", "driveline.joints.max_angle_deg": "Maker's limit",
        "driveline.phases_deg": "Forks out of line, each shaft", "driveline.school": "Cap", "travel": "Axle", "travel.kind": "It is carried",
        "travel.axle_centre_mm": "Its centre at rest", "travel.pivot_mm": "Pivot", "travel.pivot_mm.0": "X", "travel.pivot_mm.1": "Z",
        "travel.upper": "Upper link", "travel.lower": "Lower link", "travel.leaf": "Leaf spring", "travel.steps_mm": "Heights, bump up",
        "travel.roll_deg": "Right side higher by", "travel.apart_mm": "Springs apart",
    },
)  # fmt: skip
