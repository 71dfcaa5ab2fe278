"""What stands nearest to a part: how much room there is to each neighbour, or how deep it is in it."""

from __future__ import annotations

import math
from dataclasses import replace

from elmpeg.core.base.naming import new_id
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option
from elmpeg.core.build.rooms import Room, SolidRef
from elmpeg.core.methods.shapes.room import nearest
from elmpeg.core.scene.bodies import shapes
from elmpeg.core.scene.scene import Scene


@record
class Neighbour:
    """One neighbour of a part: the part's solid and the other that come nearest, and how well their shapes are known."""

    own: SolidRef
    other: SolidRef
    name: str
    own_name: str
    distance_mm: float
    sd_mm: float

    @property
    def overlaps(self) -> bool:
        """Whether the two are in each other."""
        return self.distance_mm < 0


def neighbours(build: Build, option: Option, component_id: str) -> tuple[Neighbour, ...]:
    """The nearest pair of solids between a part and each shape of the vehicle and each part that it is not bolted to, nearest first."""
    scene = Scene(build, option)
    root, where = scene.root(component_id), scene.placement(component_id)
    own = build.component(component_id).solids
    nearest_of: dict[tuple[str, str], Neighbour] = {}
    for body in shapes(build, scene.placement):
        if body.kind == "part" and scene.root(body.on) == root:
            continue
        # Of the vehicle each shape is a neighbour, of a part the whole of it.
        key = (body.on, body.solid.id if body.kind == "structure" else "")
        for one in own:
            apart = nearest(one, where, body.solid, body.where).distance_mm
            if key in nearest_of and nearest_of[key].distance_mm <= apart:
                continue
            sd = math.hypot(one.sd_mm, body.solid.sd_mm)
            own_ref, other = SolidRef(component_id, one.id), SolidRef(body.on, body.solid.id)
            nearest_of[key] = Neighbour(own_ref, other, body.name, one.name, apart, sd)
    return tuple(sorted(nearest_of.values(), key=lambda n: n.distance_mm))


def with_rooms_watched(build: Build, option: Option, component_id: str, at_least_mm: float, most: int) -> Build:
    """The build with the room from a part to its nearest neighbours watched; room that is watched already is not watched twice."""
    component = build.component(component_id)
    pairs = {frozenset(((r.a.on, r.a.solid), (r.b.on, r.b.solid))) for r in build.rooms}
    rooms = list(build.rooms)
    for one in neighbours(build, option, component_id)[:most]:
        if frozenset(((one.own.on, one.own.solid), (one.other.on, one.other.solid))) in pairs:
            continue
        name = f"{component.name} to {one.name}"
        taken = {r.name.lower() for r in rooms}
        said = name if name.lower() not in taken else f"{name}, {one.own_name}"
        rooms.append(Room(new_id(said, (r.id for r in rooms)), said[:80], one.own, one.other, at_least_mm))
    return replace(build, rooms=tuple(rooms))
