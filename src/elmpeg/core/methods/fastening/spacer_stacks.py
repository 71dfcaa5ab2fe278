"""Spacer stacks: which pieces from the shelf fill a gap.

The search is exact. A shop's pieces are cut to round figures, so their sizes
share a common step; every total that some number of pieces can reach is then
one bit of a long integer, and adding a piece is a shift. The few best totals
are turned back into pieces by walking the same tables in reverse, which never
meets a dead end.
"""

from __future__ import annotations

import math
from collections.abc import Iterator
from heapq import heappop, heappush, nsmallest
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.errors import InputError, TooLargeError
from elmpeg.core.base.record import record

MOST_OPTIONS = 5
MOST_KINDS = 40
MOST_PIECES = 12
STEP_MM = 1e-6
"""Sizes are taken to the nanometre, far below what any tool can read."""
MOST_TABLE_BYTES = 30_000_000
"""Bound on the reach tables; keeps the longest search well within 2 s and its memory modest."""
FEW_STACKS = 20_000
"""Up to so many stacks each is simply tried, whatever step their sizes share."""


FILLS_MM = 0.005
"""A gap filled to this is filled: no caliper shows the rest."""


@record
class StockKind:
    """One kind of piece on the shelf: thickness along the bolt, and how many there are."""

    id: str
    mm: float
    qty: int


@record
class PieceCount:
    """So many of one kind."""

    id: str
    count: int


@record
class StackOption:
    """One way to fill a gap. ``error_mm`` is total less gap: positive stands proud, negative leaves room."""

    pieces: tuple[PieceCount, ...]
    total_mm: float
    error_mm: float
    count: int

    @property
    def fit(self) -> Literal["fills", "proud", "short"]:
        """Whether it fills the gap, stands proud of it, or leaves some of it."""
        if abs(self.error_mm) <= FILLS_MM:
            return "fills"
        return "proud" if self.error_mm > 0 else "short"


def best_stacks(gap_mm: float, tolerance_mm: float, stock: tuple[StockKind, ...], max_pieces: int) -> tuple[StackOption, ...]:
    """The best five stacks for a gap, exactly.

    Those within tolerance come first, by fewest pieces and then smallest error;
    then the rest by error and then pieces. Stacks of equal total and count are
    separate options when their pieces differ. An empty stack is offered only
    where the gap itself is within tolerance. Raises InputError for a negative
    gap and TooLargeError where an exact answer would take too long.
    """
    _refuse_bad(gap_mm, tolerance_mm, stock, max_pieces)
    kinds = sorted((k for k in stock if k.qty > 0), key=lambda k: -k.mm)
    sizes = [max(1, round(k.mm / STEP_MM)) for k in kinds]
    gap, tolerance = round(gap_mm / STEP_MM), round(tolerance_mm / STEP_MM)
    qty = [min(k.qty, max_pieces) for k in kinds]
    if _how_many(qty, max_pieces) <= FEW_STACKS:
        best: list[tuple[int, ...]] = _tried_each(sizes, qty, max_pieces, gap, tolerance)
    else:
        best = list(_Search(sizes, qty, max_pieces, gap, tolerance).best(MOST_OPTIONS))
    return tuple(_option(gap_mm, kinds, counts) for counts in best)


def _how_many(qty: list[int], max_pieces: int) -> int:
    """Number of different stacks, the empty one included."""
    ways = [1] + [0] * max_pieces
    for q in qty:
        ways = [sum(ways[n - taken] for taken in range(min(q, n) + 1)) for n in range(max_pieces + 1)]
    return sum(ways)


def _tried_each(sizes: list[int], qty: list[int], max_pieces: int, gap: int, tolerance: int) -> list[tuple[int, ...]]:
    def stacks(kind: int, left: int) -> Iterator[tuple[int, ...]]:
        if kind == len(sizes):
            yield ()
            return
        for taken in range(min(qty[kind], left), -1, -1):
            for tail in stacks(kind + 1, left - taken):
                yield (taken, *tail)

    def rank(counts: tuple[int, ...]) -> tuple[int, int, int]:
        error, pieces = abs(sum(s * n for s, n in zip(sizes, counts, strict=True)) - gap), sum(counts)
        return (0, pieces, error) if error <= tolerance else (1, error, pieces)

    return nsmallest(MOST_OPTIONS, (c for c in stacks(0, max_pieces) if sum(c) or gap <= tolerance), key=rank)


def _refuse_bad(gap_mm: float, tolerance_mm: float, stock: tuple[StockKind, ...], max_pieces: int) -> None:
    if gap_mm < 0:
        raise InputError("gap_mm", f"is {gap_mm:g} mm: the parts interfere, no stack mends that; move the part or cut back")
    if tolerance_mm < 0:
        raise InputError("tolerance_mm", f"is {tolerance_mm:g} mm; write 0 or more")
    if not 1 <= max_pieces <= MOST_PIECES:
        raise InputError("max_pieces", f"is {max_pieces}; write 1 to {MOST_PIECES}")
    if len(stock) > MOST_KINDS:
        raise TooLargeError("stock", f"has {len(stock)} kinds; at most {MOST_KINDS} can be searched, leave out those that do not fit")
    seen: set[str] = set()
    for i, kind in enumerate(stock):
        if kind.id in seen:
            raise InputError(f"stock.{i}.id", f"“{kind.id}” is listed twice; give each kind its own id")
        seen.add(kind.id)
        if kind.mm <= 0:
            raise InputError(f"stock.{i}.mm", f"“{kind.id}” is {kind.mm:g} mm thick; a piece is thicker than 0")
        if kind.qty < 0:
            raise InputError(f"stock.{i}.qty", f"“{kind.id}” has {kind.qty} pieces; write 0 or more")


