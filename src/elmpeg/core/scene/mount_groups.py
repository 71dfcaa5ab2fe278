"""An assembly's mounts as a hinge in front and what is raised or lowered behind."""

from __future__ import annotations

import math
from collections.abc import Callable

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose, pose_of, turned_about
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, mean
from elmpeg.core.build.mounts import Mount
from elmpeg.core.scene.scene import Scene, assembly_of, root_of

TOGETHER_MM = 150.0
"""Mounts within this length of the foremost one count as the front mounts."""


@record
class MountGroups:
    """An assembly's mounts as the hinge in front and the one behind that is raised or lowered."""

    root: str
    front: tuple[Mount, ...]
    rear: tuple[Mount, ...]


def mount_groups(scene: Scene, component_id: str) -> MountGroups:
    """The mounts of the assembly a component belongs to, front and rear."""
    assembly = {c.id for c in assembly_of(scene.build, component_id)}
    mounts = [m for m in scene.build.mounts if scene.declared(m.component_point).on in assembly]
    if not mounts:
        return MountGroups(root_of(scene.build, component_id).id, (), ())
    foremost = min(scene.xyz(m.component_point)[0] for m in mounts)
    front = tuple(m for m in mounts if scene.xyz(m.component_point)[0] <= foremost + TOGETHER_MM)
    return MountGroups(root_of(scene.build, component_id).id, front, tuple(m for m in mounts if m not in front))


def hinge_mm(scene: Scene, mounts: tuple[Mount, ...]) -> Vec3:
    """The middle of some mounts' component points, in the vehicle frame."""
    return mean([scene.xyz(m.component_point) for m in mounts])


def rear_raiser(scene: Scene, groups: MountGroups) -> Callable[[float], Pose]:
    """Gives the driving part's pose after the rear mount rises by so many mm, the front mounts being the hinge.

    What it gives raises InputError where the rise is more than the span allows.
    """
    root = scene.placement(groups.root)
    pose, pivot = pose_of(root), root.local(hinge_mm(scene, groups.front))
    hinge, rear = root.point(pivot), hinge_mm(scene, groups.rear)
    ahead, above = rear[0] - hinge[0], rear[2] - hinge[2]
    span = math.hypot(ahead, above)

    def raised(rise_mm: float) -> Pose:
        if abs(above + rise_mm) >= span:
            raise InputError("rise_mm", f"is {rise_mm:g} mm, more than the {span:.0f} mm between the mounts allows")
        # Seen from the side the rear mount moves on a circle about the hinge; nose-up is the negative turn.
        turn = math.asin(above / span) - math.asin((above + rise_mm) / span)
        return turned_about(pose, "pitch", math.degrees(turn), pivot)

    return raised
