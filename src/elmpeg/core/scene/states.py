"""Where the movable things of an option stand.

A build says how everything stands at rest: at ride height, unloaded, with levers, doors and wheels as they were measured. A state
says what stands otherwise. A movement is a path through states, a load case is a state.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Literal

from elmpeg.core.base.pose import Pose
from elmpeg.core.base.record import record

Load = Literal["", "drive", "coast"]
"""What the engine's torque does to an axle: nothing, turns it as under full drive, or back as on the overrun."""


@record
class AxleAt:
    """A carried axle away from rest: its centre risen from ride height, mm, its right side up, deg, and turned by a load."""

    axle: str
    rise_mm: float = 0.0
    roll_deg: float = 0.0
    load: Load = ""


@record
class Turned:
    """A part turned about a point's axis, by the right hand about it, deg: a lever, a door, a steered wheel, a drum."""

    component: str
    about: str
    deg: float


@record
class Slid:
    """A part pushed along a point's axis, mm: a door that slides, a seat on its rails."""

    component: str
    along: str
    mm: float


@record
class Shifted:
    """A part off its place, as an engine on its mounts: moved along the vehicle's axes, and turned about its own origin."""

    component: str
    by: Pose


@record
class State:
    """What stands otherwise than at rest. What it moves it moves in this order: parts shifted, turned, slid, then axles."""

    axles: tuple[AxleAt, ...] = ()
    turned: tuple[Turned, ...] = ()
    slid: tuple[Slid, ...] = ()
    shifted: tuple[Shifted, ...] = ()

    def axle(self, axle_id: str) -> AxleAt:
        """How an axle stands; at ride height where the state says nothing of it."""
        return next((a for a in self.axles if a.axle == axle_id), AxleAt(axle_id))

    @property
    def is_rest(self) -> bool:
        """Whether everything is as the build says."""
        return self == AT_REST

    @property
    def of_parts(self) -> tuple[tuple[object, ...], ...]:
        """What it says of parts by themselves, axles aside."""
        return (self.turned, self.slid, self.shifted)


AT_REST = State()
"""As the build says."""


def axle_at(axle_id: str, rise_mm: float, roll_deg: float = 0.0, load: Load = "") -> State:
    """All at rest but one axle, which is at a height and roll and under a load; at ride height without load it is rest itself."""
    return State((AxleAt(axle_id, rise_mm, roll_deg, load),)) if rise_mm or roll_deg or load else AT_REST


def risen(axle_id: str, rises_mm: Iterable[float], roll_deg: float = 0.0) -> tuple[State, ...]:
    """The movement of one axle through heights, rolled at all of them alike."""
    return tuple(axle_at(axle_id, rise, roll_deg) for rise in rises_mm)


def under_load(axle_id: str) -> tuple[State, State]:
    """An axle at ride height under full drive, and on the overrun."""
    return (axle_at(axle_id, 0.0, load="drive"), axle_at(axle_id, 0.0, load="coast"))
