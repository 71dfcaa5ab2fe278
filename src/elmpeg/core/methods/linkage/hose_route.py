"""A hose, cable or line through points, straight between them and rounded at each by its least bend radius."""

from __future__ import annotations

import math
from itertools import pairwise

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, angle_deg, norm, sub

SHORTEST_RUN_MM = 1e-6
DOUBLED_BACK_DEG = 179.9
"""A turn this sharp has no arc of any radius between its runs."""


@record
class Bend:
    """A bend at a point (counted from 0), how far it turns, and how much of each run its arc takes."""

    at: int
    turn_deg: float
    takes_mm: float


@record
class ShortRun:
    """A run, by the point that it starts from, and how much longer it would have to be."""

    from_point: int
    by_mm: float


@record
class HoseRoute:
    """The whole length, every bend, and the runs that are too short for their arcs."""

    length_mm: float
    bends: tuple[Bend, ...]
    short: tuple[ShortRun, ...]

    @property
    def fits(self) -> bool:
        """Whether every run has room for its arcs."""
        return not self.short


def hose_route(points_mm: tuple[Vec3, ...], bend_radius_mm: float) -> HoseRoute:
    """Length along the middle of the hose: runs less what the arcs cut off, 2 r tan(turn / 2) − r turn at each bend.

    Where a run is too short for its arcs the length still counts them, and ``short`` says by how much. Raises InputError
    for two points in one place and for a turn straight back.
    """
    runs = [sub(b, a) for a, b in pairwise(points_mm)]
    for k, run in enumerate(runs):
        if norm(run) < SHORTEST_RUN_MM:
            raise InputError(f"points_mm.{k + 1}", "is at the same place as the point before it; leave one of them out")
    bends = []
    for k, (a, b) in enumerate(pairwise(runs), 1):
        turn = angle_deg(a, b)
        if turn > DOUBLED_BACK_DEG:
            raise InputError(f"points_mm.{k}", "turns straight back on itself; put another point in so that the hose can go around")
        bends.append(Bend(k, turn, bend_radius_mm * math.tan(math.radians(turn) / 2)))
    takes = {b.at: b.takes_mm for b in bends}
    length = sum(norm(run) for run in runs) - sum(2 * b.takes_mm - bend_radius_mm * math.radians(b.turn_deg) for b in bends)
    lacking = [(k, takes.get(k, 0.0) + takes.get(k + 1, 0.0) - norm(run)) for k, run in enumerate(runs)]
    return HoseRoute(length, tuple(bends), tuple(ShortRun(k, by) for k, by in lacking if by > 1e-9))
