"""What the doubt of each figure does to every answer, numerically and alike for all calculators.

Each doubtful figure is put higher and lower by √3 of its doubt, the others as they are. From the three values the mean and
the spread that a normal scatter of that figure gives are exact for anything up to a cubic, so a length near zero, which
grows to both sides, is not told as certain. Figures scatter on their own; their spreads are squared and added.

Source: three-point Gauss-Hermite quadrature, one figure at a time.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from elmpeg.core.reckoning.typed import Path

STEP = math.sqrt(3.0)
OUTER, INNER = 1.0 / 6.0, 2.0 / 3.0
"""Weights of the two outer values and the one between."""
NOTHING = 1e-12

Values = Mapping[str, float]
"""Every figure of an answer by its own name."""


@dataclass(frozen=True, slots=True)
class From:
    """What one figure's doubt does to an answer: one standard deviation of the answer, and of the figure."""

    path: Path
    spread: float
    sd: float


@dataclass(frozen=True, slots=True)
class Doubt:
    """The doubt of one answer, and where it comes from, the most first. ``beyond`` are figures whose doubt reaches to where
    there is no answer any more."""

    sd: float
    parts: tuple[From, ...]
    beyond: tuple[Path, ...] = ()

    @property
    def lead(self) -> From | None:
        """The figure that most of it comes from."""
        return self.parts[0] if self.parts else None

    @property
    def lead_share(self) -> float:
        """Of the whole, squared, how much the leading figure gives."""
        return self.parts[0].spread ** 2 / self.sd**2 if self.parts and self.sd > 0 else 0.0

    def without_lead(self) -> float:
        """What would be left were the leading figure exact."""
        return math.sqrt(max(0.0, self.sd**2 - (self.parts[0].spread ** 2 if self.parts else 0.0)))

    def lead_needed(self, wanted_sd: float) -> float | None:
        """How well the leading figure would have to be known for the answer to scatter by no more than wanted; None where the
        others alone are more."""
        rest = self.without_lead()
        if not self.parts or rest >= wanted_sd or self.parts[0].spread <= NOTHING:
            return None
        return self.parts[0].sd * math.sqrt(wanted_sd**2 - rest**2) / self.parts[0].spread


def doubts(
    request: Mapping[str, Any], sds: Mapping[Path, float], values: Values, near: Callable[[list[dict[str, Any]]], list[Values | None]]
) -> dict[str, Doubt]:
    """The doubt of every value.

    ``near`` answers questions close by, None where one has no answer; ``values`` are those of the question itself. A value
    that has no counterpart close by (a stack of other pieces) counts as unchanged there.
    """
    parts: dict[str, list[From]] = {name: [] for name in values}
    beyond: list[Path] = []
    asked = [_moved(request, path, sign * STEP * sd) for path, sd in sds.items() for sign in (-1.0, 1.0)]
    ends_of = iter(near(asked))
    for path, sd in sds.items():
        lower, higher = next(ends_of), next(ends_of)
        if lower is None or higher is None:
            beyond.append(path)
            if lower is None and higher is None:
                continue
        for name, value in values.items():
            ends = [v[name] - value for v in (lower, higher) if v is not None and name in v]
            if len(ends) == 1:
                ends = [ends[0], -ends[0]]
            if not ends:
                continue
            mean = OUTER * sum(ends)
            spread = math.sqrt(max(0.0, OUTER * sum((e - mean) ** 2 for e in ends) + INNER * mean * mean))
            if spread > NOTHING:
                parts[name].append(From(path, spread, sd))
    return {
        name: Doubt(math.sqrt(sum(p.spread**2 for p in some)), tuple(sorted(some, key=lambda p: -p.spread)), tuple(beyond))
        for name, some in parts.items()
    }


def _moved(request: Mapping[str, Any], path: Path, by: float) -> dict[str, Any]:
    """The request with one figure moved; only what leads to it is copied."""

    def inner(value: Any, rest: Path) -> Any:
        if not rest:
            return value + by
        copied: Any = list(value) if isinstance(value, list | tuple) else dict(value)
        copied[rest[0]] = inner(value[rest[0]], rest[1:])
        return copied

    made: dict[str, Any] = inner(request, path)
    return made
