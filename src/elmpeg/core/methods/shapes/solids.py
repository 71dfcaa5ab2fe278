"""The few shapes a part is blocked in with, their silhouettes and their bounds.

A box, a cylinder, an outline pulled straight to a thickness, or a tube along a
path: enough to say what fouls, quick enough to draw three views of at every move.
``sd_mm`` is how far a shape's faces may lie from where they are said to be.
"""

from __future__ import annotations

import math
from functools import lru_cache
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from shapely import (
    STRtree,
    box,
    convex_hull,
    coverage_union_all,
    get_coordinates,
    get_parts,
    linestrings,
    multipoints,
    point_on_surface,
    points,
    polygonize,
)
from shapely.geometry import LineString, MultiPoint, Point, Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import unary_union

from elmpeg.core.base.declared import NOT_NEGATIVE, Called
from elmpeg.core.base.pose import Placed, Pose, Rotation, placed
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, any_perpendicular, cross, sub, unit

View = Literal["side", "plan", "rear"]
Outline = tuple[tuple[float, float], ...]

Role = Literal["", "frame", "body", "moving", "hot", "rotating", "fuel_or_brake_line", "wiring", "person"]
"""What a shape is to its neighbours: what may touch it, and how much room it wants."""
ShapeSource = Literal["", "measured", "drawing", "borrowed", "assumed"]
"""Where a shape's figures come from; empty where nobody said."""

ROUND_SIDES = 48
"""Sides of the polygon that stands for a circle; it is off by 0.2 % of the radius at most."""
SLIVER = 1e-9
"""Share of the largest triangle's area in a view below which another is seen edge-on."""
AXES_OF_VIEW: dict[View, tuple[int, int]] = {"side": (0, 2), "plan": (0, 1), "rear": (1, 2)}


@record
class Box:
    """A box by its centre and its full sizes, square to its frame."""

    id: str
    name: str
    centre_mm: Vec3
    size_mm: Vec3
    kind: Literal["box"] = "box"
    role: Role = ""
    source: ShapeSource = ""
    sd_mm: Annotated[float, NOT_NEGATIVE] = 0.0


@record
class Cylinder:
    """A cylinder between the centres of its two ends."""

    id: str
    name: str
    start_mm: Annotated[Vec3, Called("one end")]
    end_mm: Annotated[Vec3, Called("other end")]
    diameter_mm: float
    kind: Literal["cylinder"] = "cylinder"
    role: Role = ""
    source: ShapeSource = ""
    sd_mm: Annotated[float, NOT_NEGATIVE] = 0.0


@record
class Extrusion:
    """An outline in one view, pulled from one depth to another along the third axis."""

    id: str
    name: str
    view: View
    outline_mm: Outline
    from_mm: Annotated[float, Called("begins at")]
    to_mm: Annotated[float, Called("ends at")]
    kind: Literal["extrusion"] = "extrusion"
    role: Role = ""
    source: ShapeSource = ""
    sd_mm: Annotated[float, NOT_NEGATIVE] = 0.0


@record
class Tube:
    """A round tube, hose or cable along a path of corners: straight between them, rounded at each by its own half."""

    id: str
    name: str
    path_mm: tuple[Vec3, ...]
    diameter_mm: float
    kind: Literal["tube"] = "tube"
    role: Role = ""
    source: ShapeSource = ""
    sd_mm: Annotated[float, NOT_NEGATIVE] = 0.0


@record
class Mesh:
    """A surface of triangles, simplified from a scan or a drawing for looking at and for distances.

    ``triangles`` are numbers into ``vertices_mm``; of a ``closed`` surface they all turn the same way, seen from
    outside anticlockwise. ``off_mm`` is how far the original's corners lie from this surface at most, as far as
    they were looked at; ``file`` names the original, ``triangles_in_file`` how many it has.
    """

    id: str
    name: str
    vertices_mm: tuple[Vec3, ...]
    triangles: tuple[tuple[int, int, int], ...]
    closed: bool = True
    file: str = ""
    triangles_in_file: int = 0
    off_mm: Annotated[float, Called("off the file by at most")] = 0.0
    kind: Literal["mesh"] = "mesh"
    role: Role = ""
    source: ShapeSource = ""
    sd_mm: Annotated[float, NOT_NEGATIVE] = 0.0

    def __hash__(self) -> int:
        # Kept answers are looked up by shape at every move; thousands of figures need not be gone through for that.
        return hash((self.id, self.file, len(self.vertices_mm), self.vertices_mm[:1], self.vertices_mm[-1:]))


