"""How sure a computed figure is: its slope with respect to each point it rests on.

Every point is nudged along what its readings may bring, and its axis in turn; the
same measuring function is asked again. The slopes so found tell what each reading
brings, and these add up as independent doubts do. A nudge is a small share of a
standard deviation, so that it is the slope where the figure is, the same to either
side and in any frame.

A figure that is the size of a vector (an offset, a tilt) is measured as that vector:
a length near zero has no slope, its parts have.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from functools import partial
from itertools import accumulate

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.later import Later
from elmpeg.core.base.quantities import named
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, any_perpendicular, cross, scale, turned, unit
from elmpeg.core.build.survey import NOT_MEASURED, Source
from elmpeg.core.judging.checks import Bears, RestsOn
from elmpeg.core.judging.scatter import Least, Normal, Scatter, Size, least_of
from elmpeg.core.scene.scene import Scene

ALL_WAYS, SPACE = "xyza", 3
SLIGHT = 1e-6
"""Share of the doubt below which a reading is not listed."""
NUDGE = 1e-3
"""Share of a standard deviation that points are nudged by."""
Array = NDArray[np.float64]
Figure = float | tuple[float, ...]
"""A number, or a vector of one to three parts whose size is meant."""
Figures = tuple[Figure, ...]
Measure = Callable[[Scene], Figures]


class Shares(Later[RestsOn]):
    """What a figure rests on, told when somebody looks; what is ``loose`` of it is known by name before."""

    __slots__ = ("loose",)

    def __init__(self, make: Callable[[], tuple[RestsOn, ...]], loose: str) -> None:
        super().__init__(make)
        self.loose = loose


@record
class Doubt:
    """How each measured figure scatters, and the share of its doubt that each point brings."""

    scatters: tuple[Scatter, ...]
    shares: tuple[Sequence[RestsOn], ...]

    @property
    def sds(self) -> tuple[float, ...]:
        """The standard deviation of each."""
        return tuple(s.sd for s in self.scatters)


@record
class Also:
    """Doubt that no point brings: ``rows`` (parts x numbers of all figures) are what one standard deviation of each part does."""

    name: str
    labels: tuple[tuple[str, tuple[str, ...]], ...]
    rows: Array


def doubt_of(scene: Scene, point_ids: tuple[str, ...], measure: Measure, base: Figures) -> Doubt:
    """Doubt of what ``measure`` gives in a scene, ``base`` being its answer there.

    A point measured from others brings its own doubt; theirs is asked for at them,
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
            where = scene.located(point.id)
            source = _Source(point.id, point.name, point.source, max(where.sd_mm), where.axis_sd_deg or 0.0)
            self._rows.append((source, _point_nudges(scene, name, (ways or {}).get(name, ALL_WAYS))))
        for level, tilted in survey.tilts.items():
            touched = tuple(p for p in asked if p in tilted)
            if touched:
                self._rows.append((_LEVEL, _tilt_nudges(scene, level, touched)))
        self.twins = [twin for _, one in self._rows for twin in one.twins]

    def rows(self, base: Array, answers: Array) -> Array:
        """What one standard deviation of each part of the doubt does to numbers that are ``base`` (numbers) in the scene and
        ``answers`` (twins x numbers) in its twins: parts x numbers."""
        return np.concatenate(self._blocks(base, answers)) if self._rows else np.zeros((0, len(base)))

    def _blocks(self, base: Array, answers: Array) -> list[Array]:
        differences = (answers - base) / NUDGE
        blocks, first = [], 0
        for _, one in self._rows:
            blocks.append(one.shares_of @ differences[first : first + len(one.twins)])
            first += len(one.twins)
        return blocks

    def doubt(self, base: Figures, answers: list[Figures], also: Sequence[Also] = ()) -> Doubt:
        """The doubt of figures that are ``base`` in the scene and ``answers`` in its twins, in their order."""
        numbers = np.array(_flat(base))
        return self.doubt_of_rows(base, numbers, np.array([_flat(one) for one in answers]).reshape(len(answers), len(numbers)), also)

    def doubt_of_rows(self, base: Figures, numbers: Array, answers: Array, also: Sequence[Also] = ()) -> Doubt:
        """The same, with the figures' numbers in a row, and in a row a twin."""
        if not base:
            return Doubt((), ())
        blocks = self._blocks(numbers, answers)
        sources = [(source, tuple(one.labels)) for source, one in self._rows]
        for more in also:
            blocks.append(more.rows)
            sources.append((_Source("", more.name, "measured"), more.labels))
        whole = np.concatenate(blocks) if blocks else np.zeros((0, len(numbers)))
        scatters: list[Scatter] = []
        squares: list[Array] = []
        directions = _own_directions(base, whole)
        at = 0
        for figure in base:
            if isinstance(figure, Least):
                rows = whole[:, at : at + len(figure)]
                scatters.append(least_of(figure, rows))
                own = rows[:, figure.index(min(figure))]
                squares.append(own * own)
                at += len(figure)
            elif isinstance(figure, tuple):
                rows = whole[:, at : at + len(figure)]
                scatters.append(Size(figure, rows, directions.get(at)))
                squares.append(_brings(np.array(figure), rows))
                at += len(figure)
            else:
                column = whole[:, at]
                scatters.append(Normal(figure, math.sqrt(float(column @ column))))
                squares.append(column * column)
                at += 1
        loose = [k for k, (source, _) in enumerate(sources) if source.source in NOT_MEASURED]
        firsts = list(accumulate((len(labels) for _, labels in sources), initial=0))

        def named_loose(square: Array) -> str:
            most_first = sorted(loose, key=lambda k: -float(square[firsts[k] : firsts[k + 1]].sum()))
            return ", ".join(f"{named(source.name)} ({source.source})" for source in (sources[k][0] for k in most_first))

        return Doubt(
            tuple(scatters), tuple(Shares(partial(_shares, sources, square), named_loose(square) if loose else "") for square in squares)
        )


