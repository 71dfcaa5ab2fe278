"""Tolerance stacks: how far a chain of parts can be off at worst, and how far it is likely to be."""

from __future__ import annotations

import math
from typing import Literal

from elmpeg.core.base.record import record


@record
class ChainPart:
    """One part in a chain: its size, how much more and less it may be, and whether it adds (1) or takes away (-1)."""

    mm: float
    plus_mm: float
    minus_mm: float
    direction: Literal[1, -1]


@record
class ChainBand:
    """The chain's size, its worst limits, and the centre and half width of its likely band."""

    nominal_mm: float
    worst_min_mm: float
    worst_max_mm: float
    rss_centre_mm: float
    rss_half_mm: float


def chain_band(parts: tuple[ChainPart, ...]) -> ChainBand:
    """Worst case by adding limits; likely case by the root sum of squares of the half bands, each taken at its middle."""
    low = math.fsum(p.mm - p.minus_mm if p.direction > 0 else -(p.mm + p.plus_mm) for p in parts)
    high = math.fsum(p.mm + p.plus_mm if p.direction > 0 else -(p.mm - p.minus_mm) for p in parts)
    return ChainBand(
        nominal_mm=math.fsum(p.direction * p.mm for p in parts),
        worst_min_mm=low,
        worst_max_mm=high,
        rss_centre_mm=math.fsum(p.direction * (p.mm + (p.plus_mm - p.minus_mm) / 2) for p in parts),
        rss_half_mm=math.sqrt(math.fsum(((p.plus_mm + p.minus_mm) / 2) ** 2 for p in parts)),
    )
