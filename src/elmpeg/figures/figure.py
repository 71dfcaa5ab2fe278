"""What a figure is made of: panels of lines, circles, dimensions and words, in mm, x to the right and y up.

A figure knows no pixels and no colours. Classes say what a line is: ``part`` (a solid outline), ``other`` (its
neighbour), ``ghost`` (as it was, or elsewhere), ``centre`` (an axis), ``fold``, ``path`` (the thing asked for), ``fails``,
``ground``, ``thin``. A dimension names the field it shows, so that form and drawing can be seen to belong together.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Literal

from elmpeg.core.base.quantities import Words, words

Flat = tuple[float, float]
LineClass = Literal["part", "other", "ghost", "centre", "fold", "path", "fails", "ground", "thin", "arrow"]
ROUND_SIDES = 72


@dataclass(frozen=True, slots=True)
class Line:
    """A line through places, or an outline."""

    places: tuple[Flat, ...]
    class_: LineClass
    closed: bool = False
    frame: int | None = None
    title: str = ""


@dataclass(frozen=True, slots=True)
class Circle:
    """A circle; ``dot`` for a place of no size."""

    at: Flat
    r_mm: float
    class_: LineClass
    dot: bool = False
    frame: int | None = None
    title: str = ""


@dataclass(frozen=True, slots=True)
class Dimension:
    """A measure between two places, drawn to one side of them. ``field`` is the figure of the request that it shows."""

    a: Flat
    b: Flat
    says: Words
    field: str = ""
    off_mm: float = 0.0


@dataclass(frozen=True, slots=True)
class Note:
    """Words at a place; ``field`` where they show a figure of the request."""

    at: Flat
    says: Words
    field: str = ""
    fails: bool = False
    frame: int | None = None


Item = Line | Circle | Dimension | Note


@dataclass
class Panel:
    """One view of a figure. ``to_scale`` is false for what has no length: a time line, a course over an angle."""

    title: str
    to_scale: bool = True
    items: list[Item] = field(default_factory=list)
    weight: float = 1.0
    """How wide it is beside the others."""

    def line(
        self, places: Iterable[Flat], class_: LineClass = "part", closed: bool = False, frame: int | None = None, title: str = ""
    ) -> None:
        """Draw a line."""
        self.items.append(Line(tuple(places), class_, closed, frame, title))

    def box(self, left: float, bottom: float, right: float, top: float, class_: LineClass = "part", title: str = "") -> None:
        """Draw an upright rectangle."""
        self.line(((left, bottom), (right, bottom), (right, top), (left, top)), class_, True, title=title)

    def circle(self, at: Flat, r_mm: float, class_: LineClass = "part", frame: int | None = None, title: str = "") -> None:
        """Draw a circle."""
        self.items.append(Circle(at, r_mm, class_, False, frame, title))

    def dot(self, at: Flat, class_: LineClass = "part", frame: int | None = None, title: str = "") -> None:
        """Mark a place."""
        self.items.append(Circle(at, 0.0, class_, True, frame, title))

    def arc(self, at: Flat, r_mm: float, from_deg: float, to_deg: float, class_: LineClass = "part", frame: int | None = None) -> None:
        """Draw part of a circle, anticlockwise from one angle to another."""
        n = max(2, math.ceil(abs(to_deg - from_deg) / 360 * ROUND_SIDES) + 1)
        turns = [math.radians(from_deg + (to_deg - from_deg) * k / (n - 1)) for k in range(n)]
        self.line([(at[0] + r_mm * math.cos(t), at[1] + r_mm * math.sin(t)) for t in turns], class_, frame=frame)

    def measure(self, a: Flat, b: Flat, says: Words, field: str = "", off_mm: float = 0.0) -> None:
        """Write a measure between two places."""
        self.items.append(Dimension(a, b, says, field, off_mm))

    def note(self, at: Flat, says: Words | str, field: str = "", fails: bool = False, frame: int | None = None) -> None:
        """Write words at a place."""
        text = says if isinstance(says, Words) else words(says.replace("{", "(").replace("}", ")"))
        self.items.append(Note(at, text, field, fails, frame))

    def bounds(self) -> tuple[float, float, float, float]:
        """Left, bottom, right and top of everything in it; a hair's breadth about the origin for nothing."""
        xs: list[float] = []
        ys: list[float] = []
        for one in self.items:
            for (x, y), r in _reach(one):
                xs += [x - r, x + r]
                ys += [y - r, y + r]
        finite = [v for v in (*xs, *ys) if math.isfinite(v)]
        if not finite:
            return (-1.0, -1.0, 1.0, 1.0)
        return (min(xs), min(ys), max(xs), max(ys))


def _reach(one: Item) -> list[tuple[Flat, float]]:
    if isinstance(one, Line):
        return [(p, 0.0) for p in one.places]
    if isinstance(one, Circle):
        return [(one.at, one.r_mm)]
    if isinstance(one, Dimension):
        return [(p, 0.0) for p in shifted(one)]
    return [(one.at, 0.0)]


def shifted(one: Dimension) -> tuple[Flat, Flat]:
    """Where the line of a dimension runs: to the left of the way from its first place to its second by its offset."""
    dx, dy = one.b[0] - one.a[0], one.b[1] - one.a[1]
    size = math.hypot(dx, dy) or 1.0
    sx, sy = -dy / size * one.off_mm, dx / size * one.off_mm
    return ((one.a[0] + sx, one.a[1] + sy), (one.b[0] + sx, one.b[1] + sy))


@dataclass
class Figure:
    """A drawing of one calculation. ``frames`` are places of a movement that are shown one at a time, each with its words."""

    panels: list[Panel] = field(default_factory=list)
    frames: list[str] = field(default_factory=list)
    frame: int = 0
    """Which is shown first."""
    rows: int = 1
    """In how many rows the panels stand."""

    def panel(self, title: str, to_scale: bool = True, weight: float = 1.0) -> Panel:
        """A further panel."""
        made = Panel(title, to_scale, weight=weight)
        self.panels.append(made)
        return made

    def letters(self) -> dict[str, str]:
        """A letter for every field that a measure or a note shows, in the order in which they are drawn."""
        fields: list[str] = []
        for panel in self.panels:
            for one in panel.items:
                if isinstance(one, Dimension | Note) and one.field and one.field not in fields:
                    fields.append(one.field)
        return dict(zip(fields, (_letter(k) for k in range(len(fields))), strict=True))


def _letter(k: int) -> str:
    alphabet = "ABCDEFGHJKLMNPQRSTUVWXYZ"
    return alphabet[k % len(alphabet)] + ("" if k < len(alphabet) else str(k // len(alphabet)))
