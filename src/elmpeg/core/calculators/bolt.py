"""Calculator ``bolt``: how long a bolt must be, and what it does there."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.calculators.fields import PositiveMm, Request
from elmpeg.core.methods.fastening.bolt_length import NutEnd, TappedEnd, bolt_choice
from elmpeg.core.methods.fastening.fasteners import thread

Thick = Annotated[float, Field(allow_inf_nan=False, ge=0, le=100_000)]


class NutFields(Request):
    """A nut."""

    kind: Literal["nut"]
    height_mm: PositiveMm


class TappedFields(Request):
    """A tapped hole."""

    kind: Literal["tapped"]
    thread_depth_mm: PositiveMm
    material: Literal["steel", "cast_iron", "aluminium"]
    blind: bool


class Bolt(Request):
    """A thread, what it goes through, and what it ends in."""

    thread: Annotated[str, Field(min_length=1, max_length=40)]
    layers_mm: Annotated[list[Thick], Field(max_length=100)]
    washers_mm: Annotated[list[Thick], Field(max_length=100)]
    end: Annotated[NutFields | TappedFields, Field(discriminator="kind")]
    stock_lengths_mm: Annotated[list[PositiveMm], Field(max_length=500)] | None = None


def compute(request: Bolt) -> dict[str, Any]:
    """Grip, least and largest length, the shortest that fits, and its checks."""
    end = request.end
    ends = NutEnd(end.height_mm) if isinstance(end, NutFields) else TappedEnd(end.thread_depth_mm, end.material, end.blind)
    stock = None if request.stock_lengths_mm is None else tuple(request.stock_lengths_mm)
    return asdict(bolt_choice(thread(request.thread), tuple(request.layers_mm), tuple(request.washers_mm), ends, stock))
