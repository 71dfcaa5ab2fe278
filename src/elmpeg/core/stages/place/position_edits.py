"""Changes to a build: each takes a build and gives back another.

Every change refuses what makes no sense in words, and leaves the build it was
given untouched.
"""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Freedom, Pose, turned_about
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build, with_option
from elmpeg.core.build.options import Position
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM
from elmpeg.core.scene.mount_groups import hinge_mm, mount_groups
from elmpeg.core.scene.scene import Scene, pose_in, root_of
from elmpeg.core.stages.place.option_edits import refuse_agreed

ORIGIN, FRONT, REAR = "origin", "front", "rear"
"""What a part may turn about besides one of its points."""


def pivot_local_mm(build: Build, option_id: str, component_id: str, about: str) -> Vec3:
    """The point to turn about, in the frame of the assembly's driving part.

    ``about`` is ``origin``, ``front`` or ``rear`` (the middle of those mounts) or any point's id.
    Raises InputError where the assembly has no such mounts, MissingError for an unknown point.
    """
    if about == ORIGIN:
        return (0.0, 0.0, 0.0)
    scene = Scene(build, build.option(option_id))
    root = scene.placement(root_of(build, component_id).id)
    if about in (FRONT, REAR):
        groups = mount_groups(scene, component_id)
        mounts = groups.front if about == FRONT else groups.rear
        if not mounts:
            raise InputError("about", f"this part has no {about} mounts to turn about; choose another point")
        return root.local(hinge_mm(scene, mounts))
    return root.local(scene.xyz(about))


def nudged(build: Build, option_id: str, component_id: str, freedom: Freedom, amount: float, about: str = ORIGIN) -> Build:
    """The build with an assembly shifted or turned by an amount, mm or deg, in one option."""
    root = root_of(build, component_id)
    pivot = pivot_local_mm(build, option_id, component_id, about) if freedom in ("roll", "pitch", "yaw") else (0.0, 0.0, 0.0)
    pose = turned_about(pose_in(build, build.option(option_id), root.id), freedom, amount, pivot)
    return _positioned(build, option_id, root.id, pose)


def set_to(build: Build, option_id: str, component_id: str, freedom: Freedom, value: float, about: str = ORIGIN) -> Build:
    """The build with one of the six numbers of an assembly's position set, mm or deg, in one option."""
    root = root_of(build, component_id)
    now = pose_in(build, build.option(option_id), root.id).value(freedom)
    return nudged(build, option_id, component_id, freedom, value - now, about)


def shifted(build: Build, option_id: str, component_id: str, shift_mm: Vec3) -> Build:
    """The build with an assembly shifted along all three axes at once."""
    root = root_of(build, component_id)
    pose = pose_in(build, build.option(option_id), root.id)
    x, y, z = pose.origin_mm
    return _positioned(build, option_id, root.id, pose.with_origin((x + shift_mm[0], y + shift_mm[1], z + shift_mm[2])))


def placed_at(build: Build, option_id: str, component_id: str, pose: Pose) -> Build:
    """The build with a driving component, and all that is bolted to it, at a given pose in one option."""
    return _positioned(build, option_id, root_of(build, component_id).id, pose)


def _positioned(build: Build, option_id: str, root_id: str, pose: Pose) -> Build:
    option = build.option(option_id)
    refuse_agreed(build, option, "moved")
    component = build.component(root_id)
    if not component.movable:
        raise InputError("component", f"{component.name} is part of the vehicle and is not moved here")
    if any(abs(v) > LONGEST_MM for v in pose.origin_mm):
        raise InputError("amount", "puts the part more than 100 m away; check the figure")
    kept = tuple(p for p in option.positions if p.component != root_id)
    return with_option(build, replace(option, positions=(*kept, Position(root_id, pose))))
