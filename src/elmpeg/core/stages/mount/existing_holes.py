"""Existing holes first: which of the vehicle's own holes a bracket could use to hold a part's point."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.quantities import Quantity, Words, mm, words
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, angle_deg, dot, norm, scale, sub, unit
from elmpeg.core.build.document import Build
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.methods.fastening.fasteners import EDGE_LIKED, SIZES, largest_through
from elmpeg.core.methods.shapes.solids import Box
from elmpeg.core.scene.scene import Scene

REACH_MM = 450.0
"""Further than this a bracket is a crossmember."""
BEST_SPREAD_MM = 80.0
"""Two bolts closer together than this hold little against turning."""
PARALLEL_DEG = 3.0
SAME_LEVEL_MM = 3.0
FLAT_STEP_MM = 15.0
ON_FACE_MM = 15.0
"""A hole belongs to the rail whose surface is no further away."""
MOST_SETS = 12
SMALLEST_MM = 5.5
LARGEST_MM = 30.0
"""Holes outside this range are drains and rivets, or passages."""


@record
class HoleSet:
    """Vehicle holes that one bracket could use: how far it must reach, how far apart they are, and what it would need.

    ``edge_mm`` is the least distance from a hole's middle to the edge of the rail or
    crossmember it is in, None where none is blocked in there. ``score`` is lower for the better set; ``largest`` the largest bolt that goes through all.
    """

    points: tuple[str, ...]
    reach_mm: float
    spread_mm: float
    turned_deg: float
    step_mm: float
    edge_mm: float | None
    largest: str
    score: float
    needs: Words


def hole_sets(scene: Scene, point_id: str) -> tuple[HoleSet, ...]:
    """The best sets of one or two of the vehicle's measured holes for holding a component's point, best first.

    Ranked by reach, by spread (two bolts stop turning), by whether the holes look the
    same way as the part's own and lie on one level, and by the bolt that fits. Holes that
    a mount uses already do not count. Raises InputError for a point without an axis.
    """
    point = scene.declared(point_id)
    axis = scene.axis(point_id)
    if point.on == VEHICLE or axis is None:
        raise InputError("point", "choose a component's point that has a direction")
    foot, way = scene.xyz(point_id), unit(axis)
    free = [p for p in scene.build.points if _usable(scene, p)]
    near = [p for p in free if norm(sub(scene.xyz(p.id), foot)) <= REACH_MM]
    found = [_judged(scene, (p,), foot, way) for p in near]
    found += [_judged(scene, pair, foot, way) for pair in combinations(near, 2) if _together(scene, *pair)]
    return tuple(sorted(found, key=lambda s: (s.score, s.points))[:MOST_SETS])


def _usable(scene: Scene, p: Point) -> bool:
    if p.on != VEHICLE or p.kind != "hole" or p.hole_mm is None or p.axis is None:
        return False
    if not SMALLEST_MM <= p.hole_mm <= LARGEST_MM:
        return False
    return all(p.id != m.seat_point and p.id not in m.uses for m in scene.build.mounts)


def _together(scene: Scene, a: Point, b: Point) -> bool:
    one, other = scene.axis(a.id), scene.axis(b.id)
    if one is None or other is None:
        return False
    turned = angle_deg(one, other)
    return min(turned, 180.0 - turned) <= PARALLEL_DEG and norm(sub(scene.xyz(a.id), scene.xyz(b.id))) > SMALLEST_MM


def _judged(scene: Scene, points: tuple[Point, ...], foot: Vec3, way: Vec3) -> HoleSet:
    places = [scene.xyz(p.id) for p in points]
    middle = scale(_sum(places), 1 / len(places))
    reach = norm(sub(middle, foot))
    spread = norm(sub(places[0], places[-1])) if len(places) > 1 else 0.0
    seat_axis = scene.axis(points[0].id)
    assert seat_axis is not None
    looks = unit(seat_axis)
    turned = angle_deg(looks, way)
    turned = min(turned, 180.0 - turned)
    step = abs(dot(sub(places[-1], places[0]), looks)) if len(places) > 1 else 0.0
    sizes = [set(largest_through(p.hole_mm or 0.0)) for p in points]
    common = set.intersection(*sizes)
    largest = max(common, key=lambda n: SIZES[n].close_mm) if common else ""
    off = dot(sub(foot, middle), looks)
    edges = [e for e in (_edge_mm(scene, p) for p in points) if e is not None]
    edge = min(edges, default=None)
    score = reach / REACH_MM + max(0.0, 1.0 - spread / BEST_SPREAD_MM) + turned / 90.0 + min(step / 20.0, 0.5) + (0.0 if largest else 1.0)
    if edge is not None and largest:
        score += max(0.0, 1.0 - edge / (EDGE_LIKED * SIZES[largest].close_mm))
    return HoleSet(
        tuple(p.id for p in points),
        reach,
        spread,
        turned,
        step,
        edge,
        largest,
        score,
        _needs(len(points), reach, spread, turned, step, off),
    )


def _needs(count: int, reach: float, spread: float, turned: float, step: float, off: float) -> Words:
    parts: list[str] = []
    figures: list[Quantity] = []

    def say(text: str, *values: float) -> None:
        parts.append(text.format(*(f"{{{len(figures) + k}}}" for k in range(len(values)))))
        figures.extend(mm(v) for v in values)

    if count == 1 and reach < 1.0:
        say("The part bolts straight to it")
    elif turned <= PARALLEL_DEG and abs(off) <= FLAT_STEP_MM:
        say("A flat plate about {0} long", reach + spread / 2)
    elif turned <= PARALLEL_DEG:
        say("A bracket {0} high on a foot about {1} long", abs(off), max(spread, 40.0) + 40.0)
    else:
        say(f"A bracket about {{0}} long, folded {turned:.0f}°", reach + spread / 2)
    if count == 1:
        say("something against turning, since one bolt lets it turn")
    elif spread < BEST_SPREAD_MM:
        say("a stiff plate: the two bolts are only {0} apart", spread)
    if step > SAME_LEVEL_MM:
        say("a {0} packing under one of the two", step)
    return words(f"{'; '.join(parts)}.", *figures)


def _edge_mm(scene: Scene, p: Point) -> float | None:
    """From a hole's middle to the nearest edge of the boxed-in rail that it is drilled in, seen along its axis."""
    axis = p.axis
    if axis is None:
        return None
    along = max(range(3), key=lambda i: abs(axis[i]))
    place, found = scene.local(p.id), []
    for solid in scene.build.solids:
        if isinstance(solid, Box):
            out = [abs(place[i] - solid.centre_mm[i]) - solid.size_mm[i] / 2 for i in range(3)]
            if max(out) <= ON_FACE_MM and all(out[i] <= 0 for i in range(3) if i != along):
                found.append(min(-out[i] for i in range(3) if i != along))
    return max(found, default=None)


