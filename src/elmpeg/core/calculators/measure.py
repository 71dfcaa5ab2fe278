"""Calculator ``measure``: what a typed figure means."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.calculators.fields import Request
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
