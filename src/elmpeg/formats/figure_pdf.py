"""A figure on a PDF page: laid out as on a screen, or a panel at true size with what proves it."""

from __future__ import annotations

import math
from collections.abc import Callable

from reportlab.lib import colors
from reportlab.lib.units import mm as MM  # noqa: N812 - the library's name for a length
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable

from elmpeg.core.base.quantities import Words
from elmpeg.figures.figure import Circle, Dimension, Figure, Line, Note, Panel, shifted
from elmpeg.figures.layout import Lettering, Ring, Stroke, laid_out
from elmpeg.formats.paper import BOLD, ELM, FAILS, INK, MOSS, PLAIN, SOFT, fonts, printed

Say = Callable[[Words], str]
Bar = Callable[[float], tuple[float, str]]
"""Of a longest length, mm, the round one for a scale bar and its words."""
TINTS = {
    "part": colors.HexColor("#e4eee6"),
    "other": colors.HexColor("#f1ebdd"),
    "path": colors.HexColor("#eef5ee"),
    "fails": colors.HexColor("#f9e9e6"),
}
_LINES: dict[str, tuple[colors.Color, float, tuple[float, ...]]] = {
    "part": (MOSS, 1.2, ()), "other": (SOFT, 1.0, ()), "ghost": (ELM, 0.8, (4, 3)), "centre": (INK, 0.6, (8, 2, 1.5, 2)), "fold": (INK, 1.1, (6, 3)),
    "path": (MOSS, 1.8, ()), "fails": (FAILS, 1.8, ()), "ground": (SOFT, 1.4, ()), "thin": (SOFT, 0.6, ()), "arrow": (INK, 1.0, ()),
    "dimension": (ELM, 0.8, ()), "dimension is-light": (ELM, 0.4, ()), "scale-bar": (INK, 1.0, ()),
}  # fmt: skip


class DrawnFigure(Flowable):  # type: ignore[misc]
    """A figure among the paragraphs of a page."""

    def __init__(self, figure: Figure, size_pt: tuple[float, float], say: Say, bar: Bar) -> None:
        super().__init__()
        self.figure, self.size_pt, self.say, self.bar = figure, size_pt, say, bar

    def wrap(self, _width: float, _height: float) -> tuple[float, float]:
        """Its size, whatever room there is."""
        return self.size_pt

    def draw(self) -> None:
        """Draw it with its lower left corner where the page has come to."""
        draw_figure(self.canv, self.figure, (0, 0), self.size_pt, self.say, self.bar)


def draw_figure(
    canvas: Canvas,
    figure: Figure,
    at_pt: tuple[float, float],
    size_pt: tuple[float, float],
    say: Say,
    bar: Bar,
) -> None:
    """A figure with its lower left corner at a place of the page; of a movement the frame that is shown first."""
    size_px = (780.0, 780.0 * size_pt[1] / size_pt[0])
    k = size_pt[0] / size_px[0]
    for panel in laid_out(figure, size_px, say, bar):
        ox, oy = panel.at_px

        def spot(p: tuple[float, float], ox: float = ox, oy: float = oy) -> tuple[float, float]:
            return (at_pt[0] + (p[0] + ox) * k, at_pt[1] + (size_px[1] - p[1] - oy) * k)

        for mark in panel.marks:
            if getattr(mark, "frame", None) not in (None, figure.frame):
                continue
            if isinstance(mark, Stroke):
                _stroke(canvas, [spot(p) for p in mark.places], mark.class_, mark.closed)
            elif isinstance(mark, Ring):
                _ring(canvas, spot(mark.at), mark.r_px * k, mark.class_)
            else:
                _lettering(canvas, mark, spot, k)


def _set(canvas: Canvas, class_: str) -> None:
    colour, width, dash = _LINES.get(class_, _LINES.get(class_.split()[0], (INK, 1.0, ())))
    canvas.setStrokeColor(colour)
    canvas.setLineWidth(width * 0.7)
    canvas.setDash(*((list(dash),) if dash else ()))


