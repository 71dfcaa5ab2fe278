"""Patterns of holes and studs: where their figures come from, which hand they are, and whether one plate serves two sides."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares
from scipy.sparse.csgraph import shortest_path

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import Quantity, bought_mm, mm
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.hardware import CentreDistance, Pattern, PatternHole
from elmpeg.core.methods.fastening.pattern_fit import Flat, Hole, PatternFit, Stud, pattern_fit
from elmpeg.core.scene.located_points import surveyed

Array = NDArray[np.float64]

FEWEST_HOLES = 2
MOST_HOLES = 100
FEWEST_TIES = 2
CALIPER_SD_MM = 0.1
"""A centre distance read edge to edge with a caliper, both holes' edges together."""
WRONG_SD = 3.0
CLEARLY = 0.5
FLAT_MM = 1.0
"""Holes further off their common plane than this are told."""
IN_LINE_MM = 1e-3
DRILLS_MM: tuple[float, ...] = tuple(k / 10 for k in range(30, 101, 5)) + tuple(k / 2 for k in range(21, 53))
"""Drills that a metric shop has in half millimetres, 3 to 26 mm."""


@record
class Laid:
    """A pattern's holes where they are, and what was left over in getting them there.

    ``left_mm`` by distance for one solved from distances, by point off their plane for
    one taken from points; ``suspect`` the distance that is probably wrong.
    """

    holes: tuple[PatternHole, ...]
    left_mm: tuple[tuple[str, float], ...] = ()
    suspect: str = ""


Where = Callable[[str], Vec3]
"""Where a point is in its own frame, mm."""


def laid(build: Build, pattern: Pattern, where: Where | None = None) -> Laid:
    """A pattern's holes, its points being ``where`` is said or where they were located. Raises InputError where its points no
    longer make a pattern."""
    if pattern.got == "points":
        return from_points(build, pattern.points, where)
    if pattern.got == "distances" and pattern.distances:
        return Laid(pattern.holes, *_left_over(pattern.holes, pattern.distances))
    return Laid(pattern.holes)


def holes_of(build: Build, pattern: Pattern, where: Where | None = None) -> tuple[Hole, ...]:
    """A pattern as holes of a plate."""
    return tuple(Hole(h.id, (h.x_mm, h.y_mm), h.hole_mm) for h in laid(build, pattern, where).holes)


def studs_of(build: Build, pattern: Pattern, where: Where | None = None) -> tuple[Stud, ...]:
    """A pattern as studs, or as bolts that go through it."""
    return tuple(Stud(h.id, (h.x_mm, h.y_mm), pattern.bolt_mm) for h in laid(build, pattern, where).holes)


def turned_over(holes: tuple[PatternHole, ...]) -> tuple[PatternHole, ...]:
    """The other hand: x to −x."""
    return tuple(PatternHole(h.id, -h.x_mm, h.y_mm, h.hole_mm) for h in holes)


# From points


def from_points(build: Build, point_ids: tuple[str, ...], where: Where | None = None) -> Laid:
    """Points of one part flattened onto their common plane: the first is zero and the second lies along x.

    Seen from the side that the first point's axis looks to, else from above. Raises
    InputError for fewer than two points, or points on different parts.
    """
    known = {p.id: p for p in build.points}
    points = [known[i] for i in point_ids if i in known]
    if len(points) < max(FEWEST_HOLES, len(point_ids)):
        raise InputError("points", "choose at least two points that are in the build")
    if len({p.on for p in points}) > 1:
        raise InputError("points", "lie on different parts; choose points of one")
    located = surveyed(build).points if where is None else {}
    places = np.array([where(p.id) if where is not None else located[p.id].xyz_mm for p in points])
    normal = _normal(places, points[0].axis)
    along = places[1] - places[0]
    along = along - normal * float(along @ normal)
    if float(np.linalg.norm(along)) < IN_LINE_MM:
        raise InputError("points", "has two points at one place, seen along their axis")
    along = along / float(np.linalg.norm(along))
    across = np.cross(normal, along)
    middle = places.mean(axis=0)
    holes, left = [], []
    for p, place in zip(points, places, strict=True):
        out = place - places[0]
        holes.append(PatternHole(p.id, float(out @ along), float(out @ across), p.hole_mm or 0.0))
        off = float((place - middle) @ normal)
        if abs(off) > FLAT_MM:
            left.append((p.id, off))
    return Laid(tuple(holes), tuple(left))


