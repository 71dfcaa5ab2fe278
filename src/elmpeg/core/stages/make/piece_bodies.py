"""Pieces as they lie in the vehicle, folded: one closed body a flange."""

from __future__ import annotations

from collections.abc import Iterator

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.methods.shapes.solids import FIXED, Mesh
from elmpeg.core.scene.bodies import SceneBody
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import PieceShape, piece_shape


def piece_bodies(scene: Scene) -> Iterator[SceneBody]:
    """Every piece that joins faces, and so lies somewhere; it goes with the part that its first face is on."""
    for piece in scene.build.pieces:
        if not piece.faces:
            continue
        try:
            shape = piece_shape(scene, piece)
        except (InputError, MissingError):
            continue
        on = next((scene.declared(p).on for p in piece.faces[0].points), VEHICLE)
        for solid in solids_of(shape):
            yield SceneBody("piece", "pieces", piece.id, on, piece.name, solid, FIXED)


def solids_of(shape: PieceShape) -> tuple[Mesh, ...]:
    """The flanges of a piece as it lies in the vehicle, one closed body each, for distances to what stands near."""
    if shape.lying is None:
        return ()
    found = []
    for n, flange in enumerate(shape.folded().flanges):
        ring = [(float(x), float(y)) for x, y in flange.region.convex_hull.exterior.coords[:-1]]
        top = [flange.frame.at(p) for p in ring]
        up = flange.frame.up
        low = [(p[0] - up[0] * shape.thick_mm, p[1] - up[1] * shape.thick_mm, p[2] - up[2] * shape.thick_mm) for p in top]
        count = len(ring)
        sides = [t for k in range(count) for t in ((k, k + count, (k + 1) % count), ((k + 1) % count, k + count, (k + 1) % count + count))]
        caps = [t for k in range(1, count - 1) for t in ((0, k, k + 1), (count, count + k + 1, count + k))]
        found.append(Mesh(f"flange-{n}", "flange", (*top, *low), (*caps, *sides)))
    return tuple(found)
