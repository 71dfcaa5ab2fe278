"""Shafts and joints: true angles and the exact motion that a line passes on.

A **cardan** joint passes rotation on unevenly as soon as it is bent: the driven
side runs ahead and falls back twice a turn. A second joint can undo that when
its angle and its fork's setting (the **phase**) match. A **double cardan** or
**constant velocity** joint passes motion on unchanged.

All axes run from the drive end to the driven end.
"""

from __future__ import annotations

import math
from itertools import pairwise
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.errors import InputError
from elmpeg.core.record import record
from elmpeg.core.vectors import (
    Vec3,
    angle_deg,
    any_perpendicular,
    cross,
    norm,
    plan_slope_deg,
    side_slope_deg,
    sub,
    unit,
    wrapped_deg,
)

JointKind = Literal["cardan", "double_cardan", "constant_velocity"]
Array = NDArray[np.float64]

SAMPLES = 180
"""Positions over half a turn of the input; every cross repeats after half a turn."""
_COSINES = np.cos(np.arange(SAMPLES) * (math.pi / SAMPLES))[:, None]
_SINES = np.sin(np.arange(SAMPLES) * (math.pi / SAMPLES))[:, None]
"""Half a turn of the input in steps; everything repeats after that."""
STRAIGHT_DEG = 1e-7
"""Joint angle below which a joint counts as straight: its ripple is below 1e-17."""
SHORTEST_SHAFT_MM = 1e-3
LARGEST_ANGLE_DEG = 89.0
"""A cross locks at a right angle; close to it, the axes were most likely entered the wrong way round."""


@record
class Joint:
    """One joint: where it is and of what kind."""

    id: str
    xyz_mm: Vec3
    kind: JointKind = "cardan"
    max_angle_deg: float | None = None


@record
class JointAngle:
    """A joint's true angle, and how much of it shows from the side and from above."""

    id: str
    kind: JointKind
    angle_deg: float
    side_deg: float
    plan_deg: float


@record
class MemberMotion:
    """One shaft, or last the driven end, whose ``length_mm`` is None."""

    id: str
    length_mm: float | None
    slope_deg: float
    plan_deg: float
    speed_ripple_pct: float
    accel_peak_rad_s2: float


@record
class DrivelineMotion:
    """Everything a line's geometry fixes."""

    joints: tuple[JointAngle, ...]
    members: tuple[MemberMotion, ...]
    equivalent_angle_deg: float


def line_axes(input_axis: Vec3, output_axis: Vec3, joints: tuple[Joint, ...]) -> tuple[Vec3, ...]:
    """Unit axes in order: input, each shaft, output. Raises InputError where one has no direction."""
    if not joints:
        raise InputError("joints", "is empty; a driveline has at least one joint")
    axes = [_axis(input_axis, "input_axis")]
    for i, (near, far) in enumerate(pairwise(joints)):
        along = sub(far.xyz_mm, near.xyz_mm)
        if norm(along) < SHORTEST_SHAFT_MM:
            raise InputError(f"joints.{i + 1}.xyz_mm", f"joint {far.id} is at the same place as joint {near.id}; a shaft needs a length")
        axes.append(unit(along))
    axes.append(_axis(output_axis, "output_axis"))
    return tuple(axes)


def _axis(axis: Vec3, field: str) -> Vec3:
    try:
        return unit(axis)
    except ValueError:
        raise InputError(field, "is zero; an axis needs a direction, such as [1, 0, 0]") from None


def joint_angles(axes: tuple[Vec3, ...], joints: tuple[Joint, ...]) -> tuple[JointAngle, ...]:
    """True, side and plan angle of each joint between the axes on either side of it, in degrees."""
    return tuple(
        JointAngle(
            joint.id,
            joint.kind,
            angle_deg(arriving, leaving),
            wrapped_deg(side_slope_deg(leaving) - side_slope_deg(arriving)),
            wrapped_deg(plan_slope_deg(leaving) - plan_slope_deg(arriving)),
        )
        for joint, arriving, leaving in zip(joints, axes, axes[1:])  # noqa: B905 - one axis more than joints
    )


