"""Tapes between points against the points' coordinates, all together: which one is wrong.

Every residual (tape less distance) scatters by its own tape and by the doubt of
its two ends, which it shares with the other tapes there. What does not fit is then
looked for among the tapes and among the points, by leaving out each in turn.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3

Array = NDArray[np.float64]

CONTRADICTS_SD = 3.0
CLEARLY = 0.5
"""The culprit's removal must leave at most this share of what removing the next best leaves (root of weighted squares)."""
SMALLEST_SD_MM = 1e-6
FREE = 1e-9
"""Relative size below which a direction of a point is not seen by any tape."""


@record
class Strut:
    """One tape between two points: its length and doubt, and the points' places with their doubt along each axis."""

    id: str
    a: str
    b: str
    mm: float
    sd_mm: float


@record
class Node:
    """A point with known coordinates."""

    id: str
    xyz_mm: Vec3
    sd_mm: Vec3


@record
class Residual:
    """What one tape leaves over, tape less distance, and how far it may scatter with all its ends' doubt."""

    id: str
    mm: float
    sd_mm: float


@record
class NetworkFit:
    """All residuals, and the one tape or point whose removal brings all others inside three standard deviations."""

    residuals: tuple[Residual, ...]
    suspect_strut: str | None = None
    suspect_node: str | None = None


def network_fit(nodes: tuple[Node, ...], struts: tuple[Strut, ...]) -> NetworkFit:
    """Hold tapes against coordinates, mm. Struts between nodes at one place are left out of the slopes.

    Source: data snooping with the residuals' full covariance, S = tapes + A C A'.
    """
    if not struts:
        return NetworkFit(())
    index = {n.id: k for k, n in enumerate(nodes)}
    slopes, left, own = np.zeros((len(struts), 3 * len(nodes))), np.zeros(len(struts)), np.zeros(len(struts))
    for row, strut in enumerate(struts):
        a, b = nodes[index[strut.a]], nodes[index[strut.b]]
        way = np.array(b.xyz_mm) - np.array(a.xyz_mm)
        length = float(np.linalg.norm(way))
        left[row], own[row] = strut.mm - length, max(strut.sd_mm, SMALLEST_SD_MM) ** 2
        if length > 0:
            slopes[row, 3 * index[strut.b] : 3 * index[strut.b] + 3] = way / length
            slopes[row, 3 * index[strut.a] : 3 * index[strut.a] + 3] = -way / length
    doubt = np.array([max(s, SMALLEST_SD_MM) ** 2 for n in nodes for s in n.sd_mm])
    spread = np.diag(own) + (slopes * doubt) @ slopes.T
    residuals = tuple(Residual(s.id, float(v), math.sqrt(float(c))) for s, v, c in zip(struts, left, np.diag(spread), strict=True))
    if all(abs(r.mm) <= CONTRADICTS_SD * r.sd_mm for r in residuals):
        return NetworkFit(residuals)
    removals: list[tuple[float, int, str]] = []
    for row, strut in enumerate(struts):
        kept = np.arange(len(struts)) != row
        cost = _cost_if_agreeing(left[kept], spread[np.ix_(kept, kept)])
        if cost is not None:
            removals.append((cost, 0, strut.id))
    for k, node in enumerate(nodes):
        # A point that may be anywhere takes with it what its tapes say along it.
        seen = slopes[:, 3 * k : 3 * k + 3]
        tied = _projector(seen)
        if tied is not None:
            cost = _cost_if_agreeing(tied @ left, tied @ spread @ tied.T)
            if cost is not None:
                removals.append((cost, 1, node.id))
    return NetworkFit(residuals, *_named(removals))


def _named(removals: list[tuple[float, int, str]]) -> tuple[str | None, str | None]:
    """The culprit: a single tape before a point, since one wrong reading is likelier; nobody where two explain it alike."""
    for kind in (0, 1):
        some = sorted(r for r in removals if r[1] == kind)
        if some and (len(some) == 1 or some[0][0] <= CLEARLY * some[1][0]):
            return (some[0][2], None) if kind == 0 else (None, some[0][2])
        if some and kind == 0:
            return (None, None)
    return (None, None)


def _projector(seen: Array) -> Array | None:
    """Rows that no shift of one point changes; None where its tapes leave nothing."""
    u, s, _ = np.linalg.svd(seen, full_matrices=True)
    rank = int((s > FREE).sum())
    if rank == 0 or rank >= len(seen):
        return None
    return np.asarray(u[:, rank:].T)


def _cost_if_agreeing(left: Array, spread: Array) -> float | None:
    """Root of the weighted squares of what is left over, None where any one is beyond three standard deviations."""
    if len(left) == 0:
        return 0.0
    if (np.abs(left) > CONTRADICTS_SD * np.sqrt(np.diag(spread))).any():
        return None
    return math.sqrt(max(float(left @ np.linalg.solve(spread, left)), 0.0))
