"""Where a part begins its life in a build: a place to look at and move it from, never a figure to rely on."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.pose import Pose
from elmpeg.core.base.record import record
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build
from elmpeg.core.starters.book_part import BookPart, rear_face

ENGINE_BEHIND_MM = 450.0
"""How far behind the front wheels an engine's rear face is first put."""
ENGINE_UP_MM = 600.0
MIDDLE_UP_MM = 500.0
SAME_AXLE_MM = 100.0
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
        return Place(Pose(front + ENGINE_BEHIND_MM, 0.0, ENGINE_UP_MM))
    if part.kind == "radiator":
        return Place(Pose(front - ENGINE_BEHIND_MM, 0.0, MIDDLE_UP_MM))
    return Place(Pose((front + rear) / 2, 0.0, MIDDLE_UP_MM))


def _free_rear_face(build: Build) -> Component | None:
    """The last component with a rear face that nothing is bolted to yet."""
    carried = {c.parent for c in build.components if c.parent}
    return next((c for c in reversed(build.components) if c.id not in carried and rear_face(build, c)), None)


def with_wheels_on(build: Build, component_id: str) -> Build:
    """The build with an axle carrying the wheels that stand at its place and that nothing carries yet."""
    x = build.component(component_id).pose.x_mm
    wheels = tuple(replace(w, on=component_id) if not w.on and abs(w.centre_mm[0] - x) < SAME_AXLE_MM else w for w in build.wheels)
    return replace(build, wheels=wheels)
