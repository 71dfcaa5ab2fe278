"""How a part settles on its mounts: the position in which each gap is what is put into it.

A spacer under one mount does not lift that mount alone. With three or more mounts
height, pitch and roll follow; with two, height and the turn that their line allows;
with one, height alone. What the mounts do not settle stays as it is.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Freedom, Pose, pose_of, turned_about
from elmpeg.core.base.record import record
from elmpeg.core.build.mounts import Mount
from elmpeg.core.scene.scene import Scene, assembly_of, root_of
from elmpeg.core.stages.mount.mount_checks import geometry_of

Array = NDArray[np.float64]

FREE: tuple[Freedom, ...] = ("z", "pitch", "roll")
NUDGE = {"z": 1.0, "pitch": 0.1, "roll": 0.1}
"""Steps for the slopes, mm and deg."""
LEVER_MM = 300.0
"""What a degree counts against a millimetre where the mounts leave a choice: about a foot's distance from the middle."""
PASSES = 8
CLOSE_MM = 1e-4
FURTHEST_MM, FURTHEST_DEG = 150.0, 15.0


@record
class Settled:
    """Where a part comes to rest, and what each mount's gap then lacks or has over, by mount id."""

    pose: Pose
    left_mm: tuple[tuple[str, float], ...]

    @property
    def worst_mm(self) -> float:
        """The largest misfit; with four mounts or more a stiff part cannot sit on all."""
        return max((abs(v) for _, v in self.left_mm), default=0.0)


def settled(scene: Scene, component_id: str, filled_mm: dict[str, float]) -> Settled:
    """The pose in which the gaps of an assembly's mounts are as given; least squares where there are more than three.

    ``filled_mm`` by mount id: what is in its gap. Mounts without an axis or hole do not count.
    Raises InputError where none is left, or the part would have to go impossibly far.
    """
    root = root_of(scene.build, component_id)
    mounts = [m for m in mounts_of(scene, root.id) if m.id in filled_mm]
    if not mounts:
        raise InputError("stack", "no mount of this part is measured well enough to settle on")
    wanted = np.array([filled_mm[m.id] for m in mounts])
    start = pose = pose_of(scene.placement(root.id))
    left = _gaps(scene, root.id, pose, mounts) - wanted
    for _ in range(PASSES):
        if float(np.abs(left).max()) < CLOSE_MM:
            break
        slopes = np.array([(_gaps(scene, root.id, _moved(pose, f, NUDGE[f]), mounts) - wanted - left) / NUDGE[f] for f in FREE]).T
        # In millimetres at a common lever, so that the least change is the one a person would call least.
        levers = np.array((1.0, np.radians(LEVER_MM), np.radians(LEVER_MM)))
        step = np.linalg.lstsq(slopes / levers, -left, rcond=1e-6)[0] / levers
        for freedom, amount in zip(FREE, step, strict=True):
            pose = _moved(pose, freedom, float(amount))
        if (
            abs(pose.z_mm - start.z_mm) > FURTHEST_MM
            or max(abs(pose.pitch_deg - start.pitch_deg), abs(pose.roll_deg - start.roll_deg)) > FURTHEST_DEG
        ):
            raise InputError("stack", "would move the part further than any spacer should; check the gaps")
        before = float(np.abs(left).max())
        left = _gaps(scene, root.id, pose, mounts) - wanted
        if len(mounts) > len(FREE) and abs(before - float(np.abs(left).max())) < CLOSE_MM:
            break
    return Settled(pose, tuple((m.id, float(v)) for m, v in zip(mounts, left, strict=True)))


def mounts_of(scene: Scene, component_id: str) -> tuple[Mount, ...]:
    """An assembly's mounts whose points have axes and holes."""
    on = {c.id for c in assembly_of(scene.build, component_id)}
    found = []
    for m in scene.build.mounts:
        points = (scene.declared(m.component_point), scene.declared(m.seat_point))
        if points[0].on in on and all(p.axis is not None and p.hole_mm is not None for p in points):
            found.append(m)
    return tuple(found)


def _gaps(scene: Scene, root_id: str, pose: Pose, mounts: list[Mount]) -> Array:
    there = scene.with_pose(root_id, pose)
    return np.array([geometry_of(there, m).gap_mm for m in mounts])


def _moved(pose: Pose, freedom: Freedom, amount: float) -> Pose:
    return turned_about(pose, freedom, amount, (0.0, 0.0, 0.0))
