"""A build's carried axles: how each stands in a scene, and where travel, roll and wind-up take it.

Under drive the axle housing turns against its wheels: seen from the left its
front side rises, whichever way its pinion looks; on the overrun it dips.
"""

from __future__ import annotations

import math
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Placed, Pose, compose, rotation
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import add
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import CarriedAxle
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.methods.driveline.axle_travel import AxleMove, Leaf, Link, SidePoint, Suspension, axle_moves
from elmpeg.core.methods.measuring.repeats import Together, together
from elmpeg.core.scene.scene import Scene

STEPS = 41
"""Heights from full droop to full bump at which travel is shown."""


@record
class Reach:
    """How far an axle goes from ride height, and how sure that is."""

    bump_mm: float
    droop_mm: float
    bump_readings: int
    droop_readings: int
    sd_mm: float


TravelWay = Literal["bump", "droop"]


def travel_read(build: Build, axle: CarriedAxle, way: TravelWay) -> Together | None:
    """What the readings of an axle's travel one way say together; None where none counts."""
    counted = [r for r in axle.readings if r.way == way and not r.dropped]
    return together([r.value_mm for r in counted], (build.tool_sd_mm(r.tool) for r in counted)) if counted else None


def reach_of(build: Build, axle: CarriedAxle) -> Reach:
    """Travel up and down: the mean of the readings that count, else what was entered."""
    up, down = travel_read(build, axle, "bump"), travel_read(build, axle, "droop")
    return Reach(
        bump_mm=up.mean if up else axle.bump_mm,
        droop_mm=down.mean if down else axle.droop_mm,
        bump_readings=up.count if up else 0,
        droop_readings=down.count if down else 0,
        sd_mm=max((t.sd for t in (up, down) if t), default=0.0),
    )


def heights_mm(build: Build, axle: CarriedAxle, count: int = STEPS) -> tuple[float, ...]:
    """Heights from full droop to full bump in equal steps, ride height among them."""
    reach = reach_of(build, axle)
    below = count // 2
    down = tuple(-reach.droop_mm * k / below for k in range(below, 0, -1)) if reach.droop_mm else ()
    up = tuple(reach.bump_mm * k / (count - 1 - below) for k in range(1, count - below)) if reach.bump_mm else ()
    return (*down, 0.0, *up)


def carried_at(axle: CarriedAxle) -> tuple[str, ...]:
    """The points that say how an axle is carried."""
    if axle.kind == "swing":
        return (axle.pivot_point,)
    if axle.kind == "leaf":
        return (axle.seat_point, axle.eye_point)
    if axle.kind == "four_link":
        return tuple(p for link in (axle.upper, axle.lower) if link for p in (link.frame_point, link.axle_point))
    return ()


def suspension_of(scene: Scene, axle: CarriedAxle) -> Suspension:
    """How an axle is carried where it stands in a scene. Raises InputError naming the point that is missing."""

    def side(point_id: str, what: str) -> SidePoint:
        if not point_id:
            raise InputError("axle", f"Say which point is {what} of {axle.name}.")
        x, _, z = scene.xyz(point_id)
        return (x, z)

    centre = scene.placement(axle.component).origin_mm
    if axle.kind == "swing":
        return Suspension("swing", centre, side(axle.pivot_point, "the arm's pivot"), apart_mm=axle.apart_mm)
    if axle.kind == "leaf":
        seat, eye = side(axle.seat_point, "the spring's seat"), side(axle.eye_point, "the fixed eye")
        near = math.dist(seat, eye)
        return Suspension("leaf", centre, leaf=Leaf(seat, eye, near, axle.shackle_half_mm or near), apart_mm=axle.apart_mm)
    if axle.kind == "four_link":
        if axle.upper is None or axle.lower is None:
            raise InputError("axle", f"Say where the upper and the lower link of {axle.name} are held.")
        upper, lower = (
            Link(side(k.frame_point, f"the {name} link's frame end"), side(k.axle_point, f"the {name} link's axle end"))
            for name, k in (("upper", axle.upper), ("lower", axle.lower))
        )
        return Suspension("four_link", centre, upper=upper, lower=lower, apart_mm=axle.apart_mm)
    return Suspension("parallel", centre, apart_mm=axle.apart_mm)


def gone(where: Placed, move: AxleMove) -> Placed:
    """Where something on an axle whose centre is its origin has gone."""
    turn = rotation(Pose(roll_deg=move.roll_deg, pitch_deg=move.pitch_deg, yaw_deg=move.yaw_deg))
    turned = compose(Placed(turn, (0.0, 0.0, 0.0)), Placed(where.rotation, (0.0, 0.0, 0.0)))
    return Placed(turned.rotation, add(where.origin_mm, move.shift_mm))


def at_heights(scene: Scene, axle: CarriedAxle, steps_mm: tuple[float, ...], roll_deg: float = 0.0) -> tuple[Scene, ...]:
    """The scene with the axle, and all on it, at each height. Raises InputError where it does not reach so far."""
    if not any(steps_mm) and not roll_deg:
        return tuple(scene for _ in steps_mm)
    where = scene.placement(axle.component)
    moves = axle_moves(suspension_of(scene, axle), steps_mm, roll_deg)
    return tuple(scene.with_placed(axle.component, gone(where, move)) for move in moves)


def wound_up(scene: Scene, axle: CarriedAxle, deg: float) -> Scene:
    """The scene with the axle turned about its centre: front side up by so much under drive, down (negative) on the overrun."""
    where = scene.placement(axle.component)
    return scene.with_placed(axle.component, gone(where, AxleMove((0.0, 0.0, 0.0), deg)))


def astray(build: Build, axle: CarriedAxle) -> str:
    """In words: what about the points that carry an axle cannot be; an empty text where all is well."""
    on = {p.id: p.on for p in build.points}
    mine = {axle.component, *(c.id for c in build.components if c.parent == axle.component)}
    frame = (axle.pivot_point, axle.eye_point, *(k.frame_point for k in (axle.upper, axle.lower) if k))
    moving = (axle.seat_point, *(k.axle_point for k in (axle.upper, axle.lower) if k))
    for point, is_frame in (*((p, True) for p in frame), *((p, False) for p in moving)):
        if point in on and (on[point] in mine) == is_frame:
            return f"{build.point(point).name} must be a point {'of the frame, not of the axle' if is_frame else 'of the axle'}"
    return "" if axle.component != VEHICLE else "the vehicle is no axle"
