"""Closed outlines of straight pieces and arcs: their chords, area, where they cross themselves, and arcs found again in chords.

A corner's bulge is the tangent of a quarter of the angle that the arc to the next corner
turns through, positive to the left; zero is straight. (Open drawing formats use the same
number.) An outline goes round to its first corner and does not repeat it.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache
from typing import Annotated

from shapely import STRtree
from shapely.geometry import LineString, Polygon
from shapely.geometry.polygon import orient
from shapely.validation import explain_validity

from elmpeg.core.base.declared import In
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

Flat = tuple[float, float]
SAGITTA_MM = 0.01
"""How far a chord may lie from the arc it stands for."""
ON_ARC_MM = 0.002
"""How far corners may lie from the arc that they are taken to be chords of."""
FEWEST_CHORDS = 4
MOST_TURN_DEG = 30.0
"""Chords of one arc turn by no more than this from one to the next: a hexagon stays one."""
SAME_MM = 1e-6
STRAIGHT_BULGE = 1e-9
ALIKE = 0.02
"""How much chords of one arc may differ in length, the first and the last aside."""


@record
class Corner:
    """A corner of an outline in its own plane, mm, and how the piece to the next corner bulges."""

    x_mm: float
    y_mm: float
    bulge: Annotated[float, In("ratio")] = 0.0

    @property
    def xy_mm(self) -> Flat:
        """Where it is."""
        return (self.x_mm, self.y_mm)


Outline = tuple[Corner, ...]


def straight(places: Sequence[Flat]) -> Outline:
    """An outline of straight pieces."""
    return tuple(Corner(float(x), float(y)) for x, y in places)


def arc_of(a: Corner, b: Corner) -> tuple[Flat, float] | None:
    """Middle and radius of the arc from a corner to the next; None where the piece is straight."""
    if abs(a.bulge) < STRAIGHT_BULGE:
        return None
    along = (b.x_mm - a.x_mm, b.y_mm - a.y_mm)
    lift = (1.0 - a.bulge**2) / (4.0 * a.bulge)
    middle = ((a.x_mm + b.x_mm) / 2 - along[1] * lift, (a.y_mm + b.y_mm) / 2 + along[0] * lift)
    return middle, math.hypot(*along) * (1.0 + a.bulge**2) / (4.0 * abs(a.bulge))


def chords(outline: Outline, sagitta_mm: float = SAGITTA_MM) -> tuple[Flat, ...]:
    """The outline in straight pieces, none further than the sagitta from its arc."""
    found: list[Flat] = []
    for a, b in zip(outline, (*outline[1:], outline[0]), strict=True):
        found.append(a.xy_mm)
        arc = arc_of(a, b)
        if arc is None:
            continue
        (cx, cy), radius = arc
        turn = 4.0 * math.atan(a.bulge)
        step = 2.0 * math.acos(max(1.0 - sagitta_mm / radius, 0.0)) if radius > sagitta_mm else math.pi / 4
        pieces = max(1, math.ceil(abs(turn) / step))
        start = math.atan2(a.y_mm - cy, a.x_mm - cx)
        found += [
            (cx + radius * math.cos(start + turn * k / pieces), cy + radius * math.sin(start + turn * k / pieces)) for k in range(1, pieces)
        ]
    return tuple(found)


def length_mm(outline: Outline) -> float:
    """How long a cutter's way along it is."""
    total = 0.0
    for a, b in zip(outline, (*outline[1:], outline[0]), strict=True):
        arc = arc_of(a, b)
        total += math.dist(a.xy_mm, b.xy_mm) if arc is None else arc[1] * abs(4.0 * math.atan(a.bulge))
    return total


def area_mm2(outline: Outline) -> float:
    """The area inside it: that of its corners' polygon and of the segments beyond its chords."""
    total = 0.0
    for a, b in zip(outline, (*outline[1:], outline[0]), strict=True):
        total += (a.x_mm * b.y_mm - b.x_mm * a.y_mm) / 2
        arc = arc_of(a, b)
        if arc is not None:
            turn = 4.0 * math.atan(a.bulge)
            total += arc[1] ** 2 * (turn - math.sin(turn)) / 2
    return abs(total)


def mirrored(outline: Outline) -> Outline:
    """Turned over about the line x = 0, and still going round the same way."""
    turned = [Corner(-c.x_mm, c.y_mm, -c.bulge) for c in outline]
    # Going the other way round, each piece is named by its other end and bulges to the other side.
    return tuple(Corner(c.x_mm, c.y_mm, -turned[k - 1].bulge) for k, c in reversed(list(enumerate(turned))))


@lru_cache(maxsize=4096)
def polygon_of(outline: Outline) -> Polygon:
    """As a plane polygon in chords. Raises InputError naming the place where it crosses or touches itself."""
    if len(outline) < 2 or (len(outline) == 2 and all(abs(c.bulge) < STRAIGHT_BULGE for c in outline)):
        raise InputError("outline", f"has {len(outline)} corners; it needs at least three")
    shape = Polygon(chords(outline))
    if not shape.is_valid:
        at = crossing(outline)
        where = f" near {at[0]:.1f}, {at[1]:.1f} mm" if at else f" ({explain_validity(shape)})"
        raise InputError("outline", f"crosses or touches itself{where}; move a corner so that it goes round once")
    if shape.area <= SAME_MM:
        raise InputError("outline", "encloses nothing; its corners lie in a line")
    return shape