def _sum(places: list[Vec3]) -> Vec3:
    total: Vec3 = (0.0, 0.0, 0.0)
    for p in places:
        total = add(total, p)
    return total


def with_seats(build: Build, point_id: str, holes: tuple[str, ...], name: str) -> Build:
    """The build with a mount for a component's point on existing holes.

    One hole is the seat itself. Two carry a bracket: its seat is the middle between
    them, and the mount remembers which holes it uses.
    """
    known = {p.id: p for p in build.points}
    if not 1 <= len(holes) <= 2 or any(h not in known or known[h].on != VEHICLE for h in holes):
        raise InputError("holes", "choose one or two of the vehicle's holes")
    if any(m.component_point == point_id for m in build.mounts):
        raise InputError("point", "has a mount already; take that out first")
    first = known[holes[0]]
    largest = largest_through(min(known[h].hole_mm or 0.0 for h in holes))
    metric = [n for n in largest if n.startswith("M")]
    if not metric:
        raise InputError("holes", "are too small for any bolt of the tables")
    bolt = float(metric[0][1:])
    tidy = cleaned_name(name)
    made_id = new_id(tidy, (m.id for m in build.mounts))
    foot = build.point(point_id)
    seat = first.id
    points = build.points
    if len(holes) == 2:
        seat = new_id(f"{made_id}-seat", known)
        second = known[holes[1]]
        entered = scale(add(first.xyz_mm, second.xyz_mm), 0.5)
        points = (
            *points,
            Point(
                seat,
                f"{tidy}: seat on its bracket",
                VEHICLE,
                "hole",
                entered,
                first.axis,
                foot.hole_mm or bolt + 1.0,
                got="middle",
                between=holes,
            ),
        )
    mount = Mount(made_id, tidy, point_id, seat, bolt, 1.0, "bracket" if len(holes) == 2 else "direct", uses=holes)
    return replace(build, points=points, mounts=(*build.mounts, mount))
