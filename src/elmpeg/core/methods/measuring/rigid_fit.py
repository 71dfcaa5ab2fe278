"""Where a part sits, from points measured on it: the rigid motion that leaves the least."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Placed, Pose, pose_of
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, norm, sub

FEWEST_POINTS = 3
CLEARLY = 0.5
"""A suspect's removal must leave at most this share of what the next best removal leaves."""
THINNEST_SPREAD_MM = 1e-3
"""Second largest spread of the points below which they lie in a line and leave a turn open."""


@record
class PointPair:
    """A point in the part's own frame, and where it was measured in the vehicle."""

    id: str
    local_mm: Vec3
    measured_mm: Vec3


@record
class RigidFit:
    """The best pose and what each point leaves over, measured less fitted."""

    pose: Pose
    left_over_mm: tuple[tuple[str, Vec3], ...]
    rms_mm: float


def rigid_fit(pairs: tuple[PointPair, ...], field: str = "pairs") -> RigidFit:
    """Least-squares rigid motion (turn and shift, never a mirror) that carries local points to measured ones.

    ``rms_mm`` is the root mean square of the left-over lengths. Raises InputError
    for fewer than three points, or points in one line.
    Source: Kabsch's solution by singular value decomposition.
    """
    if len(pairs) < FEWEST_POINTS:
        raise InputError(field, f"has {len(pairs)} points; at least {FEWEST_POINTS} are needed to fix a position, not all in a line")
    local = np.array([p.local_mm for p in pairs])
    measured = np.array([p.measured_mm for p in pairs])
    for cloud, name in ((local, "on the part"), (measured, "as measured")):
        spread = np.linalg.svd(cloud - cloud.mean(axis=0), compute_uv=False)
        if spread[1] < THINNEST_SPREAD_MM:
            raise InputError(field, f"lie all in a line {name}; add a point to one side of it")
    turn = _best_turn(local - local.mean(axis=0), measured - measured.mean(axis=0))
    shift = measured.mean(axis=0) - turn @ local.mean(axis=0)
    where = Placed((_vec3(turn[0]), _vec3(turn[1]), _vec3(turn[2])), _vec3(shift))
    left = tuple((p.id, sub(p.measured_mm, where.point(p.local_mm))) for p in pairs)
    rms = math.sqrt(sum(norm(v) ** 2 for _, v in left) / len(left))
    return RigidFit(pose_of(where), left, rms)


@record
class Suspicion:
    """The one point that spoils a fit, and the fit without it."""

    id: str
    rms_without_mm: float


def suspicion(pairs: tuple[PointPair, ...], tolerance_mm: float) -> Suspicion | None:
    """The point whose reading is probably wrong, if one clearly is.

    Named only with at least four points and an rms above the tolerance, where one
    point's removal brings the rms within tolerance and to at most half of what
    removing the next best would.
    """
    if len(pairs) <= FEWEST_POINTS or rigid_fit(pairs).rms_mm <= tolerance_mm:
        return None
    without: list[Suspicion] = []
    for i, pair in enumerate(pairs):
        try:
            without.append(Suspicion(pair.id, rigid_fit(pairs[:i] + pairs[i + 1 :]).rms_mm))
        except InputError:
            continue
    without.sort(key=lambda s: s.rms_without_mm)
    if not without or without[0].rms_without_mm > tolerance_mm:
        return None
    if len(without) > 1 and without[0].rms_without_mm > CLEARLY * without[1].rms_without_mm:
        return None
    return without[0]


def _best_turn(local: NDArray[np.float64], measured: NDArray[np.float64]) -> NDArray[np.float64]:
    u, _, vt = np.linalg.svd(local.T @ measured)
    handed = np.diag([1.0, 1.0, np.sign(np.linalg.det(vt.T @ u.T))])
    turn: NDArray[np.float64] = vt.T @ handed @ u.T
    return turn


def _vec3(row: NDArray[np.float64]) -> Vec3:
    return (float(row[0]), float(row[1]), float(row[2]))