def crossing(outline: Outline) -> Flat | None:
    """The first place where an outline crosses or touches itself; None where it does not."""
    places = chords(outline)
    pieces = [LineString(p) for p in zip(places, (*places[1:], places[0]), strict=True)]
    tree = STRtree(pieces)
    count = len(pieces)
    for k, piece in enumerate(pieces):
        for j in sorted(int(j) for j in tree.query(piece)):
            if j <= k or (j - k) % count in (1, count - 1):
                continue
            met = piece.intersection(pieces[j])
            if not met.is_empty:
                return (float(met.centroid.x), float(met.centroid.y))
    return None


def with_arcs(places: Sequence[Flat], within_mm: float = ON_ARC_MM) -> Outline:
    """Chords that follow one another along a circle, as the arc that they stand for; the rest as it is.

    Counter-clockwise. At least four chords of equal length, each turning from the last by up to 30°, whose corners lie
    within ``within_mm`` of one circle make an arc.
    """
    ring = _without_doubles(list(orient(Polygon(places)).exterior.coords[:-1]))
    count = len(ring)
    if count < FEWEST_CHORDS + 1:
        return straight(ring)
    # Behind the longest piece, which is no chord of an arc that is to be found; of a circle all is one run wherever it begins.
    begin = max(range(count), key=lambda k: math.dist(ring[k - 1], ring[k]))
    ring = ring[begin:] + ring[:begin]
    found: list[Corner] = []
    at = 0
    closed = [*ring, ring[0]]
    while at < count:
        end = _run_end(closed, at, within_mm)
        if end - at >= FEWEST_CHORDS:
            found += _as_arcs(closed[at : end + 1])
            at = end
        else:
            found.append(Corner(*closed[at]))
            at += 1
    return tuple(found)


def _without_doubles(ring: list[Flat]) -> list[Flat]:
    """Without corners at one place, and without those in the middle of a straight piece."""
    apart = [p for k, p in enumerate(ring) if math.dist(p, ring[k - 1]) > SAME_MM]
    kept = [p for k, p in enumerate(apart) if abs(_turn_deg(apart[k - 1], p, apart[(k + 1) % len(apart)])) > 1e-4]
    return [(float(x), float(y)) for x, y in kept]


def _turn_deg(a: Flat, b: Flat, c: Flat) -> float:
    one, two = math.atan2(b[1] - a[1], b[0] - a[0]), math.atan2(c[1] - b[1], c[0] - b[0])
    return (math.degrees(two - one) + 180.0) % 360.0 - 180.0


def _run_end(places: list[Flat], at: int, within_mm: float) -> int:
    """The last corner of the longest arc that begins at a corner; the corner itself where none does."""
    if at + 2 >= len(places):
        return at
    lengths = [math.dist(places[k], places[k + 1]) for k in range(at, min(at + 2, len(places) - 1))]
    if abs(lengths[0] - lengths[1]) > ALIKE * max(lengths):
        return at
    first = _turn_deg(*places[at : at + 3])
    if not 0.0 < abs(first) <= MOST_TURN_DEG:
        return at
    circle = _circle(places[at], places[at + 1], places[at + 2])
    if circle is None:
        return at
    end = at + 2
    for k in range(at + 3, len(places)):
        turn = _turn_deg(places[k - 2], places[k - 1], places[k])
        alike = abs(math.dist(places[k - 1], places[k]) - lengths[0]) <= ALIKE * lengths[0]
        if turn * first <= 0 or abs(turn) > MOST_TURN_DEG or not alike or abs(math.dist(places[k], circle[0]) - circle[1]) > within_mm:
            break
        end = k
    return end


def _circle(a: Flat, b: Flat, c: Flat) -> tuple[Flat, float] | None:
    d = 2 * (a[0] * (b[1] - c[1]) + b[0] * (c[1] - a[1]) + c[0] * (a[1] - b[1]))
    if abs(d) < SAME_MM:
        return None
    ux = sum((p[0] ** 2 + p[1] ** 2) * (q[1] - r[1]) for p, q, r in ((a, b, c), (b, c, a), (c, a, b))) / d
    uy = sum((p[0] ** 2 + p[1] ** 2) * (r[0] - q[0]) for p, q, r in ((a, b, c), (b, c, a), (c, a, b))) / d
    return (ux, uy), math.dist((ux, uy), a)


def _as_arcs(run: list[Flat]) -> list[Corner]:
    """A run along a circle as one arc, or as two where it turns through more than half a circle; without the last corner."""
    turn = sum(_turn_deg(*run[k : k + 3]) for k in range(len(run) - 2)) * (len(run) - 1) / max(len(run) - 2, 1)
    parts = 1 if abs(turn) < 180.0 else 2
    cuts = [round(k * (len(run) - 1) / parts) for k in range(parts)]
    ends = [*cuts[1:], len(run) - 1]
    return [Corner(*run[a], math.tan(math.radians(turn * (b - a) / (len(run) - 1)) / 4)) for a, b in zip(cuts, ends, strict=True)]
