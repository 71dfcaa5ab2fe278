"""Anything at true size on as many sheets as it needs, each with a square that proves it.

Every sheet has a frame; ticks on its lower and left edge make a square with its corner. Whoever measures
both sides of it knows whether the print is true, and what to print it at if it is not.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Literal

from reportlab.lib import pagesizes
from reportlab.lib.units import mm as MM  # noqa: N812 - the library's name for a length
from reportlab.pdfgen.canvas import Canvas

from elmpeg.core.base.errors import InputError
from elmpeg.formats.paper import BOLD, INK, PLAIN, SOFT, Head, room_pt

Paper = Literal["a4", "a3", "letter"]
PAPERS: dict[Paper, tuple[float, float]] = {"a4": pagesizes.A4, "a3": pagesizes.A3, "letter": pagesizes.letter}
SQUARE_MM = 150.0
OVERLAP_MM = 10.0
AROUND_MM = 8.0
MOST_SHEETS = 60
Box = tuple[float, float, float, float]
"""Left, low, right and high, mm."""


def frame_mm(head: Head) -> tuple[float, float, float, float]:
    """The frame on a sheet: left, bottom, width and height, mm, its sides whole centimetres."""
    left, bottom, width, height = (v / MM for v in room_pt(head))
    wide, high = math.floor(width / 10) * 10.0, math.floor((height - 2) / 10) * 10.0
    return (left, bottom + 1, wide, high)


def sheets_for(head: Head, size_mm: tuple[float, float]) -> tuple[int, int]:
    """How many sheets across and up."""
    _, _, wide, high = frame_mm(head)
    across, up = (
        max(1, math.ceil((s + 2 * AROUND_MM - OVERLAP_MM) / d))
        for s, d in zip(size_mm, (wide - OVERLAP_MM, high - OVERLAP_MM), strict=True)
    )
    return across, up


def draw_sheets(canvas: Canvas, head: Head, box: Box, scale: tuple[float, float], draw: Callable[[Canvas], None]) -> tuple[int, int]:
    """Draws what lies in a box, in mm of the canvas, on its sheets. ``scale`` makes up for a printer that is off.

    Raises InputError where it would take more than sixty sheets.
    """
    left, low, right, high_mm = box
    across, up = sheets_for(head, (right - left, high_mm - low))
    if across * up > MOST_SHEETS:
        raise InputError(
            "paper", f"takes {across * up} sheets; at most {MOST_SHEETS} are printed. Take larger paper, or send it to a cutter"
        )
    begin = (left - AROUND_MM, low - AROUND_MM)
    x0, y0, wide, high = frame_mm(head)
    for row in range(up):
        for column in range(across):
            corner = (begin[0] + column * (wide - OVERLAP_MM), begin[1] + row * (high - OVERLAP_MM))
            canvas.saveState()
            # The sheet's own corner stays where it is; all that is measured on it is printed larger or smaller from there.
            canvas.translate(x0 * MM, y0 * MM)
            canvas.scale(scale[0] * MM, scale[1] * MM)
            _frame(canvas, wide, high, f"{column + 1}{'ABCDEFGHIJKLMNOPQRSTUVWXYZ'[row % 26]}", across * up > 1)
            clip = canvas.beginPath()
            clip.rect(0, 0, wide, high)
            canvas.clipPath(clip, stroke=0, fill=0)
            canvas.translate(-corner[0], -corner[1])
            draw(canvas)
            canvas.restoreState()
            canvas.showPage()
    return across, up


def _frame(canvas: Canvas, wide: float, high: float, name: str, several: bool) -> None:
    canvas.setLineWidth(0.15)
    canvas.setStrokeColor(INK)
    canvas.setDash()
    canvas.rect(0, 0, wide, high)
    side = min(SQUARE_MM, wide, high)
    canvas.line(side, -1.5, side, 3.0)
    canvas.line(-1.5, side, 3.0, side)
    canvas.setFillColor(SOFT)
    canvas.setFont(PLAIN, 2.6)
    canvas.drawRightString(side - 1, 1.2, f"from the corner {side:g} mm: measure it here and up the left edge before you trust the sheet")
    canvas.saveState()
    canvas.translate(3.4, side - 1)
    canvas.rotate(-90)
    canvas.drawString(0, 0, f"{side:g} mm")
    canvas.restoreState()
    if several:
        canvas.setFont(BOLD, 5)
        canvas.drawRightString(wide - OVERLAP_MM, high - 6, f"sheet {name}")
        half = OVERLAP_MM / 2
        for x in (half, wide - half):
            for y in (half, high - half):
                canvas.line(x - 3, y, x + 3, y)
                canvas.line(x, y - 3, x, y + 3)
