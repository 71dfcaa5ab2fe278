"""What to measure again first: the readings that bring most of the doubt where it decides something."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.quantities import named, words
from elmpeg.core.base.record import changed, record
from elmpeg.core.build.survey import NOT_MEASURED
from elmpeg.core.judging.checks import Check, Remedy

CLOSE = 0.02
"""A check with more chance than this of lying on the other side of its limit is too close to call."""
SLIGHT = 0.05
"""Share of a doubt below which measuring again changes nothing."""


RATHER_OUTSIDE, LEAST_TOLD = 0.5, 0.01
"""Below the first a check that is inside as measured is rather not; a chance below the second is told as under it."""


@record
class Again:
    """One figure to measure again: of which point, along what, the readings it rests on, and the checks it would settle.

    ``share`` is the largest share that it brings to any of these checks' doubt.
    """

    point: str
    name: str
    axis: str
    readings: tuple[str, ...]
    share: float
    checks: tuple[Check, ...]


def too_close(check: Check) -> bool:
    """Whether a check's verdict could turn with its doubt."""
    if check.margin is None or check.inside is None or not check.sd:
        return False
    return (check.inside if check.verdict == "fails" else 1.0 - check.inside) > CLOSE


def again_first(checks: tuple[Check, ...]) -> tuple[Again, ...]:
    """What to measure again, the one that brings the largest share to a check that is too close to call first."""
    found: dict[tuple[str, str, tuple[str, ...]], Again] = {}
    for check in checks:
        if not too_close(check):
            continue
        for rests in check.rests_on:
            for bears in rests.by:
                if bears.share < SLIGHT:
                    continue
                key = (rests.point, bears.axis, bears.readings)
                before = found.get(key, Again(rests.point, rests.name, bears.axis, bears.readings, 0.0, ()))
                found[key] = replace(before, share=max(before.share, bears.share), checks=_with(before.checks, check))
    return tuple(sorted(found.values(), key=lambda a: (-a.share, -len(a.checks), a.name, a.axis, a.readings)))


def _with(checks: tuple[Check, ...], check: Check) -> tuple[Check, ...]:
    return checks if any(c is check for c in checks) else (*checks, check)


def _how_sure(inside: float | None) -> str:
    """How far what was measured tells whether a check that is inside as measured is inside."""
    if inside is None:
        return "Not measured well enough."
    if inside < RATHER_OUTSIDE:
        chance = f"{100 * inside:.0f} %" if inside >= LEAST_TOLD else "under 1 %"
        return f"Inside as measured, and not measured well enough: with its doubt it is rather outside (chance of being inside {chance})."
    return f"Not measured well enough: the chance of being inside is {100 * min(inside, 0.999):.0f} %."


def measured_again(check: Check) -> Check:
    """A check that is near only for its doubt, with what to measure again to settle it."""
    if check.verdict != "near" or not too_close(check) or not check.rests_on or not check.rests_on[0].share:
        return check
    first = check.rests_on[0]
    percent = f"{100 * first.share:.0f} %"
    name = named(first.name)
    again = "" if first.source in NOT_MEASURED else " again"
    what = f"Measure {name}{again} first" if first.point else "Level the vehicle again first"
    remedy = Remedy(words(f"{_how_sure(check.inside)} {what}: it is the main cause of its doubt, {percent}."))
    return changed(check, remedies=(*check.remedies, remedy))
