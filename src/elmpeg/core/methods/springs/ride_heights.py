"""What a change of ride height at the axles does at the stations where a tape is held."""

from __future__ import annotations

import math

import numpy as np

from elmpeg.core.base.record import record

APART_MM = 1e-6
"""Stations nearer than this along the vehicle tell one height, not two."""
FEWEST_TAPED = 2


@record
class Station:
    """A named place along the vehicle, from the front axle rearwards, with its heights."""

    id: str
    x_mm: float
    before_mm: float
    after_mm: float | None


@record
class StationChange:
    """What the change does at a station, and what the tape said where it was taken again."""

    id: str
    change_mm: float
    predicted_mm: float
    measured_change_mm: float | None
    difference_mm: float | None


@record
class FoundDrops:
    """The two drops that fit the tape best, and what they leave over."""

    front_drop_mm: float
    rear_drop_mm: float
    rms_mm: float


@record
class RideHeights:
    """Pitch change (tail down positive), every station, and the drops found from the tape."""

    pitch_change_deg: float
    stations: tuple[StationChange, ...]
    found: FoundDrops | None


def ride_heights(wheelbase_mm: float, front_drop_mm: float, rear_drop_mm: float, stations: tuple[Station, ...]) -> RideHeights:
    """Change at x = −(front + (rear − front) x / wheelbase); small pitches, the body rigid.

    ``found`` is None with fewer than two stations measured after, or all of them at one x.
    """
    changes = []
    for s in stations:
        change = -(front_drop_mm + (rear_drop_mm - front_drop_mm) * s.x_mm / wheelbase_mm)
        measured = None if s.after_mm is None else s.after_mm - s.before_mm
        difference = None if measured is None else measured - change
        changes.append(StationChange(s.id, change, s.before_mm + change, measured, difference))
    pitch = math.degrees(math.atan((rear_drop_mm - front_drop_mm) / wheelbase_mm))
    return RideHeights(pitch, tuple(changes), _found(wheelbase_mm, stations))


def _found(wheelbase_mm: float, stations: tuple[Station, ...]) -> FoundDrops | None:
    taped = [(s.x_mm, s.after_mm - s.before_mm) for s in stations if s.after_mm is not None]
    if len(taped) < FEWEST_TAPED or max(x for x, _ in taped) - min(x for x, _ in taped) < APART_MM:
        return None
    shares = np.array([[1 - x / wheelbase_mm, x / wheelbase_mm] for x, _ in taped])
    drops = -np.array([change for _, change in taped])
    front, rear = np.linalg.lstsq(shares, drops, rcond=None)[0]
    left = shares @ np.array([front, rear]) - drops
    return FoundDrops(float(front), float(rear), float(np.sqrt(np.mean(left**2))))
