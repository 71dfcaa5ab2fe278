"""Room: the nearest distance between two solids that must stay apart."""

from __future__ import annotations

import math
from dataclasses import replace

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import add, norm, scale, sub
from elmpeg.core.base.verdicts import AT_LIMIT, Verdict
from elmpeg.core.build.rooms import Room
from elmpeg.core.build.survey import NOT_MEASURED
from elmpeg.core.judging.checks import Check, Input, Remedy, about
from elmpeg.core.judging.judge import room_to_be_sure, with_verdict
from elmpeg.core.judging.scatter import Normal
from elmpeg.core.methods.shapes.clearance import room_of
from elmpeg.core.methods.shapes.room import Nearest
from elmpeg.core.methods.shapes.solids import Mesh, Solid
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.place.shift_remedy import shift_remedy

TRIES = 8
"""How often a shift is made longer before it is given up."""


@record
class RoomState:
    """One nearest distance as it stands in an option, for the drawing."""

    room: Room
    nearest: Nearest
    verdict: Verdict


@record
class RoomChecks:
    """The state and the check of one room."""

    state: RoomState
    check: Check


def _caveat(shapes: tuple[Solid, ...]) -> str:
    """A sentence naming the shapes among these that nobody has measured on this vehicle; empty where there are none."""
    soft = [f"{s.name} ({s.source})" for s in shapes if s.source in NOT_MEASURED]
    return f" It rests on {', '.join(soft)}, not yet measured." if soft else ""


def _apart(scene: Scene, room: Room, found: Nearest, sd_mm: float) -> tuple[Remedy, ...]:
    """The shift of the first part, straight away from the second, after which the room holds; none where that does not help.

    Shapes that curve or reach round each other come no further apart by as much as one is shifted: the shift is tried, and
    made as much longer as it falls short.
    """
    wanted = room.at_least_mm + room_to_be_sure(sd_mm, scene.build.limits.sure)
    apart = sub(found.on_a_mm, found.on_b_mm)
    if norm(apart) == 0:
        return ()
    way = scale(apart, (1.0 if found.distance_mm >= 0 else -1.0) / norm(apart))
    shapes, held = (scene.solid(room.a), scene.solid(room.b)), scene.placement(room.b.on)
    where, shift = scene.placement(room.a.on), 0.0
    short = wanted - found.distance_mm
    for _ in range(TRIES):
        shift += short
        moved = replace(where, origin_mm=add(where.origin_mm, scale(way, shift)))
        short = wanted - room_of(shapes[0], moved, shapes[1], held).distance_mm
        if short <= AT_LIMIT:
            return (shift_remedy(scene, room.a.on, scale(way, shift)),)
    return ()


def room_check(scene: Scene, room: Room) -> RoomChecks:
    """How near two solids come, against the room they need."""
    shapes = (scene.solid(room.a), scene.solid(room.b))
    found = room_of(shapes[0], scene.placement(room.a.on), shapes[1], scene.placement(room.b.on))
    room_mm, sd_mm = found.distance_mm, math.hypot(room.sd_mm, *(s.sd_mm for s in shapes))
    reason = (f": {room.why}" if room.why else "") + "." + _caveat(shapes)
    if room_mm < 0:
        least = "least shift that parts their outer hulls" if any(isinstance(s, Mesh) for s in shapes) else "least shift that parts them"
        why = words(f"They overlap by {{0}}, the {least}; {{1}} of room is needed{reason}", mm(-room_mm), mm(room.at_least_mm))
    else:
        why = words(f"{{0}} of room, {{1}} needed{reason}", mm(room_mm), mm(room.at_least_mm))
    check = Check(
        code=f"room.{room.id}",
        family="room",
        name=room.name,
        unit="mm",
        verdict="holds",
        why=why,
        value=room_mm,
        low=room.at_least_mm,
        inputs=(
            Input("nearest distance", mm(room_mm, sd_mm)),
            Input("room needed", mm(room.at_least_mm)),
            *(Input(f"doubt of {s.name}", mm(s.sd_mm)) for s in shapes if s.sd_mm),
        ),
        formula="shortest distance between the two solids as they are blocked in; its doubt is that of the room and of both shapes, squared and added",
        about=about(rooms=room.id),
    )
    check = with_verdict(check, Normal(room_mm, sd_mm), scene.build.limits.sure)
    if check.verdict == "fails":
        check = replace(check, remedies=_apart(scene, room, found, sd_mm))
    return RoomChecks(RoomState(room, found, check.verdict), check)
