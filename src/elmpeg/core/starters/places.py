"""Where a part begins its life in a build: a place to look at and move it from, never a figure to rely on."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.pose import Placed, Pose, compose, placed
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import add
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build
from elmpeg.core.methods.shapes.solids import FIXED, corners_of
from elmpeg.core.scene.bodies import shapes
from elmpeg.core.scene.scene import Scene
from elmpeg.core.starters.book_part import BookPart, rear_face

ENGINE_BEHIND_MM = 450.0
"""How far behind the front wheels an engine's rear face is first put."""
ENGINE_UP_MM = 600.0
MIDDLE_UP_MM = 500.0
SAME_AXLE_MM = 100.0
CLEAR_MM = 30.0
"""Between the boxes around a part that has just been put in and whatever is near: more than what is watched at first."""
STEP_MM = 25.0
MOST_STEPS = 120
WAYS_OFF = ((0.0, 0.0, 1.0), (0.0, 1.0, 0.0), (0.0, -1.0, 0.0), (1.0, 0.0, 0.0), (-1.0, 0.0, 0.0))
Bounds = tuple[NDArray[np.float64], NDArray[np.float64]]
BOLTS_TO: dict[str, tuple[str, ...]] = {
    "gearbox": ("engine_inline", "engine_vee", "motor"),
    "transfer": ("gearbox",),
}
"""What a kind of part is usually bolted to."""


@record
class Place:
    """Where a part is first put: bolted to a parent, or by itself in the vehicle."""

    pose: Pose
    parent: str | None = None


def first_place(build: Build, part: BookPart, bolted: bool = True) -> Place:
    """Where a part goes before anybody says: a gearbox on the last free rear face, an axle at its wheels, the rest by kind.

    Where it is not to be ``bolted`` to anything it stands by itself.
    """
    if bolted and part.kind in BOLTS_TO:
        parent = _free_rear_face(build)
        face = rear_face(build, parent) if parent else None
        if parent is not None and face is not None:
            return Place(Pose(*face.xyz_mm), parent.id)
    xs = [w.centre_mm[0] for w in build.wheels] or [0.0]
    front, rear = min(xs), max(xs)
    if part.kind == "axle":
        ahead = any(p.name == "pinion" and p.xyz_mm[0] < 0 for p in part.points)
        x = rear if ahead else front
        heights = [w.centre_mm[2] for w in build.wheels if w.centre_mm[0] == x]
        return Place(Pose(x, 0.0, heights[0] if heights else MIDDLE_UP_MM))
    if part.kind in ("engine_inline", "engine_vee"):
        return Place(beside(build, part, Pose(front + ENGINE_BEHIND_MM, 0.0, ENGINE_UP_MM), of_vehicle=False))
    if part.kind == "radiator":
        return Place(beside(build, part, Pose(front - ENGINE_BEHIND_MM, 0.0, MIDDLE_UP_MM), of_vehicle=False))
    return Place(beside(build, part, Pose((front + rear) / 2, 0.0, MIDDLE_UP_MM)))


def beside(build: Build, part: BookPart, pose: Pose, parent: str | None = None, of_vehicle: bool = True) -> Pose:
    """The nearest place to ``pose``, straight up, sideways, rearward or forward, where a part is clear of everything there is.

    An engine goes between what the vehicle has: for it only other parts count, not ``of_vehicle``. What has just been put in is to be moved to where it goes; until then it runs into nothing. ``pose`` as it is where nothing is in
    the way, or nowhere is clear.
    """
    scene = Scene(build, build.options[0]) if build.options else None
    own = [corners_of(s) for s in part.solids]
    if scene is None or not own:
        return pose
    others = [_box(corners_of(b.solid), b.where) for b in shapes(build, scene.placement) if of_vehicle or b.kind == "part"]
    outer = scene.placement(parent) if parent else FIXED
    for steps in range(MOST_STEPS):
        for way in WAYS_OFF if steps else WAYS_OFF[:1]:
            off = (way[0] * steps * STEP_MM, way[1] * steps * STEP_MM, way[2] * steps * STEP_MM)
            there = pose.with_origin(add(pose.origin_mm, off))
            where = compose(outer, placed(there))
            if not any(_near(_box(corners, where), other) for corners in own for other in others):
                return there
    return pose


def _box(corners: NDArray[np.float64], where: Placed) -> Bounds:
    moved = corners @ np.array(where.rotation).T + np.array(where.origin_mm)
    return moved.min(axis=0), moved.max(axis=0)


def _near(one: Bounds, other: Bounds) -> bool:
    return bool(np.all(one[0] - CLEAR_MM < other[1]) and np.all(other[0] - CLEAR_MM < one[1]))


def _free_rear_face(build: Build) -> Component | None:
    """The last component with a rear face that nothing is bolted to yet."""
    carried = {c.parent for c in build.components if c.parent}
    return next((c for c in reversed(build.components) if c.id not in carried and rear_face(build, c)), None)


def with_wheels_on(build: Build, component_id: str) -> Build:
    """The build with an axle carrying the wheels that stand at its place and that nothing carries yet."""
    x = build.component(component_id).pose.x_mm
    wheels = tuple(replace(w, on=component_id) if not w.on and abs(w.centre_mm[0] - x) < SAME_AXLE_MM else w for w in build.wheels)
    return replace(build, wheels=wheels)
