"""Calculator ``tolerance``: how far a chain of parts can be off."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.calculators.fields import Mm, Name, Request
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
