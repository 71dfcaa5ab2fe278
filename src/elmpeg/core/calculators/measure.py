"""Calculator ``measure``: what a typed figure means."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.calculators.fields import Request
from elmpeg.core.calculators.sheet import Answer, Calculator
from elmpeg.core.methods.measuring.sheet_gauges import GaugeMaterial
from elmpeg.core.methods.measuring.typed_figures import (
    FINEST_DENOMINATOR,
    MM_PER_INCH,
    inch_fraction,
    parse_angle,
    parse_gauge,
    parse_length,
)


class Measure(Request):
    """A text, the kind of quantity it is meant to be, and what to assume where it names no unit."""

    text: str
    kind: Literal["length", "angle", "gauge"]
    default_unit: Literal["mm", "in"] | None = None
    material: GaugeMaterial | None = None
    denominator: Annotated[int, Field(ge=1, le=FINEST_DENOMINATOR)] = 16


def compute(request: Measure) -> dict[str, Any]:
    """Length in mm with its other spellings, angle in deg, or sheet thickness in mm with its table."""
    if request.kind == "angle":
        return {"deg": parse_angle(request.text)}
    if request.kind == "gauge":
        sheet = parse_gauge(request.text, request.material)
        return {"mm": sheet.mm, "table": sheet.table}
    length = parse_length(request.text, request.default_unit)
    shown = {
        "mm": length.mm,
        "in_decimal": length.mm / float(MM_PER_INCH),
        "in_fraction": inch_fraction(length.mm, request.denominator),
    }
    return {"mm": length.mm, "unit": length.unit, "shown": shown}


CALCULATOR = Calculator(
    name="measure",
    purpose="Read a length, an angle or a sheet gauge as a person types it",
    request=Measure,
    compute=compute,
    stage="Measure",
    title="Read a figure in other units",
    words=("fraction", "inch", "convert", "gauge", "sheet gauge", "swg", "thou", "feet", "degrees and minutes", "sixteenth", "unit"),
    answers=(
        Answer("mm", "That is"),
        Answer("deg", "That is"),
        Answer("shown.in_decimal", "in decimal inches", "count"),
        Answer("shown.in_fraction", "as a fraction of an inch"),
        Answer("table", "from the table"),
    ),
    formula="An inch is 25.4 mm exactly. Sheet gauge is looked up in the table of its material, since one number differs between them.",
    source="International inch; manufacturers' standard, stainless, galvanised, aluminium and imperial standard wire gauge tables.",
    not_told="Which table your sheet was sold by: measure it with a calliper.",
    example={"text": "3 5/16", "kind": "length", "default_unit": "in", "denominator": 16},
    labels={
        "text": "As written", "kind": "It is a", "default_unit": "Unit of a bare number", "material": "Sheet of", "denominator": "Nearest fraction of",
    },
)  # fmt: skip
