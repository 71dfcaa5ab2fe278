"""Calculator ``flat``: the flat length of folded sheet and where its bend lines go."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import words
from elmpeg.core.calculators.fields import Finite, NotNegativeMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.sheet_metal.bends import Bend, FlatLength, Strip, flat_length

Folded = Annotated[Finite, Field(gt=-180, lt=180)]
K = Annotated[Finite, Field(ge=0, le=1)]


class BendFields(Request):
    """A fold: how far it turns from flat, its inside radius, and k where that is known."""

    angle_deg: Folded
    inside_radius_mm: NotNegativeMm
    k: K | None = None


class StripFields(Request):
    """A test strip of the shop's."""

    flat_mm: PositiveMm
    flanges_mm: tuple[PositiveMm, PositiveMm]
    angle_deg: Annotated[Finite, Field(gt=0, lt=180)]
    inside_radius_mm: NotNegativeMm


class Flat(Request):
    """Outside lengths of the flanges, the bends between, and a test strip where there is one."""

    thickness_mm: PositiveMm
    flanges_mm: Annotated[list[PositiveMm], Field(min_length=1, max_length=40)]
    bends: Annotated[list[BendFields], Field(max_length=39)]
    strip: StripFields | None = None


def flat_of(request: Flat) -> FlatLength:
    """The flat with its setbacks and arcs."""
    strip = Strip(**request.strip.model_dump()) if request.strip else None
    bends = tuple(Bend(b.angle_deg, b.inside_radius_mm, b.k) for b in request.bends)
    return flat_length(request.thickness_mm, tuple(request.flanges_mm), bends, strip)


def compute(request: Flat) -> dict[str, Any]:
    """Flat length, bend lines from the first end, what each bend takes off, and k from the strip."""
    found = asdict(flat_of(request))
    rows = zip(found["lines_mm"], found["deductions_mm"], found["k"], strict=True)
    found["by_bend"] = [{"line_mm": line, "deduction_mm": taken, "k": k} for line, taken, k in rows]
    if request.strip is None:
        del found["k_of_strip"]
    return found


def limits(request: Flat, result: Result) -> tuple[Limit, ...]:
    """Whether the neutral line lies where one can lie."""
    k = result.get("k_of_strip")
    if k is None:
        return ()
    again = words("measure the strip again: flat before it is folded, outside lengths after, the same sheet and tooling")
    return (Limit("k", "k of the test strip", k, "ratio", low=0.0, high=0.5, mend=again),)


CALCULATOR = Calculator(
    name="flat",
    purpose="Flat length and bend lines of folded sheet",
    request=Flat,
    compute=compute,
    stage="Make",
    title="Flat length and bend lines",
    words=("bend line", "flat pattern", "bend allowance", "bend deduction", "fold", "brake", "sheet", "k factor", "setback", "channel",
           "developed length", "angle iron", "test strip"),
    answers=(
        Answer("flat_mm", "Cut the flat to"),
        Answer("lines_mm.0", "First bend line, from the first end"),
        Answer("k_of_strip", "k of the test strip", "ratio"),
    ),
    tables=(
        Table("by_bend", "At each bend", (Answer("line_mm", "Bend line at"), Answer("deduction_mm", "Takes off"), Answer("k", "K factor", "ratio"))),
    ),
    formula="Flat = outside lengths − what the bends take off. Setback = (r + t) · tan(angle / 2); arc = angle · (r + k · t); a bend takes off "
    "2 setback − arc; its line is at the middle of the arc. k is the bend's own, else the test strip's, else (0.65 + 0.5 · log₁₀(r / t)) / 2.",
    source="DIN 6935 for k without a strip; the rest is geometry of the fold.",
    not_told="How far your sheet springs back and what your tooling makes of the radius: fold a strip first.",
    example={
        "thickness_mm": 3, "flanges_mm": [50, 90, 50],
        "bends": [{"angle_deg": 90, "inside_radius_mm": 3}, {"angle_deg": 90, "inside_radius_mm": 3}],
    },
    limits=limits,
    labels={
        "thickness_mm": "Thickness", "flanges_mm": "Outside lengths, in order", "bends": "Bends between them", "bends.angle_deg": "Turns from flat",
        "bends.inside_radius_mm": "Inside radius", "bends.k": "K factor, if known", "strip": "Test strip of this sheet", "strip.flat_mm": "Flat, before",
        "strip.flanges_mm": "Outside lengths, after", "strip.flanges_mm.0": "one leg", "strip.flanges_mm.1": "other leg",
        "strip.angle_deg": "Turned from flat by", "strip.inside_radius_mm": "Inside radius",
    },
    hints={"flanges_mm": "with semicolons, to the sharp corner", "bends.angle_deg": "minus folds the other way"},
)  # fmt: skip
