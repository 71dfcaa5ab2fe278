"""What is marked on a piece itself, so that it is not taken for another, or for the other hand, and where there is room for it."""

from __future__ import annotations

from shapely import box
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import polylabel

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.build.pieces import Hand, Piece
from elmpeg.core.stages.make.piece_shape import PieceShape

SMALLEST_MM, LARGEST_MM = 1.5, 5.0
WIDE_SHARE = 0.58
"""Of its height, how wide a letter is."""
LINE_SHARE = 1.5
CLEAR_MM = 1.0
TRIES = 12
HANDS: dict[Hand, tuple[str, str]] = {
    "left": ("LEFT", "RIGHT"),
    "right": ("RIGHT", "LEFT"),
    "pair": ("ONE", "OTHER HAND"),
    "either": ("", "OTHER HAND"),
}


@record
class MarkedLine:
    """A line of letters: the middle of its foot, and its height."""

    text: str
    x_mm: float
    y_mm: float
    high_mm: float


def engraved(piece: Piece, mirrored: bool = False) -> list[str]:
    """Its name, sheet and revision, its hand, which face is up, which edge forward, and where it is used."""
    number = max((r.number for r in piece.revisions), default=0)
    found = [f"{piece.name}, {piece.thick_mm:g} mm {piece.material}, rev {number}"]
    hand = HANDS[piece.hand][1 if mirrored else 0]
    if hand:
        found.append(hand)
    if piece.up.strip():
        found.append(f"THIS FACE UP{' (OTHER HAND)' if mirrored else ''}: {piece.up}")
    if piece.forward.strip():
        found.append(f"FORWARD: {piece.forward}")
    if piece.used_at.strip():
        found.append(f"AT: {piece.used_at}")
    return found


def engraving(piece: Piece, shape: PieceShape, mirrored: bool = False) -> tuple[MarkedLine, ...]:
    """The lines where there is most metal to write them on, as large as they go there; mirrored with the piece, never the letters."""
    texts = engraved(piece, mirrored)
    metal = _largest_flat(shape)
    middle = polylabel(metal, 1.0) if metal.area > 1.0 else metal.representative_point()
    longest = max(len(t) for t in texts)
    low, high = SMALLEST_MM, LARGEST_MM
    room = metal.buffer(-CLEAR_MM)
    for _ in range(TRIES):
        size = (low + high) / 2
        wide, tall = WIDE_SHARE * size * longest / 2, LINE_SHARE * size * len(texts) / 2
        if room.contains(box(middle.x - wide, middle.y - tall, middle.x + wide, middle.y + tall)):
            low = size
        else:
            high = size
    top = middle.y + LINE_SHARE * low * len(texts) / 2 - low
    flip = -1.0 if mirrored else 1.0
    return tuple(MarkedLine(t, flip * middle.x, top - k * LINE_SHARE * low, low) for k, t in enumerate(texts))


def _largest_flat(shape: PieceShape) -> Polygon:
    """The largest flat part of the metal, between its folds."""
    metal: BaseGeometry = shape.metal
    if shape.bends:
        try:
            regions = [f.region.intersection(metal) for f in shape.folded().flanges]
        except InputError:
            regions = [metal]
        metal = max(regions, key=lambda r: r.area)
    parts = [p for p in getattr(metal, "geoms", [metal]) if isinstance(p, Polygon)]
    return max(parts, key=lambda p: p.area)
