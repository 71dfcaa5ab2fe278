"""What a build holds its checks against."""

from __future__ import annotations

from dataclasses import field
from typing import Annotated

from elmpeg.core.base.declared import NOT_NEGATIVE, POSITIVE, In, Within
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import LEAST_SURE, MOST_SURE, SURE
from elmpeg.core.methods.driveline.joint_limits import JointLimits, School


@record
class Limits:
    """What the build holds its checks against; leads may change it.

    ``sure`` is the chance of being inside a limit that “holds” asks for.
    """

    school: School = "three_degree"
    joints: JointLimits = field(default_factory=JointLimits)
    mount_tilt_deg: Annotated[float, POSITIVE] = 1.0
    square_mm: Annotated[float, NOT_NEGATIVE] = 3.0
    mirror_mm: Annotated[float, NOT_NEGATIVE] = 3.0
    sure: Annotated[float, In("ratio"), Within(LEAST_SURE, MOST_SURE)] = SURE
