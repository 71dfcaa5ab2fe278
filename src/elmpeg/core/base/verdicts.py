"""The four verdicts, and how a value comes by one.

* **holds**: inside the limit by more than its doubt
* **near**: inside the limit, but by less than the doubt
* **fails**: outside the limit
* **unknown**: something it needs is missing
"""

from __future__ import annotations

import math
from typing import Literal

Verdict = Literal["holds", "near", "fails", "unknown"]


def verdict_within(value: float, low: float | None, high: float | None, doubt: float) -> Verdict:
    """holds, near or fails for a value against its limits, ``doubt`` being the margin that counts as too close."""
    margin = margin_within(value, low, high)
    if margin < 0:
        return "fails"
    return "near" if margin < doubt else "holds"


def margin_within(value: float, low: float | None, high: float | None) -> float:
    """Room to the nearer limit, negative outside; infinite without limits."""
    room = math.inf
    if low is not None:
        room = min(room, value - low)
    if high is not None:
        room = min(room, high - value)
    return room


def worst(verdicts: tuple[Verdict, ...]) -> Verdict:
    """The gravest of several verdicts; holds where there are none."""
    order: tuple[Verdict, ...] = ("fails", "unknown", "near", "holds")
    return next((v for v in order if v in verdicts), "holds")
