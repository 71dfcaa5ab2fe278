"""A mesh from another program, brought to size and put in its place.

Its file says neither its unit nor which way is up. Sizes are told in each unit, so that
the one that makes sense is seen; the frame comes from quarter turns, and in the end from
three or more places picked on it whose true coordinates are known.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.methods.measuring.rigid_fit import PointPair, RigidFit, rigid_fit
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, Mesh, View

MM_PER: dict[str, float] = {"mm": 1.0, "cm": 10.0, "in": 25.4, "m": 1000.0}
SENSIBLE_MM = (15.0, 9000.0)
"""Parts of vehicles, and vehicles, are between these across."""
USUAL_MM = 600.0
"""An engine, a gearbox, a seat: what people bring in most."""
TURNS: dict[str, tuple[Vec3, Vec3, Vec3]] = {
    "as it is": ((1, 0, 0), (0, 1, 0), (0, 0, 1)),
    "quarter turn seen from the left": ((0, 0, 1), (0, 1, 0), (-1, 0, 0)),
    "quarter turn seen from above": ((0, -1, 0), (1, 0, 0), (0, 0, 1)),
    "quarter turn seen from behind": ((1, 0, 0), (0, 0, -1), (0, 1, 0)),
}
"""Rows of the turn that each button adds."""
Points = NDArray[np.float64]


@record
class Size:
    """How large a mesh would be if its numbers were in one unit."""

    unit: str
    across_mm: Vec3
    makes_sense: bool


def sizes(vertices: tuple[Vec3, ...]) -> tuple[Size, ...]:
    """The mesh's size in each unit, the likeliest first."""
    corners = np.array(vertices)
    span = corners.max(axis=0) - corners.min(axis=0)
    found = []
    for unit, mm in MM_PER.items():
        across = tuple(float(v) * mm for v in span)
        largest = max(across)
        found.append(Size(unit, across, SENSIBLE_MM[0] <= largest <= SENSIBLE_MM[1]))  # type: ignore[arg-type]
    return tuple(sorted(found, key=lambda s: abs(math.log(max(max(s.across_mm), 1e-9) / USUAL_MM))))


def turned(vertices: tuple[Vec3, ...], turns: tuple[str, ...], mm_per_unit: float) -> Points:
    """The corners in mm after quarter turns, one after the other, set down about the middle of their lower side."""
    corners = np.array(vertices, dtype=float) * mm_per_unit
    for turn in turns:
        corners = corners @ np.array(TURNS[turn], dtype=float).T
    low, high = corners.min(axis=0), corners.max(axis=0)
    shifted: Points = corners - np.array([(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, low[2]])
    return shifted


def seen_at(corners: Points, triangles: tuple[tuple[int, int, int], ...], view: View, u_mm: float, v_mm: float) -> Vec3 | None:
    """The place of the surface that is seen at a place of a view, None beside the mesh.

    Side is seen from the left, plan from above, rear from behind.
    """
    i, j = AXES_OF_VIEW[view]
    k = 3 - i - j
    a, b, c = (corners[np.array(triangles)[:, n]] for n in range(3))
    det = (b[:, i] - a[:, i]) * (c[:, j] - a[:, j]) - (c[:, i] - a[:, i]) * (b[:, j] - a[:, j])
    safe = np.where(np.abs(det) > 1e-12, det, np.inf)
    s = ((u_mm - a[:, i]) * (c[:, j] - a[:, j]) - (c[:, i] - a[:, i]) * (v_mm - a[:, j])) / safe
    t = ((b[:, i] - a[:, i]) * (v_mm - a[:, j]) - (u_mm - a[:, i]) * (b[:, j] - a[:, j])) / safe
    hit = np.isfinite(safe) & (s >= -1e-9) & (t >= -1e-9) & (s + t <= 1 + 1e-9)
    if not hit.any():
        return None
    depth = a[:, k] + s * (b[:, k] - a[:, k]) + t * (c[:, k] - a[:, k])
    nearer = -depth if view == "side" else depth
    best = int(np.where(hit, nearer, -np.inf).argmax())
    place = [0.0, 0.0, 0.0]
    place[i], place[j], place[k] = u_mm, v_mm, float(depth[best])
    return (place[0], place[1], place[2])


def fitted(picked: tuple[Vec3, ...], wanted: tuple[Vec3, ...]) -> RigidFit:
    """The move that brings picked places to where they are, and what each leaves over. Raises InputError for fewer
    than three, or places in a line."""
    return rigid_fit(tuple(PointPair(str(k + 1), a, b) for k, (a, b) in enumerate(zip(picked, wanted, strict=True))), "picks")


def as_shape(
    name: str,
    corners: Points,
    triangles: tuple[tuple[int, int, int], ...],
    closed: bool,
    file: str,
    before: int,
    off_mm: float,
) -> Mesh:
    """The mesh as a shape of a build, its corners to a hundredth of a millimetre."""
    vertices = tuple((round(float(x), 2), round(float(y), 2), round(float(z), 2)) for x, y, z in corners)
    return Mesh("", name, vertices, triangles, closed, file, before, round(off_mm, 2))
