"""Readings against gravity on a vehicle that does not stand level.

A plumb bob, a level line and a height from a level floor follow gravity, not the
vehicle. With the vehicle turned by R = Ry(pitch) Rx(roll) against level, a place v
in the vehicle stands at R v against gravity, both from the datum.
"""

from __future__ import annotations

from functools import lru_cache

from elmpeg.core.base.pose import Pose, Rotation, rotation
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.survey import Levelling, Reading

NO_LEVEL_SD_DEG = 0.5
"""How far off level a vehicle may stand that nobody has levelled: a shop floor and tyres, judged by eye."""
LEVEL: Rotation = ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), (0.0, 0.0, 1.0))


@lru_cache(maxsize=64)
def _turn(pitch_deg: float, roll_deg: float) -> Rotation:
    return rotation(Pose(0.0, 0.0, 0.0, roll_deg, pitch_deg, 0.0))


def turn_of(reading: Reading, levellings: dict[str, Levelling]) -> Rotation:
    """How the vehicle was turned against what a reading follows.

    No turn for readings that do not follow gravity, and none where the vehicle was
    levelled: what was left is then part of the doubt.
    """
    levelling = levellings.get(reading.level or "")
    if levelling is None or levelling.applied == "levelled":
        return LEVEL
    return _turn(levelling.pitch_deg, levelling.roll_deg)


def tilt_slopes(lever_mm: Vec3, read: tuple[bool, bool, bool]) -> tuple[Vec3, Vec3]:
    """How a place read against gravity shifts by a degree of pitch and of roll, mm, in the coordinates so read.

    ``lever_mm`` is the place less where it was measured from. Source: the first-order
    turn, lever crossed with the axis; a positive pitch takes the tail down.
    """
    degree = 0.017453292519943295
    x, y, z = (v * degree for v in lever_mm)
    pitch, roll = (-z, 0.0, x), (0.0, z, -y)
    return _where(pitch, read), _where(roll, read)


def _where(shift: Vec3, read: tuple[bool, bool, bool]) -> Vec3:
    return (shift[0] if read[0] else 0.0, shift[1] if read[1] else 0.0, shift[2] if read[2] else 0.0)
