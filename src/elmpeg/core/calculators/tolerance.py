"""Calculator ``tolerance``: how far a chain of parts can be off."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.calculators.fields import Mm, Name, Request
from elmpeg.core.calculators.sheet import Answer, Calculator
from elmpeg.core.methods.fastening.tolerance_stack import ChainPart, chain_band

Band = Annotated[float, Field(allow_inf_nan=False, ge=0, le=100_000)]


class PartFields(Request):
    """One part of the chain."""

    id: Name
    mm: Mm
    plus_mm: Band
    minus_mm: Band
    direction: Literal[1, -1]


class Tolerance(Request):
    """A chain of parts."""

    parts: Annotated[list[PartFields], Field(min_length=1, max_length=200)]


def compute(request: Tolerance) -> dict[str, Any]:
    """Nominal size, worst limits, and the likely band."""
    if len({p.id for p in request.parts}) < len(request.parts):
        raise InputError("parts", "names one part twice; give each its own id")
    return asdict(chain_band(tuple(ChainPart(p.mm, p.plus_mm, p.minus_mm, p.direction) for p in request.parts)))


CALCULATOR = Calculator(
    name="tolerance",
    purpose="How far a chain of parts can be off",
    request=Tolerance,
    compute=compute,
    stage="Mount",
    title="Chain of tolerances",
    words=("tolerance", "tolerance stack", "worst case", "how far off", "adds up", "sum of parts"),
    answers=(
        Answer("nominal_mm", "As drawn"),
        Answer("worst_min_mm", "At the least"),
        Answer("worst_max_mm", "At the most"),
        Answer("rss_centre_mm", "Likely about"),
        Answer("rss_half_mm", "give or take"),
    ),
    formula="Worst: every part at its limit. Likely: each at the middle of its band, the half bands squared, added and rooted.",
    source="Root sum of squares.",
    not_told="Parts that are all off the same way, as from one worn jig.",
    example={"parts": [{"id": "plate", "mm": 12, "plus_mm": 0.2, "minus_mm": 0.4, "direction": 1},
                       {"id": "gasket", "mm": 1.5, "plus_mm": 0.1, "minus_mm": 0.1, "direction": 1},
                       {"id": "recess", "mm": 4, "plus_mm": 0.1, "minus_mm": 0, "direction": -1}]},
    exact=('parts.mm', 'parts.plus_mm', 'parts.minus_mm'),
    labels={
        "parts": "Parts of the chain", "parts.id": "Part", "parts.mm": "Size", "parts.plus_mm": "plus", "parts.minus_mm": "minus",
        "parts.direction": "Counts",
    },
    hints={"parts.direction": "1 adds, −1 takes away"},
)  # fmt: skip
