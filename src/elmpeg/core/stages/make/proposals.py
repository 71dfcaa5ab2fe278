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
from elmpeg.core.methods.sheet_metal.bracket_forms import FORMS, MOST_WAYS, PLATES, TWO_FOLDS
from elmpeg.core.methods.sheet_metal.bracket_profile import Form
from elmpeg.core.methods.sheet_metal.bracket_tree import FaceJoin, ways_to_join
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.neighbours import Foul, fouls
from elmpeg.core.stages.make.piece_chances import goes_on
from elmpeg.core.stages.make.piece_shape import PieceShape, piece_shape, rules_of
from elmpeg.core.stages.make.touched_faces import faces_of

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
    fouls: tuple[Foul, ...] = ()
    can_make: str = ""
    """Why the shop cannot make it itself; empty where it can."""
    way: int = 0
    joins: tuple[FaceJoin, ...] = ()


def proposals(scene: Scene, piece: Piece) -> tuple[Proposal, ...]:
    """Every form for a piece with faces, those that do first and in their order. Raises where its faces tell no plane."""
    found = []
    for form in FORMS if len(piece.faces) >= TWO_FACES else ("flat",):
        if len(piece.faces) > TWO_FACES and form not in PLATES:
            found.append(_as_tree(scene, piece, form))
            continue
        ways = range(1, MOST_WAYS + 1) if form in TWO_FOLDS else (0,)
        tried = [_worked_out(scene, piece, form, way) for way in ways]
        found.append(min(tried, key=lambda one: (one.shape is None, len(one.fouls), one.shape.area_mm2 if one.shape else 0.0)))
    return tuple(sorted(found, key=_order))


def _as_tree(scene: Scene, piece: Piece, form: Form) -> Proposal:
    """One sheet over all faces that begins with a form."""
    try:
        faces = tuple(f.face for f in faces_of(scene, piece))
        joins = ways_to_join(faces, form, rules_of(scene.build, piece))
    except (InputError, MissingError) as refused:
        return Proposal(form, SAYS[form], None, refused.message if isinstance(refused, InputError) else str(refused))
    says = ", then ".join([SAYS[form], *(f"{SAYS[j.form]} to {_named(piece, j.face)}" for j in joins[1:])])
    return replace(_worked_out(scene, piece, form, joins[0].way, joins), says=says)


def _named(piece: Piece, face_id: str) -> str:
    return next((f.name for f in piece.faces if f.id == face_id), face_id)


def _worked_out(scene: Scene, piece: Piece, form: Form, way: int, joins: tuple[FaceJoin, ...] = ()) -> Proposal:
    asked = replace(piece, form=form, way=way, joins=joins, outline=())
    try:
        shape = piece_shape(scene, asked)
        if shape.bends:
            shape.folded()
    except (InputError, MissingError) as refused:
        return Proposal(form, SAYS[form], None, refused.message if isinstance(refused, InputError) else str(refused))
    chance = goes_on(shape)
    brake = scene.build.brake
    cannot = f"the brake folds {brake.most_thick_mm:g} mm" if shape.bends and piece.thick_mm > brake.most_thick_mm else ""
    spacers = sum(1 for h in shape.holes if h.spacer_mm)
    found = fouls(scene, shape)
    return Proposal(form, SAYS[form], shape, "", chance.chance if chance else None, spacers, len(shape.bends), found, cannot, way, joins)


def _order(one: Proposal) -> tuple[bool, float, bool, int, float]:
    if one.shape is None:
        return (True, 0.0, False, 0, float(FORMS.index(one.form)))
    return (False, -round(one.chance or 0.0, 2), bool(one.can_make) or bool(one.fouls), one.spacers + 1 + one.folds, one.shape.cut_mm)
