"""Ways of putting a plate into a stand other than the right one: turned, turned over, moved along, or in another plate's place.

A plate is held by what it has in its own plane: tabs that go into slots of others, slots that take tabs of others, and
halvings. Put otherwise it lies in the same plane, so that every way is a turn, with or without turning over, and a shift.
Each is found from where its first tab could go, and judged like ``tabs_and_slots``: the shift that makes the worst of
(|miss| − play) least.
"""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

from scipy.optimize import linprog

from elmpeg.core.base.record import record
from elmpeg.core.methods.stands.assembly_order import P2
from elmpeg.core.methods.stands.tab_joints import Halving, TabJoint

ALIKE = 0.999
"""Cosine from which on two directions are one."""
Kind = Literal["tab", "slot", "halving"]
Turn = tuple[float, float, float, float]
"""The rows of a turn, or of a turn and a turning over, in a plate's plane."""


@record
class Feature:
    """What holds a plate in its plane: its middle, the way that it points, its size square to that, and how thick it is.

    A tab points out of its plate, a slot square to its length, a halving from its mouth to its end; ``wide_mm`` of a halving is
    the other plate's thickness. Slots are larger than their tabs by the play.
    """

    kind: Kind
    mate: str
    id: str
    at_mm: P2
    out: P2
    wide_mm: float
    tall_mm: float


@record
class OtherWay:
    """A plate put otherwise: its turn and shift, what it lacks at its worst, and which of its features stands where."""

    turn: Turn
    shift_mm: P2
    short_mm: float
    pairs: tuple[tuple[Feature, Feature], ...]

    @property
    def over(self) -> bool:
        """Whether it is turned over."""
        return _det(self.turn) < 0

    @property
    def turned_deg(self) -> float:
        """By how much it is turned in its plane, 0 to 180; of a plate turned over it means nothing."""
        return abs(math.degrees(math.atan2(self.turn[2], self.turn[0])))


def features_of(part: str, joints: tuple[TabJoint, ...], halvings: tuple[Halving, ...]) -> tuple[Feature, ...]:
    """What holds a plate of a stand, in its own flat."""
    found = []
    for j in joints:
        if j.tabbed == part:
            u = _unit(j.a, j.b)
            found += [Feature("tab", j.slotted, t.id, _on(j.a, u, t.at_mm), j.out, t.wide_mm, j.thick_tabbed_mm) for t in j.tabs]
        if j.slotted == part:
            u = _unit(j.c, j.d)
            found += [Feature("slot", j.tabbed, t.id, _on(j.c, u, t.at_mm), (-u[1], u[0]), t.wide_mm, j.thick_tabbed_mm) for t in j.tabs]
    for h in halvings:
        for mine, mate, slot, wide in ((h.one, h.other, h.one_slot, h.one_wide_mm), (h.other, h.one, h.other_slot, h.other_wide_mm)):
            if mine == part:
                found.append(Feature("halving", mate, mate, slot[1], _unit(*slot), wide, 0.0))
    return tuple(found)


def other_ways(own: tuple[Feature, ...], there: tuple[Feature, ...], play_mm: float, near_mm: float) -> tuple[OtherWay, ...]:
    """Every way in which a plate's tabs go into the slots of a place with no more than ``near_mm`` lacking, but for the right one;
    of a plate without tabs, its slots and halvings.

    ``own`` is what the plate has, ``there`` what the plate has that belongs there, each in the flat of its plate: the same where
    it is the plate's own place.
    """
    leading = [f for f in own if f.kind == "tab"] or list(own)
    found: dict[tuple[object, ...], OtherWay] = {}
    for target in [f for f in there if leading and f.kind == leading[0].kind]:
        for turn in _turns(leading[0], target):
            way = _way(leading, there, turn, target, play_mm, near_mm)
            if way is None or way.short_mm > near_mm or (_is_as_drawn(way) and own is there):
                continue
            key = (*(round(v, 3) for v in turn), *((a.mate, a.id, b.mate, b.id) for a, b in way.pairs))
            found[key] = way
    return tuple(sorted(found.values(), key=lambda w: w.short_mm))


