"""The least shift that parts two bodies that overlap, each made of convex pieces.

Two convex pieces overlap for exactly the shifts inside one convex body, the set of all
differences between their points. Bodies of several pieces overlap for the shifts inside
any of these; the least shift that parts them is the nearest place outside all.
"""

from __future__ import annotations

from itertools import combinations

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import ConvexHull, QhullError

Array = NDArray[np.float64]
OUTSIDE_MM = 1e-6
SAME_PLANE_DIGITS = 7
MOST_PLANES = 110
"""Planes nearest to no shift that are met two and three at a time; more only stand for round sides."""
NEARLY_PARALLEL = 1e-9


def least_shift(a: list[Array], b: list[Array]) -> Array:
    """The shift of ``a`` (3,) that parts it from ``b``; both are lists of the corners (n, 3) of convex pieces, mm.

    Exact for flat-sided pieces: the nearest place lies on one, two or three of the planes that bound the differences.
    """
    bodies = [planes for one in a for other in b if (planes := _differences(one, other)) is not None]
    every = np.vstack(bodies) if bodies else np.zeros((0, 4))
    normals, depths = every[:, :3], -every[:, 3]
    # Far enough along any axis, and along any plane's normal, everything is parted.
    far = _far_enough(a, b)
    best = min(far, key=lambda t: float(np.linalg.norm(t)))
    best = _better(best, normals * depths[:, None], bodies)
    size = float(np.linalg.norm(best))
    near = np.abs(depths) < size
    normals, depths = _distinct(normals[near], depths[near])
    nearest = np.argsort(np.abs(depths))[:MOST_PLANES]
    normals, depths = normals[nearest], depths[nearest]
    best = _better(best, _on_lines(normals, depths), bodies)
    return _better(best, _in_corners(normals, depths, float(np.linalg.norm(best))), bodies)


def _differences(a: Array, b: Array) -> Array | None:
    """The planes (n, 4) of the body of all shifts of a at which it meets b, as outward normal and offset."""
    gaps = (b[None, :, :] - a[:, None, :]).reshape(-1, 3)
    try:
        return np.asarray(ConvexHull(gaps).equations)
    except QhullError:
        # Two pieces without any thickness meet for no more than a sheet of shifts.
        return None


def _far_enough(a: list[Array], b: list[Array]) -> list[Array]:
    every_a, every_b = np.vstack(a), np.vstack(b)
    shifts = []
    for axis in range(3):
        for by in (every_b[:, axis].max() - every_a[:, axis].min(), every_b[:, axis].min() - every_a[:, axis].max()):
            shift = np.zeros(3)
            shift[axis] = by
            shifts.append(shift)
    return shifts


def _distinct(normals: Array, depths: Array) -> tuple[Array, Array]:
    """Planes without their doubles: triangles of one face are told once."""
    keys = np.round(np.column_stack([normals, depths]), SAME_PLANE_DIGITS)
    _, first = np.unique(keys, axis=0, return_index=True)
    return normals[first], depths[first]


def _better(best: Array, candidates: Array, bodies: list[Array]) -> Array:
    """The nearest of the candidates that is outside all bodies, where it is nearer than the best so far."""
    sizes = np.linalg.norm(candidates, axis=1)
    left = np.flatnonzero(sizes < np.linalg.norm(best))
    for planes in bodies:
        if not len(left):
            return best
        over = candidates[left] @ planes[:, :3].T + planes[:, 3]
        left = left[over.max(axis=1) > -OUTSIDE_MM]
    if not len(left):
        return best
    nearest: Array = candidates[left[np.argmin(sizes[left])]]
    return nearest


def _on_lines(normals: Array, depths: Array) -> Array:
    """The nearest place on the line where each two planes meet."""
    if len(normals) < 2:
        return np.zeros((0, 3))
    i, j = np.array(list(combinations(range(len(normals)), 2))).T
    n, m, c, d = normals[i], normals[j], depths[i], depths[j]
    g = np.einsum("ij,ij->i", n, m)
    rest = 1.0 - g * g
    ok = rest > NEARLY_PARALLEL
    n, m, c, d, g, rest = n[ok], m[ok], c[ok], d[ok], g[ok], rest[ok]
    found: Array = n * ((c - d * g) / rest)[:, None] + m * ((d - c * g) / rest)[:, None]
    return found


def _in_corners(normals: Array, depths: Array, within: float) -> Array:
    """The place where each three planes meet, of those planes that come nearer than the best so far."""
    near = np.abs(depths) < within
    normals, depths = normals[near], depths[near]
    if len(normals) < 3:
        return np.zeros((0, 3))
    three = np.array(list(combinations(range(len(normals)), 3)))
    sides, offs = normals[three], depths[three]
    ok = np.abs(np.linalg.det(sides)) > NEARLY_PARALLEL
    found: Array = np.linalg.solve(sides[ok], offs[ok][:, :, None])[:, :, 0]
    return found
