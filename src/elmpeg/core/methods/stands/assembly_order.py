"""In which order plates, bolts and captive nuts go together: found by taking the whole apart again.

A thing comes out when it can move straight, far enough, along one of its ways without
running into what is left. What comes out of a whole comes out of every part of the
whole, so that taking away whatever can be taken away finds an order if there is one
with one thing moving at a time; things that only move together are not looked for.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import lru_cache
from itertools import combinations
from typing import Literal

import numpy as np
from manifold3d import CrossSection, FillRule, Manifold
from shapely import polygons, union_all
from shapely.geometry import Polygon

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, any_perpendicular, cross, dot, norm, scale, sub, unit
from elmpeg.core.methods.sheet_metal.folded_sheet import Frame

P2 = tuple[float, float]
Ring = tuple[P2, ...]
SHRUNK_MM = 0.02
"""How much smaller the moving thing is taken all round: faces that touch do not block."""
SMOOTHED_MM = 0.015
"""Less than what it is taken smaller by, so that a smoothed edge still touches nothing."""
HITS_MM3 = 0.05
ALONG = 1e-6
AROUND_MM = 1.5
"""How far round a bolt the hole that it goes through is looked for."""
ROUND = 24
FixingKind = Literal["bolt", "captive nut"]


@record
class StandPlate:
    """A plate where it stands: edge and openings of its flat, and the frame of its upper face; the sheet lies down from there."""

    id: str
    name: str
    edge: Ring
    openings: tuple[Ring, ...]
    thick_mm: float
    frame: Frame


@record
class StandFixing:
    """A bolt or a captive nut: where its head or flange sits, the way it comes out (towards the tool), its sizes, its tool's."""

    id: str
    name: str
    kind: FixingKind
    at_mm: Vec3
    out: Vec3
    d_mm: float
    long_mm: float
    head_mm: float
    tool_mm: float = 0.0
    tool_long_mm: float = 0.0


Item = StandPlate | StandFixing


@record
class AssemblyStep:
    """One thing put in, along a direction."""

    item: str
    along: Vec3


@record
class Held:
    """A thing that cannot come out: by the way that least stands in, what stands there; for a bolt whether only its tool is stopped."""

    item: str
    out: Vec3
    by: tuple[str, ...]
    tool_only: bool = False


@record
class AssemblyOrder:
    """The order of putting together; what is left where there is none, with what holds it; whether no other order exists."""

    steps: tuple[AssemblyStep, ...]
    held: tuple[Held, ...]
    only_one: bool

    @property
    def exists(self) -> bool:
        """Whether everything goes in."""
        return not self.held


def assembly_order(items: Sequence[Item]) -> AssemblyOrder:
    """The order of putting things together, each moving straight by itself, the last one that comes out being the first."""
    return _order_of(tuple(items))


@lru_cache(maxsize=64)
def _order_of(items: tuple[Item, ...]) -> AssemblyOrder:
    """Kept by value: the same stand is read from many revisions and files."""
    left, only = list(items), True
    taken: list[tuple[Item, Vec3]] = []
    bodies = _Bodies()
    ways = {i.id: ways_out(i, items) for i in items}
    far = _far(items)
    met: dict[tuple[str, int, str], bool] = {}

    def stands_in(item: Item, k: int, other: Item) -> bool:
        """Whether another thing stands in a way out: whatever else is there, so that each is asked once."""
        key = (item.id, k, other.id)
        if key not in met:
            met[key] = _hits(bodies.path(item, ways[item.id][k], far, True), bodies.solid(other))
        return met[key]

    while left:
        free: list[tuple[Item, Vec3]] = []
        for item in left:
            others = [o for o in left if o.id != item.id]
            k = next((k for k in range(len(ways[item.id])) if not any(stands_in(item, k, o) for o in others)), None)
            if k is not None:
                free.append((item, ways[item.id][k]))
        if not free:
            held = tuple(_held(bodies, item, left, ways[item.id], far, stands_in) for item in left)
            return AssemblyOrder(_steps(taken), held, False)
        # Of the last two either is the first.
        only = only and (len(free) == 1 or len(left) <= 2)
        # Bolts and nuts come out first, and plates that one of them still goes through last: so what is held goes in before what holds it.
        item, way = min(free, key=lambda f: (isinstance(f[0], StandPlate), _bolted(bodies, f[0], left), f[0].id))
        taken.append((item, way))
        left.remove(item)
    return AssemblyOrder(_steps(taken), (), only)


def _bolted(bodies: _Bodies, item: Item, left: Sequence[Item]) -> bool:
    """Whether a bolt or a nut that is still there goes through a plate."""
    if not isinstance(item, StandPlate):
        return False
    shanks = [
        _cylinder(sub(f.at_mm, scale(unit(f.out), f.long_mm)), f.at_mm, f.d_mm + 2 * AROUND_MM) for f in left if isinstance(f, StandFixing)
    ]
    return any((s ^ bodies.solid(item)).volume() > HITS_MM3 for s in shanks)