Solid = Box | Cylinder | Extrusion | Tube | Mesh


def legs(tube: Tube) -> tuple[Cylinder, ...]:
    """The straight pieces of a tube."""
    return tuple(
        Cylinder(f"{tube.id}.{k}", tube.name, a, b, tube.diameter_mm)
        for k, (a, b) in enumerate(zip(tube.path_mm, tube.path_mm[1:], strict=False))
    )


def lifted(view: View, u: float, v: float, depth: float) -> Vec3:
    if view == "side":
        return (u, depth, v)
    if view == "plan":
        return (u, v, depth)
    return (depth, u, v)


def faces(solid: Box | Cylinder | Extrusion) -> tuple[tuple[Vec3, ...], ...]:
    """Two opposite ends of a solid, corner by corner in step; its sides join them."""
    if isinstance(solid, Box):
        (cx, cy, cz), (sx, sy, sz) = solid.centre_mm, solid.size_mm
        ring = ((-1, -1), (1, -1), (1, 1), (-1, 1))
        low, high = cx - sx / 2, cx + sx / 2
        ends = [tuple((x, cy + a * sy / 2, cz + b * sz / 2) for a, b in ring) for x in (low, high)]
        return (ends[0], ends[1])
    if isinstance(solid, Cylinder):
        along = unit(sub(solid.end_mm, solid.start_mm))
        u = any_perpendicular(along)
        w = cross(along, u)
        rings = []
        for centre in (solid.start_mm, solid.end_mm):
            ring_points: list[Vec3] = []
            for k in range(ROUND_SIDES):
                turn = 2 * math.pi * k / ROUND_SIDES
                c, s = math.cos(turn) * solid.diameter_mm / 2, math.sin(turn) * solid.diameter_mm / 2
                ring_points.append((centre[0] + c * u[0] + s * w[0], centre[1] + c * u[1] + s * w[1], centre[2] + c * u[2] + s * w[2]))
            rings.append(tuple(ring_points))
        return (rings[0], rings[1])
    ends_of = [tuple(lifted(solid.view, u_, v_, depth) for u_, v_ in solid.outline_mm) for depth in (solid.from_mm, solid.to_mm)]
    return (ends_of[0], ends_of[1])


@lru_cache(maxsize=512)
def is_convex(solid: Box | Cylinder | Extrusion) -> bool:
    if not isinstance(solid, Extrusion):
        return True
    outline = Polygon(solid.outline_mm)
    return bool(math.isclose(outline.convex_hull.area, outline.area, rel_tol=1e-9))


@lru_cache(maxsize=512)
def corners_of(solid: Solid) -> NDArray[np.float64]:
    if isinstance(solid, Mesh):
        return np.array(solid.vertices_mm)
    if isinstance(solid, Tube):
        return np.array([corner for leg in legs(solid) for ring in faces(leg) for corner in ring])
    near, far = faces(solid)
    return np.array(near + far)


def silhouette(solid: Solid, where: Placed, view: View) -> tuple[Outline, ...]:
    """Outlines of a placed solid in a view, in mm as (screen right, screen up).

    A convex solid has one; one with hollows may have several, and holes are filled.
    """
    u, v = (where.origin_mm[i] for i in AXES_OF_VIEW[view])
    return tuple(tuple((x + u, y + v) for x, y in outline) for outline in _turned(solid, where.rotation, view))


