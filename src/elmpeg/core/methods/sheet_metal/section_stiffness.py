"""How stiff a section of sheet is against bending, to set ways of stiffening it side by side.

A comparison for the same load and length, not a strength: what tears, buckles or cracks
at a weld is not in it.
"""

from __future__ import annotations

from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

Way = Literal["as it is", "thicker sheet", "edges folded", "gussets"]
THICKER = 1.5


@record
class Rectangle:
    """A part of a section: how wide, how high, and where its lower edge lies."""

    wide_mm: float
    high_mm: float
    low_mm: float


@record
class Stiffened:
    """One way of stiffening: the second moment of its section, its share of the plain sheet's, and of the plain sheet's mass."""

    way: Way
    says: str
    moment_mm4: float
    times: float
    mass_times: float


def second_moment_mm4(parts: tuple[Rectangle, ...]) -> float:
    """About the section's own level middle. Source: Steiner's theorem, I = Σ (b h³ / 12 + b h (z − z₀)²)."""
    area = sum(p.wide_mm * p.high_mm for p in parts)
    if area <= 0:
        raise InputError("section", "has no area")
    middle = sum(p.wide_mm * p.high_mm * (p.low_mm + p.high_mm / 2) for p in parts) / area
    return sum(p.wide_mm * p.high_mm**3 / 12 + p.wide_mm * p.high_mm * (p.low_mm + p.high_mm / 2 - middle) ** 2 for p in parts)


def ways_to_stiffen(wide_mm: float, thick_mm: float, lip_mm: float) -> tuple[Stiffened, ...]:
    """The plain sheet across its width, thicker, with both edges folded up by a lip, and with two gussets as high as that."""
    if min(wide_mm, thick_mm, lip_mm) <= 0 or wide_mm <= 4 * thick_mm:
        raise InputError("section", "needs a width of more than four thicknesses, and a lip above 0")
    plain = (Rectangle(wide_mm, thick_mm, 0.0),)
    thicker = (Rectangle(wide_mm, THICKER * thick_mm, 0.0),)
    folded = (Rectangle(wide_mm, thick_mm, 0.0), Rectangle(2 * thick_mm, lip_mm, thick_mm))
    base, mass = second_moment_mm4(plain), wide_mm * thick_mm
    rows: tuple[tuple[Way, str, tuple[Rectangle, ...]], ...] = (
        ("as it is", "the plain sheet", plain),
        ("thicker sheet", f"half as thick again, {THICKER * thick_mm:g} mm", thicker),
        ("edges folded", "both edges folded up", folded),
        ("gussets", "two gussets of the same sheet, as high, welded along", folded),
    )
    return tuple(
        Stiffened(way, says, second_moment_mm4(parts), second_moment_mm4(parts) / base, sum(p.wide_mm * p.high_mm for p in parts) / mass)
        for way, says, parts in rows
    )
