"""Seams in runs: tacks first, then the runs in the order that pulls least, from side to side; and what pull is left where.

A run shrinks along itself and pulls what it is on towards it. As in ``seam_order``, its
pull is its length times how far it lies from the middle of all.
"""

from __future__ import annotations

import math
from dataclasses import replace

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, norm, scale, sub
from elmpeg.core.methods.welding.seam_order import MOST_SEAMS, Seam, pulls_in, seam_order

TACK_EVERY_MM = 60.0
FEWEST_TACKS = 2
SHRINKS_ACROSS = 0.10
"""Of its throat, what a seam draws together across itself for each run, about (welding handbooks)."""


@record
class SeamLine:
    """A seam by its two ends, in how many runs it is welded."""

    id: str
    a_mm: Vec3
    b_mm: Vec3
    runs: int = 1


@record
class Run:
    """A run: of which seam, from where to where; it is welded from its first end to its last."""

    id: str
    seam: str
    from_mm: Vec3
    to_mm: Vec3

    @property
    def long_mm(self) -> float:
        """Its length."""
        return norm(sub(self.to_mm, self.from_mm))

    @property
    def middle_mm(self) -> Vec3:
        """Its middle."""
        return scale(add(self.from_mm, self.to_mm), 0.5)


@record
class Tack:
    """A tack: of which seam, and where."""

    id: str
    seam: str
    at_mm: Vec3


@record
class WeldPlan:
    """Tacks in their order, runs in theirs, the pull after each run; and the pull of the worst order there is, for comparing."""

    tacks: tuple[Tack, ...]
    runs: tuple[Run, ...]
    pulls_mm2: tuple[float, ...]
    worst_mm2: float
    as_listed_mm2: float
    exact: bool
    left_over_mm2: Vec3
    """What all runs together pull: length times distance from the middle of what is welded, when that lies off the seams' own middle."""


def weld_plan(seams: tuple[SeamLine, ...], body_mm: Vec3 | None = None) -> WeldPlan:
    """The order of welding. ``body_mm`` is the middle of what is welded: seams that lie to one side of it leave a pull to that side,
    whatever the order. Above sixteen runs these are dealt to rounds, and the order within each is the best."""
    runs = [r for s in seams for r in _runs(s)]
    if not runs:
        return WeldPlan((), (), (), 0.0, 0.0, True, (0.0, 0.0, 0.0))
    ordered = _ordered(runs)
    as_seams = tuple(Seam(r.id, r.long_mm, r.middle_mm) for r in runs)
    found = pulls_in(as_seams, tuple(r.id for r in ordered))
    listed = pulls_in(as_seams, tuple(r.id for r in runs))
    over = (0.0, 0.0, 0.0)
    if body_mm is not None:
        total = sum(r.long_mm for r in runs)
        over = scale(sub(found.centre_mm, body_mm), total)
    return WeldPlan(_tacks(seams), _ends_turned(ordered), found.pulls_mm2, found.worst_mm2, listed.worst_mm2, len(runs) <= MOST_SEAMS, over)


def _runs(seam: SeamLine) -> list[Run]:
    found = []
    for k in range(seam.runs):
        a, b = (add(seam.a_mm, scale(sub(seam.b_mm, seam.a_mm), share / seam.runs)) for share in (k, k + 1))
        found.append(Run(f"{seam.id}.{k + 1}" if seam.runs > 1 else seam.id, seam.id, a, b))
    return found


def _ordered(runs: list[Run]) -> list[Run]:
    by_id = {r.id: r for r in runs}
    found: list[Run] = []
    # Every so many-th run to a round, so that each round is spread over the whole.
    rounds = max(1, math.ceil(len(runs) / MOST_SEAMS))
    for k in range(rounds):
        own = runs[k::rounds]
        order = seam_order(tuple(Seam(r.id, r.long_mm, r.middle_mm) for r in own)).order
        found += [by_id[name] for name in order]
    return found


def _ends_turned(runs: list[Run]) -> tuple[Run, ...]:
    """Each run begun at its cooler end: the one further from where the last run ended."""
    found: list[Run] = []
    for run in runs:
        if found and math.dist(found[-1].to_mm, run.from_mm) < math.dist(found[-1].to_mm, run.to_mm):
            run = replace(run, from_mm=run.to_mm, to_mm=run.from_mm)
        found.append(run)
    return tuple(found)


def _tacks(seams: tuple[SeamLine, ...]) -> tuple[Tack, ...]:
    """Both ends of every seam, then between them: each time as far as can be from those that are set already."""
    places = []
    for seam in seams:
        long = norm(sub(seam.b_mm, seam.a_mm))
        count = max(FEWEST_TACKS, 1 + math.ceil(long / TACK_EVERY_MM)) if long > TACK_EVERY_MM / 2 else 1
        for k in range(count):
            share = 0.5 if count == 1 else k / (count - 1)
            places.append(Tack(f"tack {seam.id}.{k + 1}", seam.id, add(seam.a_mm, scale(sub(seam.b_mm, seam.a_mm), share))))
    if not places:
        return ()
    done = [places.pop(0)]
    while places:
        far = max(places, key=lambda t: min(math.dist(t.at_mm, d.at_mm) for d in done))
        places.remove(far)
        done.append(far)
    return tuple(done)


def pulled_across_mm(throat_mm: float, runs: int) -> float:
    """About how much a seam draws together across itself."""
    return SHRINKS_ACROSS * throat_mm * runs
