"""How long the U-bolts of an axle must be: what they clamp, from the bow to the nut."""

from __future__ import annotations

from collections.abc import Iterable

from elmpeg.core.base.record import record

PITCHES_PROUD = 3
"""Turns of thread that must stand out of the nut."""
SAME_LENGTH_MM = 1e-9


@record
class UBolt:
    """Least inside length from the bow, the stock that does, and how far its thread stands proud; None where no stock does."""

    clamped_mm: float
    min_length_mm: float
    length_mm: float | None
    proud_mm: float | None


def u_bolt(clamped_mm: Iterable[float], pitch_mm: float, stock_mm: Iterable[float] = ()) -> UBolt:
    """The shortest of the stock that is at least everything clamped and three pitches long."""
    clamped = sum(clamped_mm)
    least = clamped + PITCHES_PROUD * pitch_mm
    length = min((s for s in stock_mm if s >= least - SAME_LENGTH_MM), default=None)
    return UBolt(clamped, least, length, None if length is None else length - clamped)
