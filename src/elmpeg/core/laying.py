"""Where a build's driveline runs in a scene, at rest, under load and through its axle's travel."""

from __future__ import annotations

from itertools import pairwise

from elmpeg.core.carrying import at_heights, wound_up
from elmpeg.core.driveline import DrivelineMotion, Joint, LaidLine, driveline_motions, line_axes
from elmpeg.core.errors import InputError
from elmpeg.core.joint_limits import judged_rpm
from elmpeg.core.kept import Kept
from elmpeg.core.line_parts import CarriedAxle, Driveline
from elmpeg.core.model import Build
from elmpeg.core.record import record
from elmpeg.core.scene import Scene
from elmpeg.core.vectors import angle_deg, dot, norm, scale, sub

Height = tuple[float, float]
"""Rise of an axle's centre from ride height, mm, and its roll, deg."""


@record
class LineStep:
    """A line with its axle at one height: each joint's angle and each shaft's length."""

    height: Height
    angles_deg: tuple[float, ...]
    lengths_mm: tuple[float, ...]


def axle_of(build: Build, line: Driveline) -> CarriedAxle | None:
    """The carried axle that moves a line's end, where one is named."""
    return build.axle(line.axle) if line.axle else None


def joint_max_deg(build: Build, line: Driveline, index: int) -> float | None:
    """How far a joint bends at most: its own figure, else that of its shafts' joint size, None where nobody said."""
    return _MOST.get((build.series, line), lambda: tuple(_most_deg(build, line, k) for k in range(len(line.joints))))[index]


_MOST: Kept[tuple[float | None, ...]] = Kept(32)


def _most_deg(build: Build, line: Driveline, index: int) -> float | None:
    own = line.joints[index].max_angle_deg
    if own is not None:
        return own
    sizes = {s.id: s.max_angle_deg for s in build.series}
    beside = [sizes[s.series] for k in (index - 1, index) if (s := line.shaft(k)) and s.series in sizes]
    return min(beside) if beside and line.joints[index].kind == "cardan" else None


def laid_line(scene: Scene, line: Driveline) -> LaidLine:
    """Where a line runs. End axes are turned to point from the drive end to the driven end.

    Raises InputError where an end has no axis.
    """
    joints = tuple(Joint(j.id, scene.xyz(j.point), j.kind, joint_max_deg(scene.build, line, k)) for k, j in enumerate(line.joints))
    ends = []
    for k, near, far in ((0, 0, 1), (-1, -2, -1)):
        axis = scene.axis(line.joints[k].point)
        if axis is None:
            raise InputError("axis", f"Needs the axis of {scene.declared(line.joints[k].point).name}.")
        along = sub(joints[far].xyz_mm, joints[near].xyz_mm) if len(joints) > 1 else axis
        ends.append(axis if dot(axis, along) >= 0 else scale(axis, -1.0))
    return LaidLine(ends[0], ends[1], joints)


def angles_of(laid: LaidLine) -> tuple[float, ...]:
    """Each joint's true angle, deg; quick enough to search with."""
    return tuple(angle_deg(arriving, leaving) for arriving, leaving in pairwise(line_axes(laid.input_axis, laid.output_axis, laid.joints)))


def angles_in(scene: Scene, line: Driveline) -> tuple[float, ...]:
    """Each joint's true angle in a scene, deg."""
    return angles_of(laid_line(scene, line))


def lengths_of(laid: LaidLine) -> tuple[float, ...]:
    """Each shaft's length from joint centre to joint centre, mm."""
    return tuple(norm(sub(b.xyz_mm, a.xyz_mm)) for a, b in pairwise(laid.joints))


def steps_at(scene: Scene, line: Driveline, axle: CarriedAxle, heights: tuple[Height, ...]) -> tuple[LineStep, ...]:
    """The line with its axle at each height. Raises InputError out of reach."""
    steps = []
    for roll in dict.fromkeys(r for _, r in heights):
        rises = tuple(h for h, r in heights if r == roll)
        for rise, there in zip(rises, at_heights(scene, axle, rises, roll), strict=True):
            laid = laid_line(there, line)
            steps.append(LineStep((rise, roll), angles_of(laid), lengths_of(laid)))
    order = {s.height: s for s in steps}
    return tuple(order[h] for h in heights)


@record
class LineAt:
    """A line in one scene: as it lies at rest, and its motion at rest, under drive and on the overrun (the same without an axle)."""

    scene: Scene
    laid: LaidLine
    rest: DrivelineMotion
    drive: DrivelineMotion
    coast: DrivelineMotion


def lines_at(scenes: list[Scene], line: Driveline) -> list[LineAt]:
    """A line in several scenes of one build at once. Raises InputError where it cannot run."""
    if not scenes:
        return []
    build = scenes[0].build
    axle, limits = axle_of(build, line), build.limits.joints
    rpm = judged_rpm(line.rpm, build.limits.school, limits, line.use)
    at_rest = [laid_line(scene, line) for scene in scenes]
    laid = list(at_rest)
    if axle is not None:
        rise = limits.windup_deg(axle.kind)
        for turn in (rise, -rise * limits.coast_share):
            laid += [laid_line(wound_up(scene, axle, turn), line) for scene in scenes]
    motions = driveline_motions(rpm, tuple(laid), line.phases_deg)
    n = len(scenes)
    drive, coast = (n, 2 * n) if axle is not None else (0, 0)
    return [LineAt(scene, at_rest[k], motions[k], motions[drive + k], motions[coast + k]) for k, scene in enumerate(scenes)]