def _normal(places: Array, axis: Vec3 | None) -> Array:
    """The plane's normal by least squares, towards where the axis looks; the axis itself for two points or points in a line."""
    wanted = np.array(axis if axis is not None else (0.0, 0.0, 1.0), dtype=float)
    wanted = wanted / float(np.linalg.norm(wanted))
    _, spread, ways = np.linalg.svd(places - places.mean(axis=0))
    if len(places) < 3 or spread[1] < IN_LINE_MM:
        return wanted
    normal: Array = ways[2] if float(ways[2] @ wanted) >= 0 else -ways[2]
    return normal


# From centre distances


def from_distances(names: tuple[str, ...], distances: tuple[CentreDistance, ...], hole_mm: float) -> Laid:
    """Holes from the distances between their centres: the first is zero, the second along x, the third above it.

    Least squares over all distances. Distances cannot tell one hand from the other;
    the third hole's side is a choice. Raises InputError for a hole with too few.
    """
    index = {n: k for k, n in enumerate(names)}
    if len(index) < len(names) or not FEWEST_HOLES <= len(names) <= MOST_HOLES:
        raise InputError("holes", f"needs {FEWEST_HOLES} to {MOST_HOLES} holes, each with a name of its own")
    for i, d in enumerate(distances):
        if d.a not in index or d.b not in index or d.a == d.b:
            raise InputError(f"distances.{i}", f"“{d.a}” to “{d.b}” does not join two of the holes")
        if d.mm <= 0:
            raise InputError(f"distances.{i}", "must be above 0")
    ties = {n: len({d.a if d.b == n else d.b for d in distances if n in (d.a, d.b)}) for n in names}
    wanted = min(FEWEST_TIES, len(names) - 1)
    loose = [n for n in names if ties[n] < wanted]
    if loose or len(distances) < 2 * len(names) - 3:
        which = f"hole {loose[0]} has {ties[loose[0]]}" if loose else f"{len(distances)} are given and {2 * len(names) - 3} needed"
        raise InputError("distances", f"do not fix the pattern: {which}; measure each new hole from two others at least")
    pairs = np.array([(index[d.a], index[d.b]) for d in distances])
    lengths = np.array([d.mm for d in distances])
    flat = _solved(len(names), pairs, lengths)
    holes = tuple(PatternHole(n, float(x), float(y), hole_mm) for n, (x, y) in zip(names, flat, strict=True))
    return Laid(holes, *_left_over(holes, distances))


def _solved(count: int, pairs: NDArray[np.int_], lengths: Array) -> Array:
    """Places from distances: a first guess from all shortest ways round, then least squares; several starts, the best kept."""
    rough = np.full((count, count), np.inf)
    rough[pairs[:, 0], pairs[:, 1]] = rough[pairs[:, 1], pairs[:, 0]] = lengths
    whole = shortest_path(np.where(np.isinf(rough), 0.0, rough), directed=False)
    centring = np.eye(count) - 1.0 / count
    values, ways = np.linalg.eigh(-0.5 * centring @ (whole**2) @ centring)
    guess = ways[:, -2:] * np.sqrt(np.maximum(values[-2:], 1e-6)) if count > 2 else np.array([[0.0, 0.0], [lengths[0], 0.0]])
    chance = np.random.default_rng(2)
    best: Array | None = None
    least = math.inf
    for k in range(6):
        start = guess + (chance.normal(0, float(lengths.mean()) * 0.3, guess.shape) if k else 0.0)

        def off(v: Array) -> Array:
            p = v.reshape(-1, 2)
            return np.asarray(np.hypot(*(p[pairs[:, 0]] - p[pairs[:, 1]]).T) - lengths)

        found = least_squares(off, start.ravel(), xtol=1e-13, ftol=1e-13, gtol=1e-13, max_nfev=400)
        if found.cost < least - 1e-9:
            least, best = float(found.cost), found.x.reshape(-1, 2)
    assert best is not None
    moved = best - best[0]
    c, s = moved[1] / max(float(np.hypot(*moved[1])), IN_LINE_MM)
    turned = moved @ np.array([[c, -s], [s, c]])
    above = next((float(y) for y in turned[2:, 1] if abs(y) > IN_LINE_MM), 1.0)
    laid_out: Array = turned * np.array([1.0, 1.0 if above > 0 else -1.0])
    return laid_out


