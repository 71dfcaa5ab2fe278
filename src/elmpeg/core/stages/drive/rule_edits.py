"""What a build's lines are held against: the school, the limits, the sizes of joints."""

from __future__ import annotations

from dataclasses import fields, replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import (
    JointSeries,
)
from elmpeg.core.methods.driveline.joint_limits import JointLimits, School
from elmpeg.core.stages.drive.line_edits import with_sound_lines


def with_school(build: Build, school: School) -> Build:
    """The build with its joint angles held to another school."""
    return replace(build, limits=replace(build.limits, school=school))


def with_limits(build: Build, joints: JointLimits) -> Build:
    """The build with its limits for lines changed. Raises InputError beside each that is not above 0."""
    for field in fields(joints):
        if getattr(joints, field.name) <= 0:
            raise InputError(field.name, "must be above 0")
    if joints.least_deg >= joints.flat_cap_deg:
        raise InputError("least_deg", "must be below the flat cap")
    if joints.speed_share > 1:
        raise InputError("speed_share", "is a share of the bending speed, at most 1")
    return replace(build, limits=replace(build.limits, joints=joints))


def with_series(build: Build, one: JointSeries) -> Build:
    """The build with a joint size added (no id) or changed."""
    name = cleaned_name(one.name, "series_name")
    if not 0 < one.max_angle_deg < 90:
        raise InputError("series_angle", "must be above 0° and below 90°")
    if one.swing_mm <= 0:
        raise InputError("series_swing", "must be above 0")
    made = replace(one, name=name, id=one.id or new_id(name, (s.id for s in build.series)))
    if one.id:
        return replace(build, series=tuple(made if s.id == made.id else s for s in build.series))
    return with_sound_lines(replace(build, series=(*build.series, made)))
