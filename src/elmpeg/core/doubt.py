"""How sure a computed figure is: its slope with respect to each point it rests on.

Every point is nudged by its own standard deviation, each coordinate and its axis
in turn, and the same measuring function is asked again; the changes add up as
independent doubts do.
"""

from __future__ import annotations

import math
from collections.abc import Callable

from elmpeg.core.checks import RestsOn
from elmpeg.core.record import record
from elmpeg.core.scene import Scene
from elmpeg.core.vectors import Vec3, any_perpendicular, cross, turned, unit

Measure = Callable[[Scene], tuple[float, ...]]


@record
class Doubt:
    """Standard deviation of each measured figure, and the share of it that each point brings."""

    sds: tuple[float, ...]
    shares: tuple[tuple[RestsOn, ...], ...]


def doubt_of(scene: Scene, point_ids: tuple[str, ...], measure: Measure, base: tuple[float, ...]) -> Doubt:
    """Doubt of what ``measure`` gives in a scene, ``base`` being its answer there.

    First-order propagation with forward differences of one standard deviation.
    """
    parts = [[0.0] * len(base) for _ in point_ids]
    for part, point_id in zip(parts, point_ids, strict=True):
        for twin in _nudged(scene, point_id):
            for k, (was, now) in enumerate(zip(base, measure(twin), strict=True)):
                part[k] += (now - was) ** 2
    totals = [sum(part[k] for part in parts) for k in range(len(base))]
    shares = []
    for k, total in enumerate(totals):
        rows = [_rests_on(scene, pid, part[k] / total if total else 0.0) for pid, part in zip(point_ids, parts, strict=True)]
        shares.append(tuple(sorted(rows, key=lambda r: -r.share)))
    return Doubt(tuple(math.sqrt(t) for t in totals), tuple(shares))


def _rests_on(scene: Scene, point_id: str, share: float) -> RestsOn:
    point = scene.declared(point_id)
    return RestsOn(point.id, point.name, point.source, share)


def _nudged(scene: Scene, point_id: str) -> list[Scene]:
    where, point = scene.located(point_id), scene.declared(point_id)
    twins = []
    for i, sd in enumerate(where.sd_mm):
        if sd:
            shift: Vec3 = (sd if i == 0 else 0.0, sd if i == 1 else 0.0, sd if i == 2 else 0.0)
            twins.append(scene.with_point_shifted(point_id, shift))
    if point.axis is not None and where.axis_sd_deg:
        axis = unit(point.axis)
        first = any_perpendicular(axis)
        twins += [scene.with_axis(point_id, turned(axis, about, where.axis_sd_deg)) for about in (first, cross(axis, first))]
    return twins


def unmeasured(rests_on: tuple[RestsOn, ...]) -> tuple[RestsOn, ...]:
    """The points among these that nobody has measured on this vehicle."""
    return tuple(r for r in rests_on if r.source in ("borrowed", "assumed"))


def caveat(rests_on: tuple[RestsOn, ...]) -> str:
    """A sentence naming the borrowed or assumed figures a check rests on; empty where there are none."""
    soft = unmeasured(rests_on)
    if not soft:
        return ""
    return f" It rests on {', '.join(f'{r.name} ({r.source})' for r in soft)}, not yet measured."
