"""Where the points of a build are, and how sure: coordinates with the doubt of what they rest on.

Doubt is kept as independent parts, each a shift of one standard deviation that one
reading (or one entered figure) may bring. A point measured from others carries
none of theirs; it follows them, by the slopes in ``follows``, so that an error in
one known point moves all that were measured from it together.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.memo import Kept, Memo
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import Point
from elmpeg.core.scene.gravity import NO_LEVEL_SD_DEG
from elmpeg.core.scene.point_from_readings import Fix, fixed

Matrix = NDArray[np.float64]
Rows = tuple[Vec3, Vec3, Vec3]
KEPT = 64
"""Surveys kept: those of the newest few documents."""
SURVEY_READS = ("points", "tools", "levellings")
"""What of a build says where its points are in their own frames."""


@record
class Located:
    """A point's coordinates in its own frame, the standard deviation of each, and how they were got.

    ``among_sd_mm`` leaves out how level the vehicle stood: that tilts all points
    together and changes no distance from one to another.
    """

    xyz_mm: Vec3
    sd_mm: Vec3
    axis_sd_deg: float
    fix: Fix
    among_sd_mm: Vec3


@record
class Survey:
    """All points located.

    ``moves[base]`` lists what follows a point when it shifts, with the slopes
    (rows of a 3 x 3 matrix); ``tilts[levelling]`` by point the slopes along pitch
    and roll, mm per degree; ``sd_deg`` the doubt of each levelling.
    """

    points: dict[str, Located]
    bases: dict[str, tuple[str, ...]]
    moves: dict[str, tuple[tuple[str, Rows], ...]]
    tilts: dict[str, dict[str, tuple[Vec3, Vec3]]]
    sd_deg: dict[str, float]


_surveys: Memo[Survey] = Memo("located points", SURVEY_READS, KEPT)


def surveyed(build: Build) -> Survey:
    """All points of a build. Points that cannot be located stand at their entered figures, and say why."""
    return _surveys.of(build, lambda: _surveyed(build))


def located(build: Build, point_id: str) -> Located:
    """One point of a build, located; raises MissingError."""
    return surveyed(build).points[build.point(point_id).id]


@record
class _Point:
    """A point as it was located, with the slopes along every point below it."""

    located: Located
    total: dict[str, Matrix]


_KEPT_POINTS: Kept[_Point] = Kept(8192)
"""Most points stay as they are from one change to the next: one is located anew where its record, those of the points that it is
measured from, a tool or a levelling is another."""


def _surveyed(build: Build) -> Survey:
    points = {p.id: p for p in build.points}
    found: dict[str, _Point] = {}
    sd_deg = {one.id: one.sd_deg for one in build.levellings} | {"": NO_LEVEL_SD_DEG}
    tools = {t.id: t for t in build.tools}
    levellings = {one.id: one for one in build.levellings}

    def locate(point: Point) -> None:
        for base in point.bases:
            if base in points and base not in found:
                locate(points[base])

        def made() -> _Point:
            bases = {b: (found[b].located.xyz_mm, max(found[b].located.among_sd_mm)) for b in point.bases if b in found}
            fix = fixed(point, tools, levellings, bases)
            total = _total(fix, found)
            among = _squares(fix, total, found)
            tilted = _tilt_squares(fix, sd_deg)
            whole = (among[0] + tilted[0], among[1] + tilted[1], among[2] + tilted[2])
            return _Point(Located(fix.xyz_mm, _roots(whole), fix.axis_sd_deg, fix, _roots(among)), total)

        below = tuple(found[b] for b in point.bases if b in found)
        found[point.id] = _KEPT_POINTS.get((point, build.tools, build.levellings, *below), made)

    for point in build.points:
        if point.id not in found:
            locate(point)
    tilts: dict[str, dict[str, tuple[Vec3, Vec3]]] = {}
    for point_id, one in found.items():
        for levelling, slopes in one.located.fix.tilts:
            tilts.setdefault(levelling, {})[point_id] = slopes
    moves: dict[str, list[tuple[str, Rows]]] = {}
    for follower, one in found.items():
        for base, matrix in one.total.items():
            moves.setdefault(base, []).append((follower, _rows(matrix)))
    return Survey(
        {p: one.located for p, one in found.items()},
        {p: tuple(one.total) for p, one in found.items() if one.total},
        {b: tuple(m) for b, m in moves.items()},
        tilts,
        sd_deg,
    )


def _total(fix: Fix, below: dict[str, _Point]) -> dict[str, Matrix]:
    """Slopes along every point below, through all that lie between."""
    slopes: dict[str, Matrix] = {}
    for follow in fix.follows:
        own = np.array(follow.rows)
        slopes[follow.point] = slopes.get(follow.point, np.zeros((3, 3))) + own
        for base, matrix in (below[follow.point].total if follow.point in below else {}).items():
            slopes[base] = slopes.get(base, np.zeros((3, 3))) + own @ matrix
    return slopes


def _squares(fix: Fix, slopes: dict[str, Matrix], below: dict[str, _Point]) -> Vec3:
    squares = [sum(part.shift_mm[i] ** 2 for part in fix.parts) for i in range(3)]
    for base, matrix in slopes.items():
        for part in below[base].located.fix.parts:
            for i, v in enumerate(matrix @ np.array(part.shift_mm)):
                squares[i] += float(v) ** 2
    return (squares[0], squares[1], squares[2])


def _tilt_squares(fix: Fix, sd_deg: dict[str, float]) -> Vec3:
    squares = [0.0, 0.0, 0.0]
    for levelling, tilted in fix.tilts:
        for slope in tilted:
            for i in range(3):
                squares[i] += (slope[i] * sd_deg.get(levelling, NO_LEVEL_SD_DEG)) ** 2
    return (squares[0], squares[1], squares[2])


def _roots(squares: Vec3) -> Vec3:
    return (math.sqrt(squares[0]), math.sqrt(squares[1]), math.sqrt(squares[2]))


def _rows(matrix: Matrix) -> Rows:
    a, b, c = ((float(r[0]), float(r[1]), float(r[2])) for r in matrix)
    return (a, b, c)
