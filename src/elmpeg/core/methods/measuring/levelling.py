"""How far off level the vehicle stands: the plane through heights read at places that should be level."""

from __future__ import annotations

import math

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3

FEWEST_POINTS = 3
THINNEST_SPREAD_MM = 1e-3
"""Second largest spread seen from above, below which the places lie in a line and leave a tilt open."""


@record
class Levelness:
    """The least-squares plane and what each height leaves over, measured less plane."""

    pitch_deg: float
    roll_deg: float
    height_at_origin_mm: float
    residuals_mm: tuple[float, ...]
    rms_mm: float


def levelness(points_mm: tuple[Vec3, ...]) -> Levelness:
    """Pitch and roll of the plane z = c + a x + b y through three or more points.

    ``pitch = -atan a`` (tail down positive), ``roll = atan(b cos pitch)`` (right
    side up positive): the turns that carry a level plane onto this one. Raises
    InputError for fewer than three points, or points in a line seen from above.
    """
    if len(points_mm) < FEWEST_POINTS:
        raise InputError("points_mm", f"has {len(points_mm)} points; a plane needs at least {FEWEST_POINTS}, not all in a line")
    points = np.array(points_mm)
    flat = points[:, :2] - points[:, :2].mean(axis=0)
    if np.linalg.svd(flat, compute_uv=False)[1] < THINNEST_SPREAD_MM:
        raise InputError("points_mm", "lie all in a line seen from above; read a height to one side of it as well")
    middle = points.mean(axis=0)
    (a, b), *_ = np.linalg.lstsq(flat, points[:, 2] - middle[2], rcond=None)
    c = middle[2] - a * middle[0] - b * middle[1]
    left = points[:, 2] - (c + a * points[:, 0] + b * points[:, 1])
    pitch = -math.atan(a)
    return Levelness(
        pitch_deg=math.degrees(pitch),
        roll_deg=math.degrees(math.atan(b * math.cos(pitch))),
        height_at_origin_mm=float(c),
        residuals_mm=tuple(float(v) for v in left),
        rms_mm=float(np.sqrt((left**2).mean())),
    )
