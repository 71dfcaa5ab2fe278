"""Left and right made as one: two blanks back to back, where they are clamped, what holds them to each other, what is done when.

Back to back, lower face on lower face, both upper faces lie outside. The one on top is seen as drawn; turned over, the stack
shows the other's upper face, which is its mirror image. So one print guides the drill, and what is countersunk or marked on
an upper face is done before the two are parted.
"""

from __future__ import annotations

import math
from dataclasses import replace

from shapely.geometry import LineString, MultiPoint
from shapely.geometry import Point as Dot
from shapely.geometry.base import BaseGeometry

from elmpeg.core.base.record import record
from elmpeg.core.build.pieces import Cutout, OnlyIn, Piece
from elmpeg.core.stages.make.piece_marks import HANDS
from elmpeg.core.stages.make.piece_shape import PieceHole, PieceShape

PADS_MM = (25.0, 16.0, 10.0)
"""A clamp's pad, the largest that finds two places."""
FROM_HOLE_MM = (20.0, 12.0, 6.0)
"""What is kept free between a pad and a hole's edge: for the drill's chuck and a bolt's head."""
INSIDE_MM = 1.0
"""What is left between a pad and the edge, so that both edges can be ground as one."""
STEP_MM = 3.0
CLAMPS = ("K1", "K2")
"""What the places of the clamps are called."""
BOLT_RING_MM = 2.5
"""How far round a hole the ring is drawn that says that it is bolted through both."""
HAND_NAMES: dict[OnlyIn, str] = dict(zip(("as drawn", "other hand"), HANDS["pair"], strict=True))
"""What each of the two is struck with."""
LEAST_APART_PADS = 1.5
"""Pads nearer to each other than this hold as one."""


@record
class PairAsOne:
    """How a pair is made as one: ``clamps_mm`` on the flat as drawn, with their pad; the letters of the holes whose bolts keep the
    two together once they are drilled; of those that are tapped when they are parted, and of those sunk while they still lie so."""

    stack_mm: float
    clamps_mm: tuple[tuple[float, float], ...]
    pad_mm: float
    bolted: tuple[str, ...]
    tapped: tuple[str, ...]
    sunk: tuple[str, ...]
    parted: tuple[Cutout, ...] = ()
    """Openings that one of the two has alone."""


def in_both(piece: Piece, shape: PieceShape) -> PieceShape:
    """A piece's shape with the openings that both hands have."""
    return replace(shape, cutouts=tuple(c.corners for c in piece.cutouts if not c.only))


def pair_as_one(piece: Piece, shape: PieceShape) -> PairAsOne:
    """The pair of a piece; with no clamps where no pad has room on it between its holes."""
    clamps, pad = _clamps(shape)
    return PairAsOne(
        2 * shape.thick_mm,
        clamps,
        pad,
        _bolted(shape.holes),
        tuple(h.letter for h in shape.holes if h.kind == "tapped"),
        tuple(h.letter for h in shape.holes if h.kind == "countersunk"),
        tuple(c for c in piece.cutouts if c.only),
    )


def _bolted(holes: tuple[PieceHole, ...]) -> tuple[str, ...]:
    """The two round holes farthest apart, those with a bolt before those with a thread: together they stop every turn and slide."""
    plain = [h for h in holes if not h.slot_mm and h.kind != "tapped"]
    found = plain if len(plain) > 1 else [h for h in holes if not h.slot_mm]
    if len(found) < 2:
        return tuple(h.letter for h in found)
    pairs = ((a, b) for k, a in enumerate(found) for b in found[k + 1 :])
    a, b = max(pairs, key=lambda p: round(math.dist(p[0].xy_mm, p[1].xy_mm), 6))
    return (a.letter, b.letter)


def _clamps(shape: PieceShape) -> tuple[tuple[tuple[float, float], ...], float]:
    """The two places for a pad farthest apart, clear of every hole by as much as there is room for; one where there are not two."""
    single: tuple[tuple[tuple[float, float], ...], float] = ((), 0.0)
    for pad in PADS_MM:
        for clear in FROM_HOLE_MM:
            free = _free(shape, pad, clear)
            if free.is_empty:
                continue
            a, b = _farthest(free)
            if math.dist(a, b) >= LEAST_APART_PADS * pad:
                return (a, b), pad
            if not single[0]:
                single = ((a,), pad)
    return single


def _free(shape: PieceShape, pad_mm: float, clear_mm: float) -> BaseGeometry:
    """Where the middle of a pad may lie: on metal, clear of the holes, and off the bend lines, which are read and scribed."""
    free = shape.metal.buffer(-(pad_mm / 2 + INSIDE_MM))
    for bend in shape.bends:
        free = free.difference(LineString([bend.a_mm, bend.b_mm]).buffer(pad_mm / 2 + INSIDE_MM))
    for hole in shape.holes:
        opening = Dot(hole.xy_mm).buffer(hole.sunk_mm / 2) if hole.sunk_mm > hole.drill_mm else hole.opening
        free = free.difference(opening.buffer(clear_mm + pad_mm / 2))
    return free


def _farthest(free: BaseGeometry) -> tuple[tuple[float, float], tuple[float, float]]:
    """The two places of a region farthest apart; they are corners of its hull."""
    hull = MultiPoint([p for part in getattr(free, "geoms", [free]) for p in part.segmentize(STEP_MM).exterior.coords]).convex_hull
    line = hull.exterior if hull.geom_type == "Polygon" else hull
    places = sorted({(round(float(x), 3), round(float(y), 3)) for x, y in line.coords})
    return max(((a, b) for a in places for b in places), key=lambda p: round(math.dist(*p), 3))
