"""The move of a plate that makes its worst hole as good as it can be: for one plate exactly, for many at once from a move close by.

Holes stand about their middle and studs about theirs; a move is across and up in mm, and a turn.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import minimize

Array = NDArray[np.float64]
Flat = tuple[float, float]

SAME_PLACE_MM = 1e-6
EDGES_MM = (1.0, 0.3, 0.1, 0.03, 0.01, 0.003, 0.001)
"""How far holes may differ and still count as equally short, ever less, in the search for many plates at once."""
STEPS_PER_EDGE, HALVINGS, LONGEST_STEP_MM, STIFFNESS, ARRIVED = 8, 5, 20.0, 1e-9, 0.02


def turned(flat: Array, angle: float) -> Array:
    """Holes x 2, turned by an angle in radians."""
    c, s = math.cos(angle), math.sin(angle)
    there: Array = flat @ np.array([[c, s], [-s, c]])
    return there


def turned_each(flat: Array, angles: Array) -> Array:
    """Plates x holes x 2, each plate turned by its own angle."""
    c, s = np.cos(angles)[:, None], np.sin(angles)[:, None]
    there: Array = np.stack((c * flat[..., 0] - s * flat[..., 1], s * flat[..., 0] + c * flat[..., 1]), axis=-1)
    return there


def shortfall(flat: Array, aim: Array, play: Array, move: tuple[float, float, float]) -> float:
    """By how much the worst hole misses more than its float, mm, at a move: across, up, turned in radians."""
    left = turned(flat, move[2]) + np.array(move[:2]) - aim
    return float((np.hypot(left[:, 0], left[:, 1]) - play).max())


def least_squares_turn(flat: Array, aim: Array) -> float:
    """The turn, in radians, that leaves the least squares."""
    return math.atan2(float((flat[:, 0] * aim[:, 1] - flat[:, 1] * aim[:, 0]).sum()), float((flat * aim).sum()))


def descended(
    flat: Array, aim: Array, play: Array, start: float, reach: float, turns: bool, at: Flat = (0.0, 0.0)
) -> tuple[float, float, float]:
    """Least z for which every hole's miss stays below z + float: sequential quadratic programming from a start.

    The unknowns are shift, turn (times the reach, so that all are mm) and z; a miss of
    nothing is rounded off by a millionth of a millimetre, so that it has a slope.
    """

    def misses(v: Array) -> Array:
        return turned(flat, start + v[2] / reach) + v[:2] - aim

    def lengths(left: Array) -> Array:
        return np.asarray(np.sqrt((left**2).sum(axis=1) + SAME_PLACE_MM**2))

    def room(v: Array) -> Array:
        return np.asarray(v[3] + play - lengths(misses(v)))

    def slopes(v: Array) -> Array:
        left = misses(v)
        ways = left / lengths(left)[:, None]
        spun = turned(flat, start + v[2] / reach + math.pi / 2) / reach
        return np.column_stack((-ways, -(ways * spun).sum(axis=1), np.ones(len(play))))

    first = np.array((*at, 0.0, max(shortfall(flat, aim, play, (*at, start)), -float(play.min())) + SAME_PLACE_MM))
    limits = [(None, None), (None, None), (None, None) if turns else (0.0, 0.0), (-float(play.min()), None)]
    down = np.array((0.0, 0.0, 0.0, 1.0))
    found = minimize(
        lambda v: v[3],
        first,
        jac=lambda v: down,
        bounds=limits,
        constraints=[{"type": "ineq", "fun": room, "jac": slopes}],
        method="SLSQP",
        options={"ftol": 1e-12, "maxiter": 100},
    )
    return (float(found.x[0]), float(found.x[1]), start + float(found.x[2]) / reach)


def eased(flat: Array, aim: Array, play: Array, away: Array, start: float, turns: bool) -> Array:
    """The best moves (plates x (across, up, turn)) of many plates at once, from a move close by.

    ``flat`` and ``aim`` are plates x holes x 2 about their middles, ``play`` plates x holes, ``away`` plates x 2.
    """
    reach = max(float(np.abs(flat).max()), float(np.abs(aim).max()), 1.0)
    x = np.column_stack((away, np.full(len(flat), start * reach)))
    for edge in EDGES_MM:
        busy = np.arange(len(flat))
        for _ in range(STEPS_PER_EDGE):
            plates = _Plates(flat[busy], aim[busy], play[busy], reach, edge)
            step = plates.step(x[busy], 3 if turns else 2)
            x[busy] += step
            busy = busy[np.abs(step).max(axis=1) > ARRIVED * edge]
            if not len(busy):
                break
    x[:, 2] /= reach
    return x


@dataclass(frozen=True, slots=True)
class _Plates:
    """Plates whose largest shortfall is smoothed over ``edge``; a move is across, up, and turned by so much at ``reach``."""

    flat: Array
    aim: Array
    play: Array
    reach: float
    edge: float

    def missing(self, at: Array) -> tuple[Array, Array, Array]:
        """The holes turned, what each misses by, and how far."""
        turned = turned_each(self.flat, at[:, 2] / self.reach)
        left = turned + at[:, None, :2] - self.aim
        return turned, left, np.sqrt((left**2).sum(axis=-1) + SAME_PLACE_MM**2)

    def smoothed(self, at: Array) -> Array:
        """The largest shortfall, smoothed."""
        short = self.missing(at)[2] - self.play
        top = short.max(axis=1)
        total: Array = top + self.edge * np.log(np.exp((short - top[:, None]) / self.edge).sum(axis=1))
        return total

    def step(self, x: Array, free: int) -> Array:
        """How to move each on: Newton's step where that comes lower, else that of misses taken as bending alike both ways,
        which never goes too far."""
        turned, left, long = self.missing(x)
        short, edge, reach = long - self.play, self.edge, self.reach
        heavy = np.exp((short - short.max(axis=1, keepdims=True)) / edge)
        heavy /= heavy.sum(axis=1, keepdims=True)
        ways = left / long[..., None]
        spun = np.stack((-turned[..., 1], turned[..., 0]), axis=-1) / reach
        slopes = np.concatenate((ways, (ways * spun).sum(axis=-1, keepdims=True)), axis=-1)
        slope = (heavy[..., None] * slopes).sum(axis=1)
        # Each miss bends across its own way, and with the turn; the smoothed largest bends besides where several are alike.
        share = heavy / long
        alike = np.zeros((len(x), 3, 3))
        alike[:, 0, 0] = alike[:, 1, 1] = share.sum(axis=1)
        alike[:, 2, :2] = alike[:, :2, 2] = (share[..., None] * spun).sum(axis=1)
        alike[:, 2, 2] = (share * (spun**2).sum(axis=-1) - heavy * (ways * turned).sum(axis=-1) / reach**2).sum(axis=1)
        across = slopes.transpose(0, 2, 1)
        alike += (across * (heavy / edge)[:, None, :]) @ slopes - slope[:, :, None] * slope[:, None, :] / edge
        alike += STIFFNESS * np.eye(3)
        newton = alike - (across * share[:, None, :]) @ slopes
        here, left_to_do, taken = self.smoothed(x), np.ones(len(x), dtype=bool), np.zeros_like(x)
        for bend in (newton, alike):
            step = np.zeros_like(x)
            step[:, :free] = -np.linalg.solve(bend[:, :free, :free], slope[:, :free, None])[..., 0]
            step *= np.minimum(1.0, LONGEST_STEP_MM / np.maximum(np.abs(step).max(axis=1), SAME_PLACE_MM))[:, None]
            for _ in range(HALVINGS):
                lower = left_to_do & (self.smoothed(x + step) < here)
                taken[lower] = step[lower]
                left_to_do &= ~lower
                if not left_to_do.any():
                    return taken
                step /= 4
        return taken
