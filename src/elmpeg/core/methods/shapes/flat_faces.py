"""The flat faces of a shape: each with the direction it looks in, its edge, and what is open within it."""

from __future__ import annotations

import math
from collections import defaultdict
from itertools import combinations, pairwise

import numpy as np
from shapely import set_precision
from shapely.geometry import Point as Dot
from shapely.geometry import Polygon
from shapely.ops import unary_union

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, any_perpendicular, cross, dot, mean, scale, sub, unit
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, Box, Cylinder, Extrusion, Mesh, Solid, Tube, faces

SAME_WAY_DEG = 0.5
SAME_LEVEL_MM = 0.05
LEAST_AREA_MM2 = 25.0
GRID_MM = 1e-4
JUST_OFF_MM = 0.01
QUAD = 4
ROUND_WITHIN = 0.01
"""Of its radius, how far the corners of a ring may lie from a circle for it to be one."""
FEWEST_OF_A_CIRCLE = 8
P2 = tuple[float, float]


@record
class FlatFace:
    """A flat face in its shape's own frame: a place on it, its two directions, its edge and its openings in these."""

    origin: Vec3
    x: Vec3
    y: Vec3
    edge: tuple[P2, ...]
    openings: tuple[tuple[P2, ...], ...] = ()

    @property
    def normal(self) -> Vec3:
        """Out of the shape."""
        return cross(self.x, self.y)

    @property
    def area_mm2(self) -> float:
        """Of the face without its openings."""
        return float(Polygon(self.edge, self.openings).area)

    def at(self, p: P2) -> Vec3:
        """A place of the face in the shape's frame."""
        return add(self.origin, add(scale(self.x, p[0]), scale(self.y, p[1])))


def flat_faces(solid: Solid) -> tuple[FlatFace, ...]:
    """Every flat face of a shape, largest first; none of a tube. Pieces of a surface that lie in one plane and touch are one face."""
    if isinstance(solid, Tube):
        return ()
    if isinstance(solid, Mesh):
        return _of_triangles(solid)
    near, far = faces(solid)
    rings: list[tuple[Vec3, ...]] = [near, far]
    if solid.kind != "cylinder":
        count = len(near)
        rings += [(near[k], near[(k + 1) % count], far[(k + 1) % count], far[k]) for k in range(count)]
    found = [face for ring in rings if (face := _of_ring(ring, solid)) is not None]
    return tuple(sorted(found, key=lambda f: -f.area_mm2))


def _of_ring(ring: tuple[Vec3, ...], solid: Box | Cylinder | Extrusion) -> FlatFace | None:
    sides = [sub(p, ring[0]) for p in ring[1:]]
    turns = [cross(a, b) for a, b in pairwise(sides)]
    normal = (sum(t[0] for t in turns), sum(t[1] for t in turns), sum(t[2] for t in turns))
    if dot(normal, normal) < 1e-12:
        return None
    n = unit(normal)
    n = scale(n, -1.0) if _holds(solid, add(_on(ring), scale(n, JUST_OFF_MM))) else n
    x = unit(sub(ring[1], ring[0]))
    y = cross(n, x)
    face = FlatFace(ring[0], x, y, tuple((dot(sub(p, ring[0]), x), dot(sub(p, ring[0]), y)) for p in ring))
    return face if face.area_mm2 >= LEAST_AREA_MM2 else None


def _on(ring: tuple[Vec3, ...]) -> Vec3:
    """A place on a flat ring's face: of a hollow one the middle lies beside it."""
    if len(ring) == QUAD:
        return mean(list(ring))
    x = unit(sub(ring[1], ring[0]))
    sides = [cross(sub(a, ring[0]), sub(b, ring[0])) for a, b in pairwise(ring[1:])]
    y = cross(unit((sum(s[0] for s in sides), sum(s[1] for s in sides), sum(s[2] for s in sides))), x)
    within = Polygon([(dot(sub(p, ring[0]), x), dot(sub(p, ring[0]), y)) for p in ring]).representative_point()
    return add(ring[0], add(scale(x, within.x), scale(y, within.y)))