def _own_directions(base: Figures, whole: Array) -> dict[int, tuple[Array, Array]]:
    """Of each vector in space among the figures, by where its numbers begin, its spread's eigenvalues and directions, all at once."""
    starts, at = [], 0
    for figure in base:
        if isinstance(figure, tuple) and not isinstance(figure, Least) and len(figure) == SPACE:
            starts.append(at)
        at += len(figure) if isinstance(figure, tuple) else 1
    if not starts:
        return {}
    rows = np.stack([whole[:, k : k + SPACE] for k in starts])
    values, ways = np.linalg.eigh(rows.transpose(0, 2, 1) @ rows)
    return {k: (values[n], ways[n]) for n, k in enumerate(starts)}


def _flat(figures: Figures) -> list[float]:
    return [v for figure in figures for v in (figure if isinstance(figure, tuple) else (figure,))]


def _brings(vector: Array, rows: Array) -> Array:
    """What each part of the doubt brings to a vector's size, squared: along where the vector may point, each way as likely as
    it is. Far from zero that is along the vector alone, at zero all ways alike."""
    weights = np.outer(vector, vector) + rows.T @ rows
    brought: Array = ((rows @ weights) * rows).sum(axis=1)
    return brought


def _shares(sources: list[tuple[_Source, tuple[tuple[str, tuple[str, ...]], ...]]], squares: Array) -> tuple[RestsOn, ...]:
    total = float(squares.sum())
    parts = (squares / total if total > 0 else np.zeros(len(squares))).tolist()
    rests, first = [], 0
    for source, labels in sources:
        own = parts[first : first + len(labels)]
        first += len(labels)
        whole = sum(own)
        by = (
            tuple([Bears(r, axis, share) for (axis, r), share in zip(labels, own, strict=True) if share > SLIGHT]) if whole > SLIGHT else ()
        )
        rests.append(RestsOn(source.point, source.name, source.source, whole, by, source.sd_mm, source.sd_deg))
    return tuple(sorted(rests, key=lambda r: -r.share))


@record
class _Source:
    """A point as it is named among what a figure rests on; without one, how level the vehicle stood."""

    point: str
    name: str
    source: Source
    sd_mm: float = 0.0
    sd_deg: float = 0.0


_LEVEL = _Source("", "how level the vehicle stood", "measured")


@record
class _Nudges:
    """Scenes nudged for one source, each by ``NUDGE`` of its doubt. ``shares_of`` (parts x twins) says how much of each twin's
    difference each independent part of its doubt makes; ``labels`` are the parts' axes and readings."""

    twins: list[Scene]
    shares_of: NDArray[np.float64]
    labels: list[tuple[str, tuple[str, ...]]]


def _point_nudges(scene: Scene, point_id: str, ways: str) -> _Nudges:
    """A point moved along each coordinate by what all its parts make there, and its axis turned both ways."""
    where, point = scene.located(point_id), scene.declared(point_id)
    parts = where.fix.parts
    steps = [math.sqrt(sum(part.shift_mm[i] ** 2 for part in parts)) if "xyz"[i] in ways else 0.0 for i in range(3)]
    moved = [i for i in range(3) if steps[i]]
    twins = [scene.with_point_shifted(point_id, _along(i, NUDGE * steps[i])) for i in moved]
    labels = [("xyz"[max(range(3), key=lambda i: abs(part.shift_mm[i]))], part.readings) for part in parts]
    made = [[part.shift_mm[i] / steps[i] for i in moved] for part in parts]
    if point.axis is not None and where.axis_sd_deg and "a" in ways:
        axis = unit(point.axis)
        first = any_perpendicular(axis)
        twins += [scene.with_axis(point_id, turned(axis, about, NUDGE * where.axis_sd_deg)) for about in (first, cross(axis, first))]
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
        shifts = {p: scale(survey.tilts[level][p][way], NUDGE * survey.sd_deg.get(level, 0.0)) for p in touched}
        twins.append(scene.with_points_shifted(shifts))
    return _Nudges(twins, np.eye(2), [("pitch", ()), ("roll", ())])


def unmeasured(rests_on: Sequence[RestsOn]) -> tuple[RestsOn, ...]:
    """The points among these that nobody has measured on this vehicle."""
    return tuple(r for r in rests_on if r.source in NOT_MEASURED)


def caveat(rests_on: Sequence[RestsOn]) -> str:
    """A sentence naming the borrowed or assumed figures a check rests on; empty where there are none."""
    loose = rests_on.loose if isinstance(rests_on, Shares) else ", ".join(f"{named(r.name)} ({r.source})" for r in unmeasured(rests_on))
    return f" It rests on {loose}, not yet measured." if loose else ""
