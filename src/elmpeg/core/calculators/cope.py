"""Calculator ``cope``: the cope of a round tube that meets another."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import words
from elmpeg.core.calculators.fields import Deg, Finite, Mm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.tubes.cope import EVERY_DEG, cope

LEAST_ANGLE_DEG = 30.0
"""Below this the weld root can hardly be reached."""


class CopeRequest(Request):
    """Branch, header, the angle between their axes, and how far the branch stands off to the side."""

    branch_od_mm: PositiveMm
    header_od_mm: PositiveMm
    angle_deg: Annotated[Finite, Field(gt=0, lt=180)]
    offset_mm: Mm = 0.0
    turns_deg: Annotated[list[Deg], Field(min_length=1, max_length=721)] | None = None


def compute(request: CopeRequest) -> dict[str, Any]:
    """How far the edge is cut back at each turn, and where the longest point is."""
    every = tuple(EVERY_DEG * k for k in range(int(360 / EVERY_DEG)))
    turns = tuple(request.turns_deg) if request.turns_deg is not None else every
    return asdict(cope(request.branch_od_mm, request.header_od_mm, request.angle_deg, request.offset_mm, turns))


def limits(request: CopeRequest, _result: Result) -> tuple[Limit, ...]:
    """Whether a torch gets to the root of the weld."""
    sharp = min(request.angle_deg, 180.0 - request.angle_deg)
    mend = words("meet the header more squarely, or add a gusset in the sharp side")
    return (Limit("angle", "Sharper side of the joint", sharp, "deg", low=LEAST_ANGLE_DEG, mend=mend),)


CALCULATOR = Calculator(
    name="cope",
    purpose="The cope of a round tube that meets another, as a wrap",
    request=CopeRequest,
    compute=compute,
    stage="Make",
    title="Cope a tube",
    words=("cope", "notch", "fishmouth", "tube", "pipe", "wrap", "saddle", "miter", "tube joint", "roll bar"),
    answers=(
        Answer("deepest_mm", "Cut back, at the deepest"),
        Answer("centre_to_longest_mm", "Header's axis to the longest point"),
        Answer("wrap_mm", "Around the branch"),
    ),
    tables=(Table("profile", "Around the branch", (Answer("turn_deg", "Turn"), Answer("along_mm", "Cut back"))),),
    formula="On the branch's outside, s = (√(R² − (e + r · sin turn)²) − r · cos turn · cos angle) / sin angle; cut back by s less the least s. "
    "Turn 0 is the side of the obtuse angle, 90 the side of the offset.",
    source="Where two cylinders meet.",
    not_told="The wall: for a thick one the inside meets first and is ground away. Strength of the joint.",
    example={"branch_od_mm": 42, "header_od_mm": 48, "angle_deg": 60, "offset_mm": 0},
    limits=limits,
    exact=('turns_deg',),
    labels={
        "branch_od_mm": "Branch, outside", "header_od_mm": "Header, outside", "angle_deg": "Between their axes",
        "offset_mm": "Branch stands off sideways", "turns_deg": "Turns wanted",
    },
    hints={"turns_deg": "empty: every 15°", "angle_deg": "90 is square"},
    caution="Cages, seats and towing: for qualified people and local codes.",
)  # fmt: skip
