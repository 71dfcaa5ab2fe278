"""How far each joint may bend, and how unevenly a line may run.

Practitioners differ, and a build says which school it follows:

* **three_degree**: every cardan between 0.5 and 3 deg. One degree too many
  wears the joint; none at all wears it too, since its needles never roll.
* **speed_limited**: the faster a shaft turns, the less it may bend. The cap is
  the angle at which a lone cardan's peak acceleration, nearly (speed x angle)²,
  reaches the shaft's limit.
* **low_speed_crawler**: geared low, the shaft seldom turns fast, so it is judged
  at a crawling speed, up to a cap of its own.

A steering shaft turns by hand: its joints may bend far, but its unevenness is
felt at the wheel, so that is what is limited. A power take-off follows its own
speed whatever the school.
"""

from __future__ import annotations

import math
from typing import Annotated, Literal

from elmpeg.core.base.declared import POSITIVE
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import Verdict, verdict_within
from elmpeg.core.methods.driveline.axle_travel import TravelKind
from elmpeg.core.methods.driveline.line_motion import DrivelineMotion, Joint

School = Literal["three_degree", "speed_limited", "low_speed_crawler"]
LineUse = Literal["propeller", "power_take_off", "steering"]


@record
class JointLimits:
    """Limits that a lead may change on the build; defaults are common design limits.

    ``windup`` figures are how far the pinion rises under full drive, by how its axle is
    carried; on the overrun it dips by ``coast_share`` of that.
    """

    flat_cap_deg: Annotated[float, POSITIVE] = 3.0
    least_deg: Annotated[float, POSITIVE] = 0.5
    shaft_accel_rad_s2: Annotated[float, POSITIVE] = 1000.0
    driven_accel_rad_s2: Annotated[float, POSITIVE] = 300.0
    lone_cardan_deg: Annotated[float, POSITIVE] = 1.0
    maker_default_deg: Annotated[float, POSITIVE] = 20.0
    near_margin_deg: Annotated[float, POSITIVE] = 0.1
    crawler_rpm: Annotated[float, POSITIVE] = 1200.0
    crawler_cap_deg: Annotated[float, POSITIVE] = 10.0
    steering_cap_deg: Annotated[float, POSITIVE] = 30.0
    steering_ripple_pct: Annotated[float, POSITIVE] = 5.0
    equal_within_deg: Annotated[float, POSITIVE] = 1.0
    carrier_first_deg: Annotated[float, POSITIVE] = 1.5
    bind_spare_deg: Annotated[float, POSITIVE] = 1.0
    slip_spare_mm: Annotated[float, POSITIVE] = 10.0
    ground_mm: Annotated[float, POSITIVE] = 150.0
    speed_share: Annotated[float, POSITIVE] = 0.75
    windup_leaf_deg: Annotated[float, POSITIVE] = 2.0
    windup_four_link_deg: Annotated[float, POSITIVE] = 1.0
    windup_swing_deg: Annotated[float, POSITIVE] = 0.5
    windup_parallel_deg: Annotated[float, POSITIVE] = 0.1
    coast_share: Annotated[float, POSITIVE] = 0.5

    def windup_deg(self, carried: TravelKind) -> float:
        """How far the pinion rises under full drive."""
        rise: float = getattr(self, f"windup_{carried}_deg")
        return rise


@record
class JointBand:
    """The angles a joint may have, and why, in words."""

    low_deg: float | None
    high_deg: float
    reason: str


def speed_cap_deg(rpm: float, limits: JointLimits) -> float:
    """Largest angle at which a lone cardan stays within the shaft's acceleration: sqrt(limit) / omega, in deg."""
    return math.degrees(math.sqrt(limits.shaft_accel_rad_s2) / (rpm * 2 * math.pi / 60))


def judged_rpm(rpm: float, school: School, limits: JointLimits, use: LineUse = "propeller") -> float:
    """The speed at which a line is judged: its own, or a crawling one where the school says so."""
    return min(rpm, limits.crawler_rpm) if school == "low_speed_crawler" and use == "propeller" else rpm


def joint_bands(
    joints: tuple[Joint, ...], rpm: float, school: School, limits: JointLimits, use: LineUse = "propeller"
) -> tuple[JointBand, ...]:
    """The band of each joint in order."""
    return tuple(_band(i, joints, rpm, school, limits, use) for i in range(len(joints)))


def most_deg(joint: Joint, limits: JointLimits) -> float:
    """How far a joint bends at all: its maker's figure, or the usual one."""
    return joint.max_angle_deg if joint.max_angle_deg is not None else limits.maker_default_deg


def _band(i: int, joints: tuple[Joint, ...], rpm: float, school: School, limits: JointLimits, use: LineUse) -> JointBand:
    joint = joints[i]
    named = joint.max_angle_deg is not None
    if use == "steering":
        capped = joint.kind == "cardan" and limits.steering_cap_deg < (joint.max_angle_deg or limits.steering_cap_deg + 1)
        if capped:
            return JointBand(None, limits.steering_cap_deg, "a steering joint bent further feels stiff and lumpy")
        return JointBand(None, joint.max_angle_deg or limits.steering_cap_deg, "its maker's limit" if named else "the limit for steering")
    if joint.kind != "cardan":
        return JointBand(None, most_deg(joint, limits), "its maker's limit" if named else "the usual maker's limit, none being given")
    beside = [joints[k] for k in (i - 1, i + 1) if 0 <= k < len(joints)]
    if beside and all(other.kind != "cardan" for other in beside):
        return JointBand(None, limits.lone_cardan_deg, "nothing evens out its motion, so it should stay nearly straight")
    if school == "three_degree" and use == "propeller":
        reason = "the flat cap: not more, so that it lasts; not none, so that its needles roll"
        band = JointBand(limits.least_deg, limits.flat_cap_deg, reason)
    elif school == "low_speed_crawler" and use == "propeller":
        at = judged_rpm(rpm, school, limits)
        band = _capped(min(limits.crawler_cap_deg, speed_cap_deg(at, limits)), f"the crawler's cap, judged at {at:g} rpm", limits)
    else:
        band = _capped(speed_cap_deg(rpm, limits), f"the speed-based cap at {rpm:g} rpm", limits)
    if joint.max_angle_deg is not None and joint.max_angle_deg < band.high_deg:
        return JointBand(band.low_deg, joint.max_angle_deg, "its maker's limit")
    return band


def _capped(cap_deg: float, reason: str, limits: JointLimits) -> JointBand:
    """A band up to a cap that speed sets; one below the least angle leaves no angle that is right, and is told so.

    What the speed allows then goes before what the needles need: too little wears a joint, too much shakes a shaft to pieces.
    """
    if cap_deg >= limits.least_deg:
        return JointBand(limits.least_deg, cap_deg, reason)
    short = f", which lies below the {limits.least_deg:g}° its needles need to roll: run it slower, or fit a joint of another kind"
    return JointBand(None, cap_deg, reason + short)


def line_verdicts(motion: DrivelineMotion, bands: tuple[JointBand, ...], limits: JointLimits) -> tuple[Verdict, ...]:
    """Verdict of each joint and then of each member's acceleration, without doubt but with the near margin."""
    joints = [verdict_within(j.angle_deg, b.low_deg, b.high_deg, limits.near_margin_deg) for j, b in zip(motion.joints, bands, strict=True)]
    members = [
        verdict_within(m.accel_peak_rad_s2, None, limits.driven_accel_rad_s2 if m.length_mm is None else limits.shaft_accel_rad_s2, 0.0)
        for m in motion.members
    ]
    return (*joints, *members)
