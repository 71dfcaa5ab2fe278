"""Shafts and joints: true angles and the exact motion that a line passes on.

A **cardan** joint passes rotation on unevenly as soon as it is bent: the driven
side runs ahead and falls back twice a turn. A second joint can undo that when
its angle and its fork's setting (the **phase**) match. A **double cardan** or
**constant velocity** joint passes motion on unchanged.

All axes run from the drive end to the driven end.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, angle_deg, norm, plan_slope_deg, side_slope_deg, sub, unit, wrapped_deg
from elmpeg.core.methods.driveline.joint_motion import (
    Array,
    JointKind,
    passed_on,
)

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


@record
class LaidLine:
    """Where a line runs: its end axes and its joints in order, directions from the drive end to the driven end."""

    input_axis: Vec3
    output_axis: Vec3
    joints: tuple[Joint, ...]


def driveline_motion(
    rpm: float, input_axis: Vec3, output_axis: Vec3, joints: tuple[Joint, ...], phases_deg: tuple[float, ...]
) -> DrivelineMotion:
    """Angles, lengths, speed ripple and peak acceleration of a line at steady input speed.

    ``phases_deg`` has one entry a shaft. Ripple is half the swing of speed in
    percent of the input speed; acceleration is in rad/s² at ``rpm``. Raises
    InputError for coincident joints, zero axes, a bend of 89 deg or more, or a
    wrong number of phases.
    """
    return driveline_motions(rpm, (LaidLine(input_axis, output_axis, joints),), phases_deg)[0]


def driveline_motions(rpm: float, laid: tuple[LaidLine, ...], phases_deg: tuple[float, ...]) -> tuple[DrivelineMotion, ...]:
    """The same for one line as it runs in several places, which costs little more than one. Raises InputError as for one."""
    if not laid:
        return ()
    axes = [_sound_axes(one, phases_deg) for one in laid]
    if rpm <= 0:
        raise InputError("rpm", f"is {rpm:g}; write the speed of the drive end, above 0")
    motion = passed_on(np.array(axes), tuple(j.kind for j in laid[0].joints), phases_deg)
    ripples, accels = motion.ripples_pct.tolist(), motion.accel_peaks_rad_s2(rpm).tolist()
    return tuple(_told(one, along, ripples[n], accels[n]) for n, (one, along) in enumerate(zip(laid, axes, strict=True)))


def motion_of(laid: LaidLine, figures: RunFigures) -> DrivelineMotion:
    """The same of a line whose bare figures are known already. Raises InputError as for one."""
    return _told(laid, line_axes(laid.input_axis, laid.output_axis, laid.joints), figures.ripples_pct, figures.accels_rad_s2)


def _told(laid: LaidLine, axes: tuple[Vec3, ...], ripples: Sequence[float], accels: Sequence[float]) -> DrivelineMotion:
    joints = laid.joints
    angles = joint_angles(axes, joints)
    _refuse_locked(angles)
    members = []
    for i, axis in enumerate(axes[1:]):
        last = i == len(joints) - 1
        members.append(
            MemberMotion(
                id="driven end" if last else f"{joints[i].id}-{joints[i + 1].id}",
                length_mm=None if last else norm(sub(joints[i + 1].xyz_mm, joints[i].xyz_mm)),
                slope_deg=side_slope_deg(axis),
                plan_deg=plan_slope_deg(axis),
                speed_ripple_pct=ripples[i],
                accel_peak_rad_s2=accels[i],
            )
        )
    return DrivelineMotion(angles, tuple(members), equivalent_angle_deg(members[-1].speed_ripple_pct / 100))


@record
class RunFigures:
    """The bare figures of a line in one place: each joint's angle, each member's unevenness and peak acceleration.

    ``bends_deg`` are the angles as vectors: along what each joint turns about.
    """

    angles_deg: tuple[float, ...]
    bends_deg: tuple[Vec3, ...]
    ripples_pct: tuple[float, ...]
    accels_rad_s2: tuple[float, ...]


@record
class BareFigures:
    """Figures of many lines as arrays, lines x joints (bends: x 3) or lines x members."""

    angles_deg: Array
    bends_deg: Array
    ripples_pct: Array
    accels_rad_s2: Array


def bare_figures(rpm: float, axes: Array, kinds: tuple[JointKind, ...], phases_deg: tuple[float, ...]) -> BareFigures:
    """The figures that ``driveline_motions`` gives, as arrays, for a search or a doubt that asks for thousands. ``axes``: lines x
    (joints + 1) x 3, unit vectors as ``axes_of`` gives them. Raises InputError for a bend of 89 deg or more."""
    angles, bends = bends_between(axes)
    if (angles > LARGEST_ANGLE_DEG).any():
        worst = int(angles.max(axis=0).argmax())
        words = (
            f"its joint {worst + 1} would bend {angles.max():.1f}°; below 90° is possible: do both axes run from drive end to driven end?"
        )
        raise InputError(f"joints.{worst}", words)
    motion = passed_on(axes, kinds, phases_deg)
    return BareFigures(angles, bends, motion.ripples_pct, motion.accel_peaks_rad_s2(rpm))


def axes_of(inputs: Array, outputs: Array, places: Array) -> Array:
    """Unit axes of many lines, lines x (joints + 1) x 3, from their end axes (lines x 3) and joints (lines x joints x 3).

    Raises InputError where an axis has no direction or two joints are at one place.
    """
    axes = np.concatenate((inputs[:, None], np.diff(places, axis=1), outputs[:, None]), axis=1)
    long = np.sqrt(np.einsum("nij,nij->ni", axes, axes))
    if not (long[:, 1:-1] >= SHORTEST_SHAFT_MM).all() or not (long > 0).all():
        raise InputError("joints", "has two at one place, or an end without a direction; a shaft needs a length")
    unit_axes: Array = axes / long[:, :, None]
    return unit_axes


def angles_between(axes: Array) -> Array:
    """Each joint's true angle, lines x joints, deg."""
    return bends_between(axes)[0]