def _steps(taken: list[tuple[Item, Vec3]]) -> tuple[AssemblyStep, ...]:
    return tuple(AssemblyStep(item.id, scale(way, -1.0)) for item, way in reversed(taken))


def ways_out(item: Item, items: Sequence[Item]) -> tuple[Vec3, ...]:
    """The directions that a thing may come out in: a bolt's own; a plate's normal both ways, and in its plane its own two
    directions and the normals of the others."""
    if isinstance(item, StandFixing):
        return (unit(item.out),)
    f = item.frame
    ways = [
        f.up,
        f.x,
        f.y,
        *(o.frame.up for o in items if isinstance(o, StandPlate)),
        *(unit(o.out) for o in items if isinstance(o, StandFixing)),
    ]
    found: list[Vec3] = []
    for way in ways:
        if ALONG < abs(dot(way, f.up)) < 1.0 - ALONG:
            continue
        for signed in (way, scale(way, -1.0)):
            if all(norm(sub(signed, w)) > 1e-3 for w in found):
                found.append(signed)
    return tuple(found)


def blockers(item: Item, way: Vec3, others: Sequence[Item], with_tool: bool = True) -> tuple[str, ...]:
    """What a thing would run into on its way out."""
    bodies = _Bodies()
    path = bodies.path(item, way, _far((item, *others)), with_tool)
    return tuple(o.id for o in others if _hits(path, bodies.solid(o)))


class _Bodies:
    """Bodies and the ways that they take, each worked out once. Kept no longer than a question: they belong to another library."""

    def __init__(self) -> None:
        self._solids: dict[str, Manifold] = {}
        self._paths: dict[tuple[str, Vec3, float, bool], Manifold] = {}

    def solid(self, item: Item) -> Manifold:
        if item.id not in self._solids:
            self._solids[item.id] = _solid(item)
        return self._solids[item.id]

    def path(self, item: Item, way: Vec3, far_mm: float, with_tool: bool) -> Manifold:
        key = (item.id, way, far_mm, with_tool)
        if key not in self._paths:
            plate = isinstance(item, StandPlate)
            self._paths[key] = _swept_plate(item, way, far_mm) if plate else _swept_fixing(item, far_mm, with_tool)  # type: ignore[arg-type]
        return self._paths[key]


def _hits(path: Manifold, solid: Manifold) -> bool:
    one, two = path.bounding_box(), solid.bounding_box()
    if any(one[i] >= two[i + 3] or two[i] >= one[i + 3] for i in range(3)):
        return False
    return bool((path ^ solid).volume() > HITS_MM3)


def _held(
    bodies: _Bodies, item: Item, left: list[Item], ways: tuple[Vec3, ...], far_mm: float, stands_in: Callable[[Item, int, Item], bool]
) -> Held:
    """A thing that cannot come out, by the way in which the fewest things stand."""
    others = [o for o in left if o.id != item.id]
    tried = [(tuple(o.id for o in others if stands_in(item, k, o)), way) for k, way in enumerate(ways)]
    by, way = min(tried, key=lambda t: len(t[0]))
    bare = isinstance(item, StandFixing) and not any(_hits(bodies.path(item, way, far_mm, False), bodies.solid(o)) for o in others)
    return Held(item.id, way, by, bare)


def _far(items: Sequence[Item]) -> float:
    """Far enough to be out of everything; in whole centimetres, so that a path is worked out once."""
    corners = [c for o in items for c in _corners(o)]
    spread = [max(c[i] for c in corners) - min(c[i] for c in corners) for i in range(3)]
    return 10.0 * math.ceil(0.2 * math.sqrt(sum(s * s for s in spread)) + 1.0)


def _corners(item: Item) -> tuple[Vec3, ...]:
    if isinstance(item, StandPlate):
        top = [item.frame.at(p) for p in item.edge]
        return (*top, *(sub(p, scale(item.frame.up, item.thick_mm)) for p in top))
    end = sub(item.at_mm, scale(unit(item.out), item.long_mm))
    return (item.at_mm, end)


def _solid(item: Item) -> Manifold:
    if isinstance(item, StandPlate):
        # Smoothed by less than the moving thing is taken smaller: faces that touch still do not block.
        rings = [list(Polygon(r).simplify(SMOOTHED_MM).exterior.coords)[:-1] for r in (item.edge, *item.openings)]
        return _lifted(CrossSection(rings, FillRule.EvenOdd), item.frame, -item.thick_mm, 0.0)
    out = unit(item.out)
    body = _cylinder(sub(item.at_mm, scale(out, item.long_mm)), item.at_mm, item.d_mm)
    return body + _cylinder(item.at_mm, add(item.at_mm, scale(out, max(item.d_mm * 0.65, 1.0))), item.head_mm)


