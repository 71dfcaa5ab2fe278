"""The checks of Place: the room between parts."""

from __future__ import annotations

from elmpeg.core.build.rooms import Room
from elmpeg.core.judging.checks import Findings
from elmpeg.core.judging.kinds import CheckKind, Gravity, Runner, StageChecks
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.place.room_checks import room_check


def _room(scene: Scene, room: Room) -> Findings:
    found = room_check(scene, room)
    return Findings((found.check,), found.state)


def _room_sits(scene: Scene, room: Room) -> tuple[object, ...]:
    return (scene.placement(room.a.on), scene.placement(room.b.on))


ROOMS = Runner("rooms", lambda b: b.rooms, _room, ("components", "solids", "limits"), _room_sits, "rooms")
STAGE = StageChecks(
    "Place",
    (CheckKind("room", Gravity.MOVE, ROOMS, predicted=True, settles=True),),
)
