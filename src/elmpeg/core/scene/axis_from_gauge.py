"""Directions of points as an angle gauge tells them.

A gauge zeroed on what a point belongs to (the frame, or a level face of the part)
and laid along the point's axis, or on the face square to it, reads how far the axis
**leans**. Only an axis that runs more lengthwise than across or upright can be read so.
"""

from __future__ import annotations

import math
from collections.abc import Mapping

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.survey import BY_EYE_DEG, Point, Tool
from elmpeg.core.methods.measuring.repeats import Together, together


def lean_deg(axis: Vec3) -> float:
    """How far an axis leans from level, tail down positive whichever way along it the drive runs, -90 to 90 deg."""
    lean = math.degrees(math.atan2(-axis[2], math.hypot(axis[0], axis[1])))
    return lean if axis[0] >= 0 else -lean


def leaning(axis: Vec3, lean: float) -> Vec3:
    """An axis as it runs seen from above, leaning by so much; a unit vector."""
    way = 1.0 if axis[0] >= 0 else -1.0
    plan, down = math.atan2(way * axis[1], way * axis[0]), math.radians(lean)
    return (way * math.cos(down) * math.cos(plan), way * math.cos(down) * math.sin(plan), -way * math.sin(down))


def can_lean(axis: Vec3 | None) -> bool:
    """Whether an axis runs lengthwise enough for a gauge laid along it."""
    return axis is not None and abs(axis[0]) >= max(abs(axis[1]), abs(axis[2]))


def lean_of(point: Point, tools: Mapping[str, Tool]) -> Together | None:
    """What a point's lean readings say together, deg; None where none counts."""
    counted = [r for r in point.leans if not r.dropped]
    if not counted:
        return None
    return together([r.value_deg for r in counted], ((tools[r.tool].sd_deg if r.tool in tools else 0.0) or BY_EYE_DEG for r in counted))


def direction_sd_deg(point: Point, tools: Mapping[str, Tool], entered_sd_deg: float) -> float:
    """Doubt of a point's direction any way: its lean's where it was read, and as entered seen from above, taken together.

    Readings that disagree leave the lean as unsure as they are apart.
    """
    lean = lean_of(point, tools)
    if lean is None:
        return entered_sd_deg
    return math.sqrt(((lean.sd if lean.agree else max(lean.sd, lean.apart / 2)) ** 2 + entered_sd_deg**2) / 2)
