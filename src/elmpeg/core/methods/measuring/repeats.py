"""Readings of one thing put together: their mean, how sure it is, and whether they agree."""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Protocol, TypeVar

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

ENOUGH = 2
"""Readings from which a figure counts as repeated."""
APART_SD = 3.0
"""Figures further apart than this many standard deviations of their difference do not belong together."""


@record
class Together:
    """The mean of readings, its doubt were they to agree, how far apart they are, and how far their tools explain."""

    mean: float
    sd: float
    apart: float
    allowed: float
    count: int

    @property
    def agree(self) -> bool:
        """Whether their tools explain how far apart they are."""
        return self.apart <= self.allowed

    @property
    def repeated(self) -> bool:
        """Whether there is more than one."""
        return self.count >= ENOUGH


def together(values: Sequence[float], sds: Iterable[float]) -> Together:
    """Readings of one thing; ``sds`` are those of their tools, of which the worst is taken for all. Raises ValueError for none."""
    each, count = max(sds), len(values)
    return Together(sum(values) / count, each / math.sqrt(count), max(values) - min(values), APART_SD * each * math.sqrt(2), count)


class SetAside(Protocol):
    """A reading that can be set aside for a reason."""

    @property
    def id(self) -> str: ...
    @property
    def dropped(self) -> str: ...


R = TypeVar("R", bound=SetAside)


def with_dropped(readings: tuple[R, ...], reading_id: str, reason: str, field: str) -> tuple[R, ...]:
    """Readings with one set aside for a reason, or counted again when the reason is empty. Raises InputError where it is gone."""
    if all(r.id != reading_id for r in readings):
        raise InputError(field, "is not among the readings any more")
    return tuple(replace(r, dropped=reason) if r.id == reading_id else r for r in readings)  # type: ignore[type-var]
