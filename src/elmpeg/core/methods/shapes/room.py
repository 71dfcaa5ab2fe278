"""The room between shapes: exact distances between their convex pieces, and between surfaces of triangles."""

from __future__ import annotations

import math
from functools import lru_cache

import coal
import numpy as np
from numpy.typing import NDArray
from shapely import constrained_delaunay_triangles
from shapely.geometry import Polygon

from elmpeg.core.base.pose import Placed
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, any_perpendicular, cross, norm, scale, sub, unit
from elmpeg.core.methods.shapes.solids import Box, Cylinder, Extrusion, Mesh, Outline, Solid, Tube, corners_of, is_convex, legs, lifted

TOUCHING_MM = 1e-9


def _ball() -> NDArray[np.float64]:
    """Corners spread over a ball of radius 1: rings at every 22.5°."""
    turns = np.radians(np.arange(0, 360, 22.5))
    rings = [(math.cos(up) * np.cos(turns), math.cos(up) * np.sin(turns), np.full_like(turns, math.sin(up))) for up in turns[:5]]
    upper = np.concatenate([np.column_stack(ring) for ring in rings])
    return np.concatenate([upper, upper * (1, 1, -1)])


_BALL = _ball()


@record
class Nearest:
    """Room between two solids: the distance, and the nearest point on each. Negative where they overlap."""

    distance_mm: float
    on_a_mm: Vec3
    on_b_mm: Vec3


@lru_cache(maxsize=4096)
def nearest(a: Solid, where_a: Placed, b: Solid, where_b: Placed) -> Nearest:
    """Exact distance between two placed solids, cylinders as they are and not as polygons.

    An outline with hollows is taken in triangles, so that a hollow counts as room.
    Where two solids overlap the distance is minus the least shift that would part
    the deepest pair of their convex pieces.
    """
    found = [nearest_pair(pa, pb) for pa in pieces(a, where_a) for pb in pieces(b, where_b)]
    least = min(found, key=lambda n: n.distance_mm)
    if isinstance(a, Mesh) or isinstance(b, Mesh):
        return _of_meshes(a, where_a, b, where_b, least)
    return least


def _of_meshes(a: Solid, where_a: Placed, b: Solid, where_b: Placed, surfaces: Nearest) -> Nearest:
    """Room between surfaces as it is; where they cut each other, or one lies inside the other, the least shift that
    would part their convex hulls."""
    if surfaces.distance_mm > TOUCHING_MM and not _inside(a, where_a, b, where_b) and not _inside(b, where_b, a, where_a):
        return surfaces
    found = [nearest_pair(pa, pb) for pa in hulls(a, where_a) for pb in hulls(b, where_b)]
    least = min(found, key=lambda n: n.distance_mm)
    return least if least.distance_mm < 0 else Nearest(0.0, surfaces.on_a_mm, surfaces.on_b_mm)


def _inside(inner: Solid, where_inner: Placed, outer: Solid, where_outer: Placed) -> bool:
    """Whether a corner of one lies inside a closed mesh: its triangles, as seen from there, go once around.

    Source: Van Oosterom and Strackee (1983), the solid angle of a plane triangle.
    """
    if not isinstance(outer, Mesh) or not outer.closed:
        return False
    eye = np.array(where_outer.local(where_inner.point(_vec3(corners_of(inner)[0]))))
    a, b, c = (np.array(outer.vertices_mm)[np.array(outer.triangles)[:, k]] - eye for k in range(3))
    la, lb, lc = (np.sqrt(np.einsum("ij,ij->i", v, v)) for v in (a, b, c))
    top = np.einsum("ij,ij->i", a, np.cross(b, c))
    below = la * lb * lc + np.einsum("ij,ij->i", a, b) * lc + np.einsum("ij,ij->i", b, c) * la + np.einsum("ij,ij->i", c, a) * lb
    return bool(abs(np.arctan2(top, below).sum() * 2) > 2 * math.pi)


def hulls(solid: Solid, where: Placed) -> tuple[Piece, ...]:
    """The convex pieces of a solid; of a mesh its hull."""
    if not isinstance(solid, Mesh):
        return pieces(solid, where)
    return ((_hull(solid), transform(np.array(where.rotation), where.origin_mm)),)


@lru_cache(maxsize=256)
def _hull(mesh: Mesh) -> coal.CollisionGeometry:
    return coal.ConvexBase.convexHull(_all_corners(mesh), False, "")