def driveline_motion(
    rpm: float, input_axis: Vec3, output_axis: Vec3, joints: tuple[Joint, ...], phases_deg: tuple[float, ...]
) -> DrivelineMotion:
    """Angles, lengths, speed ripple and peak acceleration of a line at steady input speed.

    ``phases_deg`` has one entry a shaft. Ripple is half the swing of speed in
    percent of the input speed; acceleration is in rad/s² at ``rpm``. Raises
    InputError for coincident joints, zero axes, a bend of 89 deg or more, or a
    wrong number of phases.
    """
    if len(phases_deg) != max(0, len(joints) - 1):
        raise InputError("phases_deg", f"has {len(phases_deg)} entries; write one a shaft, here {max(0, len(joints) - 1)}")
    if rpm <= 0:
        raise InputError("rpm", f"is {rpm:g}; write the speed of the drive end, above 0")
    axes = line_axes(input_axis, output_axis, joints)
    angles = joint_angles(axes, joints)
    for i, bent in enumerate(angles):
        if bent.angle_deg > LARGEST_ANGLE_DEG:
            raise InputError(
                f"joints.{i}",
                f"joint {bent.id} would bend {bent.angle_deg:.1f}°; below 90° is possible: do both axes run from drive end to driven end?",
            )
    speeds, accels = _passed_on(axes, joints, phases_deg)
    omega = rpm * 2 * math.pi / 60
    members = []
    for i, (speed, accel) in enumerate(zip(speeds, accels, strict=True)):
        axis = axes[i + 1]
        last = i == len(joints) - 1
        members.append(
            MemberMotion(
                id="driven end" if last else f"{joints[i].id}-{joints[i + 1].id}",
                length_mm=None if last else norm(sub(joints[i + 1].xyz_mm, joints[i].xyz_mm)),
                slope_deg=side_slope_deg(axis),
                plan_deg=plan_slope_deg(axis),
                speed_ripple_pct=(_peak(speed) + _peak(-speed)) / 2 * 100,
                accel_peak_rad_s2=max(0.0, _peak(accel), _peak(-accel)) * omega * omega,
            )
        )
    return DrivelineMotion(angles, tuple(members), equivalent_angle_deg(members[-1].speed_ripple_pct / 100))


def equivalent_angle_deg(ripple: float) -> float:
    """Angle of the single cardan joint with the same speed ripple (a fraction): acos(sqrt(1 + r²) - r)."""
    cosine = math.sqrt(1.0 + ripple * ripple) - ripple
    return math.degrees(math.acos(min(1.0, max(-1.0, cosine))))


def speed_trace(
    input_axis: Vec3, output_axis: Vec3, joints: tuple[Joint, ...], phases_deg: tuple[float, ...]
) -> tuple[tuple[float, ...], ...]:
    """Speed of each member over half a turn of the input, as a ratio to the input speed; for drawing."""
    speeds, _ = _passed_on(line_axes(input_axis, output_axis, joints), joints, phases_deg)
    return tuple(tuple(float(v) for v in speed) for speed in speeds)


def _passed_on(axes: tuple[Vec3, ...], joints: tuple[Joint, ...], phases_deg: tuple[float, ...]) -> tuple[list[Array], list[Array]]:
    """Speed ratio and its rate (per radian of input, per input speed squared) of each member.

    At a cardan bent by b, with the driving ears at angle a from the line square
    to both axes, the driven side turns at cos b / (1 - sin²b sin²a) times the
    driving side: the derivative of the definition that the driven ears lie along
    (leaving axis x driving ears).
    """
    along = any_perpendicular(axes[0])
    ears = _COSINES * np.array(along) + _SINES * np.array(cross(axes[0], along))
    speed, rate = np.ones(SAMPLES), np.zeros(SAMPLES)
    speeds: list[Array] = []
    rates: list[Array] = []
    for i, joint in enumerate(joints):
        arriving, leaving = axes[i], axes[i + 1]
        bend = math.radians(angle_deg(arriving, leaving))
        bent = math.degrees(bend) > STRAIGHT_DEG
        if joint.kind == "cardan":
            if bent:
                square = unit(cross(arriving, leaving))
                c, s2 = math.cos(bend), math.sin(bend) ** 2
                sine, cosine = ears @ np.array(cross(arriving, square)), ears @ np.array(square)
                below = 1.0 - s2 * sine * sine
                ratio = c / below
                slope = c * s2 * 2.0 * sine * cosine / (below * below)
                rate = rate * ratio + speed * speed * slope
                speed = speed * ratio
            ears = ears @ _crossing(leaving)
            ears /= np.sqrt(np.einsum("ij,ij->i", ears, ears))[:, None]
        elif bent:
            ears = _rotated(ears, unit(cross(arriving, leaving)), bend)
        speeds.append(speed)
        rates.append(rate)
        if i < len(phases_deg) and phases_deg[i]:
            ears = _rotated(ears, leaving, math.radians(phases_deg[i]))
    return speeds, rates


def _rotated(vectors: Array, about: Vec3, angle_rad: float) -> Array:
    axis = np.array(about)
    c, s = math.cos(angle_rad), math.sin(angle_rad)
    turned: Array = vectors * c + vectors @ _crossing(about) * s + np.outer(vectors @ axis, axis) * (1 - c)
    return turned


def _crossing(axis: Vec3) -> Array:
    """The matrix M for which v M is (axis x v), row by row."""
    x, y, z = axis
    return np.array([[0.0, z, -y], [-z, 0.0, x], [y, -x, 0.0]])


def _peak(values: Array) -> float:
    """Highest value of a smooth periodic curve: the parabola through its highest sample and the two beside it."""
    i = int(np.argmax(values))
    left, top, right = float(values[i - 1]), float(values[i]), float(values[(i + 1) % len(values)])
    curve = left - 2 * top + right
    if curve >= 0:
        return top
    return top - (left - right) ** 2 / (8 * curve)