def _left_over(holes: tuple[PatternHole, ...], distances: tuple[CentreDistance, ...]) -> tuple[tuple[tuple[str, float], ...], str]:
    """What each distance leaves over, read less computed, and the one that is probably wrong."""
    at = {h.id: (h.x_mm, h.y_mm) for h in holes}
    left = tuple((f"{d.a}–{d.b}", d.mm - math.dist(at[d.a], at[d.b])) for d in distances if d.a in at and d.b in at)
    if all(abs(v) <= WRONG_SD * CALIPER_SD_MM for _, v in left) or len(distances) <= 2 * len(holes) - 3:
        return left, ""
    index = {h.id: k for k, h in enumerate(holes)}
    pairs = np.array([(index[d.a], index[d.b]) for d in distances])
    lengths = np.array([d.mm for d in distances])
    without: list[tuple[float, str]] = []
    for i, d in enumerate(distances):
        kept = np.arange(len(distances)) != i
        if min(np.bincount(pairs[kept].ravel(), minlength=len(holes))) < min(FEWEST_TIES, len(holes) - 1):
            continue
        flat = _solved(len(holes), pairs[kept], lengths[kept])
        rest = np.hypot(*(flat[pairs[kept][:, 0]] - flat[pairs[kept][:, 1]]).T) - lengths[kept]
        without.append((float(np.abs(rest).max()), f"{d.a}–{d.b}"))
    without.sort()
    clear = without and without[0][0] <= WRONG_SD * CALIPER_SD_MM and (len(without) == 1 or without[0][0] <= CLEARLY * without[1][0])
    return left, without[0][1] if clear else ""


# Against each other


@record
class Slot:
    """A hole drawn out into a slot: its middle moved by so much, plate frame, for the bolt to reach the other side's stud."""

    hole: str
    by_mm: Flat
    long_mm: float


@record
class BothSides:
    """One plate for left and right: how it lies on each, and the slots that would make it serve both; none where it does already."""

    left: PatternFit
    right: PatternFit
    slots: tuple[Slot, ...]
    longest_mm: float


def both_sides(holes: tuple[Hole, ...], left: tuple[Stud, ...], right: tuple[Stud, ...]) -> BothSides:
    """Whether a plate that belongs on the left also serves the right, as it is or turned over, and what must be slotted."""
    on_left = pattern_fit(holes, left)
    on_right = pattern_fit(holes, right, allow_mirror=True)
    slots = []
    for fit in (on_left, on_right):
        for pair in fit.pairs:
            over = pair.miss_mm - pair.float_mm
            if over > 0:
                turn = math.radians(-fit.rotation_deg)
                x, y = (-v * over / pair.miss_mm for v in pair.miss_vector_mm)
                back = (math.cos(turn) * x - math.sin(turn) * y, math.sin(turn) * x + math.cos(turn) * y)
                by = (-back[0] if fit.mirrored else back[0], back[1])
                slots.append(Slot(pair.hole, by, over))
    return BothSides(on_left, on_right, tuple(slots), max((s.long_mm for s in slots), default=0.0))


def next_drill_mm(to_mm: float, drills_mm: tuple[float, ...] = DRILLS_MM) -> float | None:
    """The smallest drill that opens a hole to at least a size; None above the largest."""
    return next((d for d in sorted(drills_mm) if d >= to_mm - 1e-9), None)


def drilled_to_mm(to_mm: float, first: int = 0) -> tuple[str, list[Quantity], float]:
    """A hole's size in words, with the next drill there is, their figures counted from ``first``; and what it then is."""
    drill = next_drill_mm(to_mm)
    if drill is None:
        return f"{{{first}}} (larger than any drill here)", [mm(to_mm)], to_mm
    return f"{{{first}}} (drill {{{first + 1}}})", [mm(to_mm), bought_mm(drill)], drill


def with_pattern(build: Build, pattern: Pattern) -> Build:
    """The build with a pattern added or changed. Raises InputError for one that makes no sense."""
    if pattern.got == "points":
        from_points(build, pattern.points)
    elif len(pattern.holes) < 1:
        raise InputError("holes", "write at least one hole")
    if len({h.id for h in pattern.holes}) < len(pattern.holes):
        raise InputError("holes", "names one hole twice; give each its own name")
    if pattern.bolt_mm <= 0 or any(h.hole_mm < 0 for h in pattern.holes):
        raise InputError("bolt", "must be above 0")
    if any(p.id != pattern.id and p.name.lower() == pattern.name.lower() for p in build.patterns):
        raise InputError("name", f"another pattern is called “{pattern.name}” already")
    if any(p.id == pattern.id for p in build.patterns):
        return replace(build, patterns=tuple(pattern if p.id == pattern.id else p for p in build.patterns))
    return replace(build, patterns=(*build.patterns, pattern))


def without_pattern(build: Build, pattern_id: str) -> Build:
    """The build without a pattern; refused while plates or comparisons use it."""
    made: Build = taken_out(build, "patterns", pattern_id)
    return made
