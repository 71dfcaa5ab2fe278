"""How sure a computed figure is: its slope with respect to each point it rests on.

Every point is nudged by its own standard deviation, each coordinate and its axis
in turn, and the same measuring function is asked again; the slopes so found tell
what each reading brings, and these add up as independent doubts do.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, any_perpendicular, cross, scale, turned, unit
from elmpeg.core.build.survey import Source
from elmpeg.core.judging.checks import Bears, RestsOn
from elmpeg.core.scene.scene import Scene

ALL_WAYS = "xyza"
SLIGHT = 1e-6
"""Share of the doubt below which a reading is not listed."""
Figures = tuple[float, ...]
Measure = Callable[[Scene], Figures]


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
    nudged = Nudged(scene, point_ids)
    return nudged.doubt(base, [measure(twin) for twin in nudged.twins])


class Nudged:
    """A scene nudged by the doubt of what some figures rest on, one nudge after the other: ``twins`` are the scenes so made.

    ``ways`` names, for points whose other coordinates or direction cannot matter, those
    that do: some of “xyz”, and “a” for the axis.
    """

    def __init__(self, scene: Scene, point_ids: tuple[str, ...], ways: Mapping[str, str] | None = None) -> None:
        survey = scene.survey
        asked = tuple(dict.fromkeys([*point_ids, *(b for p in point_ids for b in survey.bases.get(p, ()))]))
        self._rows: list[tuple[_Source, _Nudges]] = []
        for name in asked:
            point = scene.declared(name)
            source = _Source(point.id, point.name, point.source)
            self._rows.append((source, _point_nudges(scene, name, (ways or {}).get(name, ALL_WAYS))))
        for level, tilted in survey.tilts.items():
            touched = tuple(p for p in asked if p in tilted)
            if touched:
                self._rows.append((_LEVEL, _tilt_nudges(scene, level, touched)))
        self.twins = [twin for _, one in self._rows for twin in one.twins]

    def doubt(self, base: Figures, answers: list[Figures]) -> Doubt:
        """The doubt of figures that are ``base`` in the scene and ``answers`` in its twins, in their order."""
        if not base:
            return Doubt((), ())
        differences = np.array(answers).reshape(len(answers), len(base)) - np.array(base)
        sizes, first = [], 0
        for _, one in self._rows:
            sizes.append((one.shares_of @ differences[first : first + len(one.twins)]) ** 2)
            first += len(one.twins)
        totals = np.concatenate(sizes).sum(axis=0) if sizes else np.zeros(len(base))
        per_doubt = 1.0 / np.where(totals > 0, totals, np.inf)
        parts = [(square * per_doubt).T.tolist() for square in sizes]
        wholes = [(square.sum(axis=0) * per_doubt).tolist() for square in sizes]
        shares = []
        for k in range(len(base)):
            rests = [
                RestsOn(
                    source.point,
                    source.name,
                    source.source,
                    whole[k],
                    tuple([Bears(r, axis, share) for (axis, r), share in zip(one.labels, part[k], strict=True) if share > SLIGHT]),
                )
                for (source, one), whole, part in zip(self._rows, wholes, parts, strict=True)
            ]
            shares.append(tuple(sorted(rests, key=lambda r: -r.share)))
        return Doubt(tuple(np.sqrt(totals).tolist()), tuple(shares))


@record
class _Source:
    """A point as it is named among what a figure rests on; without one, how level the vehicle stood."""

    point: str
    name: str
    source: Source


_LEVEL = _Source("", "how level the vehicle stood", "measured")


@record
class _Nudges:
    """Scenes nudged for one source. ``shares_of`` (parts x twins) says how much of each twin's difference each independent
    part of its doubt makes; ``labels`` are the parts' axes and readings."""

    twins: list[Scene]
    shares_of: NDArray[np.float64]
    labels: list[tuple[str, tuple[str, ...]]]


def _point_nudges(scene: Scene, point_id: str, ways: str) -> _Nudges:
    """A point moved along each coordinate by what all its parts make there, and its axis turned both ways."""
    where, point = scene.located(point_id), scene.declared(point_id)
    parts = where.fix.parts
    steps = [math.sqrt(sum(part.shift_mm[i] ** 2 for part in parts)) if "xyz"[i] in ways else 0.0 for i in range(3)]
    moved = [i for i in range(3) if steps[i]]
    twins = [scene.with_point_shifted(point_id, _along(i, steps[i])) for i in moved]
    labels = [("xyz"[max(range(3), key=lambda i: abs(part.shift_mm[i]))], part.readings) for part in parts]
    made = [[part.shift_mm[i] / steps[i] for i in moved] for part in parts]
    if point.axis is not None and where.axis_sd_deg and "a" in ways:
        axis = unit(point.axis)
        first = any_perpendicular(axis)
        twins += [scene.with_axis(point_id, turned(axis, about, where.axis_sd_deg)) for about in (first, cross(axis, first))]
        labels += [("direction", ())] * 2
    shares_of = np.zeros((len(labels), len(twins)))
    if moved:
        shares_of[: len(parts), : len(moved)] = made
    for k in range(len(labels) - len(parts)):
        shares_of[len(parts) + k, len(moved) + k] = 1.0
    return _Nudges(twins, shares_of, labels)


def _along(i: int, step: float) -> Vec3:
    return (step if i == 0 else 0.0, step if i == 1 else 0.0, step if i == 2 else 0.0)


def _tilt_nudges(scene: Scene, level: str, touched: tuple[str, ...]) -> _Nudges:
    """All that was read under one levelling tilted together by its doubt, each way."""
    survey = scene.survey
    twins = []
    for way in (0, 1):
        shifts = {p: scale(survey.tilts[level][p][way], survey.sd_deg.get(level, 0.0)) for p in touched}
        twins.append(scene.with_points_shifted(shifts))
    return _Nudges(twins, np.eye(2), [("pitch", ()), ("roll", ())])


def unmeasured(rests_on: tuple[RestsOn, ...]) -> tuple[RestsOn, ...]:
    """The points among these that nobody has measured on this vehicle."""
    return tuple(r for r in rests_on if r.source in ("borrowed", "assumed"))


def caveat(rests_on: tuple[RestsOn, ...]) -> str:
    """A sentence naming the borrowed or assumed figures a check rests on; empty where there are none."""
    soft = unmeasured(rests_on)
    if not soft:
        return ""
    return f" It rests on {', '.join(f'{r.name} ({r.source})' for r in soft)}, not yet measured."
