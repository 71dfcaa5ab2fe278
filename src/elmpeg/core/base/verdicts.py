"""The four verdicts, and how a value comes by one.

* **holds**: inside the limit, and sure of it: the chance of being inside is at least the shop's measure of sure
* **near**: inside the limit, but not that sure, or within the check's own near margin
* **fails**: outside the limit
* **unknown**: something it needs is missing
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Literal

SURE = 0.975
"""The chance of being inside a limit that “holds” asks for."""
LEAST_SURE, MOST_SURE = 0.5, 0.9999
"""What a lead may ask of “holds”: no less than an even chance, no more than can be told."""
SURE_SPREADS = 1.959964
"""How many standard deviations inside a limit that is, for a normal scatter."""

AT_LIMIT = 1e-6
"""A figure that lies on its limit, but for rounding, is inside: in mm, degrees or whatever the limit is told in."""

Verdict = Literal["holds", "near", "fails", "unknown"]
GRAVEST_FIRST: tuple[Verdict, ...] = ("fails", "near", "unknown", "holds")
"""What wants attention first, wherever verdicts are set in order. What is near has a figure, and metal may be cut on it
today; what is unknown cannot be cut on yet and waits for somebody to measure."""


def verdict_within(value: float, low: float | None, high: float | None, near: float = 0.0) -> Verdict:
    """holds, near or fails for a value against its limits, ``near`` being the margin that counts as too close."""
    margin = margin_within(value, low, high)
    if margin < -AT_LIMIT:
        return "fails"
    return "near" if margin < near - AT_LIMIT else "holds"


def margin_within(value: float, low: float | None, high: float | None) -> float:
    """Room to the nearer limit, negative outside; infinite without limits."""
    room = math.inf
    if low is not None:
        room = min(room, value - low)
    if high is not None:
        room = min(room, high - value)
    return room


def outside(value: float, low: float | None, high: float | None) -> bool:
    """Whether a value is beyond its limits by more than rounding."""
    return margin_within(value, low, high) < -AT_LIMIT


def gravity_of(verdict: Verdict) -> int:
    """0 for the gravest, rising."""
    return GRAVEST_FIRST.index(verdict)


def worst(verdicts: Iterable[Verdict]) -> Verdict:
    """The gravest of several verdicts; holds where there are none."""
    return min(verdicts, key=gravity_of, default="holds")
