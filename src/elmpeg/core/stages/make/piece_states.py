"""Where a piece stands, whether what was made of it still fits, and how it could go on wrongly."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal, get_args

import numpy as np
from shapely.affinity import affine_transform
from shapely.geometry import Polygon

from elmpeg.core.base.record import record
from elmpeg.core.build.pieces import Piece, PieceDrawing, TriedIn
from elmpeg.core.methods.shapes.outlines import polygon_of
from elmpeg.core.stages.make.piece_shape import PieceHole, PieceShape

Standing = Literal["to draw", "drawn", "tried in card", "proved", "at the cutter", "made", "fitted"]
STANDINGS: tuple[Standing, ...] = get_args(Standing)
NEARLY_MM = 4.0
"""A piece that goes on the wrong way but for this much will be tried so with a hammer."""
MOST_MATCHED = 12
TELLS_BY_SHARE = 0.004
"""Of its area, what a piece laid on its own outline the wrong way must leave over for an eye to see it."""
SAME_BEND_MM, SAME_BEND_DEG = 1.0, 1.0
SAME_TURN_RAD = 0.02
MOVES_MM = (3.0, 6.0, 12.0)
MOST_MOVED = 4


@record
class Miss:
    """By how much a hole of what was made misses where it is to be now."""

    hole: str
    called: str
    letter: str
    mm: float
    play_mm: float
    bolt_mm: float


@record
class WrongWay:
    """A way in which the piece could go on wrongly, by how much its worst hole falls short there, and whether its outline tells."""

    how: str
    short_mm: float
    shows: bool


@record
class Stop:
    """A hole whose moving, with its bolt, by so much along x or y leaves the piece one way to go on."""

    hole: str
    by_mm: float
    along: Literal["x", "y"]


def standing(piece: Piece, drawn: bool) -> Standing:
    """How far a piece has come; ``drawn`` says whether it has a shape."""
    last = piece.revisions[-1] if piece.revisions else None
    sent = piece.sendings[-1] if piece.sendings else None
    if piece.fitted:
        return "fitted"
    if (last and last.made_of == "metal") or (sent and sent.state in ("received", "tried")):
        return "made"
    if sent and sent.state == "sent":
        return "at the cutter"
    if last and last.result == "good":
        return "proved"
    if last:
        return "tried in card"
    return "drawn" if drawn else "to draw"


@record
class Existing:
    """The newest thing that exists of a piece: how it is called, what it was made after, and what it is of."""

    called: str
    drawing: PieceDrawing
    made_of: TriedIn


def made_after(piece: Piece) -> Existing | None:
    """The newest thing that exists of a piece; None where nothing was made yet."""
    sent = next((s for s in reversed(piece.sendings) if s.drawing is not None and s.state not in ("drafted", "checked")), None)
    last = piece.revisions[-1] if piece.revisions else None
    if sent is not None and sent.drawing is not None and (last is None or sent.at > last.at):
        return Existing(f"the drawing sent to {sent.to}", sent.drawing, "metal")
    return Existing(f"revision {last.number} in {last.made_of}", last.drawing, last.made_of) if last else None


def misses(shape: PieceShape, kept: PieceDrawing) -> tuple[Miss, ...]:
    """What each hole of a kept drawing misses by, once that lies on the holes of today as well as it can; largest first.

    Never mirrored: a plate can be turned on the bench, but what was cut stays the hand that it was cut. Holes that came
    or went are left out; ``changed_holes`` names them. Source: Kabsch's solution in the plane.
    """
    off = miss_vectors({h.id: h.xy_mm for h in shape.holes}, kept)
    then = {h.id: h for h in kept.holes}
    found = [
        Miss(h.id, h.named, h.letter, math.hypot(*off[h.id]), max((then[h.id].hole_mm - h.bolt_mm) / 2, 0.0), h.bolt_mm)
        for h in shape.holes
        if h.id in off
    ]
    return tuple(sorted(found, key=lambda m: -m.mm))


def miss_vectors(now: dict[str, tuple[float, float]], kept: PieceDrawing) -> dict[str, tuple[float, float]]:
    """By hole, the way from where it is wanted to where the kept drawing brings it, that turned and shifted as well as it can be."""
    pairs = [(h.id, now[h.id], h.xy_mm) for h in kept.holes if h.id in now]
    if not pairs:
        return {}
    new, old = np.array([n for _, n, _ in pairs]), np.array([o for _, _, o in pairs])
    a, b = old - old.mean(axis=0), new - new.mean(axis=0)
    turn = math.atan2(float(np.sum(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])), float(np.sum(a * b)))
    off = _turned(a, turn) - b
    return {hole: (float(dx), float(dy)) for (hole, _, _), (dx, dy) in zip(pairs, off, strict=True)}


def changed_holes(shape: PieceShape, kept: PieceDrawing) -> tuple[tuple[str, ...], tuple[str, ...]]:
    """Holes that a kept drawing does not have, and those that it has and that are wanted no more."""
    now, then = {h.id: h.called for h in shape.holes}, {h.id for h in kept.holes}
    return tuple(c for i, c in now.items() if i not in then), tuple(sorted(then - set(now)))


def wrong_ways_of(shape: PieceShape) -> tuple[WrongWay, ...]:
    """The ways in which the piece's holes go over their own bolts, or nearly, without its lying as drawn.

    A flat piece may be turned and turned over; a folded one only be swung end for end, since turned over its flanges
    stand the other way. Only holes that meet something count.
    """
    if shape.bends:
        return tuple(w for w in (_end_for_end(shape),) if w is not None)
    found = []
    for turn, mirrored, to, short in _laid_otherwise(_matched(shape)):
        how = "turned over" if mirrored else f"turned {abs(math.degrees(turn)):.0f}°"
        found.append(WrongWay(how, short, _shows(shape, turn, mirrored, to)))
    return tuple(found)


def _matched(shape: PieceShape) -> list[PieceHole]:
    """The holes that decide which way a flat piece goes on; none where they are too few or too many to."""
    own = [h for h in shape.holes if not h.slot_mm and h.bolt_mm > 0]
    first = own[0].face if own else ""
    matched = [h for h in own if h.face == first] if any(h.face in ("lower", "upper") for h in own) else own
    return matched if 2 <= len(matched) <= MOST_MATCHED else []


def _laid_otherwise(holes: list[PieceHole]) -> list[tuple[float, bool, tuple[float, float], float]]:
    """Every other way in which holes come over their own bolts, or nearly: its turn, whether mirrored, its shift, and by how much
    the worst hole falls short. The two holes farthest apart are laid on every two as far apart; the rest must follow."""
    if not holes:
        return []
    at = np.array([h.xy_mm for h in holes])
    play = np.array([max((h.drill_mm - h.bolt_mm) / 2, 0.0) for h in holes])
    apart = np.hypot(*(at[:, None] - at[None]).transpose(2, 0, 1))
    a, b = (int(k) for k in np.unravel_index(int(np.argmax(apart)), apart.shape))
    found: list[tuple[float, bool, tuple[float, float], float]] = []
    for i, j in zip(*np.nonzero(np.abs(apart - apart[a, b]) <= 2 * NEARLY_MM), strict=True):
        if i == j:
            continue
        for mirrored in (False, True):
            flat = at * (-1.0, 1.0) if mirrored else at
            start, aim = flat[b] - flat[a], at[j] - at[i]
            turn = math.atan2(aim[1], aim[0]) - math.atan2(start[1], start[0])
            pairs = np.argmin(np.hypot(*((_turned(flat - flat[a], turn) + at[i])[:, None] - at[None]).transpose(2, 0, 1)), axis=1)
            if len(set(pairs.tolist())) < len(holes) or (not mirrored and all(pairs == np.arange(len(holes)))):
                continue
            own, other = flat - flat.mean(axis=0), at[pairs] - at[pairs].mean(axis=0)
            turn = math.atan2(float(np.sum(own[:, 0] * other[:, 1] - own[:, 1] * other[:, 0])), float(np.sum(own * other)))
            to = at[pairs].mean(axis=0) - _turned(flat.mean(axis=0)[None], turn)[0]
            short = float((np.hypot(*(_turned(flat, turn) + to - at[pairs]).T) - np.minimum(play, play[pairs])).max())
            turn = (turn + math.pi) % (2 * math.pi) - math.pi
            known = any(mirrored == m and abs(turn - t) < SAME_TURN_RAD for t, m, _, _ in found)
            if short <= NEARLY_MM and not known:
                found.append((turn, mirrored, (float(to[0]), float(to[1])), short))
    return sorted(found, key=lambda w: w[3])


def _turned(flat: np.ndarray, turn: float) -> np.ndarray:
    c, s = math.cos(turn), math.sin(turn)
    turned: np.ndarray = flat @ np.array([[c, s], [-s, c]])
    return turned


def _shows(shape: PieceShape, turn: float, mirrored: bool, to: tuple[float, float]) -> bool:
    """Whether a piece laid on its place the wrong way is seen to stand out over it."""
    c, s = math.cos(turn), math.sin(turn)
    flip = -1.0 if mirrored else 1.0
    metal = polygon_of(shape.outline)
    for cutout in shape.cutouts:
        metal = metal.difference(polygon_of(cutout))
    moved = affine_transform(metal, [c * flip, -s, s * flip, c, to[0], to[1]])
    return bool(metal.symmetric_difference(moved).area > TELLS_BY_SHARE * metal.area)


def wrong_way_stop(shape: PieceShape) -> Stop | None:
    """The smallest move of a hole that leaves a flat piece one way to go on; None where none does, as for two holes alone, which
    always go on either way round."""
    holes = _matched(shape) if not shape.bends else []
    if len(holes) <= 2:
        return None
    for by in MOVES_MM:
        for k, hole in enumerate(holes[:MOST_MOVED]):
            x, y = hole.xy_mm
            ways: tuple[tuple[Literal["x", "y"], tuple[float, float]], ...] = (("x", (x + by, y)), ("y", (x, y + by)))
            for along, to in ways:
                moved = replace(hole, xy_mm=to)
                if not _laid_otherwise([*holes[:k], moved, *holes[k + 1 :]]):
                    return Stop(hole.id, by, along)
    return None


def _end_for_end(shape: PieceShape) -> WrongWay | None:
    """The half turn of the flat that carries its bends onto each other, where its holes go along with it."""
    xs = [h.xy_mm for h in shape.holes if not h.slot_mm]
    if len(xs) < 2:
        return None
    middle = np.mean([((b.a_mm[0] + b.b_mm[0]) / 2, (b.a_mm[1] + b.b_mm[1]) / 2) for b in shape.bends], axis=0)
    for bend in shape.bends:
        turned = 2 * middle - np.array([(bend.a_mm[0] + bend.b_mm[0]) / 2, (bend.a_mm[1] + bend.b_mm[1]) / 2])
        near = [o for o in shape.bends if abs(_off(o, turned)) < SAME_BEND_MM and abs(o.angle_deg - bend.angle_deg) < SAME_BEND_DEG]
        if not near:
            return None
    u = np.array([shape.bends[0].b_mm[0] - shape.bends[0].a_mm[0], shape.bends[0].b_mm[1] - shape.bends[0].a_mm[1]])
    u = u / np.linalg.norm(u)
    holes = [h for h in shape.holes if not h.slot_mm]
    # Along the folds the piece may slide; what fits best there is tried.
    turned = [2 * middle - np.array(h.xy_mm) for h in holes]
    slide = np.mean([np.array(h.xy_mm) for h in holes], axis=0) - np.mean(turned, axis=0)
    slide = float(slide @ u) * u
    worst = 0.0
    for h, at in zip(holes, turned, strict=True):
        play = max((h.drill_mm - h.bolt_mm) / 2, 0.0)
        worst = max(worst, min(float(np.hypot(*(at + slide - np.array(o.xy_mm)))) - play for o in holes))
    if worst > NEARLY_MM:
        return None
    to = 2 * middle + slide
    return WrongWay("swung end for end", worst, _shows(shape, math.pi, False, (float(to[0]), float(to[1]))))


def _off(bend: object, place: np.ndarray) -> float:
    a, b = np.array(bend.a_mm), np.array(bend.b_mm)  # type: ignore[attr-defined]
    u = (b - a) / np.linalg.norm(b - a)
    w = place - a
    return float(u[0] * w[1] - u[1] * w[0])


def is_own_mirror(shape: PieceShape) -> bool:
    """Whether the other hand of a piece is the piece itself, so that no hand can be mistaken."""
    metal: Polygon = shape.metal
    axis = shape.bends[0] if shape.bends else None
    turn = math.atan2(axis.b_mm[1] - axis.a_mm[1], axis.b_mm[0] - axis.a_mm[0]) if axis else 0.0
    cx, cy = metal.centroid.coords[0]
    for angle in (turn,) if axis else tuple(math.pi * k / 36 for k in range(36)):
        # Mirrored in the line square to the folds, which keeps each fold the way it goes.
        c, s = math.cos(2 * angle), math.sin(2 * angle)
        flipped = affine_transform(metal, [-c, -s, -s, c, cx + c * cx + s * cy, cy + s * cx - c * cy])
        if metal.symmetric_difference(flipped).area < TELLS_BY_SHARE * metal.area:
            return True
    return False
