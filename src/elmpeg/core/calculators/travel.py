"""Calculator ``travel``: a driveline through suspension travel."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.calculators.driveline import Driveline, line_joints
from elmpeg.core.calculators.fields import Finite, Mm, PointMm, PositiveMm, Request
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
