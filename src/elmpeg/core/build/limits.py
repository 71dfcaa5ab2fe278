"""What a build holds its checks against."""

from __future__ import annotations

from dataclasses import field

from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import SURE
from elmpeg.core.methods.driveline.joint_limits import JointLimits, School


@record
class Limits:
    """What the build holds its checks against; leads may change it.

    ``sure`` is the chance of being inside a limit that “holds” asks for.
    """

    school: School = "three_degree"
    joints: JointLimits = field(default_factory=JointLimits)
    mount_tilt_deg: float = 1.0
    square_mm: float = 3.0
    mirror_mm: float = 3.0
    sure: float = SURE
