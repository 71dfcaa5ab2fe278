"""A check before its doubt is known: the figure it judges, and how it is told."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from elmpeg.core.checks import Check
from elmpeg.core.laying import LineAt


@dataclass(frozen=True, slots=True)
class Draft:
    """``figure`` is asked of the line in each scene; ``tell`` makes the check once the figure's doubt is known."""

    figure: Callable[[LineAt], float]
    tell: Callable[[float], Check]
