"""The look of every printed sheet: one face, the paper of the shop, what it is of, page of pages, and a bar to check the scale.

Bars are 50 mm and 2 inches: whoever lays a rule on them knows whether the printer kept the size.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from reportlab.lib import colors
from reportlab.lib.fonts import addMapping
from reportlab.lib.units import mm as MM  # noqa: N812 - the library's name for a length
from reportlab.lib.utils import simpleSplit
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import TTFont
from reportlab.pdfgen.canvas import Canvas

PLAIN, BOLD = "AtkinsonNext", "AtkinsonNextBold"
FACES = {PLAIN: "AtkinsonNext-Regular.ttf", BOLD: "AtkinsonNext-Bold.ttf"}
FOLDER = Path(__file__).with_name("fonts")
INK, SOFT, LINE = colors.HexColor("#1e2a25"), colors.HexColor("#5c655c"), colors.HexColor("#b8b09c")
ELM, MOSS, FAILS = colors.HexColor("#8a5a32"), colors.HexColor("#2f6650"), colors.HexColor("#a5281b")
MARGIN = 14 * MM
HEAD, FOOT = 13 * MM, 15 * MM
"""What the head and the foot take of a page, inside the margins."""
BAR_MM, BAR_IN = 50.0, 2.0
WORDS_PT, WORDS_ROW_PT, AFTER_PT = 10.0, 14.0, 3.0
UNPRINTED = {
    "⌀": "Ø",
    "≤": "at most ",
    "≥": "at least ",
    "→": "to",
    "↔": "to and fro",
    "µ": "u",
    "\u202f": "\u00a0",
    "α": "alpha",
    "β": "beta",
    "θ": "theta",
    "φ": "phi",
    "π": "pi",
    "ρ": "rho",
    "ω": "omega",
    "Σ": "sum of ",
    "∫": "integral of ",
    "√": "root of ",
    "₀": "0",
    "₁": "1",
    "′": "'",
    "″": '"',
}
"""Signs that the face lacks, as they are said in words."""


@dataclass(frozen=True, slots=True)
class Head:
    """What a sheet is, and of what: shown on every page of it."""

    title: str
    of: str
    """Build, option and revision, or where it is from."""
    by: str
    """Who printed it, and when."""
    size_pt: tuple[float, float]


def fonts() -> None:
    """The shop's own face, plain and bold."""
    if PLAIN not in pdfmetrics.getRegisteredFontNames():
        for name, file in FACES.items():
            pdfmetrics.registerFont(TTFont(name, FOLDER / file))
        for bold in (0, 1):
            for italic in (0, 1):
                addMapping(PLAIN, bold, italic, BOLD if bold else PLAIN)


def printed(text: str) -> str:
    """A text with the signs that the face lacks said otherwise."""
    return "".join(UNPRINTED.get(c, c) for c in text)


def room_pt(head: Head) -> tuple[float, float, float, float]:
    """Left, bottom, width and height of what is left of a page for what stands on it."""
    width, height = head.size_pt
    return (MARGIN, MARGIN + FOOT, width - 2 * MARGIN, height - 2 * MARGIN - HEAD - FOOT)


def broken(text: str, face: str, size: float, room_pt: float) -> list[str]:
    """A text as it is printed, in lines that fit."""
    return list(simpleSplit(printed(text), face, size, room_pt))


def written(canvas: Canvas, head: Head, said: Iterable[str], from_pt: float) -> float:
    """Texts down a sheet from a height, the first of them bold, and on to further sheets where one is full; where they end."""
    left, bottom, width, height = room_pt(head)
    y = from_pt
    for k, text in enumerate(said):
        face = PLAIN if k else BOLD
        for line in broken(text, face, WORDS_PT, width):
            if y < bottom:
                canvas.showPage()
                y = bottom + height - WORDS_ROW_PT
            canvas.setFont(face, WORDS_PT)
            canvas.setFillColor(INK)
            canvas.drawString(left, y, line)
            y -= WORDS_ROW_PT
        y -= AFTER_PT
    return y


def canvas_maker(head: Head) -> Callable[..., Canvas]:
    """A canvas that furnishes every page with its head and foot, once it is known how many there are."""
    fonts()

    class Furnished(Canvas):  # type: ignore[misc]
        def __init__(self, *args: Any, **more: Any) -> None:
            super().__init__(*args, **{**more, "pagesize": head.size_pt})
            self._done: list[dict[str, Any]] = []

        def showPage(self) -> None:  # noqa: N802 - the library's name
            self._done.append(dict(self.__dict__))
            self._startPage()

        def save(self) -> None:
            for number, page in enumerate(self._done, 1):
                self.__dict__.update(page)
                _furnish(self, head, number, len(self._done))
                super().showPage()
            super().save()

    return Furnished


def _furnish(canvas: Canvas, head: Head, page: int, of: int) -> None:
    width, height = head.size_pt
    canvas.saveState()
    canvas.setDash()
    canvas.setFillColor(INK)
    canvas.setStrokeColor(INK)
    canvas.setFont(BOLD, 13)
    top = height - MARGIN - 9
    canvas.drawString(MARGIN, top, fitted(canvas, printed(head.title), BOLD, 13, width - 2 * MARGIN - 70))
    canvas.setFont(BOLD, 9)
    canvas.drawRightString(width - MARGIN, top, "Elm Peg")
    canvas.setFont(PLAIN, 8.5)
    canvas.setFillColor(SOFT)
    canvas.drawString(MARGIN, top - 12, fitted(canvas, printed(head.of), PLAIN, 8.5, width - 2 * MARGIN))
    canvas.setLineWidth(1.0)
    canvas.line(MARGIN, top - 17, width - MARGIN, top - 17)
    foot = MARGIN + 3
    canvas.setFont(PLAIN, 8)
    canvas.drawString(MARGIN, foot, fitted(canvas, printed(head.by), PLAIN, 8, width / 2 - MARGIN))
    canvas.drawRightString(width - MARGIN, foot, f"page {page} of {of}")
    canvas.setFillColor(INK)
    y = foot + 18
    inches = MARGIN + (BAR_MM + 18) * MM
    canvas.drawString(inches + BAR_IN * 25.4 * MM + 18 * MM, y - 3, "lay a rule on both before trusting it")
    for x, length, words in ((MARGIN, BAR_MM * MM, "50 mm"), (inches, BAR_IN * 25.4 * MM, "2 in")):
        canvas.setLineWidth(0.8)
        canvas.line(x, y, x + length, y)
        for end in (x, x + length):
            canvas.line(end, y - 3, end, y + 3)
        canvas.drawString(x + length + 4, y - 3, words)
    canvas.restoreState()


def fitted(canvas: Canvas, text: str, face: str, size: float, room: float) -> str:
    """A text that fits in its room, cut with an ellipsis where it must be, nothing where not even that fits."""
    if canvas.stringWidth(text, face, size) <= room:
        return text
    while text and canvas.stringWidth(f"{text}…", face, size) > room:
        text = text[:-1]
    return f"{text.rstrip()}…" if text else ""
