"""Corner weights, centre of gravity, what a change of parts does to the axles, and the springs that would carry it."""

from __future__ import annotations

import math

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3

STANDARD_GRAVITY = 9.80665
"""N for each kg."""
LEAST_WHEELBASE_MM = 1.0


@record
class WheelWeight:
    """A wheel's place in plan and what it weighs on the scale."""

    id: str
    x_mm: float
    y_mm: float
    kg: float


@record
class WeightChange:
    """A part put in, or with a negative weight taken out, at its centre of gravity."""

    id: str
    kg: float
    xyz_mm: Vec3


@record
class Springs:
    """Rates at one wheel, N for each mm."""

    front_n_mm: float
    rear_n_mm: float


@record
class Tilt:
    """The rear axle raised: by how much, what the front then weighs, and the wheels' radius."""

    raised_mm: float
    front_kg_raised: float
    wheel_radius_mm: float


@record
class Balance:
    """Weight, centre of gravity in plan, and what each axle carries."""

    kg: float
    x_mm: float
    y_mm: float
    front_kg: float
    rear_kg: float


@record
class WeightBalance:
    """Before and after; how far each axle sinks; rates that keep the height; height of the centre of gravity before."""

    before: Balance
    after: Balance
    front_sinks_mm: float | None
    rear_sinks_mm: float | None
    front_rate_same_n_mm: float | None
    rear_rate_same_n_mm: float | None
    height_mm: float | None


def weight_balance(
    wheels: tuple[WheelWeight, ...],
    changes: tuple[WeightChange, ...],
    front_x_mm: float,
    rear_x_mm: float,
    springs: Springs | None = None,
    tilt: Tilt | None = None,
) -> WeightBalance:
    """Axle loads by moments about the axles; sinking = change of axle load x g / (2 rate); the same sag needs rate x load after / before.

    Height with the rear raised by h: wheel radius + change of front x L √(L² − h²) / (W h), from the weights before.
    Raises InputError for no weight, axles in one place, a tilt higher than the wheelbase.
    """
    base = rear_x_mm - front_x_mm
    if base < LEAST_WHEELBASE_MM:
        raise InputError("rear_x_mm", f"is {rear_x_mm:g} mm, not behind the front axle at {front_x_mm:g} mm; X counts rearwards")
    parts = [(w.kg, w.x_mm, w.y_mm) for w in wheels]
    before = _balance(parts, front_x_mm, base, "wheels")
    after = _balance([*parts, *((c.kg, c.xyz_mm[0], c.xyz_mm[1]) for c in changes)], front_x_mm, base, "changes")
    sinks: list[float | None] = [None, None]
    same: list[float | None] = [None, None]
    if springs is not None:
        loads = ((before.front_kg, after.front_kg, springs.front_n_mm), (before.rear_kg, after.rear_kg, springs.rear_n_mm))
        for k, (was, now, rate) in enumerate(loads):
            sinks[k] = (now - was) * STANDARD_GRAVITY / (2 * rate)
            same[k] = rate * now / was if was > 0 else None
    return WeightBalance(before, after, sinks[0], sinks[1], same[0], same[1], _height_mm(before, base, tilt))


def _balance(parts: list[tuple[float, float, float]], front_x_mm: float, base: float, field: str) -> Balance:
    kg = sum(p[0] for p in parts)
    if kg <= 0:
        raise InputError(field, f"leave {kg:g} kg in all; a vehicle weighs something")
    x, y = (sum(p[0] * p[k] for p in parts) / kg for k in (1, 2))
    rear = kg * (x - front_x_mm) / base
    return Balance(kg, x, y, kg - rear, rear)


def _height_mm(before: Balance, base: float, tilt: Tilt | None) -> float | None:
    if tilt is None:
        return None
    if not 0 < tilt.raised_mm < base:
        raise InputError("tilt.raised_mm", f"is {tilt.raised_mm:g} mm; raise the rear axle by more than 0 and less than the wheelbase")
    level = math.sqrt(base**2 - tilt.raised_mm**2)
    return tilt.wheel_radius_mm + (tilt.front_kg_raised - before.front_kg) * base * level / (before.kg * tilt.raised_mm)