def held_too(way: OtherWay, own: tuple[Feature, ...], there: tuple[Feature, ...], play_mm: float, near_mm: float) -> str:
    """The plate that shows that another was put in otherwise, since it does not go in any more; empty where none does."""
    for feature in own:
        if feature.kind == "tab" or any(feature == a for a, _ in way.pairs):
            continue
        target = _nearest(feature, there, way.turn, way.shift_mm)
        misses = [] if target is None else _misses(feature, target, way.turn, way.shift_mm, play_mm)
        if target is None or any(abs(miss) - room > near_mm for _, miss, room in misses):
            return feature.mate
    return ""


def short_of(way: OtherWay, tab: Feature, changed: Feature, own_place: bool, play_mm: float) -> float:
    """What a way lacks where one of the plate's tabs is changed; in the plate's own place its slot is changed with it."""
    pairs = [(changed if a is tab else a, changed if own_place and b is tab else b) for a, b in way.pairs]
    return _short(pairs, way.turn, play_mm)[0]


def moved_tab(feature: Feature, wider_mm: float, along_mm: float) -> Feature:
    """A tab that is wider, or moved along its edge."""
    u = (-feature.out[1], feature.out[0])
    return replace(feature, wide_mm=feature.wide_mm + wider_mm, at_mm=_on(feature.at_mm, u, along_mm))


def _turns(feature: Feature, target: Feature) -> list[Turn]:
    """Turns that lay a feature's direction on a target's; a slot has no front."""
    found = []
    for sign in (1.0, -1.0) if feature.kind == "slot" else (1.0,):
        (a, b), (c, d) = feature.out, (sign * target.out[0], sign * target.out[1])
        cos, sin = a * c + b * d, a * d - b * c
        # Turned; and turned over about the feature's own direction before it.
        over = (a * a - b * b, 2 * a * b, 2 * a * b, b * b - a * a)
        turned = (cos, -sin, sin, cos)
        found += [turned, _after(turned, over)]
    return found


def _way(leading: list[Feature], there: tuple[Feature, ...], turn: Turn, first: Feature, play_mm: float, near_mm: float) -> OtherWay | None:
    x, y = _turned(turn, leading[0].at_mm)
    shift = (first.at_mm[0] - x, first.at_mm[1] - y)
    slack = [room for _, _, room in _misses(leading[0], first, turn, shift, play_mm)]
    pairs: list[tuple[Feature, Feature]] = []
    for feature in leading:
        target = first if feature is leading[0] else _nearest(feature, there, turn, shift)
        if target is None or any(target is t for _, t in pairs):
            return None
        # However the plate is shifted from here, it leaves half of what two of its features differ in.
        if any(abs(miss) - room - max(slack) > 2 * near_mm for _, miss, room in _misses(feature, target, turn, shift, play_mm)):
            return None
        pairs.append((feature, target))
    short, best = _short(pairs, turn, play_mm)
    return OtherWay(turn, best, short, tuple(pairs))


def _nearest(feature: Feature, there: tuple[Feature, ...], turn: Turn, shift: P2) -> Feature | None:
    out, at = _turned(turn, feature.out), _turned(turn, feature.at_mm)
    like = [
        t
        for t in there
        if t.kind == feature.kind and _dot(out, t.out) * (1.0 if feature.kind != "slot" else math.copysign(1.0, _dot(out, t.out))) > ALIKE
    ]
    return min(like, key=lambda t: math.dist(t.at_mm, (at[0] + shift[0], at[1] + shift[1])), default=None)


