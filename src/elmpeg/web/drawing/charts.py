"""What a chart shows, as data for the browser's chart library: curves over one axis, their units, and limits drawn across."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from typing import Literal

from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH
from elmpeg.web.showing import Show

Tone = Literal["ink", "moss", "elm", "near", "fails", "soft"]
_INCH = float(MM_PER_INCH)
FINEST = 4


@dataclass(frozen=True, slots=True)
class Curve:
    """One curve: its name, its values at each place along the chart, and how it is drawn."""

    name: str
    values: tuple[float, ...]
    tone: Tone = "ink"
    dashed: bool = False


@dataclass(frozen=True, slots=True)
class Mark:
    """A limit across the chart."""

    name: str
    value: float


@dataclass(frozen=True, slots=True)
class Chart:
    """Curves over one axis, in one person's units."""

    title: str
    x_name: str
    x_unit: str
    x: tuple[float, ...]
    y_name: str
    y_unit: str
    curves: tuple[Curve, ...]
    marks: tuple[Mark, ...] = ()
    at: float | None = None

    @property
    def data(self) -> str:
        """As the page carries it."""
        return json.dumps(asdict(self))


def lengths(show: Show, values: Sequence[float]) -> tuple[float, ...]:
    """Lengths in a person's units, for a chart."""
    return tuple(round(v if show.units == "mm" else v / _INCH, FINEST) for v in values)


def plain(values: Sequence[float], digits: int = FINEST) -> tuple[float, ...]:
    """Values rounded to what a chart can show."""
    return tuple(round(v, digits) for v in values)
