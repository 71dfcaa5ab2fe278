"""Tabs and slots where plates meet at a right angle, and halving slots where they cross.

A plate that ends on another's face gets tabs that go through it. Each tab of a joint,
and each joint of a stand, gets a width of its own, so that a plate goes into its own
place in one way only. The play is that of the process; corners that a cutter leaves
round are relieved.
"""

from __future__ import annotations

import math
from typing import Annotated

from shapely.geometry import LineString, Polygon, box
from shapely.geometry import Point as Dot
from shapely.ops import unary_union

from elmpeg.core.base.declared import Called
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, cross, dot, scale, sub, unit
from elmpeg.core.methods.sheet_metal.cutting_limits import CutBy
from elmpeg.core.methods.sheet_metal.tabs_and_slots import Opening, WayIn, ways_in
from elmpeg.core.methods.stands.assembly_order import P2, Ring, StandPlate

PLAY_MM: dict[CutBy, float] = {"laser": 0.2, "water jet": 0.3, "plasma": 0.8, "punch": 0.3, "by hand": 1.0}
"""How much larger a slot is than its tab, across and along."""
CORNER_MM: dict[CutBy, float] = {"laser": 0.3, "water jet": 0.6, "plasma": 1.0, "punch": 0.3, "by hand": 1.5}
"""The radius that is left in an inner corner."""
SQUARE = 0.02
LIES_ON_MM = 1.0
SHORTEST_MM = 20.0
TAB_SHARE, WIDTH_STEP = 0.18, 0.22
EDGE_SHARE = 0.12
SHORT_IN_MM = 0.5
"""How far a tab is drawn into the plate that it grows from, so that the two are one."""


@record
class Tab:
    """A tab by its middle along the joint and its width."""

    id: str
    at_mm: Annotated[float, Called("where it is")]
    wide_mm: float


@record
class TabJoint:
    """Where one plate's edge meets another's face: along its line in the tabbed plate's flat, and where that lies in the other's.

    ``a`` and ``b`` are the line's ends in the tabbed plate's flat, ``out`` points from there into the other plate; ``c`` and ``d``
    are the same ends in the slotted plate's flat, in the middle of the tabbed plate's thickness.
    """

    tabbed: str
    slotted: str
    a: P2
    b: P2
    out: P2
    c: P2
    d: P2
    tabs: tuple[Tab, ...]
    thick_tabbed_mm: float
    thick_slotted_mm: float

    @property
    def long_mm(self) -> float:
        """How long the two touch."""
        return math.dist(self.a, self.b)


@record
class Halving:
    """Where two plates cross: in each flat the slot's line from its mouth to where it ends."""

    one: str
    other: str
    one_slot: tuple[P2, P2]
    other_slot: tuple[P2, P2]
    one_wide_mm: float
    other_wide_mm: float


def joint_between(one: StandPlate, other: StandPlate, number: int = 0) -> TabJoint | Halving | None:
    """How two plates meet: tabs of the one that ends on the other's face, a halving where they cross, or nothing.

    ``number`` counts the joints of a stand; with it the widths of the tabs differ from joint to joint.
    """
    if abs(dot(one.frame.up, other.frame.up)) > SQUARE:
        return None
    for tabbed, slotted in ((one, other), (other, one)):
        made = _ends_on(tabbed, slotted, number)
        if made is not None:
            return made
    return _crossed(one, other)


def _flat(plate: StandPlate, p: Vec3) -> P2:
    off = sub(p, plate.frame.origin)
    return (dot(off, plate.frame.x), dot(off, plate.frame.y))


