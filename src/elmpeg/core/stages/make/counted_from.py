"""Where the hole table of a piece counts from: a corner of its outline, whose edges a square lies on, or one of its holes."""

from __future__ import annotations

import re

from elmpeg.core.base.record import record
from elmpeg.core.build.pieces import Piece
from elmpeg.core.stages.make.piece_shape import PieceShape

CORNER = "the lower left corner"
OTHER_SIDE = {"left": "right", "Left": "Right", "LEFT": "RIGHT", "right": "left", "Right": "Left", "RIGHT": "LEFT"}
_SIDE = re.compile(rf"\b(?:{'|'.join(OTHER_SIDE)})\b")


@record
class Zero:
    """Where x and y are zero on the flat as it is drawn, mm, and what that is; of the other hand on its mirrored flat."""

    x_mm: float
    y_mm: float
    called: str

    def counted(self, xy_mm: tuple[float, float]) -> tuple[float, float]:
        """A place on the same flat, as it is counted from here."""
        return (xy_mm[0] - self.x_mm, xy_mm[1] - self.y_mm)


def zero_of(piece: Piece, shape: PieceShape, mirrored: bool = False) -> Zero:
    """Where a piece counts from. A hole that is gone gives way to the corner."""
    left, low, right, _ = shape.box_mm
    flip = -1.0 if mirrored else 1.0
    hole = next((h for h in shape.holes if h.id == piece.zero), None)
    if hole is not None:
        return Zero(flip * hole.xy_mm[0], hole.xy_mm[1], f"hole {hole.letter}")
    return Zero(-right if mirrored else left, low, CORNER)


def other_side(text: str) -> str:
    """What is said of one side of a vehicle, of the other: the words left and right change places; an upright stays one."""
    return _SIDE.sub(lambda side: OTHER_SIDE[side[0]], text)
