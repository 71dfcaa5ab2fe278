"""Calculator ``stack``: what to fill a gap with."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from elmpeg.core.calculators.fields import Mm, Name, Request
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
