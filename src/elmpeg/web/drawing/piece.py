"""A piece seen square on in its flat, with its bend lines, and as folded, square to its folds: both to true scale."""

from __future__ import annotations

import math
from dataclasses import dataclass

from markupsafe import Markup
from shapely.geometry import MultiPoint, Polygon
from shapely.ops import unary_union

from elmpeg.core.base.vectors import Vec3, cross, dot, scale, sub
from elmpeg.core.build.pieces import Piece
from elmpeg.core.methods.shapes.outlines import chords, polygon_of
from elmpeg.core.stages.make.counted_from import Zero, zero_of
from elmpeg.core.stages.make.on_the_metal import BenchHole
from elmpeg.core.stages.make.pair_as_one import BOLT_RING_MM, CLAMPS, HAND_NAMES, PairAsOne, in_both
from elmpeg.core.stages.make.piece_shape import PieceShape
from elmpeg.web.drawing import svg
from elmpeg.web.drawing.flat import FlatSheet
from elmpeg.web.showing import Show

PROFILE_PX = (300.0, 220.0)
CARD_PX = (220.0, 150.0)
TOUCHES_MM = 1e-3
BELOW = 0.18
"""Of its height, what is left free below a small drawing for its scale."""


@dataclass(frozen=True, slots=True)
class Under:
    """The photograph that a piece was traced from, as seen square on: where it is got, and what it covers of the flat, mm."""

    href: str
    left_mm: float
    bottom_mm: float
    right_mm: float
    top_mm: float


def flat_drawing(
    piece: Piece, shape: PieceShape, holes: tuple[BenchHole, ...], show: Show, movable: bool = False, under: Under | None = None
) -> Markup:
    """The flat: outline, openings, holes by their letters, bend lines, overall lengths. ``movable`` adds what can be dragged."""
    left, low, right, high = shape.box_mm
    wide, tall = right - left, high - low
    off = 0.06 * max(wide, tall)
    flat = FlatSheet(show, [(left, low, 1.0), (right, high, 1.0), (left - 2 * off, low - 2 * off, 1.0)])
    if under is not None:
        (x, y), (x2, y2) = flat.p.flat((under.left_mm, under.top_mm)), flat.p.flat((under.right_mm, under.bottom_mm))
        flat.drawn.append(
            svg.element(
                "image", href=under.href, x=x, y=y, width=x2 - x, height=y2 - y, class_="traced-picture", preserveAspectRatio="none"
            )
        )
    _flat_of(flat, shape, holes, show, under is not None)
    _zero(flat, zero_of(piece, shape), off)
    for a, b, length in (((left, low - off), (right, low - off), wide), ((left - off, low), (left - off, high), tall)):
        flat.line(a, b, "dimension")
        flat.label(((a[0] + b[0]) / 2, (a[1] + b[1]) / 2), str(show.value(length, "mm")), "is-holds", 0)
    if movable:
        flat.drawn += _handles(flat, piece)
    return flat.markup(f"Flat of {piece.name}, {show.value(wide, 'mm', None, 0)} by {show.value(tall, 'mm', None, 0)}")


def _zero(flat: FlatSheet, zero: Zero, reach: float) -> None:
    """Where the hole table counts from: x along one arm, y along the other."""
    for tip, axis in (((zero.x_mm + reach, zero.y_mm), "x"), ((zero.x_mm, zero.y_mm + reach), "y")):
        flat.line((zero.x_mm, zero.y_mm), tip, "zero-arm")
        flat.label(tip, axis, "is-zero", 0)
    flat.label((zero.x_mm, zero.y_mm), "0", "is-zero")


def _flat_of(flat: FlatSheet, shape: PieceShape, holes: tuple[BenchHole, ...], show: Show, over_picture: bool = False) -> None:
    """What is cut, drilled and folded of a flat."""
    class_ = "plate-outline is-over" if over_picture else "plate-outline"
    flat.drawn.append(svg.polygon([flat.p.flat(c) for c in chords(shape.outline)], class_))
    flat.drawn += [svg.polygon([flat.p.flat(c) for c in chords(o)], "plate-opening") for o in shape.cutouts]
    for bend in shape.bends:
        flat.line(bend.a_mm, bend.b_mm, "bend-line")
        middle = ((bend.a_mm[0] + bend.b_mm[0]) / 2, (bend.a_mm[1] + bend.b_mm[1]) / 2)
        way = "up" if bend.angle_deg > 0 else "down"
        flat.label(middle, f"{bend.id} {abs(bend.angle_deg):.0f}° {way}", "is-holds", 0)
    for one in holes:
        h = one.hole
        if h.slot_mm:
            flat.drawn.append(svg.polygon([flat.p.flat((x, y)) for x, y in h.opening.exterior.coords], "hole"))
        else:
            flat.circle(h.xy_mm, h.drill_mm, "hole", f"{one.letter}: {h.called}, {h.why}")
        if h.sunk_mm:
            flat.circle(h.xy_mm, h.sunk_mm, "sunk")
        flat.cross(h.xy_mm, h.drill_mm)
        flat.label(h.xy_mm, f"{one.letter} ⌀{show.entered(h.drill_mm, 'mm')}" + (f" {h.thread}" if h.kind == "tapped" else ""))


