"""A check before its doubt is known: the figure it judges, the bounds of that figure, and how it is told."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Generic, TypeVar

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.quantities import Unit
from elmpeg.core.judging.checks import Check, Remedy
from elmpeg.core.judging.doubt import Figure
from elmpeg.core.scene.line_in_scene import LineAt, LinesAt, Steps, StepsAt

Asked = TypeVar("Asked", LineAt, Steps)
Many = TypeVar("Many", LinesAt, StepsAt)
Array = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Draft(Generic[Asked, Many]):
    """``figure`` is asked of the line in a scene, ``many`` of the line in many at once: scenes, or scenes x parts where the figure is
    the size of a vector or the least of several; ``tell`` makes the check, its doubt still to come.

    ``low`` and ``high`` are the figure's own bounds, in its unit; ``near`` the margin that counts as too close. ``mend`` is
    asked only where the check fails, since a remedy may take a search; it is told how far inside its
    limit the figure must come to hold. ``parts`` is the vector whose size the figure is, where
    it is one; ``shaken`` the figure in many scenes at once, where it bends too much for its slope to tell how it scatters,
    """

    code: str
    unit: Unit
    figure: Callable[[Asked], float]
    many: Callable[[Many], Array]
    low: float | None
    high: float | None
    tell: Callable[[], Check]
    mend: Callable[[float], tuple[Remedy, ...]] | None = None
    near: float = 0.0
    parts: Callable[[Asked], tuple[float, ...]] | None = None
    shaken: Callable[[LinesAt], Array] | None = None
    loaded: bool = False
    per_rad2: float = 0.0
    kink: float = math.inf

    def asked(self, one: Asked) -> Figure:
        """The figure in a scene, as the vector whose size it is where it is one."""
        return self.parts(one) if self.parts is not None else self.figure(one)


LineDraft = Draft[LineAt, LinesAt]


@dataclass(frozen=True, slots=True)
class Judged:
    """One figure of a line against its bounds, for a search."""

    code: str
    unit: Unit
    value: float
    low: float | None
    high: float | None