def _stroke(canvas: Canvas, places: list[tuple[float, float]], class_: str, closed: bool, filled: bool = True) -> None:
    _set(canvas, class_)
    tint = TINTS.get(class_) if closed and filled else None
    if tint is not None:
        canvas.setFillColor(tint)
    path = canvas.beginPath()
    path.moveTo(*places[0])
    for p in places[1:]:
        path.lineTo(*p)
    if closed:
        path.close()
    canvas.drawPath(path, stroke=1, fill=1 if tint is not None else 0)


def _ring(canvas: Canvas, at: tuple[float, float], r: float, class_: str) -> None:
    name = class_.split()[0]
    _set(canvas, name)
    canvas.setDash()
    canvas.setFillColor(colors.white if "is-dot" in class_ else TINTS.get(name, colors.white))
    canvas.circle(*at, r, stroke=1, fill=1 if "is-dot" in class_ or name in TINTS else 0)


def _lettering(canvas: Canvas, mark: Lettering, spot: Callable[[tuple[float, float]], tuple[float, float]], k: float) -> None:
    canvas.setDash()
    if mark.leader_end is None or mark.anchor is None:
        canvas.setFillColor(SOFT)
        canvas.setFont(PLAIN, 10 * k)
        x, y = spot((mark.left + (4 if mark.class_ == "title" else mark.width / 2), mark.top + 13))
        (canvas.drawString if mark.class_ == "title" else canvas.drawCentredString)(x, y, printed(mark.text))
        return
    canvas.setStrokeColor(SOFT)
    canvas.setLineWidth(0.4)
    canvas.line(*spot(mark.anchor), *spot(mark.leader_end))
    x, y = spot((mark.left, mark.top + mark.height))
    canvas.setFillColor(FAILS if mark.class_ == "fails" else colors.white)
    canvas.roundRect(x, y, mark.width * k, mark.height * k, 2, stroke=1, fill=1)
    canvas.setFillColor(colors.white if mark.class_ == "fails" else INK)
    size = min(12 * k, 0.92 * mark.width * k / max(canvas.stringWidth(printed(mark.text), PLAIN, 1.0), 1e-6))
    canvas.setFont(PLAIN, size)
    canvas.drawCentredString(x + mark.width * k / 2, y + (mark.height * k - size) / 2 + 0.15 * size, printed(mark.text))


# True size

EDGE_MM, FOOT_MM = 10.0, 26.0
OVERLAP_MM = 8.0
SQUARE_MM = 100.0
MOST_SHEETS = 60


def true_size_pages(canvas: Canvas, panel: Panel, heading: str, say: Say, paper_mm: tuple[float, float]) -> int:
    """A panel at true size, over as many sheets of paper as it needs, each with a cross for laying them together and, on the first, a
    square to measure both ways. Gives the number of sheets. Raises ValueError where it would take more than sixty."""
    fonts()
    left, bottom, right, top = panel.bounds()
    room = (paper_mm[0] - 2 * EDGE_MM, paper_mm[1] - EDGE_MM - FOOT_MM)
    step = (room[0] - OVERLAP_MM, room[1] - OVERLAP_MM)
    across, up = (max(1, math.ceil((size - OVERLAP_MM) / s)) for size, s in ((right - left + 8, step[0]), (top - bottom + 8, step[1])))
    if across * up > MOST_SHEETS:
        raise ValueError(f"takes {across * up} sheets; at most {MOST_SHEETS} are printed")
    square = _square_page(canvas, heading, across * up)
    for row in range(up):
        for column in range(across):
            corner = (left - 4 + column * step[0], bottom - 4 + row * step[1])
            canvas.setFont(PLAIN, 8)
            canvas.setFillColor(INK)
            place = f"column {column + 1} of {across}, row {row + 1} of {up} from below" if across * up > 1 else "one sheet"
            canvas.drawString(EDGE_MM * MM, 8 * MM, f"{heading} · true size · {place} · print at 100 %, no fitting to the page")
            canvas.saveState()
            clip = canvas.beginPath()
            clip.rect(EDGE_MM * MM, FOOT_MM * MM, room[0] * MM, room[1] * MM)
            canvas.clipPath(clip, stroke=0, fill=0)
            canvas.translate((EDGE_MM - corner[0]) * MM, (FOOT_MM - corner[1]) * MM)
            _true(canvas, panel, say)
            canvas.restoreState()
            _crosses(canvas, room)
            canvas.showPage()
    return across * up + square


