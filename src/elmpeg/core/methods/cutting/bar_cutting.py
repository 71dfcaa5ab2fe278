"""Lengths cut from bars: which length comes from which bar, with the saw's width, on the fewest bars and the least of them.

Sets of bars are gone through from the best on: the fewest bought, then the fewest cut
into, then the least length of them. The first set that the lengths can be dealt to is
the answer. Whether they can is found by filling bars as full as they go, in many
orders, or decided by mixed-integer programming (HiGHS, by way of SciPy).
"""

from __future__ import annotations

import math
import random
from collections import Counter
from collections.abc import Iterator
from itertools import product

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import lil_matrix

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

MOST_LENGTHS = 400
MOST_SETS = 4000
SAME_MM = 1e-6
DECIDED_S = 0.6
"""How long one set of bars is thought about before it is passed over; then the answer says that it is not proved."""
DEALS = 60
"""In how many orders a set of bars is filled before it is decided by programming."""
STEP_MM = 0.1
"""Filling a bar is looked at in steps of this."""


@record
class WantedLength:
    """A length to be cut, and what it is for."""

    id: str
    mm: float


@record
class BarStock:
    """Bars of one length: how many there are; ``buy`` for what is bought as it is wanted."""

    id: str
    mm: float
    count: int
    buy: bool = False


@record
class CutBar:
    """One bar with what is cut from it, longest first, and what remains."""

    bar: str
    mm: float
    buy: bool
    cuts: tuple[str, ...]
    used_mm: float
    left_mm: float


@record
class BarCuts:
    """Every bar that is cut into; lengths that no bar gives; whether no better deal is possible."""

    bars: tuple[CutBar, ...]
    missing: tuple[str, ...]
    exact: bool

    @property
    def bought(self) -> int:
        """Bars to buy."""
        return sum(1 for b in self.bars if b.buy)


def cut_bars(wanted: tuple[WantedLength, ...], stock: tuple[BarStock, ...], saw_mm: float) -> BarCuts:
    """Deals lengths to bars. What is longer than every bar is told as missing; so is the least of what bars on the shelf cannot
    give where none is bought. Raises InputError for lengths that make no sense."""
    if len(wanted) > MOST_LENGTHS:
        raise InputError("wanted", f"are {len(wanted)}; up to {MOST_LENGTHS} are dealt at once")
    if any(w.mm <= 0 for w in wanted) or any(b.mm <= 0 or b.count < 0 for b in stock) or saw_mm < 0:
        raise InputError("wanted", "need lengths above 0, and a saw of 0 or more")
    longest = max((b.mm for b in stock if b.count or b.buy), default=0.0)
    missing = [w for w in wanted if w.mm > longest + SAME_MM]
    there = [w for w in wanted if w.mm <= longest + SAME_MM]
    bars, dealt, exact = _best(there, stock, saw_mm)
    placed = {w.id for own in dealt for w in own}
    missing += [w for w in there if w.id not in placed]
    found = []
    for (bar_id, mm, buy), own in zip(bars, dealt, strict=True):
        if own:
            used = sum(w.mm for w in own) + saw_mm * len(own)
            cuts = tuple(w.id for w in sorted(own, key=lambda w: -w.mm))
            found.append(CutBar(bar_id, mm, buy, cuts, min(used, mm), max(mm - used, 0.0)))
    return BarCuts(tuple(found), tuple(w.id for w in missing), exact)


Bar = tuple[str, float, bool]
Dealt = list[list[WantedLength]]


