"""Calculator ``pattern``: does a plate's hole pattern drop over these studs?"""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.calculators.fields import Mm, Name, PositiveMm, Request
from elmpeg.core.methods.fastening.pattern_fit import Hole, Stud, pattern_fit


class HoleFields(Request):
    """A hole of the plate."""

    id: Name
    x_mm: Mm
    y_mm: Mm
    hole_mm: PositiveMm


class StudFields(Request):
    """A stud."""

    id: Name
    x_mm: Mm
    y_mm: Mm
    bolt_mm: PositiveMm


class PairFields(Request):
    """Which hole goes over which stud."""

    hole: Name
    stud: Name


class Pattern(Request):
    """A plate's holes, the studs, and what the plate may do."""

    holes: Annotated[list[HoleFields], Field(min_length=1, max_length=100)]
    studs: Annotated[list[StudFields], Field(min_length=1, max_length=100)]
    pairs: Annotated[list[PairFields | tuple[Name, Name]], Field(min_length=1, max_length=100)] | None = None
    allow_rotation: bool
    allow_mirror: bool


def compute(request: Pattern) -> dict[str, Any]:
    """The best move of the plate, each hole's miss and float, what to open and which hole is suspect."""
    pairs = None
    if request.pairs is not None:
        pairs = tuple((p.hole, p.stud) if isinstance(p, PairFields) else p for p in request.pairs)
    fit = pattern_fit(
        tuple(Hole(h.id, (h.x_mm, h.y_mm), h.hole_mm) for h in request.holes),
        tuple(Stud(s.id, (s.x_mm, s.y_mm), s.bolt_mm) for s in request.studs),
        pairs,
        request.allow_rotation,
        request.allow_mirror,
    )
    shown = asdict(fit)
    shown["pairs"] = [{k: v for k, v in p.items() if k != "miss_vector_mm"} for p in shown["pairs"]]
    return {**shown, "drop_in": fit.drop_in}
