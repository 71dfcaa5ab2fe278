"""Tests. Properties are tried on the same examples each time, however slow the machine; what a failed test looked through is told
in short: a page has thirty thousand letters, and what was looked for stands before them."""

from unittest import case

from hypothesis import HealthCheck, settings

settings.register_profile("shop", deadline=None, derandomize=True, database=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("shop")
MOST_TOLD = 1200
_whole = case.safe_repr


def _in_short(thing: object, short: bool = False) -> str:
    text = _whole(thing, short)
    return text if len(text) <= MOST_TOLD else f"{text[: MOST_TOLD // 2]} […] {text[-MOST_TOLD // 2 :]}"


case.safe_repr = _in_short
