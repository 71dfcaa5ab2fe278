"""The cope of a round tube that meets another: how far its edge is cut back, turn by turn."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

EVERY_DEG = 15.0
ROUNDING_MM = 1e-9
SEARCHED = 720
CLOSED_IN = 50
GOLDEN = (math.sqrt(5) - 1) / 2


@record
class CopePoint:
    """A place around the branch, and how far its edge is cut back from the longest point."""

    turn_deg: float
    along_mm: float


@record
class Cope:
    """The edge, from the header's axis to the longest point along the branch's axis, and the branch's girth."""

    profile: tuple[CopePoint, ...]
    centre_to_longest_mm: float
    deepest_mm: float
    wrap_mm: float


def cope(branch_od_mm: float, header_od_mm: float, angle_deg: float, offset_mm: float, turns_deg: tuple[float, ...]) -> Cope:
    """On the branch's surface of radius r: s = (√(R² − (e + r sin turn)²) − r cos turn cos angle) / sin angle.

    Turn 0 is the side of the obtuse angle (of the sharp one where the angle is above 90), turn 90 the side of a positive offset e. ``along_mm`` = s − the least s, over the
    whole girth and not only the turns asked for. Raises InputError where part of the branch passes beside the header.
    """
    r, big, e = branch_od_mm / 2, header_od_mm / 2, offset_mm
    if abs(e) + r > big + ROUNDING_MM:
        if e:
            raise InputError("offset_mm", f"is {e:g} mm, so the branch stands out beside the header; {max(0.0, big - r):g} mm is the most")
        raise InputError(
            "branch_od_mm", f"is {branch_od_mm:g} mm, more than the header's {header_od_mm:g} mm: with any offset it stands out beside it"
        )
    cos, sin = math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))

    def s(turn_deg: float) -> float:
        a = math.radians(turn_deg)
        return (math.sqrt(max(0.0, big * big - (e + r * math.sin(a)) ** 2)) - r * math.cos(a) * cos) / sin

    turns = np.linspace(0.0, 360.0, SEARCHED, endpoint=False)
    rad = np.radians(turns)
    heights = ((np.sqrt(np.maximum(0.0, big * big - (e + r * np.sin(rad)) ** 2)) - r * np.cos(rad) * cos) / sin).tolist()
    least, most = (_extreme(s, turns, heights, sign) for sign in (1.0, -1.0))
    profile = tuple(CopePoint(t, s(t) - least) for t in turns_deg)
    return Cope(profile, least, most - least, math.pi * branch_od_mm)


def _extreme(s: Callable[[float], float], turns: NDArray[np.float64], heights: list[float], sign: float) -> float:
    """The least (sign 1) or the most (sign −1) of the edge, by golden section around the best place looked at."""
    best = min(range(len(heights)), key=lambda k: sign * heights[k])
    step = 360.0 / SEARCHED
    low, high = float(turns[best]) - step, float(turns[best]) + step
    for _ in range(CLOSED_IN):
        one, other = high - GOLDEN * (high - low), low + GOLDEN * (high - low)
        if sign * s(one) < sign * s(other):
            high = other
        else:
            low = one
    return min((heights[best], s((low + high) / 2)), key=lambda v: sign * v)