def pair_drawing(piece: Piece, shape: PieceShape, pair: PairAsOne, holes: tuple[BenchHole, ...], show: Show) -> Markup:
    """Two blanks back to back, seen from above, and the clamps and bolts that make them one."""
    left, low, right, high = shape.box_mm
    flat = FlatSheet(show, [(left, low, 1.0), (right, high, 1.0)])
    _flat_of(flat, in_both(piece, shape), holes, show)
    for opening in pair.parted:
        flat.drawn.append(svg.polygon([flat.p.flat(c) for c in chords(opening.corners)], "opening-of-one"))
        x, y = polygon_of(opening.corners).representative_point().coords[0]
        flat.label((float(x), float(y)), f"{opening.id}, only {HAND_NAMES[opening.only]}", "is-holds", 0)
    for name, xy in zip(CLAMPS, pair.clamps_mm, strict=False):
        flat.circle(xy, pair.pad_mm, "clamp-pad", f"clamp, pad {pair.pad_mm:g} mm")
        flat.label(xy, f"{name} clamp", "is-holds", 0)
    by_letter = {h.letter: h for h in shape.holes}
    for letter in pair.bolted:
        hole = by_letter[letter]
        flat.circle(hole.xy_mm, max(hole.drill_mm, hole.sunk_mm) + BOLT_RING_MM * 2, "bolted-ring", f"{letter}: bolted through both")
    return flat.markup(
        f"{piece.name}: both hands back to back, clamped at {len(pair.clamps_mm)} places, bolted through {', '.join(pair.bolted)}"
    )


def _handles(flat: FlatSheet, piece: Piece) -> list[str]:
    """Corners and holes of the piece's own that a pointer or the arrow keys move; the script writes them into their field."""
    found = []
    for kind, places in (
        ("corner", [(f"corner {k + 1}", c.xy_mm) for k, c in enumerate(piece.outline)]),
        ("hole", [(f"hole {h.id}", (h.x_mm, h.y_mm)) for h in piece.own_holes]),
    ):
        for k, (name, xy) in enumerate(places):
            x, y = flat.p.flat(xy)
            found.append(
                svg.element(
                    "circle", svg.title(name), cx=x, cy=y, r=11, class_=f"handle is-{kind}", tabindex=0, role="button", aria_label=f"Move {name}",
                    data_kind=kind, data_n=k, data_x=f"{xy[0]:.4f}", data_y=f"{xy[1]:.4f}",
                )
            )  # fmt: skip
    return found


def profile_drawing(shape: PieceShape, show: Show, name: str) -> Markup | None:
    """The folded piece seen along its first fold, to true scale; None for a flat one."""
    places = profile(shape)
    if not places:
        return None
    xs, ys = [x for p in places for x, _ in p], [y for p in places for _, y in p]
    flat = FlatSheet(show, [(min(xs), min(ys) - BELOW * (max(ys) - min(ys)), 1.0), (max(xs), max(ys), 1.0)], PROFILE_PX)
    flat.drawn += [svg.polygon([flat.p.flat(c) for c in one], "plate-outline") for one in places]
    return flat.markup(f"{name} as folded, seen along its fold")


def profile(shape: PieceShape) -> list[list[tuple[float, float]]]:
    """The parts of the folded sheet seen along the first fold."""
    if not shape.bends:
        return []
    sheet = shape.folded()
    base = sheet.flanges[0].frame
    bend = shape.bends[0]
    long = math.dist(bend.a_mm, bend.b_mm)
    u = ((bend.b_mm[0] - bend.a_mm[0]) / long, (bend.b_mm[1] - bend.a_mm[1]) / long)
    along = sub(base.at(u), base.origin)
    across, up = cross(base.up, along), base.up

    def seen(p: Vec3) -> tuple[float, float]:
        return (dot(p, across), dot(p, up))

    found = []
    for flange in sheet.flanges:
        top = [flange.frame.at((float(x), float(y))) for x, y in flange.region.exterior.coords]
        found.append([seen(p) for p in (*top, *(sub(p, scale(flange.frame.up, shape.thick_mm)) for p in top))])
    for rolled in sheet.bends:
        for _, corners, outward in rolled.strips:
            found.append([seen(p) for p in (*corners, *(sub(p, scale(outward, shape.thick_mm)) for p in corners))])
    whole = unary_union([MultiPoint(places).convex_hull.buffer(TOUCHES_MM, join_style="mitre") for places in found])
    parts = [p for p in getattr(whole, "geoms", [whole]) if isinstance(p, Polygon)]
    return [[(float(x), float(y)) for x, y in p.exterior.coords[:-1]] for p in parts]


def card_drawing(shape: PieceShape, show: Show, name: str) -> Markup:
    """A small drawing of a proposal: its profile where it is folded, else its flat."""
    places = profile(shape) or [list(chords(shape.outline))]
    xs, ys = [x for p in places for x, _ in p], [y for p in places for _, y in p]
    flat = FlatSheet(show, [(min(xs), min(ys) - BELOW * (max(ys) - min(ys)), 1.0), (max(xs), max(ys), 1.0)], CARD_PX)
    flat.drawn += [svg.polygon([flat.p.flat(c) for c in one], "plate-outline") for one in places]
    if not shape.bends:
        for h in shape.holes:
            flat.circle(h.xy_mm, h.drill_mm, "hole")
    return flat.markup(name)
