"""Parts bolted to each other and taken off again, each keeping its place."""

from __future__ import annotations

import math
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Placed, Pose, pose_of, rotate_back
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.options import Option, Position
from elmpeg.core.scene.scene import Scene

SAME_MM = 1e-6


def with_bolted(build: Build, option_id: str, component_id: str, parent_id: str) -> Build:
    """The build with a part, and all that is bolted to it, bolted to another where both stand in one option.

    Raises InputError where the two would be bolted to each other in a ring, or where the part would
    move in the agreed option, in which the two stand otherwise.
    """
    component = build.component(component_id)
    if _carries(build, component_id, parent_id):
        raise InputError("parent", f"{build.component(parent_id).name} is bolted to {component.name} already; take it off first")
    scene = Scene(build, build.option(option_id))
    inner = _within(scene.placement(parent_id), scene.placement(component_id))
    made = replace(
        build,
        components=with_item(build.components, replace(component, parent=parent_id, pose=inner)),
        options=tuple(replace(o, positions=tuple(p for p in o.positions if p.component != component_id)) for o in build.options),
    )
    if build.agreed and component_id in moved_in(build, made, build.option(build.agreed)):
        raise InputError("parent", f"would move {component.name} in “{build.option(build.agreed).name}”, which is agreed")
    return made


def with_taken_off(build: Build, component_id: str) -> Build:
    """The build with a part, and all that is bolted to it, standing by itself where it stands in each option."""
    component = build.component(component_id)
    if component.parent is None:
        raise InputError("parent", f"{component.name} is not bolted to anything")
    places = {o.id: pose_of(Scene(build, o).placement(component_id)) for o in build.options}
    own = places[build.options[0].id]
    return replace(
        build,
        components=with_item(build.components, replace(component, parent=None, pose=own)),
        options=tuple(replace(o, positions=(*o.positions, Position(component_id, places[o.id]))) for o in build.options),
    )


def moved_in(before: Build, after: Build, option: Option) -> tuple[str, ...]:
    """The parts that stand elsewhere in an option after a change."""
    was, now = Scene(before, option), Scene(after, after.option(option.id))
    return tuple(c.id for c in before.components if _apart_mm(was.placement(c.id), now.placement(c.id)) > SAME_MM)


def _carries(build: Build, component_id: str, other_id: str) -> bool:
    """Whether another part is this one, or hangs on it."""
    above: str | None = other_id
    for _ in range(len(build.components) + 1):
        if above is None or above == component_id:
            return above is not None
        above = build.component(above).parent
    return True


def _apart_mm(a: Placed, b: Placed) -> float:
    """How far the farthest of three places a metre out lies from where it was."""
    out: tuple[Vec3, ...] = ((0.0, 0.0, 0.0), (1000.0, 0.0, 0.0), (0.0, 1000.0, 0.0))
    return max(math.dist(a.point(p), b.point(p)) for p in out)


def _within(outer: Placed, where: Placed) -> Pose:
    """Where something sits in the frame of another."""
    columns = [rotate_back(outer.rotation, (where.rotation[0][i], where.rotation[1][i], where.rotation[2][i])) for i in range(3)]
    rows = (
        (columns[0][0], columns[1][0], columns[2][0]),
        (columns[0][1], columns[1][1], columns[2][1]),
        (columns[0][2], columns[1][2], columns[2][2]),
    )
    return pose_of(Placed(rows, outer.local(where.origin_mm)))
