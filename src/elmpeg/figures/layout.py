"""A figure laid out on a sheet of so many pixels: every panel to one true scale of its own, its words where they cover nothing.

What comes out are strokes and words at pixels, for a page and for print alike.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import pairwise
from types import MappingProxyType

from elmpeg.core.base.quantities import Words
from elmpeg.figures.figure import Circle, Dimension, Figure, Line, Panel, shifted
from elmpeg.figures.labels import HARD, SOFT, Label, Sheet
from elmpeg.figures.projection import Pixel, Projection, Window, fitted

Say = Callable[[Words], str]
MARGIN = 0.13
TITLE_PX = 20.0
DOT_PX = 3.5
TICK_PX = 5.0
GAP_PX = 10.0
SCALE_BAR_PX = 110.0
LONGEST_LABEL = 46
NO_LETTERS: Mapping[str, str] = MappingProxyType({})


@dataclass(frozen=True, slots=True)
class Stroke:
    """A line or an outline at pixels."""

    places: tuple[Pixel, ...]
    class_: str
    closed: bool = False
    field: str = ""
    frame: int | None = None
    title: str = ""


@dataclass(frozen=True, slots=True)
class Ring:
    """A circle at pixels."""

    at: Pixel
    r_px: float
    class_: str
    frame: int | None = None
    title: str = ""


@dataclass(frozen=True, slots=True)
class Lettering:
    """Words in a box at pixels, with the end of the leader that points at what they say. Without a box: a plain title."""

    left: float
    top: float
    width: float
    height: float
    text: str
    class_: str
    anchor: Pixel | None = None
    leader_end: Pixel | None = None
    field: str = ""
    frame: int | None = None


Mark = Stroke | Ring | Lettering


@dataclass(frozen=True, slots=True)
class LaidPanel:
    """One panel on the sheet: where it stands, its scale, and what is drawn, at pixels within it."""

    at_px: Pixel
    width_px: float
    height_px: float
    px_per_mm: float
    to_scale: bool
    title: str
    marks: tuple[Mark, ...]


def laid_out(
    figure: Figure,
    size_px: Pixel,
    say: Say,
    bar: Callable[[float], tuple[float, str]],
    letters: Mapping[str, str] = NO_LETTERS,
    only_letters: bool = False,
) -> tuple[LaidPanel, ...]:
    """Panels side by side. ``letters`` stand before what a field's measure says; with ``only_letters`` they are all it says."""
    per_row = math.ceil(len(figure.panels) / figure.rows)
    height = (size_px[1] - GAP_PX * (figure.rows - 1)) / figure.rows
    found = []
    for row in range(figure.rows):
        panels, left = figure.panels[row * per_row : (row + 1) * per_row], 0.0
        whole = sum(p.weight for p in panels) or 1.0
        for panel in panels:
            width = (size_px[0] - GAP_PX * (len(panels) - 1)) * panel.weight / whole
            found.append(_panel(panel, (left, row * (height + GAP_PX)), width, height, say, bar, letters, only_letters, figure.frame))
            left += width + GAP_PX
    return tuple(found)


