"""From a figure, its limits and how it scatters to a verdict."""

from __future__ import annotations

import math
from dataclasses import replace

from scipy.special import ndtri

from elmpeg.core.base.quantities import Quantity, Words, joined, named, plain, words
from elmpeg.core.base.record import changed, record
from elmpeg.core.base.verdicts import AT_LIMIT, SURE, Verdict, verdict_within
from elmpeg.core.judging.checks import Check, Remedy, RestsOn
from elmpeg.core.judging.scatter import Scatter, Twins

ONE_SPREAD = 0.84
"""Sure enough for what was measured held against itself: its limit is made of its own doubt, three standard deviations, and
within two of them it holds."""

BEARS_SHARE = 0.02
"""Of a check's doubt, what a point must bring for it to be read again."""
MOST_NAMED = 4
SURER, HALVINGS = 0.15, 24
"""Of what sure leaves open, how much surer what is known better aims to be; and how finely that is sought."""
A_LITTLE_MORE = 1.03
"""Doubt changes a little as things are moved; what aims at just sure enough would often miss."""


def verdict_of(value: float, low: float | None, high: float | None, inside: float, sure: float, near: float = 0.0) -> Verdict:
    """holds where the chance of being inside is at least ``sure``; near below that, or within the check's own margin ``near``;
    fails outside, however likely."""
    bare = verdict_within(value, low, high, near)
    return "near" if bare == "holds" and inside < sure else bare


def with_verdict(check: Check, scatter: Scatter, sure: float, near: float = 0.0) -> Check:
    """A check with what its figure's scatter makes of it."""
    assert check.value is not None
    inside = scatter.inside(check.low, check.high)
    verdict = verdict_of(check.value, check.low, check.high, inside, sure, near)
    if isinstance(scatter, Twins) and SURE < scatter.stays < 1.0:
        # It changes so seldom, and to one side only, that a ± would tell of no set of readings what it does.
        seldom = max(1, math.ceil(100 * (1.0 - scatter.stays)))
        return changed(check, verdict=verdict, inside=inside, exact=f"at most {seldom} in 100 sets of readings would change it")
    return changed(check, verdict=verdict, sd=scatter.sd, at_most=scatter.at_most, inside=inside)


def told_near(remedies: tuple[Remedy, ...], check: Check, scatter: Scatter, sure: float) -> tuple[Remedy, ...]:
    """Remedies of a check that no amount alone can make hold, since its doubt is more than its limits bear: they say what has to be
    known how much better besides."""
    if not remedies or scatter.best(check.low, check.high) >= sure:
        return remedies
    finer = known_better(check, scatter, sure)
    told = Quantity(check.value or 0.0, check.unit, scatter.sd, only_doubt=True, within=(check.low, check.high))
    near = words("That leaves it near: what is known of it, ± {0}, is more than its limits bear.", told)
    also = joined(near, finer.wanted if finer else words("Measure again to be sure."))
    return tuple(replace(r, words=joined(r.words, also), finer=finer.times if finer else 0.0) for r in remedies)


@record
class Finer:
    """Points that must be known better, how many times as well, for a check in its best place to hold."""

    points: tuple[RestsOn, ...]
    times: float

    @property
    def wanted(self) -> Words:
        """To how much each is to be measured, the one that brings most first; of many the first are named."""
        texts: list[str] = []
        quantities: list[Quantity] = []
        for point in self.points[:MOST_NAMED]:
            along = {b.axis for b in point.by}
            if point.sd_mm and (not along or along - {"direction"}):
                texts.append(f"{plain(named(point.name))} to ± {{{len(quantities)}}}")
                quantities.append(Quantity(point.sd_mm / self.times, "mm", rounds="fine"))
            if point.sd_deg and "direction" in along:
                texts.append(f"the direction of {plain(named(point.name))} to ± {{{len(quantities)}}}")
                quantities.append(Quantity(point.sd_deg / self.times, "deg", rounds="fine"))
        if not texts:
            return words("Measure again to be sure.")
        rest = len(self.points) - MOST_NAMED
        more = f", and {rest} more as finely" if rest > 0 else ""
        return words(f"Measure {', '.join(texts)}{more}.", *quantities)


def known_better(check: Check, scatter: Scatter, sure: float) -> Finer | None:
    """What a check rests on that must be known better for it to hold in its best place; None where it rests on nothing."""
    share = _share_that_bears(check, scatter, sure)
    # What bears as good as nothing need not be read again, unless what bears most could never be known well enough.
    for least in (BEARS_SHARE, BEARS_SHARE / 100, 0.0):
        points = tuple(p for p in check.rests_on if p.share > least)
        chosen = sum(p.share for p in points)
        left = share * share - (sum(p.share for p in check.rests_on) - chosen)
        if left > share * share / 2 and chosen > 0:
            return Finer(points, math.ceil(10 * math.sqrt(chosen / left)) / 10)
    return None


def _share_that_bears(check: Check, scatter: Scatter, sure: float) -> float:
    """The largest share of its doubt with which a check in its best place is sure, and a little more than that."""
    aim = sure + SURER * (1.0 - sure)
    low, high = 0.0, 1.0
    for _ in range(HALVINGS):
        middle = (low + high) / 2
        low, high = (middle, high) if scatter.best(check.low, check.high, middle) >= aim else (low, middle)
    return low


def exactly(check: Check, why: str, verdict: Verdict | None = None) -> Check:
    """A check of a figure without doubt, why it has none, and its verdict where its bare limits do not say it."""
    assert check.value is not None
    bare = verdict_within(check.value, check.low, check.high)
    return changed(check, verdict=verdict or bare, inside=float(bare != "fails"), exact=why)


def limit_to_be_sure(scatter: Scatter, sure: float) -> float:
    """The least upper limit that a figure is surely below."""
    limit = scatter.value
    step = max(scatter.sd, AT_LIMIT) / 8
    while scatter.inside(None, limit) < sure:
        limit += step
    return limit


def room_to_be_sure(sd: float, sure: float) -> float:
    """How far inside a limit a figure must lie for its check to hold; a remedy aims there."""
    return A_LITTLE_MORE * max(float(ndtri(sure)), 0.0) * sd