@lru_cache(maxsize=4096)
def _turned(solid: Solid, rotation: Rotation, view: View) -> tuple[Outline, ...]:
    """The same of a solid that is turned but stays at the origin: most moves only shift, and leave these as they are."""
    flat = np.array([rotation[i] for i in AXES_OF_VIEW[view]]).T
    if isinstance(solid, Tube):
        bends = [Point(*(np.array(b) @ flat)).buffer(solid.diameter_mm / 2, ROUND_SIDES // 4) for b in solid.path_mm[1:-1]]
        return _outlines(unary_union([*(convex_hull(multipoints(corners_of(leg) @ flat)) for leg in legs(solid)), *bends]))
    corners = corners_of(solid) @ flat
    if isinstance(solid, Mesh):
        return _outlines(_seen(corners, solid))
    if is_convex(solid):
        shape = convex_hull(multipoints(corners))
    else:
        n = len(corners) // 2
        near, far = corners[:n].tolist(), corners[n:].tolist()
        sides = [MultiPoint([near[k], near[(k + 1) % n], far[k], far[(k + 1) % n]]).convex_hull for k in range(n)]
        shape = unary_union([s for s in (*sides, Polygon(near).buffer(0), Polygon(far).buffer(0)) if s.area > 0])
    return _outlines(shape)


def _seen(corners: NDArray[np.float64], mesh: Mesh) -> BaseGeometry:
    """What a mesh covers in a view, its holes filled.

    The rim of what is seen can only run along edges where the surface ends, or turns from looking one way to looking the
    other; these few are drawn, and of the cells between them those count that a triangle lies over.
    """
    triangles, edges = np.array(mesh.triangles), _edges(mesh)
    flat = corners[triangles]
    across, along = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
    area = across[:, 0] * along[:, 1] - across[:, 1] * along[:, 0]
    way = np.where(np.abs(area) > SLIVER * float(np.abs(area).max(initial=0.0)), np.sign(area), 0.0)
    first, second = way[edges[:, 2]], way[edges[:, 3]]
    rim = edges[(edges[:, 3] < 0) | (first != second) | (first == 0.0), :2]
    cells = get_parts(polygonize([unary_union(linestrings(corners[rim]))]))
    return coverage_union_all(cells[_under(get_coordinates(point_on_surface(cells)), flat)])


def _under(places: NDArray[np.float64], triangles: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which places of a view some triangle lies over: those on the same side of all three of its edges."""
    low, high = triangles.min(axis=1), triangles.max(axis=1)
    # A rough mesh has thousands of each: only those triangles are looked at whose box the place is in.
    place, over = STRtree(box(low[:, 0], low[:, 1], high[:, 0], high[:, 1])).query(points(places))
    sides = []
    for k in range(3):
        start = triangles[over, k]
        along, off = triangles[over, (k + 1) % 3] - start, places[place] - start
        sides.append(along[:, 0] * off[:, 1] - along[:, 1] * off[:, 0])
    a, b, c = sides
    found = np.zeros(len(places), dtype=bool)
    found[place[((a >= 0) & (b >= 0) & (c >= 0)) | ((a <= 0) & (b <= 0) & (c <= 0))]] = True
    return found


@lru_cache(maxsize=256)
def _edges(mesh: Mesh) -> NDArray[np.int64]:
    """Each edge of a mesh: its two corners, and the triangles on either side; -1 where the surface ends, or branches."""
    triangles = np.array(mesh.triangles)
    pairs = np.sort(np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1)
    owner = np.tile(np.arange(len(triangles)), 3)
    unique, which, counts = np.unique(pairs, axis=0, return_inverse=True, return_counts=True)
    which = which.reshape(-1)
    order = np.argsort(which, kind="stable")
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]])
    first = owner[order[starts]]
    second = np.where(counts == 2, owner[order[np.minimum(starts + 1, len(order) - 1)]], -1)
    return np.column_stack([unique, first, second])


def _outlines(shape: BaseGeometry) -> tuple[Outline, ...]:
    parts = getattr(shape, "geoms", [shape])
    return tuple(tuple((float(x), float(y)) for x, y in part.exterior.coords[:-1]) for part in parts if part.area > 0)


def crossing_mm(outline: Outline) -> tuple[float, float] | None:
    """Where an outline crosses or touches itself, None where it does not."""
    corners = list(outline)
    edges = [LineString(pair) for pair in zip(corners, [*corners[1:], *corners[:1]], strict=True) if pair[0] != pair[1]]
    for i, edge in enumerate(edges):
        for j in range(i + 2, len(edges)):
            if i == 0 and j == len(edges) - 1:
                continue
            met = edge.intersection(edges[j])
            if not met.is_empty:
                place = met.representative_point()
                return (float(place.x), float(place.y))
    return None


FIXED = placed(Pose())
"""Where the vehicle's own solids sit: they are already in its frame."""


def bounds_mm(solid: Solid) -> tuple[Vec3, Vec3]:
    """The least and the largest coordinates of a solid in its own frame."""
    corners = corners_of(solid)
    low, high = corners.min(axis=0).tolist(), corners.max(axis=0).tolist()
    return (low[0], low[1], low[2]), (high[0], high[1], high[2])