def _panel(
    panel: Panel,
    at_px: Pixel,
    width: float,
    height: float,
    say: Say,
    bar: Callable[[float], tuple[float, str]],
    letters: Mapping[str, str],
    only: bool,
    frame: int,
) -> LaidPanel:
    bounds = panel.bounds()
    least = 1e-3 * max(1.0, *(abs(v) for v in bounds))
    grown = _grown(bounds, least)
    p = fitted("plan", width, height - 2 * TITLE_PX, grown)
    p = Projection(p.view, width, height, p.px_per_mm, p.centre_mm)
    sheet = Sheet(width, height)
    marks: list[Mark] = []
    labels: list[tuple[Label, str, int | None]] = []
    crossed: list[tuple[Pixel, Pixel]] = []
    for one in panel.items:
        if isinstance(one, Line):
            places = tuple(p.flat(at) for at in one.places)
            marks.append(Stroke(places, one.class_, one.closed, "", one.frame, one.title))
            if one.frame in (None, frame):
                crossed += pairwise(places)
        elif isinstance(one, Circle):
            at, r = p.flat(one.at), DOT_PX if one.dot else one.r_mm * p.px_per_mm
            marks.append(Ring(at, r, f"{one.class_}{' is-dot' if one.dot else ''}", one.frame, one.title))
            reach = r if one.dot or r < 14 else 3.0
            sheet.cover_box(at[0] - reach, at[1] - reach, at[0] + reach, at[1] + reach, HARD if one.dot else SOFT)
        elif isinstance(one, Dimension):
            marks += _dimension(one, p, sheet)
            a, b = (p.flat(q) for q in shifted(one))
            text = _text(one.says, one.field, say, letters, only)
            if text:
                middle = ((a[0] + b[0]) / 2, (a[1] + b[1]) / 2)
                labels.append((Label(middle, text, "measure", f"{len(labels):03}", 0 if one.field else 1), one.field, None))
        else:
            text = _text(one.says, one.field, say, letters, only)
            if text:
                class_ = "fails" if one.fails else "note"
                labels.append((Label(p.flat(one.at), text, class_, f"{len(labels):03}", 0 if one.fails else 2), one.field, one.frame))
    sheet.cover_lines(crossed, SOFT)
    if panel.title:
        sheet.cover_box(0, 0, width, TITLE_PX, HARD)
        # A small drawing with letters has no room for which side is meant; the large one beside it says so.
        title = panel.title.split(",")[0] if only else panel.title
        marks.append(Lettering(0, 0, width, TITLE_PX, title, "title"))
    if panel.to_scale:
        marks += _scale_bar(p, sheet, bar)
    by_code = {label.code: (field, own) for label, field, own in labels}
    for placed in sheet.place([label for label, _, _ in labels]):
        field, own = by_code[placed.label.code]
        marks.append(
            Lettering(placed.left, placed.top, placed.width, placed.height, placed.label.words, placed.label.class_, placed.label.anchor,
                      placed.leader_end, field, own)
        )  # fmt: skip
    return LaidPanel(at_px, width, height, p.px_per_mm, panel.to_scale, panel.title, tuple(marks))


def _grown(bounds: tuple[float, float, float, float], least: float) -> Window:
    left, bottom, right, top = bounds
    half_w, half_h = max((right - left) / 2, least), max((top - bottom) / 2, least)
    x, y = (left + right) / 2, (bottom + top) / 2
    return Window(x - half_w, y - half_h, x + half_w, y + half_h).grown(MARGIN)


def _text(says: Words, field: str, say: Say, letters: Mapping[str, str], only: bool) -> str:
    letter = letters.get(field, "")
    if only:
        return letter
    return f"{letter} {say(says)}".strip()[:LONGEST_LABEL]


def _dimension(one: Dimension, p: Projection, sheet: Sheet) -> list[Mark]:
    a, b = (p.flat(q) for q in shifted(one))
    dx, dy = b[0] - a[0], b[1] - a[1]
    size = (dx * dx + dy * dy) ** 0.5 or 1.0
    nx, ny = -dy / size * TICK_PX, dx / size * TICK_PX
    sheet.cover_line(a, b, SOFT)
    marks: list[Mark] = [Stroke((a, b), "dimension", field=one.field)]
    marks += [Stroke(((q[0] - nx, q[1] - ny), (q[0] + nx, q[1] + ny)), "dimension", field=one.field) for q in (a, b)]
    if one.off_mm:
        marks += [Stroke((p.flat(q), r), "dimension is-light", field=one.field) for q, r in ((one.a, a), (one.b, b))]
    return marks


def _scale_bar(p: Projection, sheet: Sheet, bar: Callable[[float], tuple[float, str]]) -> list[Mark]:
    length, words = bar(SCALE_BAR_PX / p.px_per_mm)
    px, y, right = length * p.px_per_mm, p.height_px - 8, p.width_px - 10
    sheet.cover_box(right - px - 6, y - 24, right + 8, y + 8, HARD)
    drawn = Stroke(((right - px, y - 6), (right - px, y), (right, y), (right, y - 6)), "scale-bar")
    return [drawn, Lettering(right - px - 30, y - 24, px + 60, 16, words, "scale-words")]
