"""Holes in rows: along a line at an angle, at typed steps, and again at typed distances beside it."""

from __future__ import annotations

import math

P2 = tuple[float, float]


def row_places(start: P2, angle_deg: float, steps_mm: tuple[float, ...], beside_mm: tuple[float, ...] = ()) -> tuple[P2, ...]:
    """The places of a row that begins at ``start`` and runs at an angle from x (anticlockwise), one hole after each step,
    then the same rows so far to the left of it."""
    u = (math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg)))
    found, along = [], [0.0]
    for step in steps_mm:
        along.append(along[-1] + step)
    for beside in (0.0, *beside_mm):
        found += [(start[0] + u[0] * a - u[1] * beside, start[1] + u[1] * a + u[0] * beside) for a in along]
    return tuple(found)
