"""A piece on paper at true size: as many sheets as it needs, and one with its holes."""

from __future__ import annotations

import io
import math
from collections.abc import Callable
from dataclasses import replace
from typing import Literal

import segno
from reportlab.lib import colors
from reportlab.lib.units import mm as MM  # noqa: N812 - the library's name for a length
from reportlab.pdfgen.canvas import Canvas

from elmpeg.core.base.quantities import Words
from elmpeg.core.build.pieces import Piece
from elmpeg.core.methods.shapes.outlines import Outline, arc_of, mirrored, polygon_of
from elmpeg.core.stages.make.counted_from import Zero, other_side, zero_of
from elmpeg.core.stages.make.on_the_metal import CAUTIONS, BenchHole
from elmpeg.core.stages.make.pair_as_one import BOLT_RING_MM, CLAMPS, HAND_NAMES, PairAsOne, in_both, pair_as_one
from elmpeg.core.stages.make.piece_marks import MarkedLine, engraved, engraving
from elmpeg.core.stages.make.piece_shape import PieceHole, PieceShape
from elmpeg.formats.paper import BOLD, ELM, INK, MOSS, PLAIN, SOFT, Head, broken, canvas_maker, fonts, printed, room_pt
from elmpeg.formats.true_size import draw_sheets

PrintedHand = Literal["as drawn", "other hand", "pair as one"]
LETTER_PT = 9.0
ZERO_ARM_MM = 8.0
"""The arms of the sign for where x and y are zero."""
PUNCH_MM = 1.0
STACK_WIDE_MM, BOARD_MM = 46.0, 6.0
STEEL_FILL, BOARD_FILL = colors.HexColor("#dfe5e0"), colors.HexColor("#efe3cf")
LETTERS_SHARE = 1.05
"""Of a letter's height, the size of the face that gives it, held to what fits."""
Say = Callable[[Words], str]
Length = Callable[[float], str]


def as_pdf(
    piece: Piece,
    shape: PieceShape,
    holes: tuple[BenchHole, ...],
    steps: tuple[Words, ...],
    head: Head,
    say: Say,
    length: Length,
    hand: PrintedHand = "as drawn",
    scale: tuple[float, float] = (1.0, 1.0),
) -> bytes:
    """The piece's sheets. ``scale`` makes up for a printer that is off; ``hand`` mirrors it for the other side,
    or adds what makes two of it as one: where they are clamped and bolted to each other, and how they lie.

    Raises InputError where it would take more than sixty sheets.
    """
    fonts()
    out = io.BytesIO()
    canvas = canvas_maker(head)(out, invariant=1)
    flip = -1.0 if hand == "other hand" else 1.0
    left, low, right, high = shape.box_mm
    box = (min(flip * left, flip * right), low, max(flip * left, flip * right), high)
    pair = pair_as_one(piece, shape) if hand == "pair as one" else None
    seen = in_both(piece, shape) if pair is not None else shape
    every_opening = replace(shape, cutouts=tuple(c.corners for c in piece.cutouts)) if pair is not None else shape
    letters = engraving(piece, every_opening, flip < 0)
    zero = zero_of(piece, shape, flip < 0)

    def sheet(c: Canvas) -> None:
        _true_size(c, seen, holes, flip, letters)
        _counted_from(c, zero)
        if pair is not None:
            _held_as_one(c, shape, pair)

    across, up = draw_sheets(canvas, head, box, scale, sheet)
    _table(canvas, piece, shape, holes, steps, head, say, length, hand, (across, up), zero)
    canvas.save()
    return out.getvalue()