def _holds(solid: Box | Cylinder | Extrusion, p: Vec3) -> bool:
    """Whether a place lies within a shape."""
    if isinstance(solid, Box):
        return all(abs(p[i] - solid.centre_mm[i]) < solid.size_mm[i] / 2 for i in range(3))
    if isinstance(solid, Cylinder):
        along = sub(solid.end_mm, solid.start_mm)
        return 0.0 < dot(sub(p, solid.start_mm), along) < dot(along, along)
    u, v = AXES_OF_VIEW[solid.view]
    depth = p[3 - u - v]
    low, high = sorted((solid.from_mm, solid.to_mm))
    return low < depth < high and bool(Polygon(solid.outline_mm).contains(Dot(p[u], p[v])))


def _of_triangles(mesh: Mesh) -> tuple[FlatFace, ...]:
    """Triangles that look the same way from the same level, grown together where they touch."""
    places = np.array(mesh.vertices_mm)
    corners = places[np.array(mesh.triangles)]
    normals = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    areas = np.linalg.norm(normals, axis=1)
    groups: list[tuple[np.ndarray, float, list[int]]] = []
    coarse: dict[tuple[int, ...], list[int]] = defaultdict(list)
    for k in np.argsort(-areas):
        if areas[k] < 1e-9:
            continue
        n = normals[k] / areas[k]
        level = float(n @ corners[k].mean(axis=0))
        key = tuple(int(v) for v in np.round(n * 20))
        near = [g for shift in _around(key) for g in coarse.get(shift, ())]
        same = next((g for g in near if groups[g][0] @ n > math.cos(math.radians(SAME_WAY_DEG)) and _level(groups[g], corners[k])), None)
        if same is None:
            groups.append((n, level, [int(k)]))
            coarse[key].append(len(groups) - 1)
        else:
            groups[same][2].append(int(k))
    found: list[FlatFace] = []
    for n, level, members in groups:
        if areas[members].sum() / 2 < LEAST_AREA_MM2:
            continue
        up: Vec3 = (float(n[0]), float(n[1]), float(n[2]))
        x = any_perpendicular(up)
        y = cross(up, x)
        flat = corners[members] @ np.array([x, y]).T
        grown = unary_union([set_precision(Polygon(t), GRID_MM) for t in flat])
        large = [part for part in getattr(grown, "geoms", [grown]) if part.area >= LEAST_AREA_MM2]
        found += [FlatFace(scale(up, level), x, y, _ring(p.exterior.coords), tuple(_ring(i.coords) for i in p.interiors)) for p in large]
    return tuple(sorted(found, key=lambda f: -f.area_mm2))


def _around(key: tuple[int, ...]) -> list[tuple[int, ...]]:
    return [(key[0] + a, key[1] + b, key[2] + c) for a in (-1, 0, 1) for b in (-1, 0, 1) for c in (-1, 0, 1)]


def _level(group: tuple[np.ndarray, float, list[int]], triangle: np.ndarray) -> bool:
    return bool(np.abs(triangle @ group[0] - group[1]).max() <= SAME_LEVEL_MM)


def _ring(coords: object) -> tuple[P2, ...]:
    return tuple((float(c[0]), float(c[1])) for c in list(coords)[:-1])  # type: ignore[call-overload]


def as_circle(ring: tuple[P2, ...]) -> tuple[P2, float] | None:
    """Middle and diameter of a ring that is round; None for any other."""
    if len(ring) < FEWEST_OF_A_CIRCLE:
        return None
    cx, cy = (sum(p[i] for p in ring) / len(ring) for i in (0, 1))
    away = [math.dist(p, (cx, cy)) for p in ring]
    widest = max(math.dist(a, b) for a, b in combinations(ring[:64], 2))
    radius = sum(away) / len(away)
    return ((cx, cy), 2 * radius) if max(abs(a - radius) for a in away) <= ROUND_WITHIN * radius and widest > radius else None
