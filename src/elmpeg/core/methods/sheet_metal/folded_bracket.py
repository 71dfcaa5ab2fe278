"""One fold between two faces: where the bend lies to each hole, and the flat that is cut.

The sheet touches each face on one side and lies from there to its thickness. The
outer faces of its two flanges meet in a sharp line; where a flange touches its face on
the inside of the fold, its outer face is a thickness further along.
"""

from __future__ import annotations

import math

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, angle_deg, cross, dot, mean, scale, sub, unit
from elmpeg.core.methods.sheet_metal.bends import LEAST_BY_THICKNESS_OF_HOLE, Bend, arc_mm, k_by_rule, setback_mm

PARALLEL_DEG = 1.0
FLAT_WITHIN_MM = 0.5
"""How far the holes of one face may lie off its plane before that is said."""


@record
class FaceHole:
    """A hole of a face, its centre where the sheet touches."""

    id: str
    xyz_mm: Vec3
    hole_mm: float


@record
class Face:
    """A face by its normal, from the surface into the sheet, and its holes."""

    normal: Vec3
    holes: tuple[FaceHole, ...]


@record
class FlatHole:
    """A hole in the flat, x along the fold and y across it from the bend line, seen from the outside of the fold."""

    id: str
    x_mm: float
    y_mm: float
    hole_mm: float


@record
class HoleRoom:
    """Whether a hole stands clear of its bend: its distance, and the least."""

    id: str
    value_mm: float
    least_mm: float

    @property
    def holds(self) -> bool:
        """Whether it is far enough."""
        return self.value_mm >= self.least_mm


@record
class FoldedFlange:
    """One flange in space: its outer face's normal, the way from the sharp line into it, and which side touches."""

    outward: Vec3
    along: Vec3
    touches_inside: bool
    off_plane_mm: float


@record
class FoldedBracket:
    """The fold, each hole's distance to where its arc begins, the flat, and the flanges for drawing."""

    bend_deg: float
    k: float
    setback_mm: float
    arc_mm: float
    hole_to_bend_mm: tuple[tuple[str, float], ...]
    flat: tuple[FlatHole, ...]
    room: tuple[HoleRoom, ...]
    flanges: tuple[FoldedFlange, FoldedFlange]
    fold_along: Vec3
    fold_at_mm: Vec3

    def distance_mm(self, one: str, other: str) -> float:
        """Between two holes in the flat; raises InputError for an unknown hole."""
        places = {h.id: (h.x_mm, h.y_mm) for h in self.flat}
        for name in (one, other):
            if name not in places:
                raise InputError("measure", f"“{name}” is none of the holes: {', '.join(places)}")
        return math.dist(places[one], places[other])


def folded_bracket(thickness_mm: float, inside_radius_mm: float, a: Face, b: Face, k: float | None = None) -> FoldedBracket:
    """The bracket with one fold that touches two faces.

    A hole's distance to the bend is its distance from the sharp line within its flange less (r + t) tan(bend / 2). Raises
    InputError for faces within a degree of parallel, naming the offset between them, and for holes of both in one plane.
    """
    normals = (unit(a.normal), unit(b.normal))
    middles = tuple(mean([h.xyz_mm for h in face.holes]) for face in (a, b))
    between = angle_deg(*normals)
    if min(between, 180.0 - between) < PARALLEL_DEG:
        offset = abs(dot(sub(middles[1], middles[0]), normals[0]))
        raise InputError(
            "b.normal", f"is parallel to the other face, {offset:.1f} mm from it; that takes a flat plate on spacers, or two folds"
        )
    outward, at = [], []
    for n, own, other in ((normals[0], middles[0], middles[1]), (normals[1], middles[1], middles[0])):
        inside = dot(sub(other, own), n)
        # The other flange lies on the sheet's side of this surface: then the surface touches the outside of the fold.
        outward.append(scale(n, -1.0) if inside > 0 else n)
        at.append(own if inside > 0 else add(own, scale(n, thickness_mm)))
    along_fold = unit(cross(outward[0], outward[1]))
    sharp = _meeting(outward, at, mean([*middles]), along_fold)
    bend = Bend(angle_deg(outward[0], outward[1]), inside_radius_mm, k)
    factor = k if k is not None else k_by_rule(inside_radius_mm, thickness_mm)
    back, arc = setback_mm(bend, thickness_mm), arc_mm(bend, thickness_mm, factor)
    flanges, flat, distances = [], [], []
    ways = [_into(outward[0], outward[1]), _into(outward[1], outward[0])]
    across = unit(cross(scale(ways[0], -1.0), outward[0]))
    for k_, face in enumerate((a, b)):
        off = max(abs(dot(sub(h.xyz_mm, middles[k_]), normals[k_])) for h in face.holes)
        flanges.append(FoldedFlange(outward[k_], ways[k_], dot(outward[k_], normals[k_]) > 0, off))
        for h in face.holes:
            out = dot(sub(h.xyz_mm, sharp), ways[k_]) - back
            distances.append((h.id, out))
            y = (out + arc / 2) * (-1 if k_ == 0 else 1)
            flat.append(FlatHole(h.id, dot(sub(h.xyz_mm, sharp), across), y, h.hole_mm))
    least = LEAST_BY_THICKNESS_OF_HOLE * thickness_mm + inside_radius_mm
    sizes = {h.id: h.hole_mm for face in (a, b) for h in face.holes}
    room = tuple(HoleRoom(name, value, least + sizes[name] / 2) for name, value in distances)
    return FoldedBracket(
        bend.angle_deg, factor, back, arc, tuple(distances), tuple(flat), room, (flanges[0], flanges[1]), across, sharp
    )  # fmt: skip


def _into(outward: Vec3, other: Vec3) -> Vec3:
    """The way from the sharp line into a flange: within its face, to the inside of the other one."""
    return unit(sub(scale(outward, dot(other, outward)), other))


def _meeting(normals: list[Vec3], at: list[Vec3], near: Vec3, along: Vec3) -> Vec3:
    """The place on the line where two planes meet that is level with ``near`` along it."""
    n, m = normals
    c, d, g = dot(n, at[0]), dot(m, at[1]), dot(n, m)
    rest = 1.0 - g * g
    on = add(scale(n, (c - d * g) / rest), scale(m, (d - c * g) / rest))
    return add(on, scale(along, dot(sub(near, on), along)))
