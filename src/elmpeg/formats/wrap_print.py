"""The wraps of a tube at true size: each end's edge on the unrolled outside, to be cut out, laid round the tube and scribed.

A wrap is as wide as the tube's girth. Its two sides are the seam line, which is scribed
along the whole tube; so the ends, and holes between them, stand to each other as they
should. The edge of the outside is drawn whole, that of the inside dashed.
"""

from __future__ import annotations

import io

from reportlab.pdfgen.canvas import Canvas

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.pieces import Piece
from elmpeg.core.stages.make.tube_shape import TAIL_MM, TubeEndCut, TubeShape
from elmpeg.formats.paper import BOLD, ELM, INK, MOSS, PLAIN, SOFT, WORDS_ROW_PT, Head, canvas_maker, fonts, printed, room_pt, written
from elmpeg.formats.true_size import Box, draw_sheets

FLAP_MM = 12.0
"""Beyond the seam, to be taped under."""
LETTERS_MM = 3.2
Words = tuple[str, ...]


def wrap_box(shape: TubeShape, at_start: bool) -> Box:
    """What of the unrolled tube a wrap shows: round it from the seam, along it from where the axes meet at the start."""
    whole = shape.bent.straight_mm
    if at_start:
        return (0.0, shape.start.nearest_mm, shape.girth_mm + FLAP_MM, shape.start.farthest_mm + TAIL_MM)
    return (0.0, whole - shape.end.farthest_mm - TAIL_MM, shape.girth_mm + FLAP_MM, whole - shape.end.nearest_mm)


def as_pdf(piece: Piece, shape: TubeShape, head: Head, said: Words, scale: tuple[float, float] = (1.0, 1.0)) -> bytes:
    """Every shaped end's wrap, then a sheet with what to do and ``said``. Raises InputError for a tube with nothing to wrap, or with
    a wrap of more than sixty sheets."""
    if not shape.wraps and not shape.holes:
        raise InputError("paper", "has square ends and no holes; there is nothing to wrap round it")
    fonts()
    out = io.BytesIO()
    canvas = canvas_maker(head)(out, invariant=1)
    for which, cut in shape.wraps:
        at_start = which == "start"
        box = wrap_box(shape, at_start)
        draw_sheets(canvas, head, box, scale, lambda c, a=at_start, cut=cut, box=box: _wrap(c, piece, shape, a, cut, box))  # type: ignore[misc]
    _words(canvas, head, said)
    canvas.save()
    return out.getvalue()


def _wrap(canvas: Canvas, piece: Piece, shape: TubeShape, at_start: bool, cut: TubeEndCut, box: Box) -> None:
    _, low, _, high = box
    whole, girth = shape.bent.straight_mm, shape.girth_mm

    def along(y: float) -> float:
        return y if at_start else whole - y

    far = high if at_start else low
    canvas.setStrokeColor(INK)
    canvas.setLineWidth(0.3)
    outside = [(x, along(y)) for x, y in cut.outside]
    path = canvas.beginPath()
    path.moveTo(0.0, far)
    for x, y in outside:
        path.lineTo(x, y)
    path.lineTo(girth, far)
    path.close()
    canvas.drawPath(path, stroke=1, fill=0)
    if cut.inside:
        canvas.setLineWidth(0.2)
        canvas.setDash([1.6, 1.2])
        _line(canvas, [(x, along(y)) for x, y in cut.inside])
        canvas.setDash()
    canvas.setLineWidth(0.15)
    canvas.setStrokeColor(SOFT)
    for x in shape.quarters_mm:
        canvas.line(x, along(cut.farthest_mm), x, far)
    # The flap goes under the other side; its edge has no line to cut along that anybody could take for the seam.
    canvas.setDash([0.8, 1.6])
    _line(canvas, [(girth, far), (girth + FLAP_MM, far), (girth + FLAP_MM, along(cut.outside[0][1])), (girth, along(cut.outside[0][1]))])
    canvas.setDash()
    reference = along(cut.farthest_mm + TAIL_MM / 2)
    canvas.setStrokeColor(MOSS)
    canvas.line(0.0, reference, girth, reference)
    canvas.setFillColor(MOSS)
    canvas.setFont(PLAIN, LETTERS_MM)
    from_longest = cut.farthest_mm + TAIL_MM / 2 - cut.nearest_mm
    canvas.drawString(3.0, reference + 1.0, f"square to the tube, {from_longest:.1f} mm from its longest point")
    for x, word in ((0.0, shape.seam_word), (girth, shape.seam_word)):
        _up(canvas, x + LETTERS_MM + 0.6 if not x else x - 0.8, min(low, high) + 6.0, word)
    other = shape.end if at_start else shape.start
    if shape.twist_deg is not None and shape.is_round:
        _tick(canvas, girth * (other.end.turn_deg % 360.0) / 360.0, far, at_start)
    for hole in shape.holes:
        if min(y for _, y in hole.edge) < high and max(y for _, y in hole.edge) > low:
            for turn in (-girth, 0.0, girth):
                places = [(x + turn, y) for x, y in hole.edge]
                if max(x for x, _ in places) > 0 and min(x for x, _ in places) < girth:
                    canvas.setStrokeColor(INK)
                    _line(canvas, [*places, places[0]])
    canvas.setFillColor(ELM)
    canvas.setFont(BOLD, 4.2)
    canvas.drawCentredString(
        girth / 2, reference + (3.0 if at_start else -6.5), printed(f"{piece.name}: its {'start' if at_start else 'end'}, outside up"[:60])
    )


def _line(canvas: Canvas, places: list[tuple[float, float]]) -> None:
    path = canvas.beginPath()
    path.moveTo(*places[0])
    for p in places[1:]:
        path.lineTo(*p)
    canvas.drawPath(path, stroke=1, fill=0)


def _up(canvas: Canvas, x: float, y: float, word: str) -> None:
    canvas.saveState()
    canvas.translate(x, y)
    canvas.rotate(90)
    canvas.setFillColor(SOFT)
    canvas.setFont(PLAIN, 2.8)
    canvas.drawString(0.0, 0.0, word)
    canvas.restoreState()


def _tick(canvas: Canvas, x: float, far: float, at_start: bool) -> None:
    """Where the obtuse side of the other end lies round the tube."""
    canvas.setStrokeColor(ELM)
    canvas.setFillColor(ELM)
    canvas.setLineWidth(0.3)
    inward = -12.0 if at_start else 12.0
    canvas.line(x, far, x, far + inward)
    canvas.setFont(PLAIN, 2.8)
    canvas.drawString(x + 1.0, far + inward, "wide side of the other end")


def _words(canvas: Canvas, head: Head, said: Words) -> None:
    _, bottom, _, height = room_pt(head)
    written(canvas, head, said, bottom + height - WORDS_ROW_PT)
    canvas.showPage()
