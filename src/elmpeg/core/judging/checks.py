"""Checks: computed verdicts, each with its value, its limits, how sure it is, why, and what would mend it."""

from __future__ import annotations

from typing import Literal

from elmpeg.core.base.pose import Pose
from elmpeg.core.base.quantities import Quantity, Unit, Words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import Verdict, margin_within
from elmpeg.core.build.document import Stage

Family = Literal[
    "gap",
    "offset",
    "tilt",
    "joint",
    "shaft",
    "room",
    "reading",
    "source",
    "place",
    "square",
    "mirror",
    "span",
    "bench",
    "sense",
    "bolt",
    "hole",
    "hold",
    "pattern",
    "plate",
    "chain",
    "layout",
    "travel",
    "slip",
    "speed",
    "ground",
]


@record
class Input:
    """One figure that went into a check."""

    name: str
    quantity: Quantity


@record
class Bears:
    """What one reading, or an entered figure, brings to a check's doubt: a share from 0 to 1, and the axis it acts along most."""

    readings: tuple[str, ...]
    axis: str
    share: float


@record
class RestsOn:
    """A point a check rests on, and its share of the check's doubt (0 to 1).

    No ``point`` for the levelling that readings were corrected by.
    """

    point: str
    name: str
    source: str
    share: float
    by: tuple[Bears, ...] = ()


@record
class Remedy:
    """What would mend a check, in words; where that is a move, the driving component and the pose it would have."""

    words: Words
    component: str | None = None
    pose: Pose | None = None


@record
class Check:
    """One verdict. ``code`` stays the same from option to option, so that checks can be set side by side."""

    code: str
    family: Family
    stage: Stage
    name: str
    unit: Unit
    verdict: Verdict
    why: Words
    value: float | None = None
    low: float | None = None
    high: float | None = None
    sd: float | None = None
    remedies: tuple[Remedy, ...] = ()
    rests_on: tuple[RestsOn, ...] = ()
    inputs: tuple[Input, ...] = ()
    formula: str = ""
    subject: tuple[str, ...] = ()

    @property
    def margin(self) -> float | None:
        """Room to the nearer limit, negative outside."""
        if self.value is None or (self.low is None and self.high is None):
            return None
        return margin_within(self.value, self.low, self.high)


_FAMILY_GRAVITY: dict[Family, int] = {
    "joint": 0,
    "room": 0,
    "shaft": 0,
    "offset": 0,
    "tilt": 1,
    "gap": 1,
    "reading": 2,
    "source": 2,
    "place": 1,
    "square": 2,
    "mirror": 2,
    "span": 2,
    "bench": 2,
    "sense": 2,
    "bolt": 1,
    "hole": 1,
    "hold": 1,
    "pattern": 2,
    "plate": 2,
    "chain": 2,
    "layout": 0,
    "travel": 0,
    "slip": 1,
    "speed": 1,
    "ground": 1,
}
"""What a spacer or a second reading mends comes behind what only a move mends."""
_GRAVITY: dict[Verdict, int] = {"fails": 0, "near": 1, "unknown": 2, "holds": 3}


def worst_first(checks: list[Check]) -> tuple[Check, ...]:
    """Checks in the order they want attention: by verdict, by what it takes to mend them, then by room left as a share of the limit."""

    def rank(check: Check) -> tuple[int, int, float, str]:
        gravity, family = _GRAVITY[check.verdict], _FAMILY_GRAVITY[check.family]
        if check.value is None:
            return (gravity, family, 0.0, check.code)
        size = max(abs(check.high or 0.0), abs(check.low or 0.0)) or 1.0
        return (gravity, family, margin_within(check.value, check.low, check.high) / size, check.code)

    return tuple(sorted(checks, key=rank))