def _ends_on(tabbed: StandPlate, slotted: StandPlate, number: int) -> TabJoint | None:
    best: tuple[float, P2, P2, P2, P2, P2] | None = None
    face = Polygon(slotted.edge)
    ring = list(tabbed.edge)
    inside = Polygon(ring)
    for p, q in zip(ring, (*ring[1:], ring[0]), strict=True):
        long = math.dist(p, q)
        if long < SHORTEST_MM:
            continue
        u = ((q[0] - p[0]) / long, (q[1] - p[1]) / long)
        out = (u[1], -u[0])
        middle = ((p[0] + q[0]) / 2, (p[1] + q[1]) / 2)
        if inside.contains(Dot(middle[0] + out[0] * 0.01, middle[1] + out[1] * 0.01)):
            out = (-out[0], -out[1])
        outward = sub(tabbed.frame.at(out), tabbed.frame.at((0.0, 0.0)))
        way = dot(outward, slotted.frame.up)
        if abs(way) < 1.0 - SQUARE:
            continue
        # The edge lies on the face that it looks at: the upper one from above, the lower one from below.
        level = dot(sub(tabbed.frame.at(middle), slotted.frame.origin), slotted.frame.up)
        surface = 0.0 if way < 0 else -slotted.thick_mm
        if abs(level - surface) > LIES_ON_MM:
            continue
        half = scale(tabbed.frame.up, -tabbed.thick_mm / 2)
        c, d = (_flat(slotted, add(tabbed.frame.at(e), half)) for e in (p, q))
        held = LineString([c, d]).intersection(face)
        if not isinstance(held, LineString) or held.length < SHORTEST_MM:
            continue
        lo, hi = sorted(math.dist(c, (float(x), float(y))) for x, y in (held.coords[0], held.coords[-1]))
        if best is None or hi - lo > best[0]:
            ends = [(p[0] + u[0] * s, p[1] + u[1] * s) for s in (lo, hi)]
            theirs = [(c[0] + (d[0] - c[0]) * s / long, c[1] + (d[1] - c[1]) * s / long) for s in (lo, hi)]
            best = (hi - lo, ends[0], ends[1], out, theirs[0], theirs[1])
    if best is None:
        return None
    long, a, b, out, c, d = best
    return TabJoint(tabbed.id, slotted.id, a, b, out, c, d, proposed_tabs(long, tabbed.thick_mm, number), tabbed.thick_mm, slotted.thick_mm)


def proposed_tabs(long_mm: float, thick_mm: float, number: int = 0) -> tuple[Tab, ...]:
    """Tabs along a joint: two, of a long one three, each wider than the one before, and wider from joint to joint."""
    count = 2 if long_mm < 300.0 else 3
    base = max(min(TAB_SHARE * long_mm / (count - 0.5), 60.0), 1.5 * thick_mm, 6.0)
    widths = [base * (1.0 + WIDTH_STEP * k) + number * max(1.5, 0.06 * base) for k in range(count)]
    room = long_mm * (1.0 - 2 * EDGE_SHARE)
    if sum(widths) > 0.75 * room:
        widths = [w * 0.75 * room / sum(widths) for w in widths]
    first, last = long_mm * EDGE_SHARE + widths[0] / 2, long_mm * (1 - EDGE_SHARE) - widths[-1] / 2
    step = (last - first) / (count - 1)
    return tuple(Tab(f"t{k + 1}", first + step * k, round(w, 1)) for k, w in enumerate(widths))


def _crossed(one: StandPlate, other: StandPlate) -> Halving | None:
    """The line in which the two middle planes meet, where it lies within both."""
    along = cross(one.frame.up, other.frame.up)
    if dot(along, along) < 0.5:
        return None
    along = unit(along)
    middles = [sub(p.frame.origin, scale(p.frame.up, p.thick_mm / 2)) for p in (one, other)]
    # A place on both middle planes: from the one's middle along its plane, square to the line, to the other's plane.
    into = cross(along, one.frame.up)
    at = add(middles[0], scale(into, dot(sub(middles[1], middles[0]), other.frame.up) / dot(into, other.frame.up)))
    spans = []
    for plate in (one, other):
        c, d = (_flat(plate, add(at, scale(along, s))) for s in (-1e4, 1e4))
        held = LineString([c, d]).intersection(Polygon(plate.edge))
        if not isinstance(held, LineString) or held.is_empty:
            return None
        spans.append(sorted(math.dist(c, (float(x), float(y))) - 1e4 for x, y in (held.coords[0], held.coords[-1])))
    low, high = max(s[0] for s in spans), min(s[1] for s in spans)
    if high - low < SHORTEST_MM:
        return None
    middle = (low + high) / 2
    places = [[_flat(p, add(at, scale(along, s))) for s in (low - LIES_ON_MM, middle, high + LIES_ON_MM)] for p in (one, other)]
    return Halving(
        one.id, other.id, (places[0][2], places[0][1]), (places[1][0], places[1][1]), other.thick_mm, one.thick_mm
    )  # fmt: skip


