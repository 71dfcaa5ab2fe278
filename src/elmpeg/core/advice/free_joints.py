"""Joints that no line uses yet, and the shaft that most likely runs between two of them."""

from __future__ import annotations

from elmpeg.core.base.vectors import Vec3, norm, scale, sub
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.scene.scene import Scene


def free_joints(build: Build) -> tuple[Point, ...]:
    """The parts' joints that no line uses yet."""
    used = {j.point for line in build.drivelines for j in line.joints}
    return tuple(p for p in build.points if p.kind == "joint" and p.on != VEHICLE and p.id not in used)


def suggested_line(build: Build) -> tuple[str, ...]:
    """The drive end and the driven end of a line that is not there yet: the two free joints on parts that are not bolted
    together whose axes look along each other best. Empty where there are no two."""
    scene = Scene(build, build.options[0])
    free = [p for p in free_joints(build) if p.axis is not None]
    found: list[tuple[float, str, str]] = []
    for start in free:
        for end in free:
            if scene.root(start.on) == scene.root(end.on):
                continue
            along = sub(scene.xyz(end.id), scene.xyz(start.id))
            length = norm(along)
            if length > 0:
                found.append(
                    (_looks(scene, start.id, scale(along, 1 / length)) + _looks(scene, end.id, scale(along, 1 / length)), start.id, end.id)
                )
    best = max(found, default=None)
    return () if best is None or best[0] <= 0 else best[1:]


def _looks(scene: Scene, point_id: str, along: Vec3) -> float:
    axis = scene.axis(point_id)
    return sum(a * b for a, b in zip(axis, along, strict=True)) if axis else 0.0
