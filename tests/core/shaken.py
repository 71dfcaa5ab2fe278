"""Sets of readings as other people, or the same people on another day, would have taken them."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from elmpeg.core.base.vectors import any_perpendicular, cross, sub, turned, unit
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import Point
from elmpeg.core.scene.gravity import NO_LEVEL_SD_DEG, tilt_slopes
from elmpeg.core.scene.point_from_readings import DRAWING_SD_MM, UNMEASURED_SD_MM
from elmpeg.core.scene.scene import Scene


def shaken(build: Build, scene: Scene, rng: np.random.Generator) -> Build:
    """The build with every reading, entered figure, direction, levelling and tape off by what its tool or source scatters."""
    tilts = {one.id: rng.normal(0, one.sd_deg, 2) for one in build.levellings} | {"": rng.normal(0, NO_LEVEL_SD_DEG, 2)}
    points = tuple(_point(build, scene, p, tilts, rng) for p in build.points)
    spans = tuple(replace(s, value_mm=s.value_mm + float(rng.normal(0, max(build.tool_sd_mm(s.tool), 0.05)))) for s in build.spans)
    axles = tuple(
        replace(
            a,
            readings=tuple(replace(r, value_mm=r.value_mm + float(rng.normal(0, build.tool_sd_mm(r.tool)))) for r in a.readings),
        )
        for a in build.axles
    )
    return replace(build, points=points, spans=spans, axles=axles)


def _entered_sd_mm(build: Build, point: Point) -> float:
    if point.source in ("borrowed", "assumed"):
        return UNMEASURED_SD_MM
    if point.sd_mm is not None:
        return point.sd_mm
    if point.source == "drawing":
        return DRAWING_SD_MM
    tool = next((t for t in build.tools if t.id == point.tool), None)
    return tool.sd_mm if tool and tool.sd_mm > 0 else UNMEASURED_SD_MM


def _point(build: Build, scene: Scene, point: Point, tilts: dict[str, np.ndarray], rng: np.random.Generator) -> Point:
    where = scene.located(point.id)
    tools = {t.id: t.sd_mm for t in build.tools}
    live = [r for r in point.readings if not r.dropped]
    known = [max(tools.get(r.tool) or UNMEASURED_SD_MM, 1e-6) for r in point.readings]
    lever = sub(where.xyz_mm, scene.local(point.start) if point.start else (0.0, 0.0, 0.0))
    slopes = tilt_slopes(lever, (True, True, True))
    # A person may say that a point is less sure than its readings; then all of them are off together by the rest.
    wide = [0.0, 0.0, 0.0]
    if point.sd_mm is not None and live:
        for i in range(3):
            square = sum(part.shift_mm[i] ** 2 for part in where.fix.parts if part.readings)
            wide[i] = float(rng.normal(0, math.sqrt(max(point.sd_mm**2 - square, 0.0))))
    readings = []
    for reading, sd in zip(point.readings, known, strict=True):
        value = reading.value_mm + float(rng.normal(0, sd))
        if reading.axis != "tape":
            i = "xyz".index(reading.axis)
            value += wide[i]
            if reading.level is not None:
                value += float(slopes[0][i] * tilts[reading.level][0] + slopes[1][i] * tilts[reading.level][1])
        readings.append(replace(reading, value_mm=value))
    read = {r.axis for r in live}
    xyz = list(point.xyz_mm)
    if point.got != "middle" and "tape" not in read:
        for i, axis in enumerate("xyz"):
            if axis not in read:
                xyz[i] += float(rng.normal(0, _entered_sd_mm(build, point)))
    axis3 = point.axis
    if axis3 is not None:
        along = unit(axis3)
        first = any_perpendicular(along)
        for about in (first, cross(along, first)):
            axis3 = turned(axis3, about, float(rng.normal(0, where.axis_sd_deg)))
    return replace(point, readings=tuple(readings), xyz_mm=(xyz[0], xyz[1], xyz[2]), axis=axis3)
