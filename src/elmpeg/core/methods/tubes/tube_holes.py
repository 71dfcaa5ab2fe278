"""Holes square or slanted through a round tube, as they lie on its unrolled outside."""

from __future__ import annotations

import math

from elmpeg.core.base.errors import InputError

STEPS = 72
LARGEST_SHARE = 0.9
"""Of the tube's size: a larger hole leaves no walls beside it."""
P2 = tuple[float, float]


def hole_on_wrap(radius_mm: float, hole_mm: float, slant_deg: float, far: bool = False) -> tuple[P2, ...]:
    """The edge of a hole on the unrolled outside: round the tube, along it; both from where its axis meets the tube's.

    The hole's axis stands at ``slant_deg`` to the tube's (90 square), leaning so that with less than 90 it comes out nearer the
    tube's end on the side that it looks to. ``far`` is the wall behind, whose middle lies half a girth on. On the surface, with
    h the hole's radius: x = r asin(h sin φ / r), y = h cos φ / sin a ± √(r² − h² sin² φ) / tan a.
    """
    h = hole_mm / 2
    if not 0 < hole_mm <= 2 * LARGEST_SHARE * radius_mm:
        raise InputError(
            "holes", f"has one of {hole_mm:g} mm in a tube of {2 * radius_mm:g} mm; {2 * LARGEST_SHARE * radius_mm:g} mm is the most"
        )
    if not 20.0 <= slant_deg <= 160.0:
        raise InputError("holes", f"has one at {slant_deg:g}° to the tube; 20° to 160° can be drilled")
    a = math.radians(slant_deg)
    found = []
    for k in range(STEPS):
        phi = 2 * math.pi * k / STEPS
        across = h * math.sin(phi)
        lift = math.sqrt(radius_mm * radius_mm - across * across)
        side = -1.0 if far else 1.0
        girth = radius_mm * math.asin(across / radius_mm)
        found.append((math.pi * radius_mm - girth if far else girth, h * math.cos(phi) / math.sin(a) + side * lift / math.tan(a)))
    return tuple(found)
