"""Flat lengths of folded sheet.

Folding stretches the outside and squeezes the inside; the line between them that keeps
its length lies k times the thickness from the inside of the bend. Outside lengths of
flanges are measured to the sharp corner where the outer faces would meet.
"""

from __future__ import annotations

import math

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.record import record

LARGEST_K = 0.5
LEAST_BY_THICKNESS_OF_HOLE = 2.5
"""Of the thickness, besides the radius and half the hole: from a hole's centre to where an arc begins, at least."""
ROUNDING_MM = 1e-9


@record
class Bend:
    """A fold by how far it turns from flat, its inside radius, and where the neutral line lies if that is known."""

    angle_deg: float
    inside_radius_mm: float
    k: float | None = None


@record
class Strip:
    """A test strip of the shop's: its length when flat, its two outside lengths when folded, and its fold."""

    flat_mm: float
    flanges_mm: tuple[float, float]
    angle_deg: float
    inside_radius_mm: float


@record
class FlatLength:
    """The cut length, where each bend's middle lies from the first end, and what each bend takes off."""

    flat_mm: float
    lines_mm: tuple[float, ...]
    deductions_mm: tuple[float, ...]
    setbacks_mm: tuple[float, ...]
    arcs_mm: tuple[float, ...]
    k: tuple[float, ...]
    k_of_strip: float | None


def k_by_rule(inside_radius_mm: float, thickness_mm: float) -> float:
    """(0.65 + 0.5 log₁₀(r / t)) / 2, held between 0 and 0.5. Source: DIN 6935."""
    if inside_radius_mm <= 0:
        return 0.0
    return min(LARGEST_K, max(0.0, (0.65 + 0.5 * math.log10(inside_radius_mm / thickness_mm)) / 2))


def setback_mm(bend: Bend, thickness_mm: float) -> float:
    """From where the arc begins to the sharp corner: (r + t) tan(angle / 2)."""
    return (bend.inside_radius_mm + thickness_mm) * math.tan(math.radians(abs(bend.angle_deg)) / 2)


def arc_mm(bend: Bend, thickness_mm: float, k: float) -> float:
    """Along the neutral line: angle x (r + k t)."""
    return math.radians(abs(bend.angle_deg)) * (bend.inside_radius_mm + k * thickness_mm)


def k_of_strip(strip: Strip, thickness_mm: float) -> float:
    """Where the neutral line lay in a test strip, from what its fold took off."""
    bend = Bend(strip.angle_deg, strip.inside_radius_mm)
    arc = 2 * setback_mm(bend, thickness_mm) - (sum(strip.flanges_mm) - strip.flat_mm)
    return (arc / math.radians(abs(strip.angle_deg)) - strip.inside_radius_mm) / thickness_mm


def flat_length(thickness_mm: float, flanges_mm: tuple[float, ...], bends: tuple[Bend, ...], strip: Strip | None = None) -> FlatLength:
    """The flat length of a folded strip: outside lengths less what the bends take off, 2 setback − arc each.

    A bend's own k counts first, then the test strip's, then the rule's. A negative angle folds the other way and takes off
    the same. Raises InputError where bends and flanges do not go together, and for a flange shorter than its setbacks.
    """
    if len(bends) != len(flanges_mm) - 1:
        raise InputError("bends", f"are {len(bends)} between {len(flanges_mm)} flanges; there is one less than flanges")
    found = None if strip is None else k_of_strip(strip, thickness_mm)
    ks = tuple(b.k if b.k is not None else found if found is not None else k_by_rule(b.inside_radius_mm, thickness_mm) for b in bends)
    setbacks = tuple(setback_mm(b, thickness_mm) for b in bends)
    arcs = tuple(arc_mm(b, thickness_mm, k) for b, k in zip(bends, ks, strict=True))
    taken = [sum(setbacks[max(0, k - 1) : k + 1]) for k in range(len(flanges_mm))]
    wrong = [
        FieldError(f"flanges_mm.{k}", f"is {length:g} mm, shorter than its bend takes; {needed:.1f} mm is the least")
        for k, (length, needed) in enumerate(zip(flanges_mm, taken, strict=True))
        if length < needed - ROUNDING_MM
    ]
    if wrong:
        raise InputError(wrong[0].field, wrong[0].message, *wrong[1:])
    lines, at = [], 0.0
    for k, arc in enumerate(arcs):
        at += flanges_mm[k] - taken[k]
        lines.append(at + arc / 2)
        at += arc
    deductions = tuple(2 * s - a for s, a in zip(setbacks, arcs, strict=True))
    return FlatLength(sum(flanges_mm) - sum(deductions), tuple(lines), deductions, setbacks, arcs, ks, found)
