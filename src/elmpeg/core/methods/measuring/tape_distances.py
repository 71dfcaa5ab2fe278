"""Where a point is, from tape distances to known points and perhaps a known height or offset.

Three tapes meet in two places, one on either side of the plane through the points
they were held at; a fourth reading, or a rough idea, tells which.
"""

from __future__ import annotations

import math
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares, leastsq

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
MOST_ROUNDS, MOST_LOOKS, NEWTON_STEPS = 4, 500, 8
NEAR_IT = 1e-9
"""How near the general search comes, as a share of place and squares; from there Newton's steps are shorter."""
WELL_SET = 1e-12
"""Squares that curve less than this share along one way than along another are left to the general search."""
NO_WORSE = 1e-12
"""By this share squares may grow from rounding alone."""
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
    readings = _Readings(tapes, known)
    places = _places(readings)
    cost = readings.cost(places[0])
    fitting = [p for p in places if readings.cost(p) <= cost * (1 + EQUAL_COST) + EQUAL_COST or readings.agrees(p)]
    if near_mm is not None:
        near = near_mm
        fitting.sort(key=lambda p: norm(sub(_vec3(p), near)))
    else:
        fitting.sort(key=lambda p: -float(p[2]))
    best, other = fitting[0], fitting[1] if len(fitting) > 1 and near_mm is None else None
    _, singular, axes = np.linalg.svd(readings.slopes(best))
    if singular[-1] < LOOSEST:
        way = "XYZ"[int(np.argmax(np.abs(axes[-1])))]
        raise InputError(
            "distances", f"leave the point free along {way}; add a tape from a point off the plane of the others, or a known {way}"
        )
    # By singular values: squared slopes of very unequal doubts cannot be inverted.
    spread = np.sqrt(np.sum((axes.T / singular) ** 2, axis=1))
    left = readings.left(best)
    names = _names(tapes, known)
    status: Status = "fixed" if other is None else "ambiguous"
    suspect = None
    if not readings.agrees(best):
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


class _Readings:
    """All readings of a point as rows: the tapes first, then the known coordinates."""

    def __init__(self, tapes: tuple[Tape, ...], known: tuple[Known, ...]) -> None:
        self.from_mm: Array = np.array([t.from_mm for t in tapes]).reshape(-1, 3)
        self.tape_mm: Array = np.array([t.mm for t in tapes])
        self.sds_mm: Array = np.array([*(t.sd_mm for t in tapes), *(k.sd_mm for k in known)])
        self._axes = np.array(["xyz".index(k.axis) for k in known], dtype=np.intp)
        self._known_mm: Array = np.array([k.mm for k in known])
        self._count = len(tapes)
        self._still: Array = np.zeros((len(self.sds_mm), 3))
        self._still[np.arange(self._count, len(self.sds_mm)), self._axes] = 1.0 / self.sds_mm[self._count :]

    def left(self, place: Array) -> Array:
        """Read less computed, mm."""
        away = place - self.from_mm
        distances = np.sqrt(np.einsum("ij,ij->i", away, away))
        return np.concatenate((self.tape_mm - distances, self._known_mm - place[self._axes]))

    def left_in_sds(self, place: Array) -> Array:
        """The same, each in its standard deviation."""
        found: Array = self.left(place) / self.sds_mm
        return found

    def slopes(self, place: Array) -> Array:
        """How each computed reading grows with each coordinate, per standard deviation."""
        away = place - self.from_mm
        distances = np.maximum(np.sqrt(np.einsum("ij,ij->i", away, away)), SAME_PLACE_MM)
        rows = self._still.copy()
        rows[: self._count] = away / (distances * self.sds_mm[: self._count])[:, None]
        return rows

    def falls(self, place: Array) -> Array:
        """How what is left grows with each coordinate."""
        return -self.slopes(place)

    def led_on(self, place: Array) -> Array:
        """A place near one of the least squares, led there by Newton's steps: with readings that contradict each other the general
        search comes within a thousandth of a millimetre and then creeps. A place where they lead nowhere better stays."""
        for _ in range(NEWTON_STEPS):
            away = place - self.from_mm
            distances = np.maximum(np.sqrt(np.einsum("ij,ij->i", away, away)), SAME_PLACE_MM)
            ways, left, slopes = away / distances[:, None], self.left_in_sds(place), self.slopes(place)
            bent = left[: self._count] / (distances * self.sds_mm[: self._count])
            # The second derivative of a distance is nothing along its way, and one over its length across it.
            curvature = slopes.T @ slopes - bent.sum() * np.eye(3) + np.einsum("i,ij,ik->jk", bent, ways, ways)
            if not np.isfinite(curvature).all():
                return place
            least, _, most = np.linalg.eigvalsh(curvature)
            if least <= WELL_SET * most:
                return place
            step = np.linalg.solve(curvature, slopes.T @ left)
            if self.cost(place + step) > self.cost(place) * (1 + NO_WORSE):
                return place
            place = place + step
            if float(np.abs(step).max()) < SETTLED_MM / 10:
                return place
        return place

    def cost(self, place: Array) -> float:
        """The sum of squares that is to be least."""
        left = self.left_in_sds(place)
        return float(left @ left)

    def agrees(self, place: Array) -> bool:
        """Whether no reading contradicts a place."""
        return bool((np.abs(self.left(place)) <= CONTRADICTS_SD * self.sds_mm).all())


