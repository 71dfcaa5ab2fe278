"""Where a point is, and how sure: its coordinates with the doubt of what they rest on."""

from __future__ import annotations

import math

from elmpeg.core.model import Point, Reading, Tool
from elmpeg.core.record import record
from elmpeg.core.vectors import Vec3

UNMEASURED_SD_MM = 10.0
UNMEASURED_SD_DEG = 1.0
"""Doubt of borrowed and assumed figures until they are measured (the shop's convention)."""
DRAWING_SD_MM = 0.5
"""A drawn figure is as good as the casting or fabrication it describes, not as the pen."""
AXIS_SD_DEG = 0.1
"""A direction is taken with an angle gauge."""
DISAGREE_SD = 3.0
"""Repeats further apart than this many standard deviations of their difference are flagged."""


@record
class Located:
    """A point's coordinates in its own frame, the standard deviation of each, and of its axis."""

    xyz_mm: Vec3
    sd_mm: Vec3
    axis_sd_deg: float
    disagreements: tuple[Disagreement, ...] = ()


@record
class Disagreement:
    """Two readings of one coordinate further apart than their doubt explains."""

    first: Reading
    second: Reading
    apart_mm: float
    allowed_mm: float


def located(point: Point, tools: tuple[Tool, ...]) -> Located:
    """Coordinates and doubt of a point.

    Coordinates with readings take their mean, weighted by the tools' doubt, and
    the doubt that this leaves. Readings that disagree are kept side by side:
    the plain mean, with half their spread as the doubt, until a person decides.
    """
    sds = {tool.id: tool.sd_mm for tool in tools}
    unmeasured = point.source in ("borrowed", "assumed")
    axis_sd = point.axis_sd_deg if point.axis_sd_deg is not None else UNMEASURED_SD_DEG if unmeasured else AXIS_SD_DEG
    base = _base_sd(point, sds)
    if not point.readings:
        return Located(point.xyz_mm, (base, base, base), axis_sd)
    xyz, sd = list(point.xyz_mm), [base, base, base]
    apart: list[Disagreement] = []
    for i, axis in enumerate("xyz"):
        readings = [r for r in point.readings if r.axis == axis and not r.dropped]
        if not readings:
            continue
        flagged = _disagreements(readings, sds)
        if flagged:
            values = [r.value_mm for r in readings]
            xyz[i], sd[i] = sum(values) / len(values), (max(values) - min(values)) / 2
            apart += flagged
        else:
            weights = [1 / _sd(r, sds) ** 2 for r in readings]
            xyz[i] = sum(w * r.value_mm for w, r in zip(weights, readings, strict=True)) / sum(weights)
            sd[i] = math.sqrt(1 / sum(weights))
    if point.sd_mm is not None:
        sd = [max(s, point.sd_mm) for s in sd]
    return Located((xyz[0], xyz[1], xyz[2]), (sd[0], sd[1], sd[2]), axis_sd, tuple(apart))


def _base_sd(point: Point, sds: dict[str, float]) -> float:
    if point.source in ("borrowed", "assumed"):
        return UNMEASURED_SD_MM
    if point.sd_mm is not None:
        return point.sd_mm
    if point.source == "drawing":
        return DRAWING_SD_MM
    return sds.get(point.tool, UNMEASURED_SD_MM)


def _sd(reading: Reading, sds: dict[str, float]) -> float:
    return max(sds.get(reading.tool, UNMEASURED_SD_MM), 1e-6)


def _disagreements(readings: list[Reading], sds: dict[str, float]) -> list[Disagreement]:
    found = []
    for i, first in enumerate(readings):
        for second in readings[i + 1 :]:
            apart = abs(first.value_mm - second.value_mm)
            allowed = DISAGREE_SD * math.hypot(_sd(first, sds), _sd(second, sds))
            if apart > allowed:
                found.append(Disagreement(first, second, apart, allowed))
    return found
