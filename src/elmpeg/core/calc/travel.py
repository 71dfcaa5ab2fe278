"""Calculator ``travel``: a driveline through suspension travel."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.calc.driveline import Driveline, line_joints
from elmpeg.core.calc.fields import Mm, PointMm, Request
from elmpeg.core.travel import Link, Suspension, TravelKind, slip_range_mm, through_travel

SideFields = tuple[Mm, Mm]


class LinkFields(Request):
    """One link, its ends at rest as X and Z."""

    frame_mm: SideFields
    axle_mm: SideFields


class TravelFields(Request):
    """How the axle is carried, and the heights to look at."""

    kind: TravelKind
    axle_centre_mm: PointMm
    pivot_mm: SideFields | None = None
    upper: LinkFields | None = None
    lower: LinkFields | None = None
    steps_mm: Annotated[list[Mm], Field(min_length=1, max_length=200)]


class Travel(Request):
    """A driveline at rest, and its axle's travel."""

    driveline: Driveline
    travel: TravelFields


def compute(request: Travel) -> dict[str, Any]:
    """Angles, length and slip at each step, and the slip in and out that the shaft needs."""
    line, way = request.driveline, request.travel
    links = [None if link is None else Link(link.frame_mm, link.axle_mm) for link in (way.upper, way.lower)]
    suspension = Suspension(way.kind, way.axle_centre_mm, way.pivot_mm, links[0], links[1])
    joints, phases = line_joints(line), tuple(line.phases_deg)
    steps = through_travel(line.rpm, line.input_axis, line.output_axis, joints, phases, suspension, tuple(way.steps_mm))
    slip_in, slip_out = slip_range_mm(steps)
    return {"steps": [{**asdict(s), "angles_deg": list(s.angles_deg)} for s in steps], "slip_in_mm": slip_in, "slip_out_mm": slip_out}