def _misses(feature: Feature, target: Feature, turn: Turn, shift: P2, play_mm: float) -> list[tuple[P2, float, float]]:
    """Along the target's direction and square to it: how far the feature misses it, and how much room it has there."""
    x, y = _turned(turn, feature.at_mm)
    off = (x + shift[0] - target.at_mm[0], y + shift[1] - target.at_mm[1])
    out, square = target.out, (-target.out[1], target.out[0])
    # A tab has the room that its slot leaves it; a slot that of the tab that comes into it.
    larger = target.wide_mm - feature.wide_mm if feature.kind == "tab" else feature.wide_mm - target.wide_mm
    deep = feature.tall_mm - target.tall_mm if feature.kind == "slot" else 0.0
    found = [(out, _dot(off, out), (play_mm + deep) / 2), (square, _dot(off, square), (play_mm + larger) / 2)]
    if feature.kind == "tab" and feature.tall_mm != target.tall_mm:
        # Its thickness goes into the slot's height, which no shift in the plane changes.
        found.append(((0.0, 0.0), 0.0, (play_mm + target.tall_mm - feature.tall_mm) / 2))
    return found


def _short(pairs: list[tuple[Feature, Feature]], turn: Turn, play_mm: float) -> tuple[float, P2]:
    """The least worst of (|miss| − room) over every shift, and that shift. Along each of two square axes it is that of intervals;
    where edges stand otherwise, a linear programme in the shift and the worst."""
    rows = [row for a, b in pairs for row in _misses(a, b, turn, (0.0, 0.0), play_mm)]
    fixed = max((-room for axis, _, room in rows if axis == (0.0, 0.0)), default=-math.inf)
    rows = [row for row in rows if row[0] != (0.0, 0.0)]
    x = rows[0][0]
    y = (-x[1], x[0])
    across = [abs(_dot(axis, x)) for axis, _, _ in rows]
    if all(c > ALIKE or c < math.sqrt(1 - ALIKE**2) for c in across):
        worst, shifts = [fixed], []
        for base in (x, y):
            low, high = -math.inf, math.inf
            for axis, miss, room in rows:
                if abs(_dot(axis, base)) > ALIKE:
                    m = miss * math.copysign(1.0, _dot(axis, base))
                    low, high = max(low, -m - room), min(high, -m + room)
            worst.append((low - high) / 2)
            shifts.append((low + high) / 2)
        return max(worst), (x[0] * shifts[0] + y[0] * shifts[1], x[1] * shifts[0] + y[1] * shifts[1])
    bounds = [[s * axis[0], s * axis[1], -1.0] for axis, _, _ in rows for s in (1.0, -1.0)]
    least = [room - s * miss for _, miss, room in rows for s in (1.0, -1.0)]
    done = linprog([0.0, 0.0, 1.0], A_ub=bounds, b_ub=least, bounds=[(None, None)] * 3)
    return max(fixed, float(done.x[2])), (float(done.x[0]), float(done.x[1]))


def _is_as_drawn(way: OtherWay) -> bool:
    return not way.over and way.turned_deg < 1e-3 and all(a is b for a, b in way.pairs)


def _turned(turn: Turn, p: P2) -> P2:
    return (turn[0] * p[0] + turn[1] * p[1], turn[2] * p[0] + turn[3] * p[1])


def _after(second: Turn, first: Turn) -> Turn:
    (a, b, c, d), (e, f, g, h) = second, first
    return (a * e + b * g, a * f + b * h, c * e + d * g, c * f + d * h)


def _det(turn: Turn) -> float:
    return turn[0] * turn[3] - turn[1] * turn[2]


def _dot(a: P2, b: P2) -> float:
    return a[0] * b[0] + a[1] * b[1]


def _unit(a: P2, b: P2) -> P2:
    long = math.dist(a, b)
    return ((b[0] - a[0]) / long, (b[1] - a[1]) / long)


def _on(at: P2, u: P2, s: float) -> P2:
    return (at[0] + u[0] * s, at[1] + u[1] * s)
