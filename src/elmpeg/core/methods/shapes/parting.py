"""The least shift that parts two bodies that overlap, each made of convex pieces.

Two convex pieces overlap for exactly the shifts inside one convex body, the set of all
differences between their points. Bodies of several pieces overlap for the shifts inside
any of these; the least shift that parts them is the nearest place outside all.

It is searched best first. A place inside one of these bodies can only leave it through
one of its faces; each face is a branch, with the nearest place beyond it and beyond all
faces chosen before. The first place that comes up and lies in none is the nearest.
"""

from __future__ import annotations

import heapq
from collections.abc import Callable
from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

from elmpeg.core.base.vectors import Vec3, add, cross, dot, norm, scale

Array = NDArray[np.float64]
Plane = tuple[Vec3, float]
"""An outward normal, and how far along it the face lies."""
Planes = tuple[Plane, ...]
OUTSIDE_MM = 1e-7
SAME_PLANE_DIGITS = 7
NEARLY_PARALLEL = 1e-9
MOST_PLACES = 4000
"""Places looked at before the best shift so far is taken: only a heap of round pieces needs as many."""


def least_shift(pairs: list[tuple[Array, Array]], overlap: Callable[[Array], int | None]) -> Array:
    """The shift (3,) of one body that parts it from another.

    ``pairs`` are the corners (n, 3), mm, of each two convex pieces that may meet, one of either body; ``overlap`` names a
    pair that overlaps after a shift, None where none does. Exact for flat-sided pieces.
    """
    bodies: dict[int, Planes | None] = {}
    best = _far_enough(pairs)
    limit = float(np.linalg.norm(best))
    heap: list[tuple[float, int, tuple[Plane, ...], Vec3 | None]] = [(0.0, 0, (), (0.0, 0.0, 0.0))]
    seen: set[frozenset[Plane]] = set()
    count = places = 0
    while heap and places < MOST_PLACES:
        bound, _, beyond, place = heapq.heappop(heap)
        if bound >= limit:
            break
        if place is None:
            place = _nearest_beyond(beyond)
            if place is None:
                continue
            count += 1
            heapq.heappush(heap, (norm(place), count, beyond, place))
            continue
        places += 1
        body = _holding(place, bodies, pairs, overlap)
        if body is None:
            return np.array(place)
        for face in body:
            chosen = frozenset((*beyond, face))
            if face[1] < limit and chosen not in seen:
                seen.add(chosen)
                count += 1
                heapq.heappush(heap, (max(bound, face[1]), count, (*beyond, face), None))
    return best


def _holding(
    place: Vec3, bodies: dict[int, Planes | None], pairs: list[tuple[Array, Array]], overlap: Callable[[Array], int | None]
) -> Planes | None:
    """A body of differences that a place lies inside of: one known already, or that of a pair that still overlaps there."""
    for known in bodies.values():
        if known is not None and max(dot(n, place) - d for n, d in known) < -OUTSIDE_MM:
            return known
    k = overlap(np.array(place))
    if k is None or k in bodies:
        # What a pair's own body says counts: the test for overlap rounds differently.
        return None
    bodies[k] = _differences(*pairs[k])
    return bodies[k]


def _differences(a: Array, b: Array) -> Planes | None:
    """The faces of the body of all shifts of a at which it meets b."""
    gaps = (b[None, :, :] - a[:, None, :]).reshape(-1, 3)
    try:
        every = np.asarray(ConvexHull(gaps).equations)
    except QhullError:
        # Two pieces without any thickness meet for no more than a sheet of shifts.
        return None
    _, first = np.unique(np.round(every, SAME_PLANE_DIGITS), axis=0, return_index=True)
    return tuple(((float(a), float(b), float(c)), -float(d)) for a, b, c, d in every[first])


def _far_enough(pairs: list[tuple[Array, Array]]) -> Array:
    """The least shift along an axis past which nothing can meet."""
    every_a, every_b = np.vstack([a for a, _ in pairs]), np.vstack([b for _, b in pairs])
    shifts = []
    for axis in range(3):
        for by in (every_b[:, axis].max() - every_a[:, axis].min(), every_b[:, axis].min() - every_a[:, axis].max()):
            shift = np.zeros(3)
            shift[axis] = by
            shifts.append(shift)
    return min(shifts, key=lambda t: float(np.linalg.norm(t)))


def _nearest_beyond(beyond: tuple[Plane, ...]) -> Vec3 | None:
    """The place nearest to no shift that lies beyond all of some planes; None where there is none.

    The last plane is one that the place before did not lie beyond, so the place wanted lies on it: alone, or with one or
    two of the others.
    """
    *others, last = beyond
    places = [scale(last[0], last[1]), *(_on_line(last, one) for one in others)]
    places += [_in_corner(last, one, other) for one, other in combinations(others, 2)]
    for place in sorted((p for p in places if p is not None), key=norm):
        if all(dot(m, place) >= d - OUTSIDE_MM for m, d in others):
            return place
    return None


def _on_line(one: Plane, other: Plane) -> Vec3 | None:
    (n, c), (m, d) = one, other
    g = dot(n, m)
    rest = 1.0 - g * g
    if rest < NEARLY_PARALLEL:
        return None
    return add(scale(n, (c - d * g) / rest), scale(m, (d - c * g) / rest))


def _in_corner(one: Plane, other: Plane, third: Plane) -> Vec3 | None:
    (n, c), (m, d), (k, e) = one, other, third
    mk = cross(m, k)
    size = dot(n, mk)
    if abs(size) < NEARLY_PARALLEL:
        return None
    return scale(add(add(scale(mk, c), scale(cross(k, n), d)), scale(cross(n, m), e)), 1.0 / size)