def _true(canvas: Canvas, panel: Panel, say: Say) -> None:
    for one in panel.items:
        if isinstance(one, Line):
            _stroke(canvas, [(x * MM, y * MM) for x, y in one.places], one.class_, one.closed, filled=False)
        elif isinstance(one, Circle):
            _set(canvas, one.class_)
            x, y, r = one.at[0] * MM, one.at[1] * MM, one.r_mm * MM
            canvas.circle(x, y, max(r, 1.0), stroke=1, fill=0)
            reach = r + 3 * MM
            canvas.setLineWidth(0.3)
            canvas.line(x - reach, y, x + reach, y)
            canvas.line(x, y - reach, x, y + reach)
        elif isinstance(one, Dimension):
            a, b = shifted(one)
            _stroke(canvas, [(a[0] * MM, a[1] * MM), (b[0] * MM, b[1] * MM)], "dimension", False)
            _words(canvas, ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2), say(one.says))
        elif isinstance(one, Note):
            _words(canvas, one.at, say(one.says))


def _words(canvas: Canvas, at: tuple[float, float], text: str) -> None:
    canvas.setDash()
    canvas.setFont(PLAIN, 7)
    canvas.setFillColor(INK)
    canvas.drawString(at[0] * MM + 3, at[1] * MM + 3, text)


def _crosses(canvas: Canvas, room: tuple[float, float]) -> None:
    """Crosses in the middle of the overlap at each corner: those of neighbouring sheets lie on each other."""
    canvas.setDash()
    canvas.setLineWidth(0.3)
    canvas.setStrokeColor(INK)
    half = OVERLAP_MM / 2
    for x in (EDGE_MM + half, EDGE_MM + room[0] - half):
        for y in (FOOT_MM + half, FOOT_MM + room[1] - half):
            canvas.line((x - 3) * MM, y * MM, (x + 3) * MM, y * MM)
            canvas.line(x * MM, (y - 3) * MM, x * MM, (y + 3) * MM)


def _square_page(canvas: Canvas, heading: str, sheets: int) -> int:
    """A first sheet with a square to measure both ways before anything is cut."""
    canvas.setFillColor(INK)
    canvas.setFont(BOLD, 13)
    canvas.drawString(20 * MM, 272 * MM, heading)
    canvas.setFont(PLAIN, 10)
    words = (
        f"Before you cut: measure this square both ways. Each side is {SQUARE_MM:g} mm ({SQUARE_MM / 25.4:.3f} in).",
        "If either is off, put both into “Is the print true size” and print again at what it says.",
        f"{sheets} sheet{'s' if sheets > 1 else ''} follow{'' if sheets > 1 else 's'}; lay them together by the crosses.",
    )
    for k, line in enumerate(words):
        canvas.drawString(20 * MM, (262 - 6 * k) * MM, line)
    canvas.setLineWidth(0.5)
    canvas.setStrokeColor(INK)
    canvas.rect(20 * MM, 120 * MM, SQUARE_MM * MM, SQUARE_MM * MM)
    for k in range(11):
        long = 4 if k % 5 == 0 else 2
        canvas.line((20 + 10 * k) * MM, 120 * MM, (20 + 10 * k) * MM, (120 - long) * MM)
        canvas.line(20 * MM, (120 + 10 * k) * MM, (20 - long) * MM, (120 + 10 * k) * MM)
    canvas.showPage()
    return 1
