"""Calculator ``route``: a hose, cable or line through points with a least bend radius."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.fields import PointMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.linkage.hose_route import hose_route


class Route(Request):
    """Corners of the route, and the least radius that the hose may be bent to."""

    points_mm: Annotated[list[PointMm], Field(min_length=2, max_length=200)]
    bend_radius_mm: PositiveMm


def compute(request: Route) -> dict[str, Any]:
    """Length, each bend's turn, and the runs that are too short for their arcs."""
    route = hose_route(tuple(request.points_mm), request.bend_radius_mm)
    return {
        "length_mm": route.length_mm,
        "bends": [{"at": b.at, "turn_deg": b.turn_deg, "takes_mm": b.takes_mm} for b in route.bends],
        "fits": route.fits,
        "short": [{"from": s.from_point, "by_mm": s.by_mm} for s in route.short],
    }


def limits(request: Route, result: Result) -> tuple[Limit, ...]:
    """By how much the run that has least room is too short for its arcs."""
    if not result["bends"]:
        return ()
    worst = max((s["by_mm"] for s in result["short"]), default=0.0)
    where = next((s["from"] for s in result["short"] if s["by_mm"] == worst), 0)
    mend = words(f"lengthen the run from point {where} to {where + 1} by {{0}}, what lies beyond moving with it, or use a hose that bends to less than {{1}}",
                 mm(worst), mm(request.bend_radius_mm))  # fmt: skip
    return (Limit("runs", "Straight run too short for its bends by", worst, "mm", high=0.0, mend=mend),)


CALCULATOR = Calculator(
    name="route",
    purpose="Length of a hose, cable or line through points with a least bend radius",
    request=Route,
    compute=compute,
    stage="Link",
    title="Hose, cable or line",
    words=("hose", "cable", "brake line", "fuel line", "pipe", "bend radius", "wire", "loom", "length of hose", "throttle cable", "lead", "battery lead", "earth lead", "connector", "release cable", "parachute cord"),
    answers=(
        Answer("length_mm", "Length along its middle"),
        Answer("fits", "Every run has room for its bends", yes="yes", no="no: a run is too short"),
    ),
    tables=(
        Table("bends", "Bends", (Answer("at", "At point", "count"), Answer("turn_deg", "Turns by"), Answer("takes_mm", "Takes of each run"))),
        Table("short", "Runs too short", (Answer("from", "From point", "count"), Answer("by_mm", "Too short by"))),
    ),
    formula="Straight runs joined by arcs of the least radius r. An arc of a turn takes r · tan(turn / 2) of the run on either side and is "
    "r · turn long. Points count from 0.",
    source="Tangent arcs between straight lines.",
    not_told="Movement: give a brake hose its length at full droop and full lock. Heat, rubbing, clips and end fittings.",
    example={"points_mm": [[0, 0, 0], [300, 0, 0], [300, 250, 60], [520, 250, 60]], "bend_radius_mm": 60},
    limits=limits,
    exact=('bend_radius_mm',),
    labels={"points_mm": "Through points", "bend_radius_mm": "Least bend radius"},
    caution="Brake and fuel lines: leave them to a qualified person, and have them pressure tested.",
)  # fmt: skip