def with_tabs(edge: Ring, joint: TabJoint, cut_by: CutBy) -> Ring:
    """The tabbed plate's edge with its tabs, and a relief beside each where the cutter leaves a round corner."""
    u = _along(joint)
    shape = Polygon(edge)
    reach = joint.thick_slotted_mm
    tabs = [_rectangle(joint.a, u, joint.out, t.at_mm - t.wide_mm / 2, t.at_mm + t.wide_mm / 2, -SHORT_IN_MM, reach) for t in joint.tabs]
    r = CORNER_MM[cut_by]
    corners = [_place(joint.a, u, joint.out, t.at_mm + side * (t.wide_mm / 2 + r), 0.0) for t in joint.tabs for side in (-1.0, 1.0)]
    made = unary_union([shape, *tabs]).difference(unary_union([Dot(c).buffer(r, quad_segs=6) for c in corners]))
    if not isinstance(made, Polygon):
        raise InputError("tabs", "cut the plate's edge apart; make them narrower")
    return tuple((float(x), float(y)) for x, y in made.exterior.coords[:-1])


def slots_of(joint: TabJoint, cut_by: CutBy) -> tuple[Ring, ...]:
    """The slots for a joint's tabs in the slotted plate's flat: larger by the play, their ends by the round corner that is left."""
    play, r = PLAY_MM[cut_by], CORNER_MM[cut_by]
    long = math.dist(joint.c, joint.d)
    u = ((joint.d[0] - joint.c[0]) / long, (joint.d[1] - joint.c[1]) / long)
    v = (-u[1], u[0])
    half = (joint.thick_tabbed_mm + play) / 2
    found = []
    for t in joint.tabs:
        low, high = t.at_mm - (t.wide_mm + play) / 2, t.at_mm + (t.wide_mm + play) / 2
        slot = _rectangle(joint.c, u, v, low, high, -half, half)
        ears = [Dot(_place(joint.c, u, v, x, y)).buffer(r, quad_segs=6) for x in (low, high) for y in (-half, half)]
        made = unary_union([slot, *ears])
        found.append(tuple((float(x), float(y)) for x, y in made.exterior.coords[:-1]))
    return tuple(found)


def with_halving(edge: Ring, slot: tuple[P2, P2], wide_mm: float, cut_by: CutBy) -> Ring:
    """A crossing plate's edge with its slot, from its mouth to its end."""
    long = math.dist(*slot)
    u = ((slot[1][0] - slot[0][0]) / long, (slot[1][1] - slot[0][1]) / long)
    v = (-u[1], u[0])
    play, r = PLAY_MM[cut_by], CORNER_MM[cut_by]
    half = (wide_mm + play) / 2
    cut = _rectangle(slot[0], u, v, -1.0, long + play / 2, -half, half)
    ears = [Dot(_place(slot[0], u, v, long + play / 2, y)).buffer(r, quad_segs=6) for y in (-half, half)]
    made = Polygon(edge).difference(unary_union([cut, *ears]))
    if not isinstance(made, Polygon):
        raise InputError("halving", "would cut the plate in two")
    return tuple((float(x), float(y)) for x, y in made.exterior.coords[:-1])


def ways_of(joint: TabJoint, cut_by: CutBy, slot_widths: tuple[float, ...] | None = None) -> tuple[WayIn, ...]:
    """The four ways of putting the tabbed plate into its slots, counted from the joint's middle (calculator ``one_way``)."""
    play, middle = PLAY_MM[cut_by], joint.long_mm / 2
    tabs = tuple(Opening(t.id, t.at_mm - middle, 0.0, t.wide_mm, joint.thick_tabbed_mm) for t in joint.tabs)
    wide = slot_widths or tuple(t.wide_mm + play for t in joint.tabs)
    slots = tuple(Opening(t.id, t.at_mm - middle, 0.0, w, joint.thick_tabbed_mm + play) for t, w in zip(joint.tabs, wide, strict=True))
    return ways_in(tabs, slots)


def _along(joint: TabJoint) -> P2:
    long = joint.long_mm
    return ((joint.b[0] - joint.a[0]) / long, (joint.b[1] - joint.a[1]) / long)


def _place(at: P2, u: P2, v: P2, x: float, y: float) -> P2:
    return (at[0] + u[0] * x + v[0] * y, at[1] + u[1] * x + v[1] * y)


def _rectangle(at: P2, u: P2, v: P2, low: float, high: float, near: float, far: float) -> Polygon:
    return Polygon([_place(at, u, v, x, y) for x, y in box(low, near, high, far).exterior.coords[:-1]])
