"""Where a point is, from tape distances to known points and perhaps a known height or offset.

Three tapes meet in two places, one on either side of the plane through the points
they were held at; a fourth reading, or a rough idea, tells which.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, norm, sub

Status = Literal["fixed", "ambiguous", "contradictory"]
Array = NDArray[np.float64]

CONTRADICTS_SD = 3.0
"""A reading further than this many standard deviations from the best place contradicts the others."""
FEWEST_READINGS = 3
SAME_PLACE_MM = 0.01
EQUAL_COST = 1e-6
"""Places whose weighted squares differ by less than this share fit equally well."""
CLEARLY = 0.5
"""Of two readings that could be the wrong one, the removal of one must leave at most this share of what the other leaves."""
NOTHING = 1e-3
"""Left-over, in standard deviations, that is as good as none: three readings always agree with each other."""
OFF_PLANE = 0.08
MOST_ROUNDS, MOST_LOOKS = 4, 500
SETTLED_MM = 1e-6
LOOSEST = 1e-4
"""Smallest singular value (per standard deviation) at which a direction still counts as fixed."""


@record
class Tape:
    """One distance from a known point."""

    from_id: str
    from_mm: Vec3
    mm: float
    sd_mm: float


@record
class Known:
    """One coordinate known otherwise: a height from the floor, an offset from the centreline."""

    axis: Literal["x", "y", "z"]
    mm: float
    sd_mm: float


@record
class TapedPoint:
    """The best place, its doubt, and what each reading leaves over (read less computed), by id or axis."""

    xyz_mm: Vec3
    sd_mm: Vec3
    residuals_mm: tuple[tuple[str, float], ...]
    status: Status
    other_xyz_mm: Vec3 | None
    suspect: str | None


def taped_point(tapes: tuple[Tape, ...], known: tuple[Known, ...] = (), near_mm: Vec3 | None = None) -> TapedPoint:
    """Weighted least squares of all readings.

    Where two places fit, the one nearer to ``near_mm`` is taken; without it the
    higher one, with status ``ambiguous`` and the other beside it. ``contradictory``
    when a reading is more than 3 sd off; ``suspect`` is then the one reading whose
    removal brings all others inside; where several would, the one that clearly leaves the least. Raises InputError
    when the readings do not fix a point, saying what to add.
    """
    count = len(tapes) + len(known)
    if count < FEWEST_READINGS:
        raise InputError(
            "distances",
            f"has {count} reading{'s' if count != 1 else ''}, which leaves the point free to move; "
            f"add {FEWEST_READINGS - count} more: a tape from another known point, or a known height or offset",
        )
    places = _places(tapes, known)
    fitting = [
        p
        for p in places
        if _cost(p, tapes, known) <= _cost(places[0], tapes, known) * (1 + EQUAL_COST) + EQUAL_COST or _agrees(p, tapes, known)
    ]
    if near_mm is not None:
        near = near_mm
        fitting.sort(key=lambda p: norm(sub(_vec3(p), near)))
    else:
        fitting.sort(key=lambda p: -float(p[2]))
    best, other = fitting[0], fitting[1] if len(fitting) > 1 and near_mm is None else None
    slopes = _slopes(best, tapes, known)
    _, singular, axes = np.linalg.svd(slopes)
    if singular[-1] < LOOSEST:
        way = "XYZ"[int(np.argmax(np.abs(axes[-1])))]
        raise InputError(
            "distances", f"leave the point free along {way}; add a tape from a point off the plane of the others, or a known {way}"
        )
    # By singular values: squared slopes of very unequal doubts cannot be inverted.
    spread = np.sqrt(np.sum((axes.T / singular) ** 2, axis=1))
    left = _left(best, tapes, known)
    names = _names(tapes, known)
    status: Status = "fixed" if other is None else "ambiguous"
    suspect = None
    if not _agrees(best, tapes, known):
        status, suspect = "contradictory", _suspect(tapes, known)
    return TapedPoint(
        xyz_mm=_vec3(best),
        sd_mm=_vec3(spread),
        residuals_mm=tuple(zip(names, (float(v) for v in left), strict=True)),
        status=status,
        other_xyz_mm=None if other is None or status == "contradictory" else _vec3(other),
        suspect=suspect,
    )


def _vec3(row: Array) -> Vec3:
    return (float(row[0]), float(row[1]), float(row[2]))


def _left(place: Array, tapes: tuple[Tape, ...], known: tuple[Known, ...]) -> Array:
    """Read less computed, mm."""
    of_tapes = [t.mm - math.dist(place, t.from_mm) for t in tapes]
    return np.array([*of_tapes, *(k.mm - float(place["xyz".index(k.axis)]) for k in known)])


def _sds(tapes: tuple[Tape, ...], known: tuple[Known, ...]) -> Array:
    return np.array([*(t.sd_mm for t in tapes), *(k.sd_mm for k in known)])


def _slopes(place: Array, tapes: tuple[Tape, ...], known: tuple[Known, ...]) -> Array:
    """How each computed reading grows with each coordinate, per standard deviation."""
    rows = []
    for t in tapes:
        away = place - np.array(t.from_mm)
        rows.append(away / max(float(np.linalg.norm(away)), SAME_PLACE_MM) / t.sd_mm)
    rows += [np.eye(3)["xyz".index(k.axis)] / k.sd_mm for k in known]
    return np.array(rows)


def _cost(place: Array, tapes: tuple[Tape, ...], known: tuple[Known, ...]) -> float:
    return float(((_left(place, tapes, known) / _sds(tapes, known)) ** 2).sum())


def _agrees(place: Array, tapes: tuple[Tape, ...], known: tuple[Known, ...]) -> bool:
    return bool((np.abs(_left(place, tapes, known)) <= CONTRADICTS_SD * _sds(tapes, known)).all())


def _places(tapes: tuple[Tape, ...], known: tuple[Known, ...]) -> list[Array]:
    """Every place where the readings agree best locally, best first.

    Started from all around the known points, none of the starts lying in their plane,
    where a search may rest between the two mirror places; and from the mirror image of
    each place found, which is the other one wherever there are two.
    """
    sds = _sds(tapes, known)
    corners = np.array([t.from_mm for t in tapes]) if tapes else np.zeros((1, 3))
    middle, reach = corners.mean(axis=0), max([t.mm for t in tapes], default=1000.0)
    normal = np.linalg.svd(corners - middle)[2][-1]
    found: list[Array] = []

    def search(start: Array) -> None:
        if not np.all(np.isfinite(_left(start, tapes, known) / sds)):
            raise InputError("distances", "are too long to compute with; check the figures")
        fit = least_squares(
            lambda p: _left(p, tapes, known) / sds,
            start,
            jac=lambda p: -_slopes(p, tapes, known),
            method="lm",
            xtol=1e-14,
            ftol=1e-14,
            gtol=1e-12,
            max_nfev=200,
        )
        place = _settled(fit.x, tapes, known)
        if all(float(np.linalg.norm(place - p)) > SAME_PLACE_MM for p in found):
            found.append(place)

    for way in (normal, -normal, *np.eye(3), *-np.eye(3)):
        search(middle + way * reach * 0.7 + normal * reach * OFF_PLANE)
    for place in tuple(found):
        search(place - 2 * float((place - middle) @ normal) * normal)
    return sorted(found, key=lambda p: _cost(p, tapes, known))


def _settled(place: Array, tapes: tuple[Tape, ...], known: tuple[Known, ...]) -> Array:
    """A place led on to where the squares are least: of very unequal doubts the general search creeps along the readings that
    are surest and may give up on the way. Where the slopes of the squares are nothing already it stays."""
    sds = _sds(tapes, known)
    for _ in range(MOST_ROUNDS):
        slopes, left = _slopes(place, tapes, known), _left(place, tapes, known) / sds
        step = np.linalg.lstsq(slopes, left, rcond=None)[0]
        if float(np.linalg.norm(step)) < SETTLED_MM:
            return place
        further: Array = least_squares(
            lambda p: _left(p, tapes, known) / sds,
            place,
            jac=lambda p: -_slopes(p, tapes, known),
            method="trf",
            xtol=1e-15,
            ftol=1e-15,
            gtol=1e-15,
            max_nfev=MOST_LOOKS,
        ).x
        if _cost(further, tapes, known) >= _cost(place, tapes, known):
            return place
        place = further
    return place


def _suspect(tapes: tuple[Tape, ...], known: tuple[Known, ...]) -> str | None:
    """The reading whose removal brings all others inside; of several such, the one that clearly leaves the least."""
    removals = [(tapes[:i] + tapes[i + 1 :], known) for i in range(len(tapes))]
    removals += [(tapes, known[:i] + known[i + 1 :]) for i in range(len(known))]
    left: list[tuple[float, str]] = []
    for name, (some_tapes, some_known) in zip(_names(tapes, known), removals, strict=True):
        if len(some_tapes) + len(some_known) >= FEWEST_READINGS:
            place = _places(some_tapes, some_known)[0]
            if _agrees(place, some_tapes, some_known):
                left.append((math.sqrt(_cost(place, some_tapes, some_known)), name))
    left.sort()
    if not left or (len(left) > 1 and left[0][0] > CLEARLY * left[1][0] - NOTHING):
        return None
    return left[0][1]


def _names(tapes: tuple[Tape, ...], known: tuple[Known, ...]) -> tuple[str, ...]:
    """What each reading is called: its point or its axis; a further tape from one point is numbered, so that none is lost."""
    found: list[str] = []
    for t in tapes:
        n = sum(1 for other in tapes[: len(found)] if other.from_id == t.from_id)
        found.append(t.from_id if n == 0 else f"{t.from_id} ({n + 1})")
    return (*found, *(k.axis for k in known))
