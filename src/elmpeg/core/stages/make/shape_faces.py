"""A piece's outline taken from a flat face of a part's shape: a cover, a gasket, a plate as large as what it lies on."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from shapely.geometry import Polygon

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, angle_deg, cross, dot, sub, unit
from elmpeg.core.base.ways import WAYS, Looks
from elmpeg.core.build.pieces import Cutout, OwnHole, Piece
from elmpeg.core.build.rooms import SolidRef
from elmpeg.core.methods.shapes.flat_faces import FlatFace, as_circle, flat_faces
from elmpeg.core.methods.shapes.outlines import with_arcs
from elmpeg.core.methods.sheet_metal.folded_sheet import Frame
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape

LOOKS_WITHIN_DEG = 35.0
LIES_WITHIN_DEG = 3.0
LARGEST_HOLE_MM = 80.0
CHORD_MM = 0.3
"""A blocked-in circle has 48 sides; its corners are taken for an arc."""
P2 = tuple[float, float]


@record
class FaceSeen:
    """A flat face as it lies in the vehicle: its frame, edge and openings."""

    face: FlatFace
    origin: Vec3
    x: Vec3
    y: Vec3

    def at(self, p: P2) -> Vec3:
        """A place of the face in the vehicle."""
        return add(
            self.origin, (self.x[0] * p[0] + self.y[0] * p[1], self.x[1] * p[0] + self.y[1] * p[1], self.x[2] * p[0] + self.y[2] * p[1])
        )


def face_looking(scene: Scene, ref: SolidRef, looks: Looks) -> FaceSeen:
    """The largest flat face of a shape that looks one way where it lies. Raises InputError where none does."""
    solid, where = scene.solid(ref), scene.placement(ref.on)
    for face in flat_faces(solid):
        x, y = where.direction(face.x), where.direction(face.y)
        if angle_deg(cross(x, y), WAYS[looks]) <= LOOKS_WITHIN_DEG:
            return FaceSeen(face, where.point(face.origin), x, y)
    raise InputError("looks", f"{solid.name} has no flat face that looks {looks}")


def with_outline_of(scene: Scene, piece: Piece, ref: SolidRef, looks: Looks, grown_mm: float = 0.0) -> Piece:
    """The piece with the outline of a shape's face, grown all round (below 0: drawn in).

    A piece that joins faces takes it where it lies on its own flat, and its holes stay as they follow. Any other piece is
    seen from outside the shape, with the face's round openings as holes and the rest as openings.
    Raises InputError where the face and the piece do not lie in one direction, or nothing is left of it.
    """
    seen = face_looking(scene, ref, looks)
    to_flat = _in_its_own(seen)
    lying = _lying(scene, piece)
    if lying is not None:
        tilt = angle_deg(cross(seen.x, seen.y), lying.up)
        if min(tilt, 180.0 - tilt) > LIES_WITHIN_DEG:
            raise InputError("looks", f"that face stands at {min(tilt, 180.0 - tilt):.0f}° to the piece's flat; choose one that it lies on")
        to_flat = _in_frame(seen, lying)
    outline = Polygon([to_flat(p) for p in seen.face.edge]).buffer(grown_mm, join_style="mitre")
    if not isinstance(outline, Polygon) or outline.is_empty:
        raise InputError("grown", "leaves nothing of the face in one piece")
    edge = with_arcs([(float(x), float(y)) for x, y in outline.exterior.coords[:-1]], CHORD_MM)
    source = f"{scene.solid(ref).name}, face looking {looks}"[:120]
    if lying is not None:
        return replace(piece, outline=edge, came_from=source)
    holes, cutouts = [], []
    for n, ring in enumerate(seen.face.openings, 1):
        placed = tuple(to_flat(p) for p in ring)
        circle = as_circle(placed)
        if circle is not None and circle[1] <= LARGEST_HOLE_MM:
            holes.append(OwnHole(f"h{n}", *circle[0], circle[1], why=source[:80]))
        else:
            cutouts.append(Cutout(f"opening {n}", with_arcs(list(placed), CHORD_MM), source[:80]))
    return replace(piece, outline=edge, own_holes=tuple(holes), cutouts=tuple(cutouts), came_from=source)


def _lying(scene: Scene, piece: Piece) -> Frame | None:
    if not piece.faces:
        return None
    return piece_shape(scene, replace(piece, outline=())).lying


def _in_its_own(seen: FaceSeen) -> Callable[[P2], P2]:
    """Along its longest edge, its lower left corner at 0, 0."""
    edge = seen.face.edge
    a, b = max(zip(edge, (*edge[1:], edge[0]), strict=True), key=lambda s: (s[1][0] - s[0][0]) ** 2 + (s[1][1] - s[0][1]) ** 2)
    u = unit((b[0] - a[0], b[1] - a[1], 0.0))

    def turned(p: P2) -> P2:
        return (p[0] * u[0] + p[1] * u[1], -p[0] * u[1] + p[1] * u[0])

    low = [min(turned(p)[i] for p in edge) for i in (0, 1)]
    return lambda p: (turned(p)[0] - low[0], turned(p)[1] - low[1])


def _in_frame(seen: FaceSeen, lying: Frame) -> Callable[[P2], P2]:
    def placed(p: P2) -> P2:
        off = sub(seen.at(p), lying.origin)
        return (dot(off, lying.x), dot(off, lying.y))

    return placed
