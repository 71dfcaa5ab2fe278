"""A belt around pulleys: its length, how far it wraps each, and where a stock belt comes tight.

Pulleys are circles seen from the front of the engine. The belt runs anticlockwise; a
pulley inside the loop has it on its face and turns anticlockwise too, one outside has
the belt's back on it and turns the other way. A radius counts negative for the latter:
the middle of each pulley then lies that far to the left of the belt.
"""

from __future__ import annotations

import math

from scipy.optimize import brentq

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

Flat = tuple[float, float]
FULL_TURN = 2 * math.pi
SAME_TURN = 1e-6
TOUCHING_MM = 1e-6
PLACES_IN_SLOT = 60
"""Places along a slot looked at, so that a belt which comes tight twice is found where it first does."""


@record
class Pulley:
    """A pulley by its pitch diameter; ``back`` where the belt's back runs on it."""

    id: str
    x_mm: float
    y_mm: float
    d_mm: float
    back: bool = False

    @property
    def centre(self) -> Flat:
        """Its middle."""
        return (self.x_mm, self.y_mm)

    @property
    def left_mm(self) -> float:
        """How far its middle lies to the left of the belt, negative for one that is run on by the back."""
        return (-self.d_mm if self.back else self.d_mm) / 2


@record
class Slot:
    """A pulley that slides along a direction for tension, between two places counted from where it is given."""

    id: str
    direction: Flat
    from_mm: float
    to_mm: float


@record
class Span:
    """A free length of belt from one pulley to the next, with where it leaves and where it arrives."""

    from_id: str
    to_id: str
    mm: float
    leaves_mm: Flat
    arrives_mm: Flat


@record
class Wrap:
    """How far the belt lies around a pulley."""

    id: str
    wrap_deg: float


@record
class BeltPath:
    """The whole length at the pitch line, the wraps in order and the spans between."""

    length_mm: float
    wraps: tuple[Wrap, ...]
    spans: tuple[Span, ...]


@record
class TightBelt:
    """A stock belt, and where in the slot it comes tight."""

    mm: float
    at_mm: float


@record
class SlotRange:
    """The belt's length at the two ends of the slot, and the stock belts that come tight within it."""

    length_from_mm: float
    length_to_mm: float
    stock: tuple[TightBelt, ...]


def belt_path(pulleys: tuple[Pulley, ...]) -> BeltPath:
    """The belt around pulleys in its order, anticlockwise.

    Raises InputError for pulleys that overlap, by name, and for an order that no belt can follow: one that would have to
    turn other than once in all, pass through another pulley, or cross itself.
    """
    for k, b in enumerate(pulleys):
        for a in pulleys[:k]:
            apart, needed = math.dist(a.centre, b.centre), (a.d_mm + b.d_mm) / 2
            if apart < needed - TOUCHING_MM:
                raise InputError(f"pulleys.{k}", f"“{b.id}” overlaps “{a.id}”: centres {apart:.1f} mm apart, {needed:.1f} mm is the least")
    spans, ways = [], []
    for a, b in zip(pulleys, (*pulleys[1:], pulleys[0]), strict=True):
        span, way = _span(a, b)
        spans.append(span)
        ways.append(way)
    turns = [(out - into) * (-1 if p.back else 1) % FULL_TURN for p, into, out in zip(pulleys, (ways[-1], *ways[:-1]), ways, strict=True)]
    # A turn a hair short of full is one of nothing, seen from the other side of a rounding.
    turns = [0.0 if FULL_TURN - t < SAME_TURN else t for t in turns]
    whole = sum(-t if p.back else t for p, t in zip(pulleys, turns, strict=True))
    if abs(whole - FULL_TURN) > SAME_TURN:
        raise InputError("pulleys", "are in an order that a belt cannot follow; list them as the belt runs, anticlockwise from the front")
    _refuse_through(pulleys, tuple(spans))
    length = sum(s.mm for s in spans) + sum(t * p.d_mm / 2 for p, t in zip(pulleys, turns, strict=True))
    return BeltPath(length, tuple(Wrap(p.id, math.degrees(t)) for p, t in zip(pulleys, turns, strict=True)), tuple(spans))


def _span(a: Pulley, b: Pulley) -> tuple[Span, float]:
    """The free length from one pulley to the next, and the direction that it runs in, radians."""
    dx, dy = b.x_mm - a.x_mm, b.y_mm - a.y_mm
    apart, nearer = math.hypot(dx, dy), b.left_mm - a.left_mm
    if apart <= abs(nearer):
        raise InputError("pulleys", f"“{a.id}” and “{b.id}” have no belt between them: one lies within the other")
    way = math.atan2(dy, dx) - math.asin(nearer / apart)
    left = (-math.sin(way), math.cos(way))
    leaves = (a.x_mm - a.left_mm * left[0], a.y_mm - a.left_mm * left[1])
    arrives = (b.x_mm - b.left_mm * left[0], b.y_mm - b.left_mm * left[1])
    return Span(a.id, b.id, math.sqrt(apart * apart - nearer * nearer), leaves, arrives), way


