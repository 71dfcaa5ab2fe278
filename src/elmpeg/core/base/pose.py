"""Positions of components and how they turn.

Vehicle frame: X rearward, Y to the vehicle's right, Z up, right-handed.
``p_vehicle = R p_local + t`` with ``R = Rz(yaw) Ry(pitch) Rx(roll)``, so that
positive pitch is tail down, positive roll is right side up and positive yaw is
tail to the right.
"""

from __future__ import annotations

import math
from typing import Literal, get_args

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, sub, turned, unit, wrapped_deg

Freedom = Literal["x", "y", "z", "roll", "pitch", "yaw"]
FREEDOMS: tuple[Freedom, ...] = get_args(Freedom)
Rotation = tuple[Vec3, Vec3, Vec3]

_FIELDS: dict[Freedom, str] = {
    "x": "x_mm", "y": "y_mm", "z": "z_mm", "roll": "roll_deg", "pitch": "pitch_deg", "yaw": "yaw_deg",
}  # fmt: skip
UPRIGHT_LIMIT = 1e-9
"""Cosine of pitch below which roll and yaw turn about the same line."""


@record
class Pose:
    """Where a component sits: its origin in mm and its three turns in degrees."""

    x_mm: float = 0.0
    y_mm: float = 0.0
    z_mm: float = 0.0
    roll_deg: float = 0.0
    pitch_deg: float = 0.0
    yaw_deg: float = 0.0

    @property
    def origin_mm(self) -> Vec3:
        """The component's own origin in the vehicle frame."""
        return (self.x_mm, self.y_mm, self.z_mm)

    def value(self, freedom: Freedom) -> float:
        """One of the six numbers, mm or deg."""
        value: float = getattr(self, _FIELDS[freedom])
        return value

    def with_value(self, freedom: Freedom, value: float) -> Pose:
        """The same position with one of its six numbers changed; the origin is what it turns about."""
        if freedom in ("roll", "pitch", "yaw"):
            value = wrapped_deg(value)
        six = [value if f == freedom else self.value(f) for f in FREEDOMS]
        return Pose(*six)

    def with_origin(self, origin_mm: Vec3) -> Pose:
        """The same turns with the origin elsewhere."""
        return Pose(*origin_mm, self.roll_deg, self.pitch_deg, self.yaw_deg)


def rotation(pose: Pose) -> Rotation:
    """Rows of R = Rz(yaw) Ry(pitch) Rx(roll)."""
    r, p, y = math.radians(pose.roll_deg), math.radians(pose.pitch_deg), math.radians(pose.yaw_deg)
    cr, sr, cp, sp, cy, sy = math.cos(r), math.sin(r), math.cos(p), math.sin(p), math.cos(y), math.sin(y)
    return (
        (cy * cp, cy * sp * sr - sy * cr, cy * sp * cr + sy * sr),
        (sy * cp, sy * sp * sr + cy * cr, sy * sp * cr - cy * sr),
        (-sp, cp * sr, cp * cr),
    )


def rotate(r: Rotation, v: Vec3) -> Vec3:
    """R v."""
    (a, b, c), (d, e, f), (g, h, i) = r
    x, y, z = v
    return (a * x + b * y + c * z, d * x + e * y + f * z, g * x + h * y + i * z)


def rotate_back(r: Rotation, v: Vec3) -> Vec3:
    """Transpose of R, times v."""
    return (
        r[0][0] * v[0] + r[1][0] * v[1] + r[2][0] * v[2],
        r[0][1] * v[0] + r[1][1] * v[1] + r[2][1] * v[2],
        r[0][2] * v[0] + r[1][2] * v[1] + r[2][2] * v[2],
    )


@record
class Placed:
    """A pose with its rotation worked out once, for carrying many points."""

    rotation: Rotation
    origin_mm: Vec3

    def point(self, local_mm: Vec3) -> Vec3:
        """A point of the component in the vehicle frame."""
        return add(rotate(self.rotation, local_mm), self.origin_mm)

    def direction(self, local: Vec3) -> Vec3:
        """A direction of the component in the vehicle frame."""
        return rotate(self.rotation, local)

    def local(self, vehicle_mm: Vec3) -> Vec3:
        """A point of the vehicle frame in the component's own."""
        return rotate_back(self.rotation, sub(vehicle_mm, self.origin_mm))


def placed(pose: Pose) -> Placed:
    """A pose ready to carry points."""
    return Placed(rotation(pose), pose.origin_mm)


def compose(outer: Placed, inner: Placed) -> Placed:
    """Where something sits that is placed by ``inner`` in a frame placed by ``outer``."""
    columns = [rotate(outer.rotation, (inner.rotation[0][i], inner.rotation[1][i], inner.rotation[2][i])) for i in range(3)]
    return Placed(_rows(columns), outer.point(inner.origin_mm))


def seen_from(frame: Placed, where: Placed) -> Placed:
    """Where something sits in a frame, of what sits in the vehicle: ``compose(frame, ...)`` undone."""
    columns = [rotate_back(frame.rotation, (where.rotation[0][i], where.rotation[1][i], where.rotation[2][i])) for i in range(3)]
    return Placed(_rows(columns), frame.local(where.origin_mm))


def about_axis(centre_mm: Vec3, axis: Vec3, deg: float) -> Placed:
    """The motion that turns about a line, by the right hand along it; raises ValueError for an axis without direction."""
    turn = _rows([turned(one, unit(axis), deg) for one in ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))])
    return Placed(turn, sub(centre_mm, rotate(turn, centre_mm)))


def _rows(columns: list[Vec3]) -> Rotation:
    (a, d, g), (b, e, h), (c, f, i) = columns
    return ((a, b, c), (d, e, f), (g, h, i))


def pose_of(where: Placed) -> Pose:
    """The six numbers of a placement.

    Looking straight up or down (pitch of 90 deg) roll and yaw are one turn; all of it is called yaw.
    """
    r = where.rotation
    cos_pitch = math.hypot(r[0][0], r[1][0])
    pitch = math.atan2(-r[2][0], cos_pitch)
    if cos_pitch > UPRIGHT_LIMIT:
        roll, yaw = math.atan2(r[2][1], r[2][2]), math.atan2(r[1][0], r[0][0])
    else:
        roll, yaw = 0.0, math.atan2(-r[0][1], r[1][1])
    x, y, z = where.origin_mm
    return Pose(x, y, z, math.degrees(roll), math.degrees(pitch), math.degrees(yaw))


def turned_about(pose: Pose, freedom: Freedom, amount: float, pivot_local_mm: Vec3 = (0.0, 0.0, 0.0)) -> Pose:
    """The pose after one of its six numbers grows by ``amount`` while a point stays where it is.

    ``pivot_local_mm`` is in the component's own frame. A shift (x, y, z) ignores it:
    nothing can stay where it is in a shift.
    """
    changed = pose.with_value(freedom, pose.value(freedom) + amount)
    if freedom in ("x", "y", "z"):
        return changed
    stays = placed(pose).point(pivot_local_mm)
    return changed.with_origin(sub(stays, rotate(rotation(changed), pivot_local_mm)))
