"""How long to cut a control rod between two rod ends, and how far it can still be screwed."""

from __future__ import annotations

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.record import record


@record
class RodEnd:
    """A rod end: eye centre to its mouth, how deep a stud goes in, and the least that must be in."""

    body_mm: float
    thread_mm: float
    min_engage_mm: float


@record
class CutRod:
    """The rod with each end set in the middle of what it allows."""

    cut_mm: float
    engage_mm: tuple[float, float]
    longer_mm: float
    shorter_mm: float
    sleeve_mm: float


def cut_rod(centre_mm: float, ends: tuple[RodEnd, RodEnd], locknut_mm: float = 0.0) -> CutRod:
    """The cut length of a rod between eye centres ``centre_mm`` apart.

    Each end is set midway between its least engagement and its thread's depth, so that it goes as far out as in: how far
    is ``longer_mm`` and ``shorter_mm``. ``sleeve_mm`` is a tube that covers the stud between the locknuts.
    Raises InputError where an end needs more than its thread's depth, and where the ends leave no room between them.
    """
    wrong = [
        FieldError(f"ends.{k}.min_engage_mm", f"is {e.min_engage_mm:g} mm, deeper than the {e.thread_mm:g} mm of thread that the end has")
        for k, e in enumerate(ends)
        if e.min_engage_mm > e.thread_mm
    ]
    if wrong:
        raise InputError(wrong[0].field, wrong[0].message, *wrong[1:])
    bodies = sum(e.body_mm for e in ends)
    sleeve = centre_mm - bodies - 2 * locknut_mm
    if sleeve < 0:
        taken = bodies + 2 * locknut_mm
        raise InputError(
            "centre_mm", f"is {centre_mm:g} mm, too short: the two ends and their nuts alone take {taken:g} mm; use shorter ends or one rod"
        )
    engage = tuple((e.min_engage_mm + e.thread_mm) / 2 for e in ends)
    play = sum((e.thread_mm - e.min_engage_mm) / 2 for e in ends)
    return CutRod(centre_mm - bodies + sum(engage), (engage[0], engage[1]), play, play, sleeve)
