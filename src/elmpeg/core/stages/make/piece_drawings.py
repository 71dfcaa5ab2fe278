"""What is kept of a piece when something is made after it, whatever it is made of."""

from __future__ import annotations

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.pieces import Piece, PieceDrawing
from elmpeg.core.methods.shapes.outlines import straight
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape
from elmpeg.core.stages.make.tube_checks import made_tube
from elmpeg.core.stages.make.turned_shape import TurnedShape, turned_shape


def drawing_of(scene: Scene, piece: Piece) -> PieceDrawing:
    """The drawing of a piece as it is now. Raises InputError, in words, where it has no shape."""
    try:
        if piece.tube is not None:
            whole, shape = made_tube(scene, piece)
            return shape.drawing(whole)
        if piece.turned is not None:
            return PieceDrawing(straight(turned_profile(turned_shape(piece))), (), (), (), piece.thick_mm)
        return piece_shape(scene, piece).drawing
    except MissingError as missing:
        raise InputError("piece", str(missing)) from None


def printed_size_mm(scene: Scene, piece: Piece) -> tuple[float, float] | None:
    """How large what goes on paper at true size is: a plate's flat, the larger wrap of a tube; None where nothing does.

    Raises InputError or MissingError where it has no shape.
    """
    if piece.tube is not None:
        return made_tube(scene, piece)[1].wrap_mm
    return None if piece.turned is not None else piece_shape(scene, piece).size_mm


def turned_profile(shape: TurnedShape) -> tuple[tuple[float, float], ...]:
    """The outside of a turned part seen from the side: along it, out from its axis both ways."""
    upper = [p for z in shape.zones for p in ((z.from_mm, z.outside_mm / 2), (z.to_mm, z.outside_mm / 2))]
    return (*upper, *((x, -r) for x, r in reversed(upper)))
