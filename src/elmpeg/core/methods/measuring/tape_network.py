"""Tapes between points against the points' coordinates, all together: which one is wrong.

Every residual (tape less distance) scatters by its own tape and by the doubt of
its two ends, which it shares with the other tapes there. What does not fit is then
looked for among the tapes and among the points. A tape that is left out, and a point that is
set where its tapes say, change nothing of the tapes that do not touch them: whoever is to
explain all that contradicts must touch all of it, so that few are ever looked at.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from scipy import sparse
from scipy.sparse.linalg import splu

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
    net = _Net(nodes, struts)
    residuals = tuple(Residual(s.id, float(v), float(sd)) for s, v, sd in zip(struts, net.left_mm, net.sd_mm, strict=True))
    beyond = [k for k, r in enumerate(residuals) if abs(r.mm) > CONTRADICTS_SD * r.sd_mm]
    # A single tape before a point, since one wrong reading is likelier.
    if len(beyond) < 2:
        return NetworkFit(residuals, struts[beyond[0]].id if beyond else None)
    touching = set.intersection(*({struts[k].a, struts[k].b} for k in beyond))
    costs = sorted((cost, name) for name in touching if (cost := net.cost_without(name)) is not None)
    # Nobody where two explain it alike.
    named = bool(costs) and (len(costs) == 1 or costs[0][0] <= CLEARLY * costs[1][0])
    return NetworkFit(residuals, None, costs[0][1] if named else None)


class _Net:
    """The tapes and their ends: what each tape leaves over, how far that may scatter, and what a free point explains."""

    def __init__(self, nodes: tuple[Node, ...], struts: tuple[Strut, ...]) -> None:
        index = {n.id: k for k, n in enumerate(nodes)}
        self._struts = struts
        ends = np.array([[index[s.a], index[s.b]] for s in struts])
        places = np.array([n.xyz_mm for n in nodes])
        ways = places[ends[:, 1]] - places[ends[:, 0]]
        lengths = np.linalg.norm(ways, axis=1)
        self._along: Array = ways / np.where(lengths > 0, lengths, 1.0)[:, None]
        self._ends = ends
        self._doubt: Array = np.maximum(np.array([n.sd_mm for n in nodes]), SMALLEST_SD_MM) ** 2
        self._own: Array = np.maximum(np.array([s.sd_mm for s in struts]), SMALLEST_SD_MM) ** 2
        self.left_mm: Array = np.array([s.mm for s in struts]) - lengths
        of_ends = (self._along**2 * (self._doubt[ends[:, 0]] + self._doubt[ends[:, 1]])).sum(axis=1)
        self.sd_mm: Array = np.sqrt(self._own + of_ends)
        self._index = index

    def cost_without(self, name: str) -> float | None:
        """Root of the weighted squares that are left over where a point may be anywhere; None where a tape is still beyond three
        standard deviations, or where nothing is left that could contradict."""
        k = self._index[name]
        rows = (self._ends == k).any(axis=1)
        seen = np.where(rows[:, None], self._along * np.where(self._ends[:, 1] == k, 1.0, -1.0)[:, None], 0.0)
        weighed_left, weighed = np.split(self._weighed(np.column_stack([self.left_mm, seen])), [1], axis=1)
        pull, hold = seen.T @ weighed_left[:, 0], seen.T @ weighed
        freed = np.linalg.pinv(hold, rcond=FREE, hermitian=True)
        rank = int(np.linalg.matrix_rank(hold, tol=FREE * float(np.abs(hold).max()), hermitian=True))
        if rank == 0 or rank >= len(self._struts):
            return None
        left = self.left_mm - seen @ (freed @ pull)
        sd = np.sqrt(np.maximum(self.sd_mm**2 - np.einsum("ij,jk,ik->i", seen, freed, seen), 0.0))
        if (np.abs(left) > CONTRADICTS_SD * sd + SMALLEST_SD_MM).any():
            return None
        return math.sqrt(max(float(self.left_mm @ weighed_left[:, 0] - pull @ freed @ pull), 0.0))

    def _weighed(self, columns: Array) -> Array:
        """Columns by the inverse of S, without S itself: S holds every tape against every other.

        Source: Woodbury's identity for S = tapes + A C A'; what is solved is sparse, three rows a point.
        """
        count, (low, high) = len(self._struts), self._ends.T
        at = np.concatenate([3 * low[:, None] + np.arange(3), 3 * high[:, None] + np.arange(3)], axis=1)
        slopes = sparse.csr_matrix(
            (np.concatenate([-self._along, self._along], axis=1).ravel(), (np.repeat(np.arange(count), 6), at.ravel())),
            shape=(count, self._doubt.size),
        )
        tapes = columns / self._own[:, None]
        held = sparse.diags(1.0 / self._doubt.ravel()) + slopes.T @ sparse.diags(1.0 / self._own) @ slopes
        within = splu(sparse.csc_matrix(held)).solve(np.asarray(slopes.T @ tapes))
        weighed: Array = tapes - np.asarray(slopes @ within) / self._own[:, None]
        return weighed
