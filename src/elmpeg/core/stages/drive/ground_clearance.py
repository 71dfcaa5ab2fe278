"""How high a shaft's underside runs above the ground."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, sub
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.methods.driveline.joint_motion import Array
from elmpeg.core.methods.driveline.line_motion import LaidLine

LEVEL_ENOUGH = 0.05
"""X part of a shaft's direction below which it has no place along the vehicle worth speaking of."""


@record
class Underside:
    """The lowest point of a line's shafts: how high above the ground, and where along the vehicle."""

    clearance_mm: float
    x_mm: float


def below_axis_mm(od_mm: float, along: Vec3) -> float:
    """How far a tube's underside lies below its axis, straight down at one place along the vehicle.

    The section of the tube at that place is an ellipse; its lowest point is
    r sqrt(1 - u_y²) / |u_x| below the axis, u being the axis's direction.
    """
    return float(_below_axes_mm(od_mm, np.array([along]))[0])


def _below_axes_mm(od_mm: float, along: Array) -> Array:
    """The same of many directions, rows of three."""
    u = along / np.sqrt(np.einsum("ni,ni->n", along, along))[:, None]
    below: Array = od_mm / 2 * np.sqrt(np.maximum(0.0, 1.0 - u[:, 1] ** 2)) / np.maximum(np.abs(u[:, 0]), LEVEL_ENOUGH)
    return below


def clearance_at(build: Build, line: Driveline, laid: LaidLine, x_mm: float) -> float | None:
    """Ground clearance under the line at a station, None beyond its ends or where its tube is not known."""
    found = []
    for k, (a, b) in enumerate(pairwise(laid.joints)):
        shaft = line.shaft(k)
        near, far = sorted((a.xyz_mm[0], b.xyz_mm[0]))
        if shaft is None or not near <= x_mm <= far or far - near < 1e-9:
            continue
        along = sub(b.xyz_mm, a.xyz_mm)
        z = a.xyz_mm[2] + along[2] * (x_mm - a.xyz_mm[0]) / along[0]
        found.append(z - below_axis_mm(shaft.od_mm, along))
    swings = _swings(build, line)
    for joint, swing in zip(laid.joints, swings, strict=True):
        off = x_mm - joint.xyz_mm[0]
        if swing and abs(off) < swing / 2:
            found.append(joint.xyz_mm[2] - math.sqrt((swing / 2) ** 2 - off**2))
    return min(found) - build.datum.ground_z_mm if found else None


def lowest(build: Build, line: Driveline, laid: LaidLine) -> Underside | None:
    """The lowest point of the line's tubes and joints, None where no tube is known."""
    return min(undersides(build, line, laid), key=lambda u: (u.clearance_mm, u.x_mm), default=None)


def undersides(build: Build, line: Driveline, laid: LaidLine) -> tuple[Underside, ...]:
    """The lowest points of each tube, at either end, and of each joint, in one order for one line; empty where no tube is known."""
    above, along = clearances(build, line, np.array([[j.xyz_mm for j in laid.joints]]))
    return tuple(Underside(z, x) for z, x in zip(above[0].tolist(), along[0].tolist(), strict=True))


def clearances(build: Build, line: Driveline, places: Array) -> tuple[Array, Array]:
    """The same in many scenes: how high above the ground, and where along the vehicle, scenes x points; ``places``: scenes x joints x 3."""
    low: list[Array] = []
    at: list[Array] = []
    for k, shaft in enumerate(line.shaft(k) for k in range(len(line.joints) - 1)):
        if shaft is None:
            continue
        drop = _below_axes_mm(shaft.od_mm, places[:, k + 1] - places[:, k])
        low += [places[:, n, 2] - drop for n in (k, k + 1)]
        at += [places[:, n, 0] for n in (k, k + 1)]
    swings = _swings(build, line) if line.shafts else []
    low += [places[:, k, 2] - swing / 2 for k, swing in enumerate(swings) if swing]
    at += [places[:, k, 0] for k, swing in enumerate(swings) if swing]
    if not low:
        none = np.zeros((len(places), 0))
        return none, none
    return np.stack(low, axis=1) - build.datum.ground_z_mm, np.stack(at, axis=1)


def _swings(build: Build, line: Driveline) -> list[float]:
    """The diameter each joint sweeps, by the size of the shafts beside it; 0 where it is not known."""
    sizes = {s.id: s.swing_mm for s in build.series}
    return [
        max((sizes.get(s.series, 0.0) for n in (k - 1, k) if n >= 0 and (s := line.shaft(n))), default=0.0) for k in range(len(line.joints))
    ]
