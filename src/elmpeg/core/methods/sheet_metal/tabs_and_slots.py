"""Whether a part with tabs can be put into its slots in any other way than the right one."""

from __future__ import annotations

import math

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

Bounds = tuple[float, float, float, float]
"""Between which the part may be shifted: least and most across, least and most up."""
GOES_IN_MM = 1e-9
SAME_MM = 1e-9
MOST_TABS = 8
WAYS: tuple[tuple[str, float, float], ...] = (
    ("as drawn", 1.0, 1.0),
    ("turned end for end", -1.0, -1.0),
    ("turned over end for end", -1.0, 1.0),
    ("turned over sideways", 1.0, -1.0),
)
"""Each way with what it does to x and y of a tab."""


@record
class Opening:
    """A tab or a slot by its middle and its two sizes."""

    id: str
    x_mm: float
    y_mm: float
    wide_mm: float
    tall_mm: float


@record
class WayIn:
    """One way of putting the part in: what it lacks at its worst, which tab goes where, and the shift of the part."""

    way: str
    worst_short_mm: float
    goes_in: bool
    pairs: tuple[tuple[str, str], ...]
    shift_mm: tuple[float, float]


class _Axis:
    """Along one axis: for each tab and slot, how far right and how far left the part may be shifted for it to go in."""

    def __init__(self, tabs: list[float], slots: list[float], tab_size: list[float], slot_size: list[float]) -> None:
        self.low = [[s - t - (b - a) / 2 for s, b in zip(slots, slot_size, strict=True)] for t, a in zip(tabs, tab_size, strict=True)]
        self.high = [[s - t + (b - a) / 2 for s, b in zip(slots, slot_size, strict=True)] for t, a in zip(tabs, tab_size, strict=True)]


def ways_in(tabs: tuple[Opening, ...], slots: tuple[Opening, ...]) -> tuple[WayIn, ...]:
    """The four ways of putting a flat part in, each over its best assignment of tabs to slots and its best shift.

    Along each axis for itself the shift makes the worst of (|miss| − play) least, play being half of slot less tab; of the
    two axes the worse counts. Exact, by a search that drops what is already worse than the best. Raises InputError for
    more tabs than slots, or more than eight tabs.
    """
    if not tabs:
        raise InputError("tabs", "has none; what goes in has one at least")
    if len(tabs) > len(slots):
        raise InputError("slots", f"are {len(slots)} for {len(tabs)} tabs; every tab needs a slot of its own")
    if len(tabs) > MOST_TABS:
        raise InputError("tabs", f"are {len(tabs)}; up to {MOST_TABS} can be tried in every way")
    return tuple(_way(name, sx, sy, tabs, slots) for name, sx, sy in WAYS)


def laid_anew(tabs: tuple[Opening, ...], slots: tuple[Opening, ...], ways: tuple[WayIn, ...]) -> tuple[WayIn, ...]:
    """Tabs and slots that differ a little from those of four ways, each with the same pairs."""
    by_tab, by_slot = {t.id: t for t in tabs}, {s.id: s for s in slots}
    found = []
    for (name, sx, sy), way in zip(WAYS, ways, strict=True):
        pairs = [(by_tab[t], by_slot[s]) for t, s in way.pairs]
        axes = _axes(sx, sy, tuple(t for t, _ in pairs), tuple(s for _, s in pairs))
        lows = [max(axis.low[k][k] for k in range(len(pairs))) for axis in axes]
        highs = [min(axis.high[k][k] for k in range(len(pairs))) for axis in axes]
        worst = _short((lows[0], highs[0], lows[1], highs[1]))
        shift = ((lows[0] + highs[0]) / 2, (lows[1] + highs[1]) / 2)
        found.append(WayIn(name, worst, worst <= GOES_IN_MM, way.pairs, shift))
    return tuple(found)


def _axes(sx: float, sy: float, tabs: tuple[Opening, ...], slots: tuple[Opening, ...]) -> tuple[_Axis, _Axis]:
    return (
        _Axis([sx * t.x_mm for t in tabs], [s.x_mm for s in slots], [t.wide_mm for t in tabs], [s.wide_mm for s in slots]),
        _Axis([sy * t.y_mm for t in tabs], [s.y_mm for s in slots], [t.tall_mm for t in tabs], [s.tall_mm for s in slots]),
    )


def _way(name: str, sx: float, sy: float, tabs: tuple[Opening, ...], slots: tuple[Opening, ...]) -> WayIn:
    axes = _axes(sx, sy, tabs, slots)
    best: list[tuple[float, tuple[int, ...]]] = [(math.inf, ())]
    x, y = axes

    def options(k: int, free: frozenset[int], bounds: Bounds) -> list[tuple[float, int, Bounds]]:
        """Slots that a tab can still go to without being worse than the best way so far, with what they narrow the shift to."""
        found = []
        for j in free:
            wider = (max(bounds[0], x.low[k][j]), min(bounds[1], x.high[k][j]), max(bounds[2], y.low[k][j]), min(bounds[3], y.high[k][j]))
            short = _short(wider)
            if short < best[0][0] - SAME_MM:
                found.append((short, j, wider))
        return found

    def search(chosen: dict[int, int], free: frozenset[int], bounds: Bounds) -> None:
        if len(chosen) == len(tabs):
            best[0] = (_short(bounds), tuple(chosen[k] for k in range(len(tabs))))
            return
        left = {k: options(k, free, bounds) for k in range(len(tabs)) if k not in chosen}
        # The tab with the fewest slots left is decided first; one with none ends it.
        k = min(left, key=lambda k: len(left[k]))
        for short, j, wider in sorted(left[k]):
            if short < best[0][0] - SAME_MM:
                search({**chosen, k: j}, free - {j}, wider)

    search({}, frozenset(range(len(slots))), (-math.inf, math.inf, -math.inf, math.inf))
    worst, chosen = best[0]
    lows = [(axes[i].low[k][j], axes[i].high[k][j]) for i in (0, 1) for k, j in enumerate(chosen)]
    n = len(tabs)
    shift = tuple((max(v[0] for v in part) + min(v[1] for v in part)) / 2 for part in (lows[:n], lows[n:]))
    pairs = tuple((tabs[k].id, slots[j].id) for k, j in enumerate(chosen))
    return WayIn(name, worst, worst <= GOES_IN_MM, pairs, (shift[0], shift[1]))


def _short(bounds: Bounds) -> float:
    """How much the worst lacks on the worse axis with the best shift: half of how far the bounds overrun each other."""
    return max((bounds[0] - bounds[1]) / 2, (bounds[2] - bounds[3]) / 2)
