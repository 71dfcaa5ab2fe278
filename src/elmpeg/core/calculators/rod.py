"""Calculator ``rod``: how long to cut a control rod between two rod ends."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.fields import NotNegativeMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result
from elmpeg.core.methods.linkage.control_rods import RodEnd, cut_rod

LEAST_PLAY_MM = 3.0
"""Less adjustment than about three turns of an M6 each way leaves nothing for setting the pedal."""


class EndFields(Request):
    """A rod end."""

    body_mm: PositiveMm
    thread_mm: PositiveMm
    min_engage_mm: NotNegativeMm


class Rod(Request):
    """Two eyes, the two ends, and the locknuts between."""

    centre_mm: PositiveMm
    ends: Annotated[list[EndFields], Field(min_length=2, max_length=2)]
    locknut_mm: NotNegativeMm = 0.0


def compute(request: Rod) -> dict[str, Any]:
    """The cut length, how far each end is screwed in, and how far it can still go both ways."""
    one, other = (RodEnd(e.body_mm, e.thread_mm, e.min_engage_mm) for e in request.ends)
    return asdict(cut_rod(request.centre_mm, (one, other), request.locknut_mm))


def limits(_request: Rod, result: Result) -> tuple[Limit, ...]:
    """Whether it can still be set both ways."""
    lacking = LEAST_PLAY_MM - result["longer_mm"]
    mend = words("use ends with {0} more thread, or less that must be in", mm(max(0.0, 2 * lacking)))
    return (Limit("play", "Adjustment each way", result["longer_mm"], "mm", low=LEAST_PLAY_MM, mend=mend),)


CALCULATOR = Calculator(
    name="rod",
    purpose="How long to cut a control rod, and how far it still adjusts",
    request=Rod,
    compute=compute,
    stage="Link",
    title="Cut a control rod",
    words=("rod", "pushrod", "pedal rod", "clutch rod", "throttle rod", "rod end", "heim", "clevis", "stud", "thread", "adjust", "shift rod"),
    answers=(
        Answer("cut_mm", "Cut the rod to"),
        Answer("longer_mm", "It can still be made longer by"),
        Answer("shorter_mm", "and shorter by"),
        Answer("engage_mm.0", "Screwed into the first end"),
        Answer("engage_mm.1", "Screwed into the second end"),
        Answer("sleeve_mm", "Tube that covers it between the nuts"),
    ),
    formula="Cut length = between eye centres − both bodies + what is screwed in. Each end is set halfway between the least that must "
    "be in and the depth of its thread, so that it adjusts as far one way as the other.",
    source="Plain addition along the rod.",
    not_told="Whether the rod is strong or stiff enough, and whether the ends are free to swing as far as the levers go.",
    example={
        "centre_mm": 250, "locknut_mm": 5,
        "ends": [{"body_mm": 21, "thread_mm": 18, "min_engage_mm": 8}, {"body_mm": 21, "thread_mm": 18, "min_engage_mm": 8}],
    },
    limits=limits,
    exact=('ends.min_engage_mm',),
    labels={
        "centre_mm": "Between eye centres", "ends": "Rod ends", "ends.body_mm": "Eye centre to mouth", "ends.thread_mm": "Depth of thread",
        "ends.min_engage_mm": "Least screwed in", "locknut_mm": "Height of a locknut",
    },
    hints={"ends.min_engage_mm": "one and a half times the stud's diameter is usual"},
    caution="Steering and brake rods: let a qualified person check the ends and their engagement.",
)  # fmt: skip