def _best(wanted: list[WantedLength], stock: tuple[BarStock, ...], saw_mm: float) -> tuple[list[Bar], Dealt, bool]:
    if not wanted:
        return [], [], True
    own = sorted((b for b in stock if not b.buy and b.count), key=lambda b: (-b.mm, b.id))
    new = sorted((b for b in stock if b.buy), key=lambda b: (-b.mm, b.id))
    shelf: list[Bar] = [(b.id, b.mm, False) for b in own for _ in range(min(b.count, len(wanted)))]
    need = sum(w.mm + saw_mm for w in wanted)
    exact = True
    for bought in range(len(wanted) + 1 if new else 1):
        largest = [*shelf, *([(new[0].id, new[0].mm, True)] * bought if new else [])]
        if sum(mm + saw_mm for _, mm, _ in largest) < need - SAME_MM:
            continue
        whole, sure = _dealt_to(wanted, largest, saw_mm)
        if whole is None:
            exact = exact and sure
            continue
        for bars in _sets(own, new, bought, need, saw_mm):
            dealt, sure = _dealt_to(wanted, bars, saw_mm)
            if dealt is not None:
                return bars, dealt, exact
            exact = exact and sure
        return largest, whole, False
    return shelf, *_most(wanted, shelf, saw_mm)


def _sets(own: list[BarStock], new: list[BarStock], bought: int, need_mm: float, saw_mm: float) -> Iterator[list[Bar]]:
    """Sets of bars long enough in all, with so many bought: the fewest first, of as many the shortest."""
    kinds = [(b.id, b.mm, False, b.count) for b in own] + [(b.id, b.mm, True, bought) for b in new]
    by_count: dict[int, list[tuple[float, tuple[int, ...]]]] = {}
    seen = 0
    for counts in product(*(range(most + 1) for *_, most in kinds)):
        seen += 1
        if seen > MOST_SETS * 50:
            break
        if sum(n for n, (_, _, buy, _) in zip(counts, kinds, strict=True) if buy) != bought:
            continue
        if sum(n * (mm + saw_mm) for n, (_, mm, _, _) in zip(counts, kinds, strict=True)) < need_mm - SAME_MM:
            continue
        by_count.setdefault(sum(counts), []).append((sum(n * mm for n, (_, mm, _, _) in zip(counts, kinds, strict=True)), counts))
    for total in sorted(by_count):
        for _, counts in sorted(by_count[total])[:MOST_SETS]:
            yield [(name, mm, buy) for n, (name, mm, buy, _) in zip(counts, kinds, strict=True) for _ in range(n)]


def _dealt_to(wanted: list[WantedLength], bars: list[Bar], saw_mm: float) -> tuple[Dealt | None, bool]:
    """The lengths dealt to a set of bars, all of it used or not; None where that cannot be, and whether that is sure."""
    longest = sorted(wanted, key=lambda w: -w.mm)
    if longest and longest[0].mm > max(mm for _, mm, _ in bars) + SAME_MM:
        return None, True
    for deal in (_by_room(longest, bars, saw_mm), *(_filled(longest, bars, saw_mm, n) for n in range(DEALS))):
        if deal is not None:
            return deal, True
    return _decided(wanted, bars, saw_mm)


def _by_room(longest: list[WantedLength], bars: list[Bar], saw_mm: float) -> Dealt | None:
    """The longest first, each where it leaves least."""
    room = [mm + saw_mm for _, mm, _ in bars]
    dealt: Dealt = [[] for _ in bars]
    for w in longest:
        fits = [k for k, free in enumerate(room) if free >= w.mm + saw_mm - SAME_MM]
        if not fits:
            return None
        k = min(fits, key=lambda k: room[k])
        dealt[k].append(w)
        room[k] -= w.mm + saw_mm
    return dealt


def _filled(longest: list[WantedLength], bars: list[Bar], saw_mm: float, number: int) -> Dealt | None:
    """Bar by bar, each as full as what is left can fill it; the order of bars and of what is tried first changes with the number."""
    dice = random.Random(number)
    left = list(longest)
    order = sorted(range(len(bars)), key=lambda k: bars[k][1])
    if number % 2:
        dice.shuffle(order)
    dealt: Dealt = [[] for _ in bars]
    for k in order:
        if not left:
            break
        tried = left[:1] + dice.sample(left[1:], len(left) - 1) if number else left
        chosen = _fullest(tried, bars[k][1] + saw_mm, saw_mm)
        ids = {w.id for w in chosen}
        dealt[k] = chosen
        left = [w for w in left if w.id not in ids]
    return None if left else dealt