def _refuse_through(pulleys: tuple[Pulley, ...], spans: tuple[Span, ...]) -> None:
    for s in spans:
        for k, p in enumerate(pulleys):
            if p.id not in (s.from_id, s.to_id) and _distance_mm(p.centre, s.leaves_mm, s.arrives_mm) < p.d_mm / 2 - TOUCHING_MM:
                raise InputError(
                    f"pulleys.{k}",
                    f"“{p.id}” stands in the way of the belt from “{s.from_id}” to “{s.to_id}”, so the belt cannot follow this order",
                )
    for k, a in enumerate(spans):
        for b in spans[k + 2 :]:
            if _cross((a.leaves_mm, a.arrives_mm), (b.leaves_mm, b.arrives_mm)):
                raise InputError(
                    "pulleys", f"are in an order that a belt cannot follow: from “{a.from_id}” it would cross itself behind “{b.from_id}”"
                )


def _distance_mm(p: Flat, a: Flat, b: Flat) -> float:
    dx, dy = b[0] - a[0], b[1] - a[1]
    share = ((p[0] - a[0]) * dx + (p[1] - a[1]) * dy) / max(dx * dx + dy * dy, TOUCHING_MM)
    share = min(1.0, max(0.0, share))
    return math.dist(p, (a[0] + share * dx, a[1] + share * dy))


def _cross(one: tuple[Flat, Flat], other: tuple[Flat, Flat]) -> bool:
    def side(a: Flat, b: Flat, p: Flat) -> float:
        return (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])

    return side(*one, other[0]) * side(*one, other[1]) < 0 and side(*other, one[0]) * side(*other, one[1]) < 0


def pulley_rpm(pulleys: tuple[Pulley, ...], rpm: float) -> tuple[float, ...]:
    """Speeds in order, the first at ``rpm``; one that the belt runs on from the other side turns the other way."""
    first = pulleys[0]
    return tuple(rpm * first.left_mm / p.left_mm for p in pulleys)


def slid(pulleys: tuple[Pulley, ...], slot: Slot, by_mm: float) -> tuple[Pulley, ...]:
    """The pulleys with the sliding one moved along its slot."""
    u, v = slot.direction
    size = math.hypot(u, v)
    return tuple(
        Pulley(p.id, p.x_mm + by_mm * u / size, p.y_mm + by_mm * v / size, p.d_mm, p.back) if p.id == slot.id else p for p in pulleys
    )


def slot_range(pulleys: tuple[Pulley, ...], slot: Slot, stock_mm: tuple[float, ...] = ()) -> SlotRange:
    """Belt lengths over a slot, and where each stock belt first comes tight, going from the slot's start to its end.

    Raises InputError where the slot names no pulley, and where the belt cannot run at one of its ends.
    """
    if all(p.id != slot.id for p in pulleys):
        raise InputError("slot.id", f"“{slot.id}” is none of the pulleys: {', '.join(p.id for p in pulleys)}")
    if math.hypot(*slot.direction) < TOUCHING_MM:
        raise InputError("slot.direction", "is zero; say which way the pulley slides, such as 1 and 0.5")
    ends = []
    for field, by in (("from_mm", slot.from_mm), ("to_mm", slot.to_mm)):
        try:
            ends.append(belt_path(slid(pulleys, slot, by)).length_mm)
        except InputError as refused:
            raise InputError(f"slot.{field}", f"puts the pulley where the belt cannot run: {refused.message}") from None
    if not stock_mm:
        return SlotRange(ends[0], ends[1], ())
    steps = [slot.from_mm + (slot.to_mm - slot.from_mm) * k / PLACES_IN_SLOT for k in range(PLACES_IN_SLOT + 1)]
    lengths = [_length_or_none(pulleys, slot, s) for s in steps]
    found = [(mm, _tight_mm(pulleys, slot, mm, steps, lengths)) for mm in sorted(set(stock_mm))]
    return SlotRange(ends[0], ends[1], tuple(TightBelt(mm, at) for mm, at in found if at is not None))


def _length_or_none(pulleys: tuple[Pulley, ...], slot: Slot, by_mm: float) -> float | None:
    try:
        return belt_path(slid(pulleys, slot, by_mm)).length_mm
    except InputError:
        return None


def _tight_mm(pulleys: tuple[Pulley, ...], slot: Slot, mm: float, steps: list[float], lengths: list[float | None]) -> float | None:
    for a, b, la, lb in zip(steps, steps[1:], lengths, lengths[1:], strict=False):
        if la is None or lb is None or (la - mm) * (lb - mm) > 0:
            continue
        if la == lb:
            return a
        return float(brentq(lambda by: belt_path(slid(pulleys, slot, by)).length_mm - mm, a, b, xtol=1e-9))
    return None
