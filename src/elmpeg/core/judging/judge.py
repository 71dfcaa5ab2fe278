"""From a figure, its limits and how it scatters to a verdict."""

from __future__ import annotations

from dataclasses import replace

from scipy.special import ndtri

from elmpeg.core.base.verdicts import Verdict, verdict_within
from elmpeg.core.judging.checks import Check
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


def exactly(check: Check, why: str, verdict: Verdict | None = None) -> Check:
    """A check of a figure without doubt, why it has none, and its verdict where its bare limits do not say it."""
    assert check.value is not None
    bare = verdict_within(check.value, check.low, check.high)
    return replace(check, verdict=verdict or bare, inside=float(bare != "fails"), exact=why)


def room_to_be_sure(sd: float, sure: float) -> float:
    """How far inside a limit a figure must lie for its check to hold; a remedy aims there."""
    return A_LITTLE_MORE * max(float(ndtri(sure)), 0.0) * sd
