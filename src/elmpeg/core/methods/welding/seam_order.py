"""In which order to weld seams so that the part is pulled about as little as can be.

A seam shrinks and pulls; its pull is taken as its length times how far it lies from
the middle of all. Welded in a good order, what is pulled one way is soon pulled back.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3

MOST_SEAMS = 16
ROUNDING = 1e-9


@record
class Seam:
    """A run of weld, its length and where its middle is."""

    id: str
    length_mm: float
    at_mm: Vec3


@record
class SeamOrder:
    """The order, the largest pull on the way, and the pull after each seam, length x distance."""

    order: tuple[str, ...]
    worst_mm2: float
    pulls_mm2: tuple[float, ...]
    centre_mm: Vec3


def seam_order(seams: tuple[Seam, ...]) -> SeamOrder:
    """The order with the least largest |Σ length (at − centre)| on the way; exact, over all sets of seams done.

    The centre is the length-weighted mean, so that the pull is nothing at the end. Of orders with the same largest pull
    the one whose pulls sum to least is taken. At most 16 seams.
    """
    lengths = np.array([s.length_mm for s in seams])
    at = np.array([s.at_mm for s in seams])
    centre = lengths @ at / lengths.sum()
    steps = lengths[:, None] * (at - centre)
    n = len(seams)
    sums = np.zeros((1 << n, 3))
    for k in range(n):
        sums[1 << k : 2 << k] = sums[: 1 << k] + steps[k]
    pull = np.linalg.norm(sums, axis=1)
    worst = _least(pull, n, np.maximum)
    limit = worst[-1] * (1 + ROUNDING) + ROUNDING
    total = _least(np.where(pull <= limit, pull, np.inf), n, np.add)
    order, done = [], (1 << n) - 1
    while done:
        k = min((k for k in range(n) if done >> k & 1), key=lambda k: (total[done ^ 1 << k], k))
        order.append(k)
        done ^= 1 << k
    order.reverse()
    return pulls_in(seams, tuple(seams[k].id for k in order))


def pulls_in(seams: tuple[Seam, ...], order: tuple[str, ...]) -> SeamOrder:
    """What a given order of the seams' ids pulls on the way."""
    by_id = {s.id: s for s in seams}
    lengths = np.array([by_id[name].length_mm for name in order])
    at = np.array([by_id[name].at_mm for name in order])
    centre = lengths @ at / lengths.sum()
    pulls = np.linalg.norm(np.cumsum(lengths[:, None] * (at - centre), axis=0), axis=1).tolist()
    return SeamOrder(order, max(pulls), tuple(pulls), (float(centre[0]), float(centre[1]), float(centre[2])))


def _least(cost: NDArray[np.float64], n: int, joined: np.ufunc) -> NDArray[np.float64]:
    """For each set of seams done, the least of costs joined over the sets passed on the way to it."""
    best = np.full(1 << n, np.inf)
    best[0] = 0.0
    sizes = np.array([int(k).bit_count() for k in range(1 << n)])
    for size in range(1, n + 1):
        sets = np.flatnonzero(sizes == size)
        before = np.full(len(sets), np.inf)
        for k in range(n):
            has = (sets >> k & 1).astype(bool)
            before[has] = np.minimum(before[has], best[sets[has] ^ (1 << k)])
        best[sets] = joined(before, cost[sets])
    return best