def _fullest(tried: list[WantedLength], room_mm: float, saw_mm: float) -> list[WantedLength]:
    """Lengths that fill a room as far as they can, the first of them among these where it fits.

    The sums that can be reached with the first k lengths are the bits of a whole number, in steps, each length rounded up.
    """
    room = math.floor(room_mm / STEP_MM + SAME_MM)
    sizes = [math.ceil((w.mm + saw_mm) / STEP_MM - SAME_MM) for w in tried]
    if not tried:
        return []
    within = (1 << (room + 1)) - 1
    # What is left is filled around the first one, which has to lie somewhere.
    reached = [1 << sizes[0] if sizes[0] <= room else 1]
    for size in sizes[1:]:
        reached.append((reached[-1] | reached[-1] << size) & within)
        if reached[-1] >> room & 1:
            break
    at, found = reached[-1].bit_length() - 1, []
    for k in range(len(reached) - 1, 0, -1):
        if not reached[k - 1] >> at & 1:
            found.append(tried[k])
            at -= sizes[k]
    return [tried[0], *found] if sizes[0] <= room else found


def _decided(wanted: list[WantedLength], bars: list[Bar], saw_mm: float) -> tuple[Dealt | None, bool]:
    found, status, sizes = _programmed(wanted, bars, saw_mm, most=False)
    return (_as_dealt(found, sizes, wanted, len(bars)), True) if found is not None else (None, status == INFEASIBLE)


INFEASIBLE = 2


def _programmed(
    wanted: list[WantedLength], bars: list[Bar], saw_mm: float, most: bool
) -> tuple[NDArray[np.int64] | None, int, list[float]]:
    """How many of each length come from each bar: all of them, or as much length as can be."""
    kinds = Counter(round(w.mm, 6) for w in wanted)
    sizes = sorted(kinds, reverse=True)
    g, n = len(sizes), len(bars)
    matrix = lil_matrix((n + g, g * n))
    for j in range(n):
        for i, size in enumerate(sizes):
            matrix[j, i * n + j] = size + saw_mm
            matrix[n + i, i * n + j] = 1.0
    counts = [float(kinds[s]) for s in sizes]
    low = np.concatenate([np.full(n, -np.inf), np.zeros(g) if most else np.array(counts)])
    high = np.concatenate([np.array([mm + saw_mm + SAME_MM for _, mm, _ in bars]), np.array(counts)])
    cost = -np.repeat(np.array(sizes), n) if most else np.zeros(g * n)
    done = milp(
        cost, constraints=LinearConstraint(matrix.tocsr(), low, high), bounds=Bounds(0, np.repeat(counts, n)),
        integrality=np.ones(g * n), options={"time_limit": DECIDED_S, "mip_rel_gap": 0.0},
    )  # fmt: skip
    return (np.rint(done.x).astype(int).reshape(g, n) if done.x is not None else None), int(done.status), sizes


def _as_dealt(counts: NDArray[np.int64], sizes: list[float], wanted: list[WantedLength], bars: int) -> Dealt:
    left = {s: [w for w in wanted if round(w.mm, 6) == s] for s in sizes}
    return [[left[size].pop() for i, size in enumerate(sizes) for _ in range(counts[i, j])] for j in range(bars)]


def _most(wanted: list[WantedLength], bars: list[Bar], saw_mm: float) -> tuple[Dealt, bool]:
    """As much length as the bars give, where they cannot give it all."""
    if not bars:
        return [], True
    found, status, sizes = _programmed(wanted, bars, saw_mm, most=True)
    return (_as_dealt(found, sizes, wanted, len(bars)), status == 0) if found is not None else ([[] for _ in bars], False)