@lru_cache(maxsize=256)
def _surface(mesh: Mesh) -> coal.CollisionGeometry:
    """The triangles of a mesh, sorted into boxes so that few of them are asked for a distance."""
    model = coal.BVHModelOBBRSS()
    model.beginModel(len(mesh.triangles), len(mesh.vertices_mm))
    turned = coal.StdVec_Triangle()
    for p, q, r in mesh.triangles:
        turned.append(coal.Triangle(p, q, r))
    model.addSubModel(_all_corners(mesh), turned)
    model.endModel()
    return model


def _all_corners(mesh: Mesh) -> coal.StdVec_Vec3s:
    corners = coal.StdVec_Vec3s()
    corners.extend([np.array(v, dtype=float) for v in mesh.vertices_mm])
    return corners


Piece = tuple[coal.CollisionGeometry, coal.Transform3s]


def nearest_pair(a: Piece, b: Piece) -> Nearest:
    reply = coal.DistanceResult()
    distance = coal.distance(a[0], a[1], b[0], b[1], coal.DistanceRequest(), reply)
    return Nearest(float(distance), _vec3(reply.getNearestPoint1()), _vec3(reply.getNearestPoint2()))


def _vec3(row: NDArray[np.float64]) -> Vec3:
    return (float(row[0]), float(row[1]), float(row[2]))


def transform(turn: NDArray[np.float64], shift_mm: Vec3) -> coal.Transform3s:
    transform = coal.Transform3s()
    transform.setRotation(turn)
    transform.setTranslation(np.array(shift_mm))
    return transform


@lru_cache(maxsize=4096)
def pieces(solid: Solid, where: Placed) -> tuple[Piece, ...]:
    turn = np.array(where.rotation)
    if isinstance(solid, Mesh):
        return ((_surface(solid), transform(turn, where.origin_mm)),)
    if isinstance(solid, Tube):
        bends = tuple((coal.Sphere(solid.diameter_mm / 2), transform(turn, where.point(b))) for b in solid.path_mm[1:-1])
        return (*(piece for leg in legs(solid) for piece in pieces(leg, where)), *bends)
    if isinstance(solid, Box):
        return ((coal.Box(*solid.size_mm), transform(turn, where.point(solid.centre_mm))),)
    if isinstance(solid, Cylinder):
        along = sub(solid.end_mm, solid.start_mm)
        u = any_perpendicular(along)
        upright = np.column_stack([u, cross(unit(along), u), unit(along)])
        middle = where.point(add(solid.start_mm, scale(along, 0.5)))
        return ((coal.Cylinder(solid.diameter_mm / 2, norm(along)), transform(turn @ upright, middle)),)
    return tuple((prism, transform(turn, where.origin_mm)) for prism in _prisms(solid))


def hull_corners(solid: Solid) -> tuple[NDArray[np.float64], ...]:
    """The corners (n, 3) of a solid's convex pieces in its own frame, in the order of ``hulls``, round ones as many-sided."""
    if isinstance(solid, Tube):
        balls = tuple(np.array(bend) + solid.diameter_mm / 2 * _BALL for bend in solid.path_mm[1:-1])
        return (*(corners_of(leg) for leg in legs(solid)), *balls)
    if isinstance(solid, Extrusion):
        return tuple(np.array(prism.points()) for prism in _prisms(solid))
    return (corners_of(solid),)


@lru_cache(maxsize=512)
def _prisms(solid: Extrusion) -> tuple[coal.CollisionGeometry, ...]:
    """An outline pulled to its thickness as convex bodies in its own frame: itself, or its triangles."""
    outlines: tuple[Outline, ...] = (solid.outline_mm,)
    if not is_convex(solid):
        triangles = constrained_delaunay_triangles(Polygon(solid.outline_mm))
        outlines = tuple(tuple((float(x), float(y)) for x, y in t.exterior.coords[:-1]) for t in triangles.geoms)
    return tuple(_prism(solid, outline) for outline in outlines)


def _prism(solid: Extrusion, outline: Outline) -> coal.CollisionGeometry:
    corners = coal.StdVec_Vec3s()
    corners.extend([np.array(lifted(solid.view, u, v, depth), dtype=float) for depth in (solid.from_mm, solid.to_mm) for u, v in outline])
    return coal.ConvexBase.convexHull(corners, False, "")
