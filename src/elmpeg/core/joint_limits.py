"""How far each joint may bend, and how unevenly a line may run.

Practitioners differ, and a build says which school it follows:

* **three_degree**: every cardan between 0.5 and 3 deg. One degree too many
  wears the joint; none at all wears it too, since its needles never roll.
* **speed_limited**: the faster a shaft turns, the less it may bend. The cap is
  the angle at which a lone cardan's peak acceleration, nearly (speed x angle)²,
  reaches the shaft's limit.
"""

from __future__ import annotations

import math
from typing import Literal

from elmpeg.core.driveline import DrivelineMotion, Joint
from elmpeg.core.record import record
from elmpeg.core.verdicts import Verdict, verdict_within

School = Literal["three_degree", "speed_limited"]


@record
class JointLimits:
    """Limits that a lead may change on the build; defaults are common design limits."""

    flat_cap_deg: float = 3.0
    least_deg: float = 0.5
    shaft_accel_rad_s2: float = 1000.0
    driven_accel_rad_s2: float = 300.0
    lone_cardan_deg: float = 1.0
    maker_default_deg: float = 20.0
    near_margin_deg: float = 0.1


@record
class JointBand:
    """The angles a joint may have, and why, in words."""

    low_deg: float | None
    high_deg: float
    reason: str


def speed_cap_deg(rpm: float, limits: JointLimits) -> float:
    """Largest angle at which a lone cardan stays within the shaft's acceleration: sqrt(limit) / omega, in deg."""
    return math.degrees(math.sqrt(limits.shaft_accel_rad_s2) / (rpm * 2 * math.pi / 60))


def joint_bands(joints: tuple[Joint, ...], rpm: float, school: School, limits: JointLimits) -> tuple[JointBand, ...]:
    """The band of each joint in order."""
    return tuple(_band(i, joints, rpm, school, limits) for i in range(len(joints)))


def _band(i: int, joints: tuple[Joint, ...], rpm: float, school: School, limits: JointLimits) -> JointBand:
    joint = joints[i]
    if joint.kind != "cardan":
        named = joint.max_angle_deg is not None
        high = joint.max_angle_deg if joint.max_angle_deg is not None else limits.maker_default_deg
        return JointBand(None, high, "its maker's limit" if named else "the usual maker's limit, none being given")
    beside = [joints[k] for k in (i - 1, i + 1) if 0 <= k < len(joints)]
    if beside and all(other.kind != "cardan" for other in beside):
        return JointBand(None, limits.lone_cardan_deg, "nothing evens out its motion, so it should stay nearly straight")
    if school == "three_degree":
        reason = "the flat cap: not more, so that it lasts; not none, so that its needles roll"
        band = JointBand(limits.least_deg, limits.flat_cap_deg, reason)
    else:
        band = JointBand(limits.least_deg, speed_cap_deg(rpm, limits), f"the speed-based cap at {rpm:g} rpm")
    if joint.max_angle_deg is not None and joint.max_angle_deg < band.high_deg:
        return JointBand(band.low_deg, joint.max_angle_deg, "its maker's limit")
    return band


def line_verdicts(motion: DrivelineMotion, bands: tuple[JointBand, ...], limits: JointLimits) -> tuple[Verdict, ...]:
    """Verdict of each joint and then of each member's acceleration, without doubt but with the near margin."""
    joints = [verdict_within(j.angle_deg, b.low_deg, b.high_deg, limits.near_margin_deg) for j, b in zip(motion.joints, bands, strict=True)]
    members = [
        verdict_within(m.accel_peak_rad_s2, None, limits.driven_accel_rad_s2 if m.length_mm is None else limits.shaft_accel_rad_s2, 0.0)
        for m in motion.members
    ]
    return (*joints, *members)
