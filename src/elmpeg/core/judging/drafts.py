"""A check before its doubt is known: the figure it judges, the bounds of that figure, and how it is told."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Generic, TypeVar

from elmpeg.core.base.quantities import Unit
from elmpeg.core.judging.checks import Check, Remedy
from elmpeg.core.scene.line_in_scene import LineAt, Steps

Asked = TypeVar("Asked", LineAt, Steps)


@dataclass(frozen=True, slots=True)
class Draft(Generic[Asked]):
    """``figure`` is asked of the line in each scene; ``tell`` makes the check once the figure's doubt is known.

    ``low`` and ``high`` are the figure's own bounds, in its unit. ``mend`` is asked only
    where the check fails, since a remedy may take a search.
    """

    code: str
    unit: Unit
    figure: Callable[[Asked], float]
    low: float | None
    high: float | None
    tell: Callable[[float], Check]
    mend: Callable[[], tuple[Remedy, ...]] | None = None


@dataclass(frozen=True, slots=True)
class Judged:
    """One figure of a line against its bounds, for a search."""

    code: str
    unit: Unit
    value: float
    low: float | None
    high: float | None
