"""Calculator ``shock``: a shock absorber at ride, bump and droop."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.directions import AxisUp
from elmpeg.core.calculators.fields import NotNegativeMm, PointMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result
from elmpeg.core.methods.springs.shock_travel import shock_travel, upper_shift_mm

LEAST_LEFT_MM = 10.0
"""A shock is not to be the stop in either direction; the bump stop and the strap are."""


class Shock(Request):
    """The shock's two lengths, its eyes at ride, and how far the lower one goes."""

    compressed_mm: PositiveMm
    extended_mm: PositiveMm
    upper_mm: PointMm
    lower_mm: PointMm
    bump_mm: NotNegativeMm
    droop_mm: NotNegativeMm
    direction: AxisUp = (0.0, 0.0, 1.0)
    wanted_up_mm: PositiveMm | None = None


def compute(request: Shock) -> dict[str, Any]:
    """Three lengths, the room left, and where in its stroke it rides."""
    return asdict(shock_travel(**{name: getattr(request, name) for name in type(request).model_fields}))


def limits(request: Shock, result: Result) -> tuple[Limit, ...]:
    """Room left at full bump and full droop."""
    up, down = result["up_left_mm"], result["down_left_mm"]
    lengths = request.compressed_mm + LEAST_LEFT_MM, request.extended_mm - LEAST_LEFT_MM
    eyes = (request.upper_mm, request.lower_mm, request.direction)
    away, nearer = upper_shift_mm(*eyes, request.bump_mm, lengths[0]), upper_shift_mm(*eyes, -request.droop_mm, lengths[1])
    closed = words("take a shock {0} shorter closed", mm(max(0.0, LEAST_LEFT_MM - up)))
    if away is not None and away > 0:
        closed = words("move the upper eye {0} further away along the shock, or take one {1} shorter closed",
                       mm(away), mm(max(0.0, LEAST_LEFT_MM - up)))  # fmt: skip
    opened = words("take a shock {0} longer open, or strap the axle", mm(max(0.0, LEAST_LEFT_MM - down)))
    if nearer is not None and nearer < 0:
        opened = words("move the upper eye {0} nearer along the shock, or take one {1} longer open, or strap the axle",
                       mm(-nearer), mm(max(0.0, LEAST_LEFT_MM - down)))  # fmt: skip
    return (
        Limit("up", "Left before it is closed, at full bump", up, "mm", low=LEAST_LEFT_MM, mend=closed),
        Limit("down", "Left before it is fully open, at full droop", down, "mm", low=LEAST_LEFT_MM, mend=opened),
    )


CALCULATOR = Calculator(
    name="shock",
    purpose="A shock absorber at ride, bump and droop: room left, motion ratio",
    request=Shock,
    compute=compute,
    stage="Ride",
    title="Shock absorber",
    words=("shock", "damper", "bump", "droop", "eye to eye", "stroke", "motion ratio", "bump stop", "coilover", "shock length", "strut", "tailgate strut", "gas strut"),
    answers=(
        Answer("up_left_mm", "Left at full bump"),
        Answer("down_left_mm", "Left at full droop"),
        Answer("ride_mm", "Eye to eye at ride"),
        Answer("bump_mm", "at full bump"),
        Answer("droop_mm", "at full droop"),
        Answer("up_share", "Length left to close at ride, as a share of its stroke", "ratio"),
        Answer("motion_ratio", "Moves for each mm of the eye", "ratio"),
        Answer("upper_shift_mm", "Move the upper eye away by, for the room wanted"),
    ),
    formula="The lower eye moves straight along the direction. Length = distance between the eyes; left at bump = length there − closed "
    "length; left at droop = open length − length there. Motion ratio is the cosine between shock and movement.",
    source="Distances between points.",
    not_told="Damping, valve, springs, and whether the shock fouls anything as it leans.",
    example={
        "compressed_mm": 400, "extended_mm": 650, "upper_mm": [0, -380, 820], "lower_mm": [0, -460, 310], "bump_mm": 90, "droop_mm": 110,
        "direction": {"kind": "up"}, "wanted_up_mm": 110,
    },
    limits=limits,
    exact=('wanted_up_mm', 'bump_mm', 'droop_mm'),
    labels={
        "compressed_mm": "Closed, eye to eye", "extended_mm": "Open, eye to eye", "upper_mm": "Upper eye at ride",
        "lower_mm": "Lower eye at ride", "bump_mm": "Lower eye goes up", "droop_mm": "Lower eye goes down", "direction": "The lower eye moves",
        "wanted_up_mm": "Room wanted at ride, closing",
    },
        caution="Vehicle on stands; a gas shock pushes itself open. Suspension: have it checked by a qualified person.",
)  # fmt: skip
