"""How to set a line's forks against each other so that its joints undo each other's unevenness."""

from __future__ import annotations

import itertools

import numpy as np

from elmpeg.core.base.record import record
from elmpeg.core.methods.driveline.joint_motion import Array, passed_on
from elmpeg.core.methods.driveline.line_motion import LaidLine, equivalent_angle_deg, line_axes

COARSE_DEG = 10.0
ZOOMS = 5
WINDOW = 7
"""The best setting is looked for every 10 deg, and then five times in a window of seven a third as wide."""
HALF_TURN_DEG = 180.0
"""A fork turned by half a turn is the same fork."""
MOST_FREE = 2
FINEST_DEG = 0.1
WORTH, NOTHING_PCT = 1.02, 1e-4
"""Forks stay as they are where turning them gains less than a fiftieth, or nothing that can be felt."""
PLAIN_DEG = (0.0, 90.0)
"""Settings that a shaft maker sets by eye along the splines."""


@record
class Phasing:
    """Settings of the forks, one a shaft, and what unevenness they leave at the driven end."""

    phases_deg: tuple[float, ...]
    ripple_pct: float
    equivalent_angle_deg: float


def best_phases(laid: LaidLine, phases_deg: tuple[float, ...]) -> Phasing:
    """The settings that leave the driven end turning most evenly, each from above -90 up to 90 deg; those given, or plain ones, where they do as well.

    The forks of the last two shafts are searched; any before them stay as they are.
    """
    shafts = len(phases_deg)
    free = list(range(max(0, shafts - MOST_FREE), shafts))
    best = np.array(phases_deg, dtype=np.float64)
    if free:
        steps = np.arange(-HALF_TURN_DEG / 2, HALF_TURN_DEG / 2, COARSE_DEG)
        best = _least(laid, best, free, [steps] * len(free))
        width = COARSE_DEG
        for _ in range(ZOOMS):
            around = np.linspace(-width, width, WINDOW)
            best = _least(laid, best, free, [best[k] + around for k in free])
            width /= WINDOW / 2
    told = tuple(_told(v) for v in best)
    if free:
        plain = [(*phases_deg[: free[0]], *turns) for turns in itertools.product(PLAIN_DEG, repeat=len(free))]
        tries = [phases_deg, *plain, told]
        found = [float(v) for v in _ripples(laid, np.array(tries))]
        if found[0] <= min(found) * WORTH + NOTHING_PCT:
            told = phases_deg
        else:
            told = next(row for row, ripple in zip(tries, found, strict=True) if ripple <= min(found) + NOTHING_PCT)
    ripple = float(_ripples(laid, np.array([told]))[0])
    return Phasing(told, ripple, equivalent_angle_deg(ripple / 100))


def ripple_with(laid: LaidLine, phases_deg: tuple[float, ...]) -> float:
    """The driven end's unevenness with the forks set so, percent."""
    return float(_ripples(laid, np.array([phases_deg], dtype=np.float64))[0])


def _least(laid: LaidLine, now: Array, free: list[int], choices: list[Array]) -> Array:
    rows = np.array([_with(now, free, values) for values in itertools.product(*choices)])
    return np.asarray(rows[int(np.argmin(_ripples(laid, rows)))], dtype=np.float64)


def _with(now: Array, free: list[int], values: tuple[float, ...]) -> Array:
    row = now.copy()
    row[free] = values
    return row


def _ripples(laid: LaidLine, phases: Array) -> Array:
    axes = np.array([line_axes(laid.input_axis, laid.output_axis, laid.joints)])
    kinds = tuple(j.kind for j in laid.joints)
    found: Array = passed_on(np.repeat(axes, len(phases), axis=0), kinds, phases).ripples_pct[:, -1]
    return found


def _told(phase_deg: float) -> float:
    """To the tenth of a degree, from above -90 up to 90."""
    tenths = round(phase_deg / FINEST_DEG) % round(HALF_TURN_DEG / FINEST_DEG)
    return (tenths - round(HALF_TURN_DEG / FINEST_DEG) if tenths > round(HALF_TURN_DEG / 2 / FINEST_DEG) else tenths) * FINEST_DEG
