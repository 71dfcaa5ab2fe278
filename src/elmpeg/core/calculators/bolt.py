"""Calculator ``bolt``: how long a bolt must be, and what it does there."""

from __future__ import annotations

from dataclasses import asdict, replace
from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.fields import PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result
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
    found = bolt_choice(thread(request.thread), tuple(request.layers_mm), tuple(request.washers_mm), ends, stock)
    return asdict(replace(found, checks=tuple(found.checks)))


def limits(request: Bolt, result: Result) -> tuple[Limit, ...]:
    """The length that fits, against least and most."""
    longer = words("take a bolt of at least {0}", mm(result["min_length_mm"]))
    if result["length_mm"] is None:
        return (Limit("none", "Stock lengths that fit", 0.0, "count", low=1.0, mend=words(result["checks"][0]["why"])),)
    found = [Limit("least", "Length taken", result["length_mm"], "mm", low=result["min_length_mm"], mend=longer)]
    if result["max_length_mm"] is not None:
        shorter = words("it bottoms: take a bolt of at most {0}", mm(result["max_length_mm"]))
        found.append(
            Limit("most", "Length taken, before it bottoms", result["length_mm"], "mm", high=result["max_length_mm"], mend=shorter)
        )
    return tuple(found)


CALCULATOR = Calculator(
    name="bolt",
    purpose="How long a bolt must be, and what it does there",
    request=Bolt,
    compute=compute,
    stage="Mount",
    title="Length of a bolt",
    words=("bolt", "screw", "bolt length", "grip", "thread engagement", "blind hole", "tapped", "nut", "stud", "bottoms"),
    answers=(
        Answer("length_mm", "Take a bolt of"),
        Answer("min_length_mm", "At least"),
        Answer("max_length_mm", "At most"),
        Answer("grip_mm", "Grip"),
        Answer("protrusion_mm", "Shows beyond the nut"),
        Answer("protrusion_threads", "in threads", "ratio"),
        Answer("engagement_mm", "Thread that holds"),
        Answer("engagement_diameters", "in diameters", "ratio"),
    ),
    formula="Grip = layers + washers. With a nut: grip + nut + 2 pitches at least. Tapped: grip + 1 diameter in steel, 1.5 in cast iron, 2 in "
    "aluminium; a blind hole allows at most grip + depth of thread − 1 pitch.",
    source="Common workshop rules.",
    not_told="Strength, grade and torque.",
    example={"thread": "M12x1.75", "layers_mm": [10, 6, 12], "washers_mm": [2.5, 2.5], "end": {"kind": "nut", "height_mm": 10.8}},
    limits=limits,
    exact=('stock_lengths_mm',),
    labels={
        "thread": "Thread", "layers_mm": "Layers", "washers_mm": "Washers", "end": "Ends in", "end.height_mm": "Height of the nut",
        "end.thread_depth_mm": "Full thread, deep", "end.material": "in", "end.blind": "Blind hole", "stock_lengths_mm": "Lengths to be had",
    },
    hints={"thread": "M12x1.75 or 1/2-13 UNC", "layers_mm": "with semicolons", "washers_mm": "with semicolons", "stock_lengths_mm": "empty: as sold"},
)  # fmt: skip