def _places(readings: _Readings) -> list[Array]:
    """Every place where the readings agree best locally, best first.

    Started from all around the known points, none of the starts lying in their plane,
    where a search may rest between the two mirror places; and from the mirror image of
    each place found, which is the other one wherever there are two.
    """
    corners = readings.from_mm if len(readings.from_mm) else np.zeros((1, 3))
    middle, reach = corners.mean(axis=0), max(readings.tape_mm, default=1000.0)
    normal = np.linalg.svd(corners - middle)[2][-1]
    found: list[Array] = []

    def search(start: Array) -> None:
        if not np.all(np.isfinite(readings.left_in_sds(start))):
            raise InputError("distances", "are too long to compute with; check the figures")
        # Coordinates are all lengths: none is scaled against the others.
        place, *_ = leastsq(
            readings.left_in_sds,
            start,
            Dfun=readings.falls,
            full_output=True,
            xtol=NEAR_IT,
            ftol=NEAR_IT,
            gtol=NEAR_IT,
            maxfev=200,
            diag=np.ones(3),
        )
        place = _settled(place, readings)
        if all(float(np.linalg.norm(place - p)) > SAME_PLACE_MM for p in found):
            found.append(place)

    for way in (normal, -normal, *np.eye(3), *-np.eye(3)):
        search(middle + way * reach * 0.7 + normal * reach * OFF_PLANE)
    for place in tuple(found):
        search(place - 2 * float((place - middle) @ normal) * normal)
    return sorted(found, key=readings.cost)


def _settled(place: Array, readings: _Readings) -> Array:
    """A place led on to where the squares are least: of very unequal doubts the general search creeps along the readings that
    are surest and may give up on the way. Where the slopes of the squares are nothing already it stays."""
    place = readings.led_on(place)
    for _ in range(MOST_ROUNDS):
        step = np.linalg.lstsq(readings.slopes(place), readings.left_in_sds(place), rcond=None)[0]
        if float(np.linalg.norm(step)) < SETTLED_MM:
            return place
        further: Array = least_squares(
            readings.left_in_sds, place, jac=readings.falls, method="trf", xtol=1e-15, ftol=1e-15, gtol=1e-15, max_nfev=MOST_LOOKS
        ).x
        if readings.cost(further) >= readings.cost(place):
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
            rest = _Readings(some_tapes, some_known)
            place = _places(rest)[0]
            if rest.agrees(place):
                left.append((math.sqrt(rest.cost(place)), name))
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
