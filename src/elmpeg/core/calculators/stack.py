"""Calculator ``stack``: what to fill a gap with."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.fields import Mm, Name, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.fastening.spacer_stacks import StockKind, best_stacks


class StockFields(Request):
    """One kind of piece on the shelf."""

    id: Name
    mm: Mm
    qty: int


class Stack(Request):
    """A gap, how closely it must be filled, and from what."""

    gap_mm: Mm
    tolerance_mm: Mm
    stock: list[StockFields]
    max_pieces: int


def compute(request: Stack) -> dict[str, Any]:
    """At most five stacks, best first."""
    stock = tuple(StockKind(k.id, k.mm, k.qty) for k in request.stock)
    options = best_stacks(request.gap_mm, request.tolerance_mm, stock, request.max_pieces)
    return {"options": [{**asdict(o), "pieces": [asdict(p) for p in o.pieces]} for o in options]}


def limits(request: Stack, result: Result) -> tuple[Limit, ...]:
    """Whether the shelf fills the gap."""
    if not result["options"]:
        return ()
    error = result["options"][0]["error_mm"]
    turn = words("make a shim of {0}, or allow that much", mm(abs(error)))
    tol = request.tolerance_mm
    return (Limit("error", "Best stack less gap", error, "mm", low=-tol, high=tol, mend=turn),)


def told(request: Stack) -> dict[str, Any]:
    """The contract's answer, with each stack in words."""
    found = compute(request)
    for option in found["options"]:
        option["in_words"] = " + ".join(f"{p['count']} × {p['id']}" if p["count"] > 1 else p["id"] for p in option["pieces"]) or "nothing"
    return found


CALCULATOR = Calculator(
    name="stack",
    purpose="Best stacks from the shelf for a gap",
    request=Stack,
    compute=told,
    stage="Mount",
    title="Stack for a gap",
    words=("stack", "spacer", "washer", "shim", "fill a gap", "pack out", "plates"),
    answers=(
        Answer("options.0.in_words", "Take"),
        Answer("options.0.total_mm", "Together"),
        Answer("options.0.error_mm", "More than the gap by"),
        Answer("options.0.count", "Pieces", "count"),
    ),
    tables=(
        Table("options", "The best few", (
            Answer("in_words", "Stack"), Answer("total_mm", "Together"), Answer("error_mm", "More than the gap by"),
            Answer("count", "Pieces", "count"),
        )),
    ),
    formula="Every combination of what is on the shelf; within tolerance the fewest pieces first, then the nearest.",
    source="Exact search.",
    not_told="Whether the pieces are strong, wide and flat enough to stand on each other.",
    example={
        "gap_mm": 17.4, "tolerance_mm": 0.5, "max_pieces": 4,
        "stock": [{"id": "10 plate", "mm": 10, "qty": 4}, {"id": "6 plate", "mm": 6, "qty": 4}, {"id": "1.5 shim", "mm": 1.5, "qty": 6},
                  {"id": "2 washer", "mm": 2, "qty": 10}],
    },
    limits=limits,
    exact=('tolerance_mm',),
    labels={
        "gap_mm": "Gap", "tolerance_mm": "May be off by", "stock": "On the shelf", "stock.id": "Piece", "stock.mm": "Thick", "stock.qty": "How many",
        "max_pieces": "Pieces at most",
    },
)  # fmt: skip