def _option(gap_mm: float, kinds: list[StockKind], counts: tuple[int, ...]) -> StackOption:
    total = math.fsum(k.mm * n for k, n in zip(kinds, counts, strict=True))
    pieces = tuple(PieceCount(k.id, n) for k, n in zip(kinds, counts, strict=True) if n)
    return StackOption(pieces, total, total - gap_mm, sum(counts))


class _Search:
    """Totals reachable by the last kinds with so many pieces, as bits of integers in units of the common step."""

    def __init__(self, sizes: list[int], qty: list[int], max_pieces: int, gap: int, tolerance: int) -> None:
        self.unit = math.gcd(*sizes) if sizes else 1
        self.sizes = [s // self.unit for s in sizes]
        self.qty, self.max_pieces = qty, max_pieces
        self.gap, self.tolerance = gap, tolerance

    def best(self, most: int) -> Iterator[tuple[int, ...]]:
        """Counts by kind of the best stacks, best first."""
        floor = self.gap + max(self.gap, self.tolerance)
        ceiling = min(max([floor // self.unit, *self._lowest_above(floor, most)]), self._largest_total())
        self._build(ceiling)
        found = 0
        for pieces, total in self._ranked(most):
            for counts in self._stacks(0, pieces, total):
                yield counts
                found += 1
                if found == most:
                    return

    def _largest_total(self) -> int:
        left, total = self.max_pieces, 0
        for size, qty in zip(self.sizes, self.qty, strict=True):
            total += size * min(qty, left)
            left -= min(qty, left)
        return total

    def _lowest_above(self, floor: int, most: int) -> Iterator[int]:
        """The lowest totals above a floor that could still be among the best.

        A stack above twice the gap and outside tolerance errs by more than the
        gap, so it can only be wanted where fewer than ``most`` stacks lie below;
        taking stacks in order of total until enough have been seen costs a
        handful of steps.
        """
        n = len(self.sizes)
        heap: list[tuple[int, tuple[int, ...]]] = []
        for i in range(n):
            heappush(heap, (self.sizes[i], tuple(int(j == i) for j in range(n))))
        seen = 0
        while heap and seen < most:
            total, counts = heappop(heap)
            seen += 1
            if total * self.unit > floor:
                yield total
            if sum(counts) == self.max_pieces:
                continue
            last = max(i for i in range(n) if counts[i])
            for i in range(last, n):
                if counts[i] < self.qty[i]:
                    heappush(heap, (total + self.sizes[i], (*counts[:i], counts[i] + 1, *counts[i + 1 :])))

    def _build(self, ceiling: int) -> None:
        tables = (len(self.sizes) + 1) * (self.max_pieces + 1) * (ceiling + 1) // 8
        if tables > MOST_TABLE_BYTES:
            raise TooLargeError(
                "stock",
                f"cannot be searched exactly in the time allowed: its sizes share no step coarser than "
                f"{self.unit * STEP_MM:g} mm; round them (a caliper reads 0.01 mm), or allow fewer pieces or kinds",
            )
        mask = (1 << (ceiling + 1)) - 1
        self.reach: list[list[int]] = [[1] + [0] * self.max_pieces]
        for size, qty in zip(reversed(self.sizes), reversed(self.qty), strict=True):
            before = self.reach[0]
            row = []
            for pieces in range(self.max_pieces + 1):
                bits = 0
                for taken in range(min(qty, pieces) + 1):
                    if before[pieces - taken]:
                        bits |= before[pieces - taken] << (taken * size)
                row.append(bits & mask)
            self.reach.insert(0, row)

    def _ranked(self, most: int) -> Iterator[tuple[int, int]]:
        """Pairs of pieces and total, best first; at least enough for ``most`` stacks."""
        outside: list[tuple[int, int, int]] = []
        for pieces in range(self.max_pieces + 1):
            totals = _set_bits(self.reach[0][pieces])
            errors = np.abs(totals * self.unit - self.gap)
            inside = errors <= self.tolerance
            order = np.argsort(errors[inside], kind="stable")[:most]
            for total in totals[inside][order]:
                yield pieces, int(total)
            if pieces:
                far = nsmallest(most, zip(errors[~inside].tolist(), totals[~inside].tolist(), strict=True))
                outside += [(error, pieces, total) for error, total in far]
        for _, pieces, total in sorted(outside):
            yield pieces, total

    def _stacks(self, kind: int, pieces: int, total: int) -> Iterator[tuple[int, ...]]:
        """Every stack of exactly so many pieces and exactly this total, from one kind on."""
        if kind == len(self.sizes):
            yield ()
            return
        for taken in range(min(self.qty[kind], pieces), -1, -1):
            rest = total - taken * self.sizes[kind]
            if rest >= 0 and self.reach[kind + 1][pieces - taken] >> rest & 1:
                for tail in self._stacks(kind + 1, pieces - taken, rest):
                    yield (taken, *tail)


def _set_bits(bits: int) -> NDArray[np.int64]:
    raw = np.frombuffer(bits.to_bytes(bits.bit_length() // 8 + 1, "little"), dtype=np.uint8)
    return np.flatnonzero(np.unpackbits(raw, bitorder="little")).astype(np.int64)
