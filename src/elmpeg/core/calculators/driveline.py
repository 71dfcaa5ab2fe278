"""Calculator ``driveline``: angles, motion and verdicts of a line of joints and shafts."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.verdicts import worst
from elmpeg.core.calculators.fields import Axis, Deg, Finite, Name, PointMm, Request
from elmpeg.core.methods.driveline import line_motion as line
from elmpeg.core.methods.driveline.joint_limits import JointBand, JointLimits, School, joint_bands, line_verdicts
from elmpeg.core.methods.driveline.joint_motion import JointKind


class JointFields(Request):
    """One joint in order from the drive end."""

    id: Name
    xyz_mm: PointMm
    kind: JointKind
    max_angle_deg: Annotated[float, Field(gt=0, le=90, allow_inf_nan=False)] | None = None


class Driveline(Request):
    """A line at a speed. Axes run from the drive end to the driven end; one phase a shaft."""

    rpm: Annotated[Finite, Field(gt=0, le=100_000)]
    input_axis: Axis
    output_axis: Axis
    joints: Annotated[list[JointFields], Field(min_length=1, max_length=20)]
    phases_deg: list[Deg]
    school: School


def line_joints(request: Driveline) -> tuple[line.Joint, ...]:
    """The request's joints; raises InputError where two have one id."""
    joints = tuple(line.Joint(j.id, j.xyz_mm, j.kind, j.max_angle_deg) for j in request.joints)
    if len({j.id for j in joints}) < len(joints):
        raise InputError("joints", f"has two joints of one id among {', '.join(j.id for j in joints)}; give each its own")
    return joints


def compute(request: Driveline) -> dict[str, Any]:
    """Joint angles with limits and verdicts, each member's ripple and acceleration, and the equivalent angle."""
    joints = line_joints(request)
    limits = JointLimits()
    motion = line.driveline_motion(request.rpm, request.input_axis, request.output_axis, joints, tuple(request.phases_deg))
    bands = joint_bands(joints, request.rpm, request.school, limits)
    verdicts = line_verdicts(motion, bands, limits)
    return {
        "joints": [
            {
                **asdict(bent),
                "least_deg": band.low_deg,
                "limit_deg": band.high_deg,
                "verdict": verdict,
                "why": why(bent.angle_deg, band),
            }
            for bent, band, verdict in zip(motion.joints, bands, verdicts, strict=False)
        ],
        "members": [
            {**asdict(member), "verdict": verdict} for member, verdict in zip(motion.members, verdicts[len(motion.joints) :], strict=True)
        ],
        "equivalent_angle_deg": motion.equivalent_angle_deg,
        "verdict": worst(verdicts),
    }


def why(angle_deg: float, band: JointBand) -> str:
    """One plain sentence on a joint's angle against its band."""
    if angle_deg > band.high_deg:
        return f"{angle_deg:.2f}° is {angle_deg - band.high_deg:.2f}° over {band.high_deg:.2f}°: {band.reason}."
    if band.low_deg is not None and angle_deg < band.low_deg:
        return f"{angle_deg:.2f}° is under {band.low_deg:.2f}°: {band.reason}."
    return f"{angle_deg:.2f}° is within {band.low_deg or 0:.2f}° to {band.high_deg:.2f}°: {band.reason}."
