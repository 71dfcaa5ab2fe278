"""How sure a computed figure is: its slope with respect to each point it rests on.

Every point is nudged by its own standard deviation, each coordinate and its axis
in turn, and the same measuring function is asked again; the slopes so found tell
what each reading brings, and these add up as independent doubts do.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, any_perpendicular, cross, scale, turned, unit
from elmpeg.core.judging.checks import Bears, RestsOn
from elmpeg.core.scene.scene import Scene

LEVEL_ROW = "\0level:"
"""Marks a levelling among the names of points, which cannot begin so."""
ALL_WAYS = "xyza"
SLIGHT = 1e-6
"""Share of the doubt below which a reading is not listed."""
Figures = tuple[float, ...]
Measure = Callable[[Scene], Figures]
MeasureAll = Callable[[list[Scene]], list[Figures]]


@record
class Doubt:
    """Standard deviation of each measured figure, and the share of it that each point brings."""

    sds: tuple[float, ...]
    shares: tuple[tuple[RestsOn, ...], ...]


def doubt_of(scene: Scene, point_ids: tuple[str, ...], measure: Measure, base: tuple[float, ...]) -> Doubt:
    """Doubt of what ``measure`` gives in a scene, ``base`` being its answer there.

    First-order propagation with forward differences of one standard deviation. A
    point measured from others brings its own doubt; theirs is asked for at them,
    with all that follows.
    """
    return doubt_of_many(scene, point_ids, lambda twins: [measure(twin) for twin in twins], base)


def doubt_of_many(
    scene: Scene, point_ids: tuple[str, ...], measure_all: MeasureAll, base: tuple[float, ...], ways: Mapping[str, str] | None = None
) -> Doubt:
    """The same, where the figures of many nudged scenes are quicker worked out together.

    ``ways`` names, for points whose other coordinates or direction cannot matter, those
    that do: some of “xyz”, and “a” for the axis.
    """
    survey = scene.survey
    asked = tuple(dict.fromkeys([*point_ids, *(b for p in point_ids for b in survey.bases.get(p, ()))]))
    nudges: list[tuple[str, _PointNudges | _TiltNudges]] = [(p, _PointNudges(scene, p, (ways or {}).get(p, ALL_WAYS))) for p in asked]
    for level, tilted in survey.tilts.items():
        touched = tuple(p for p in asked if p in tilted)
        if touched:
            nudges.append((f"{LEVEL_ROW}{level}", _TiltNudges(scene, level, touched)))
    answers = measure_all([twin for _, one in nudges for twin in one.twins])
    rows = []
    for name, one in nudges:
        rows.append((name, one.squares(base, answers[: len(one.twins)])))
        answers = answers[len(one.twins) :]
    totals = [sum(square.size for _, squares in rows for square in squares[k]) for k in range(len(base))]
    shares = []
    for k, total in enumerate(totals):
        rests = [_rests_on(scene, name, squares[k], total) for name, squares in rows]
        shares.append(tuple(sorted(rests, key=lambda r: -r.share)))
    return Doubt(tuple(math.sqrt(t) for t in totals), tuple(shares))


def _rests_on(scene: Scene, name: str, squares: list[_Square], total: float) -> RestsOn:
    by = tuple(Bears(s.readings, s.axis, s.size / total) for s in squares if total and s.size > SLIGHT * total)
    share = sum(s.size for s in squares) / total if total else 0.0
    if name.startswith(LEVEL_ROW):
        return RestsOn("", "how level the vehicle stood", "measured", share, by)
    point = scene.declared(name)
    return RestsOn(point.id, point.name, point.source, share, by)


@record
class _Square:
    """What one part of a doubt adds to the square of a figure's."""

    size: float
    axis: str
    readings: tuple[str, ...] = ()


class _PointNudges:
    """A point moved along each coordinate and its axis turned both ways, and what each part of its doubt then adds."""

    def __init__(self, scene: Scene, point_id: str, ways: str) -> None:
        where, point = scene.located(point_id), scene.declared(point_id)
        self.parts = where.fix.parts
        self.steps = [math.sqrt(sum(part.shift_mm[i] ** 2 for part in self.parts)) if "xyz"[i] in ways else 0.0 for i in range(3)]
        self.twins = []
        for i, step in enumerate(self.steps):
            if step:
                shift: Vec3 = (step if i == 0 else 0.0, step if i == 1 else 0.0, step if i == 2 else 0.0)
                self.twins.append(scene.with_point_shifted(point_id, shift))
        if point.axis is not None and where.axis_sd_deg and "a" in ways:
            axis = unit(point.axis)
            first = any_perpendicular(axis)
            for about in (first, cross(axis, first)):
                self.twins.append(scene.with_axis(point_id, turned(axis, about, where.axis_sd_deg)))

    def squares(self, base: Figures, answers: list[Figures]) -> list[list[_Square]]:
        """For each measured figure, what each part of the point's own doubt adds to its square."""
        found: list[list[_Square]] = [[] for _ in base]
        waiting = iter(answers)
        slopes = [tuple((b - a) / step for a, b in zip(base, next(waiting), strict=True)) if step else None for step in self.steps]
        for part in self.parts:
            main = max(range(3), key=lambda i: abs(part.shift_mm[i]))
            along = [(slope, part.shift_mm[i]) for i, slope in enumerate(slopes) if slope is not None and part.shift_mm[i]]
            for k, squares in enumerate(found):
                change = sum([slope[k] * shift for slope, shift in along])
                squares.append(_Square(change**2, "xyz"[main], part.readings))
        for now in waiting:
            for k, (a, b) in enumerate(zip(base, now, strict=True)):
                found[k].append(_Square((b - a) ** 2, "direction"))
        return found


class _TiltNudges:
    """All that was read under one levelling tilted together by its doubt, each way."""

    def __init__(self, scene: Scene, level: str, touched: tuple[str, ...]) -> None:
        survey = scene.survey
        self.twins = []
        for way in (0, 1):
            shifts = {p: scale(survey.tilts[level][p][way], survey.sd_deg.get(level, 0.0)) for p in touched}
            self.twins.append(scene.with_points_shifted(shifts))

    def squares(self, base: Figures, answers: list[Figures]) -> list[list[_Square]]:
        """For each measured figure, what the levelling's doubt adds to its square, pitch and roll."""
        return [
            [_Square((now[k] - a) ** 2, name) for now, name in zip(answers, ("pitch", "roll"), strict=True)] for k, a in enumerate(base)
        ]


def unmeasured(rests_on: tuple[RestsOn, ...]) -> tuple[RestsOn, ...]:
    """The points among these that nobody has measured on this vehicle."""
    return tuple(r for r in rests_on if r.source in ("borrowed", "assumed"))


def caveat(rests_on: tuple[RestsOn, ...]) -> str:
    """A sentence naming the borrowed or assumed figures a check rests on; empty where there are none."""
    soft = unmeasured(rests_on)
    if not soft:
        return ""
    return f" It rests on {', '.join(f'{r.name} ({r.source})' for r in soft)}, not yet measured."
