"""Calculator ``level``: how far off level the vehicle stands."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import words
from elmpeg.core.calculators.fields import PointMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.measuring.levelling import levelness

MOST_OFF_MM = 2.0
"""More than a tape scatters; a point beyond it is misread or not on the plane."""


class Level(Request):
    """Heights at places that are meant to lie on one level plane of the vehicle."""

    points_mm: Annotated[list[PointMm], Field(max_length=1000)]


def compute(request: Level) -> dict[str, Any]:
    """Pitch, roll, height at the origin, and what each point leaves over."""
    plane = asdict(levelness(tuple(request.points_mm)))
    left = list(plane["residuals_mm"])
    return {**plane, "residuals_mm": left, "left_over": [{"n": k, "mm": v} for k, v in enumerate(left, 1)]}


def limits(_request: Level, result: Result) -> tuple[Limit, ...]:
    """Whether the points do lie on one plane."""
    if len(result["residuals_mm"]) <= 3:
        return ()
    again = words("take the point that is furthest off again, or leave it out")
    return (Limit("plane", "Points off one plane", result["rms_mm"], "mm", high=MOST_OFF_MM, mend=again),)


CALCULATOR = Calculator(
    name="level",
    purpose="How far off level the vehicle stands, from heights",
    request=Level,
    compute=compute,
    stage="Reference",
    title="How level it stands",
    words=("level", "off level", "floor", "heights", "bubble", "laser", "water level", "slope", "pitch", "roll"),
    answers=(
        Answer("pitch_deg", "Tail down by"),
        Answer("roll_deg", "Right side up by"),
        Answer("height_at_origin_mm", "Height at the datum"),
        Answer("rms_mm", "Points off the plane"),
    ),
    tables=(Table("left_over", "What each point leaves over", (Answer("n", "Point", "count"), Answer("mm", "Above the plane"))),),
    formula="The plane z = c + a · x + b · y with the least squares; tail down = −atan a, right side up = atan(b · cos pitch).",
    source="Least squares.",
    not_told="Whether the frame itself is straight.",
    example={"points_mm": [[0, -400, 512], [0, 400, 505], [2600, -400, 531], [2600, 400, 523]]},
    limits=limits,
    labels={"points_mm": "Points that should be level"},
)
