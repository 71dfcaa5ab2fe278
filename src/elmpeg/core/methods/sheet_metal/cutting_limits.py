"""What each way of cutting sheet makes cleanly: the smallest hole, slot and opening for a thickness.

The figures are common shop practice, not a promise of anybody's machine; whoever cuts
says what theirs does.
"""

from __future__ import annotations

from typing import Literal

from elmpeg.core.base.record import record

CutBy = Literal["laser", "water jet", "plasma", "punch", "by hand"]


@record
class _Limit:
    """The smallest opening: a share of the thickness, and never less than so much."""

    share: float
    least_mm: float


_LIMITS: dict[CutBy, _Limit] = {
    "laser": _Limit(1.0, 0.5),
    "water jet": _Limit(0.5, 1.5),
    "plasma": _Limit(1.5, 5.0),
    "punch": _Limit(1.0, 2.0),
    "by hand": _Limit(0.0, 0.0),
}
PROCESSES: tuple[CutBy, ...] = tuple(_LIMITS)


TAPPED_SHARE = 0.5
"""Of the least that is clean, what does for a hole that is tapped: the tap takes its rough wall away."""


def smallest_opening_mm(cut_by: CutBy, thickness_mm: float, tapped: bool = False) -> float:
    """The smallest hole, slot or opening that a process makes cleanly in a thickness; 0 for what is drilled and sawn by hand."""
    limit = _LIMITS[cut_by]
    return max(limit.share * thickness_mm * (TAPPED_SHARE if tapped else 1.0), limit.least_mm)
