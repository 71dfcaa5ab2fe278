"""Calculator ``scale``: whether a print came out at true size."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.base.quantities import Quantity, words
from elmpeg.core.calculators.fields import PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result
from elmpeg.core.methods.measuring.print_scale import PrintedLength, print_scale


class MarkFields(Request):
    """A length on the print: what it should be and what the rule says."""

    along: Literal["x", "y"]
    nominal_mm: PositiveMm
    measured_mm: PositiveMm


class Scale(Request):
    """Marks measured both ways, the size of what was drawn, and how far it may be off."""

    marks: Annotated[list[MarkFields], Field(min_length=1, max_length=100)]
    size_mm: tuple[PositiveMm, PositiveMm]
    tolerance_mm: PositiveMm


def compute(request: Scale) -> dict[str, Any]:
    """Scale each way, how far the whole is off, and what to print it at."""
    marks = tuple(PrintedLength(m.along, m.nominal_mm, m.measured_mm) for m in request.marks)
    return asdict(print_scale(marks, request.size_mm, request.tolerance_mm))


def limits(request: Scale, result: Result) -> tuple[Limit, ...]:
    """How far the whole drawing is off, each way."""
    tol = request.tolerance_mm
    return tuple(
        Limit(f"off {way}", f"Off over the whole, {name}", result["off_mm"][k], "mm", low=-tol, high=tol,
              mend=words("print it again at {0}", Quantity(result["print_at_pct"][k], "pct")))
        for k, (way, name) in enumerate((("x", "across"), ("y", "up the paper")))
    )  # fmt: skip


CALCULATOR = Calculator(
    name="scale",
    purpose="Whether a print is at true size, from marks measured both ways",
    request=Scale,
    compute=compute,
    stage="Make",
    title="Is the print true size",
    words=("print", "printer", "true size", "1:1", "template", "paper", "scale", "full size"),
    answers=(
        Answer("true_size", "True size", yes="yes, within what was allowed", no="no, print it again"),
        Answer("off_mm.0", "Off across the whole"),
        Answer("off_mm.1", "Off up the whole"),
        Answer("print_at_pct.0", "Print it at, across"),
        Answer("print_at_pct.1", "Print it at, up"),
        Answer("x_scale", "Scale across", "ratio"),
        Answer("y_scale", "Scale up", "ratio"),
    ),
    formula="Scale each way = Σ nominal · measured / Σ nominal². Off = (scale − 1) · size of the drawing.",
    source="Least squares through zero.",
    not_told="Whether the paper has shrunk since, or lies flat.",
    example={
        "marks": [{"along": "x", "nominal_mm": 150, "measured_mm": 149.5}, {"along": "y", "nominal_mm": 100, "measured_mm": 100}],
        "size_mm": [180, 240], "tolerance_mm": 0.5,
    },
    limits=limits,
    exact=('marks.nominal_mm', 'size_mm', 'tolerance_mm'),
    labels={
        "marks": "Measured on the print", "marks.along": "Along", "marks.nominal_mm": "Should be", "marks.measured_mm": "Is",
        "size_mm": "Size of the drawing", "size_mm.0": "across", "size_mm.1": "up", "tolerance_mm": "May be off by",
    },
    hints={"marks.along": "x is across, y up the paper; both are needed"},
)  # fmt: skip