def _lifted(section: CrossSection, frame: Frame, low_mm: float, high_mm: float) -> Manifold:
    body = Manifold.extrude(section, high_mm - low_mm)
    x, y, z, o = frame.x, frame.y, frame.up, add(frame.origin, scale(frame.up, low_mm))
    return body.transform(np.array([[x[i], y[i], z[i], o[i]] for i in range(3)]))


def _cylinder(a: Vec3, b: Vec3, d_mm: float) -> Manifold:
    along = unit(sub(b, a))
    x = any_perpendicular(along)
    frame = Frame(a, x, cross(along, x))
    ring = [(d_mm / 2 * math.cos(2 * math.pi * k / ROUND), d_mm / 2 * math.sin(2 * math.pi * k / ROUND)) for k in range(ROUND)]
    return _lifted(CrossSection([ring], FillRule.EvenOdd), frame, 0.0, norm(sub(b, a)))


def _swept_plate(plate: StandPlate, way: Vec3, far_mm: float) -> Manifold:
    """All that a plate passes through: its own prism made longer, or its outline drawn out within its plane."""
    shape = Polygon(plate.edge, plate.openings).buffer(-SHRUNK_MM, join_style="mitre").simplify(SMOOTHED_MM)
    out = dot(way, plate.frame.up)
    low, high = -plate.thick_mm + SHRUNK_MM, -SHRUNK_MM
    if abs(out) > 0.5:
        low, high = (low, high + far_mm) if out > 0 else (low - far_mm, high)
    else:
        # An opening that is drawn along further than it is wide is filled: only the outer edge counts.
        shift = np.array([dot(way, plate.frame.x) * far_mm, dot(way, plate.frame.y) * far_mm])
        drawn: list[Polygon] = []
        for part in getattr(shape, "geoms", [shape]):
            ring = np.array(part.exterior.coords)
            quads = np.stack([ring[:-1], ring[1:], ring[1:] + shift, ring[:-1] + shift], axis=1)
            drawn += [*polygons(quads), Polygon(ring), Polygon(ring + shift)]
        shape = union_all([d for d in drawn if d.area > 0])
    sections = [[list(r.coords)[:-1] for r in (p.exterior, *p.interiors)] for p in getattr(shape, "geoms", [shape])]
    section = CrossSection([ring for part in sections for ring in part], FillRule.EvenOdd)
    return _lifted(section, plate.frame, low, high)


def _swept_fixing(item: StandFixing, far_mm: float, with_tool: bool) -> Manifold:
    out = unit(item.out)
    start = sub(item.at_mm, scale(out, item.long_mm - SHRUNK_MM))
    path = _cylinder(start, add(item.at_mm, scale(out, far_mm)), item.d_mm - 2 * SHRUNK_MM)
    seat = add(item.at_mm, scale(out, SHRUNK_MM))
    path += _cylinder(seat, add(item.at_mm, scale(out, far_mm)), item.head_mm)
    if with_tool and item.tool_mm > 0 and item.tool_long_mm > 0:
        path += _cylinder(seat, add(item.at_mm, scale(out, item.tool_long_mm)), item.tool_mm)
    return path


def overlapping(items: Sequence[Item], least_mm3: float) -> tuple[tuple[str, str], ...]:
    """Pairs of things that lie in each other by more than so much."""
    return _overlaps_of(tuple(items), least_mm3)


@lru_cache(maxsize=64)
def _overlaps_of(items: tuple[Item, ...], least_mm3: float) -> tuple[tuple[str, str], ...]:
    bodies = _Bodies()
    found = []
    for one, other in combinations(items, 2):
        a, b = bodies.solid(one), bodies.solid(other)
        if _hits(a, b) and (a ^ b).volume() > least_mm3:
            found.append((one.id, other.id))
    return tuple(found)


def tool_hole(fixing: StandFixing, plate: StandPlate) -> tuple[P2, float] | None:
    """Where in a plate's flat a hole lets the tool and the head through, and how large; None where the tool runs along it."""
    out, up = unit(fixing.out), plate.frame.up
    lean = dot(out, up)
    if abs(lean) < 0.3:
        return None
    middle = sub(plate.frame.origin, scale(up, plate.thick_mm / 2))
    along = dot(sub(middle, fixing.at_mm), up) / lean
    if along <= 0:
        return None
    p = sub(add(fixing.at_mm, scale(out, along)), plate.frame.origin)
    wide = max(fixing.tool_mm, fixing.head_mm) + 2.0
    return ((dot(p, plate.frame.x), dot(p, plate.frame.y)), wide / abs(lean))