def _counted_from(canvas: Canvas, zero: Zero) -> None:
    """Where the table's x and y are zero: an arm along each, and a 0."""
    canvas.setStrokeColor(ELM)
    canvas.setFillColor(ELM)
    canvas.setLineWidth(0.2)
    for dx, dy, axis in ((ZERO_ARM_MM, 0.0, "x"), (0.0, ZERO_ARM_MM, "y")):
        canvas.line(zero.x_mm, zero.y_mm, zero.x_mm + dx, zero.y_mm + dy)
        canvas.setFont(PLAIN, 3.0)
        canvas.drawString(zero.x_mm + dx + 0.8, zero.y_mm + dy + 0.4, axis)
    canvas.setFont(BOLD, 3.2)
    canvas.drawRightString(zero.x_mm - 0.8, zero.y_mm - 3.2, "0")


def _true_size(canvas: Canvas, shape: PieceShape, holes: tuple[BenchHole, ...], flip: float, letters: tuple[MarkedLine, ...]) -> None:
    """Everything of the flat, in mm of the canvas."""
    canvas.setStrokeColor(INK)
    canvas.setLineWidth(0.25)
    for outline in (shape.outline, *shape.cutouts):
        _contour(canvas, mirrored(outline) if flip < 0 else outline)
    for one in holes:
        hole = one.hole
        x, y = flip * hole.xy_mm[0], hole.xy_mm[1]
        canvas.setLineWidth(0.2)
        if hole.slot_mm:
            places = [(flip * px, py) for px, py in hole.opening.exterior.coords]
            path = canvas.beginPath()
            path.moveTo(*places[0])
            for p in places[1:]:
                path.lineTo(*p)
            canvas.drawPath(path, stroke=1, fill=0)
        else:
            canvas.circle(x, y, hole.drill_mm / 2, stroke=1, fill=0)
        if hole.sunk_mm:
            canvas.setDash([1.2, 0.8])
            canvas.circle(x, y, hole.sunk_mm / 2, stroke=1, fill=0)
            canvas.setDash()
        reach = max(hole.drill_mm, hole.sunk_mm) / 2 + 3
        canvas.setLineWidth(0.1)
        canvas.line(x - reach, y, x + reach, y)
        canvas.line(x, y - reach, x, y + reach)
        canvas.circle(x, y, PUNCH_MM / 2, stroke=1, fill=0)
        canvas.setFont(BOLD, 4)
        canvas.setFillColor(ELM)
        canvas.drawString(x + reach + 0.5, y + 0.8, one.letter)
    canvas.setFont(PLAIN, 3.2)
    for bend in shape.bends:
        a, b = (flip * bend.a_mm[0], bend.a_mm[1]), (flip * bend.b_mm[0], bend.b_mm[1])
        canvas.setStrokeColor(MOSS)
        canvas.setDash([4, 2])
        canvas.setLineWidth(0.25)
        canvas.line(*a, *b)
        canvas.setDash()
        canvas.setFillColor(MOSS)
        way = "up, towards you" if bend.angle_deg > 0 else "down, away from you"
        words = f"{bend.id}: fold {abs(bend.angle_deg):.1f}° {way}, radius {bend.radius_mm:g} mm"
        canvas.saveState()
        canvas.translate((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
        turn = math.degrees(math.atan2(b[1] - a[1], b[0] - a[0]))
        canvas.rotate(turn if -90 < turn <= 90 else turn + 180)
        canvas.drawCentredString(0, 1.2, words)
        canvas.restoreState()
        canvas.setStrokeColor(INK)
    canvas.setFillColor(INK)
    for line in letters:
        canvas.setFont(BOLD, line.high_mm * LETTERS_SHARE)
        canvas.drawCentredString(line.x_mm, line.y_mm, printed(line.text))


def _held_as_one(canvas: Canvas, shape: PieceShape, pair: PairAsOne) -> None:
    """Where the two blanks are clamped, and the holes whose bolts keep them together, over the flat as drawn."""
    canvas.setStrokeColor(MOSS)
    canvas.setFillColor(MOSS)
    canvas.setLineWidth(0.35)
    for name, (x, y) in zip(CLAMPS, pair.clamps_mm, strict=False):
        canvas.setDash([2.4, 1.2])
        canvas.circle(x, y, pair.pad_mm / 2, stroke=1, fill=0)
        canvas.setDash()
        canvas.setFont(BOLD, min(4.0, pair.pad_mm / 4))
        canvas.drawCentredString(x, y + 0.4, name)
        canvas.setFont(PLAIN, min(2.6, pair.pad_mm / 6))
        canvas.drawCentredString(x, y - 3.2, "clamp")
    canvas.setFont(PLAIN, 3.0)
    for opening in pair.parted:
        canvas.setDash([1.5, 1.5])
        _contour(canvas, opening.corners)
        canvas.setDash()
        x, y = polygon_of(opening.corners).representative_point().coords[0]
        canvas.drawCentredString(x, y + 1.0, printed(opening.id))
        canvas.drawCentredString(x, y - 3.0, f"only {HAND_NAMES[opening.only]} has it")
    for k, hole in enumerate(_in_turn(shape, pair)):
        x, y = hole.xy_mm
        around = max(hole.drill_mm, hole.sunk_mm) / 2 + BOLT_RING_MM
        canvas.circle(x, y, around, stroke=1, fill=0)
        canvas.drawCentredString(x, y - around - 3.2, f"{('first', 'second')[k]}: bolt")
    left, _, _, high = shape.box_mm
    canvas.drawString(left, high + 3.0, "ONE, seen on its upper face. OTHER HAND lies under it, back to back: see the last sheet.")


def _in_turn(shape: PieceShape, pair: PairAsOne) -> list[PieceHole]:
    by_letter = {h.letter: h for h in shape.holes}
    return [by_letter[b] for b in pair.bolted]


def _stack(canvas: Canvas, left: float, top: float, thick_mm: float) -> float:
    """The two blanks from the side at their true thickness, on the board: which face looks where. Points; where it ends."""
    wide, thick, board = STACK_WIDE_MM * MM, thick_mm * MM, BOARD_MM * MM
    layers = (
        (top, thick, "ONE: its upper face on top, with the print"),
        (top - thick, thick, "OTHER HAND: its upper face below, lower faces together"),
        (top - 2 * thick, board, "a board to drill into"),
    )
    canvas.setLineWidth(0.7)
    canvas.setFont(PLAIN, 8.5)
    said_at = top
    for high, deep, said in layers:
        canvas.setFillColor(BOARD_FILL if said == layers[-1][2] else STEEL_FILL)
        canvas.setStrokeColor(INK)
        canvas.rect(left, high - deep, wide, deep, stroke=1, fill=1)
        said_at = min(said_at - 11, high - deep / 2 - 3)
        canvas.setStrokeColor(SOFT)
        canvas.line(left + wide, high - deep / 2, left + wide + 14, said_at + 3)
        canvas.setFillColor(INK)
        canvas.drawString(left + wide + 18, said_at, said)
    below: float = min(said_at, top - 2 * thick - board) - 16
    return below


def _contour(canvas: Canvas, outline: Outline) -> None:
    """One closed path, its arcs drawn as arcs."""
    path = canvas.beginPath()
    path.moveTo(*outline[0].xy_mm)
    for a, b in zip(outline, (*outline[1:], outline[0]), strict=True):
        arc = arc_of(a, b)
        if arc is None:
            path.lineTo(*b.xy_mm)
            continue
        (cx, cy), r = arc
        start = math.degrees(math.atan2(a.y_mm - cy, a.x_mm - cx))
        path.arcTo(cx - r, cy - r, cx + r, cy + r, start, math.degrees(4 * math.atan(a.bulge)))
    path.close()
    canvas.drawPath(path, stroke=1, fill=0)


def _table(
    canvas: Canvas,
    piece: Piece,
    shape: PieceShape,
    holes: tuple[BenchHole, ...],
    steps: tuple[Words, ...],
    head: Head,
    say: Say,
    length: Length,
    hand: PrintedHand,
    sheets: tuple[int, int],
    zero: Zero,
) -> None:
    """What is drilled with what, in which order; as many sheets as that takes."""
    left, bottom, width, height = room_pt(head)
    y = bottom + height - 14
    wide, high = shape.size_mm
    flip = -1.0 if hand == "other hand" else 1.0

    def line(text: str, face: str = PLAIN, size: float = 9.5, indent: float = 0.0) -> None:
        nonlocal y
        for part in broken(text, face, size, width - indent - (0 if y < bottom + height - 120 else 110)):
            if y < bottom + 14:
                canvas.showPage()
                y = bottom + height - 14
            canvas.setFont(face, size)
            canvas.setFillColor(INK)
            canvas.drawString(left + indent, y, part)
            y -= size * 1.4

    _label(canvas, piece, left + width - 92, bottom + height - 96)
    line(
        f"{piece.name}: {length(wide)} by {length(high)}, {piece.thick_mm:g} mm {piece.material}, {shape.mass_kg:.2f} kg, {piece.count} off",
        BOLD,
        11,
    )
    line(
        f"{hand}; {sheets[0] * sheets[1]} sheet{'s' if sheets[0] * sheets[1] > 1 else ''} at true size, {sheets[0]} across and {sheets[1]} up"
    )
    line("Print at 100 %, without fitting to the page. Measure both sides of the square on a sheet and type them in beside the piece.")
    line(f"x and y count from {zero.called}, drawn as 0.")
    y -= 6
    columns = (("", 16), ("hole", 92), ("x", 52), ("y", 52), ("pilot", 40), ("drill", 46), ("then", 92), ("mark it with", 130))
    x = left
    canvas.setFont(BOLD, 8.5)
    canvas.setFillColor(SOFT)
    y = min(y, bottom + height - 124)
    if hand == "pair as one":
        y = _stack(canvas, left, y, piece.thick_mm)
        canvas.setFont(BOLD, 8.5)
        canvas.setFillColor(SOFT)
    for word, room in columns:
        canvas.drawString(x, y, word)
        x += room * width / 520
    y -= 12
    for one in holes:
        if y < bottom + 20:
            canvas.showPage()
            y = bottom + height - 14
        cells = (
            one.letter, other_side(one.hole.called) if flip < 0 else one.hole.called, *map(length, zero.counted((flip * one.hole.xy_mm[0], one.hole.xy_mm[1]))), f"{one.pilot_mm:g}" if one.pilot_mm else "–",
            f"{one.hole.drill_mm:.4g}", one.then, other_side(one.marked_with) if flip < 0 else one.marked_with,
        )  # fmt: skip
        x = left
        deepest = y
        for (_, room), cell in zip(columns, cells, strict=True):
            canvas.setFont(BOLD if x == left else PLAIN, 8.5)
            canvas.setFillColor(INK)
            at = y
            for part in broken(cell, PLAIN, 8.5, room * width / 520 - 4):
                canvas.drawString(x, at, part)
                at -= 10
            deepest = min(deepest, at)
            x += room * width / 520
        y = deepest - 3
    y -= 6
    for k, step in enumerate(steps, 1):
        line(f"{k}. {say(step)}", indent=0)
    y -= 4
    for caution in CAUTIONS:
        line(caution, size=8.5)
    canvas.showPage()


def _label(canvas: Canvas, piece: Piece, x: float, y: float) -> None:
    """A label to cut out: the code says the same as the words beside it on the piece."""
    code = segno.make(" | ".join(engraved(piece)), error="m", micro=False)
    matrix = [bytes(row) for row in code.matrix]
    side = 88.0 / (len(matrix) + 2)
    canvas.setFillColor(INK)
    for r, row in enumerate(matrix):
        for c, dark in enumerate(row):
            if dark:
                canvas.rect(x + (c + 1) * side, y + (len(matrix) - r) * side, side, side, stroke=0, fill=1)