def bends_between(axes: Array) -> tuple[Array, Array]:
    """Each joint's true angle, lines x joints, deg; and as a vector along what it turns about, lines x joints x 3."""
    a, b = axes[:, :-1], axes[:, 1:]
    crossed = np.stack(
        (
            a[..., 1] * b[..., 2] - a[..., 2] * b[..., 1],
            a[..., 2] * b[..., 0] - a[..., 0] * b[..., 2],
            a[..., 0] * b[..., 1] - a[..., 1] * b[..., 0],
        ),
        axis=-1,
    )
    along = np.einsum("nij,nij->ni", axes[:, :-1], axes[:, 1:])
    sines = np.sqrt(np.einsum("nij,nij->ni", crossed, crossed))
    angles: Array = np.degrees(np.arctan2(sines, along))
    bends: Array = crossed * (angles / np.where(sines > 0, sines, 1.0))[:, :, None]
    return angles, bends


def _sound_axes(laid: LaidLine, phases_deg: tuple[float, ...]) -> tuple[Vec3, ...]:
    shafts = max(0, len(laid.joints) - 1)
    if len(phases_deg) != shafts:
        raise InputError("phases_deg", f"has {len(phases_deg)} entries; write one a shaft, here {shafts}")
    return line_axes(laid.input_axis, laid.output_axis, laid.joints)


def _refuse_locked(angles: tuple[JointAngle, ...]) -> None:
    for i, bent in enumerate(angles):
        if bent.angle_deg > LARGEST_ANGLE_DEG:
            raise InputError(
                f"joints.{i}",
                f"joint {bent.id} would bend {bent.angle_deg:.1f}°; below 90° is possible: do both axes run from drive end to driven end?",
            )


def equivalent_angle_deg(ripple: float) -> float:
    """Angle of the single cardan joint with the same speed ripple (a fraction): acos(sqrt(1 + r²) - r)."""
    cosine = math.sqrt(1.0 + ripple * ripple) - ripple
    return math.degrees(math.acos(min(1.0, max(-1.0, cosine))))


@record
class MemberTrace:
    """One member over half a turn of the drive end, in equal steps: speed as a ratio to the drive end's, acceleration in rad/s²."""

    id: str
    speeds: tuple[float, ...]
    accels_rad_s2: tuple[float, ...]


def traces(rpm: float, laid: LaidLine, phases_deg: tuple[float, ...]) -> tuple[MemberTrace, ...]:
    """Each member's speed and acceleration through half a turn, for drawing; the other half is the same."""
    motion = passed_on(np.array([_sound_axes(laid, phases_deg)]), tuple(j.kind for j in laid.joints), phases_deg)
    speeds, rates = motion.followed()
    omega = rpm * 2 * math.pi / 60
    names = [f"{a.id}-{b.id}" for a, b in pairwise(laid.joints)] + ["driven end"]
    return tuple(
        MemberTrace(name, tuple(speeds[0, i].tolist()), tuple((rates[0, i] * omega * omega).tolist())) for i, name in enumerate(names)
    )
