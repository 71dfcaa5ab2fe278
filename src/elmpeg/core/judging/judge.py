"""From a figure, its limits and how it scatters to a verdict."""

from __future__ import annotations

from dataclasses import replace

from scipy.special import ndtri

from elmpeg.core.base.quantities import Quantity, joined, words
from elmpeg.core.base.verdicts import Verdict, verdict_within
from elmpeg.core.judging.checks import Check, Remedy
from elmpeg.core.judging.scatter import Scatter

ONE_SPREAD = 0.84
"""Sure enough for what was measured held against itself: its limit is made of its own doubt, three standard deviations, and
within two of them it holds."""

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
    return replace(check, verdict=verdict, sd=scatter.sd, at_most=scatter.at_most, inside=inside)


def told_near(remedies: tuple[Remedy, ...], check: Check, scatter: Scatter, sure: float) -> tuple[Remedy, ...]:
    """Remedies of a check that no amount can make hold, since its doubt alone is more than its limits bear: they say so."""
    if not remedies or scatter.best(check.low, check.high) >= sure:
        return remedies
    also = words(
        "That leaves it near: its doubt of ± {0} is more than its limits bear. Measure again to be sure.", Quantity(scatter.sd, check.unit)
    )
    return tuple(replace(r, words=joined(r.words, also)) for r in remedies)


def exactly(check: Check, why: str, verdict: Verdict | None = None) -> Check:
    """A check of a figure without doubt, why it has none, and its verdict where its bare limits do not say it."""
    assert check.value is not None
    bare = verdict_within(check.value, check.low, check.high)
    return replace(check, verdict=verdict or bare, inside=float(bare != "fails"), exact=why)


def room_to_be_sure(sd: float, sure: float) -> float:
    """How far inside a limit a figure must lie for its check to hold; a remedy aims there."""
    return A_LITTLE_MORE * max(float(ndtri(sure)), 0.0) * sd
