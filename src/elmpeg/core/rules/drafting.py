"""A check before its doubt is known: the figure it judges, and how it is told."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from elmpeg.core.checks import Check, Remedy
from elmpeg.core.laying import LineAt


@dataclass(frozen=True, slots=True)
class Draft:
    """``figure`` is asked of the line in each scene; ``tell`` makes the check once the figure's doubt is known.

    ``mend`` is asked only where the check fails, since a remedy may take a search.
    """

    figure: Callable[[LineAt], float]
    tell: Callable[[float], Check]
    mend: Callable[[], tuple[Remedy, ...]] | None = None
