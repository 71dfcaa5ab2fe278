"""What can join the faces of a piece: every form side by side, in the order in which a shop would look at them.

The order: it goes on surely, no new holes in the vehicle, fewest pieces, least work. A
person chooses; the reason is kept. What cannot be bent or reached is not offered, and
says why.
"""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.record import record
from elmpeg.core.build.pieces import Piece
from elmpeg.core.methods.shapes.solids import Mesh
from elmpeg.core.methods.sheet_metal.bracket_forms import FORMS, Form
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_chances import goes_on
from elmpeg.core.stages.make.piece_shape import PieceShape, piece_shape

SAYS: dict[Form, str] = {
    "flat": "a flat plate",
    "spacers": "a plate on spacers",
    "angle": "a folded angle",
    "stepped": "a stepped bracket, two folds",
    "channel": "a channel, two folds",
    "three": "three flanges, two folds",
}
TWO_FACES = 2


@record
class Proposal:
    """A form worked out for a piece: its shape and what decides between forms, or why it is not offered."""

    form: Form
    says: str
    shape: PieceShape | None
    refused: str = ""
    chance: float | None = None
    spacers: int = 0
    folds: int = 0
    can_make: str = ""
    """Why the shop cannot make it itself; empty where it can."""


def proposals(scene: Scene, piece: Piece) -> tuple[Proposal, ...]:
    """Every form for a piece with faces, those that do first and in their order. Raises where its faces tell no plane."""
    found = []
    for form in FORMS if len(piece.faces) >= TWO_FACES else ("flat",):
        asked = replace(piece, form=form, outline=())
        try:
            shape = piece_shape(scene, asked)
            if shape.bends:
                shape.folded()
        except (InputError, MissingError) as refused:
            found.append(Proposal(form, SAYS[form], None, refused.message if isinstance(refused, InputError) else str(refused)))
            continue
        chance = goes_on(shape)
        brake = scene.build.brake
        cannot = f"the brake folds {brake.most_thick_mm:g} mm" if shape.bends and piece.thick_mm > brake.most_thick_mm else ""
        spacers = sum(1 for h in shape.holes if h.spacer_mm)
        found.append(Proposal(form, SAYS[form], shape, "", chance.chance if chance else None, spacers, len(shape.bends), cannot))
    return tuple(sorted(found, key=_order))


def _order(one: Proposal) -> tuple[bool, float, bool, int, float]:
    if one.shape is None:
        return (True, 0.0, False, 0, float(FORMS.index(one.form)))
    return (False, -round(one.chance or 0.0, 2), bool(one.can_make), one.spacers + 1 + one.folds, one.shape.cut_mm)


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
