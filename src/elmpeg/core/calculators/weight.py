"""Calculator ``weight``: corner weights before and after a change of parts."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.calculators.fields import Finite, Mm, Name, PointMm, PositiveMm, Request, distinct
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result
from elmpeg.core.methods.mass.weight_balance import Springs, Tilt, WeightChange, WheelWeight, weight_balance

Kg = Annotated[Finite, Field(ge=-1e6, le=1e6)]
NotNegativeKg = Annotated[Finite, Field(ge=0, le=1e6)]
Rate = Annotated[Finite, Field(gt=0, le=1e5)]


class WheelFields(Request):
    """A wheel on its scale."""

    id: Name
    x_mm: Mm
    y_mm: Mm
    kg: NotNegativeKg


class ChangeFields(Request):
    """A part put in, or with minus taken out, at its centre of gravity."""

    id: Name
    kg: Kg
    xyz_mm: PointMm


class SpringFields(Request):
    """Spring rates at one wheel."""

    front_n_mm: Rate
    rear_n_mm: Rate


class TiltFields(Request):
    """The rear axle raised."""

    raised_mm: PositiveMm
    front_kg_raised: NotNegativeKg
    wheel_radius_mm: PositiveMm


class Weight(Request):
    """Wheels, changes, axles and what is known of springs and tilt."""

    wheels: Annotated[list[WheelFields], Field(min_length=1, max_length=40)]
    changes: Annotated[list[ChangeFields], Field(max_length=200)]
    front_x_mm: Mm
    rear_x_mm: Mm
    springs: SpringFields | None = None
    tilt: TiltFields | None = None


def compute(request: Weight) -> dict[str, Any]:
    """Weights and centres before and after, sinking, springs and height; what was not asked is left out."""
    distinct(request.wheels, "wheels")
    distinct(request.changes, "changes")
    found = asdict(
        weight_balance(
            tuple(WheelWeight(w.id, w.x_mm, w.y_mm, w.kg) for w in request.wheels),
            tuple(WeightChange(c.id, c.kg, c.xyz_mm) for c in request.changes),
            request.front_x_mm,
            request.rear_x_mm,
            Springs(**request.springs.model_dump()) if request.springs else None,
            Tilt(**request.tilt.model_dump()) if request.tilt else None,
        )
    )
    return {k: v for k, v in found.items() if v is not None}


def limits(_request: Weight, result: Result) -> tuple[Limit, ...]:
    """Whether both axles still carry something."""
    after = result["after"]
    return (
        Limit("front", "Front axle carries, of the whole", 100.0 * after["front_kg"] / after["kg"], "pct", low=0.0),
        Limit("rear", "Rear axle carries, of the whole", 100.0 * after["rear_kg"] / after["kg"], "pct", low=0.0),
    )


CALCULATOR = Calculator(
    name="weight",
    purpose="Corner weights, centre of gravity, what a heavier part does to the axles and the springs",
    request=Weight,
    compute=compute,
    stage="Ride",
    title="Weights and springs",
    words=("corner weight", "weight", "heavier pack", "battery", "spring rate", "spring for a heavier", "sag", "centre of gravity", "cog",
           "balance", "scales", "axle load", "springs", "pallet", "load on a pallet"),
    answers=(
        Answer("after.rear_kg", "Rear axle after"),
        Answer("after.front_kg", "Front axle after"),
        Answer("rear_rate_same_n_mm", "Rear spring for the same height"),
        Answer("front_rate_same_n_mm", "Front spring for the same height"),
        Answer("rear_sinks_mm", "Rear sinks on the old springs"),
        Answer("front_sinks_mm", "Front sinks on the old springs"),
        Answer("after.kg", "Weight after"),
        Answer("after.x_mm", "Centre of gravity after, X"),
        Answer("after.y_mm", "Centre of gravity after, to the right"),
        Answer("before.kg", "Weight before"),
        Answer("before.front_kg", "Front axle before"),
        Answer("before.rear_kg", "Rear axle before"),
        Answer("before.x_mm", "Centre of gravity before, X"),
        Answer("before.y_mm", "Centre of gravity before, to the right"),
        Answer("height_mm", "Height of the centre of gravity, before"),
    ),
    formula="Each axle carries by moments about the other. An axle sinks by the change of its load · 9.80665 / (2 · rate at a wheel); the "
    "rate for the same sag grows with the load. Height from raising the rear by h: wheel radius + change of front · L · √(L² − h²) / (W · h).",
    source="Moments; standard gravity 9.80665 m/s².",
    not_told="Axle, tyre and brake ratings, and whether the change needs an inspection.",
    example={
        "wheels": [{"id": "FL", "x_mm": 0, "y_mm": -760, "kg": 465}, {"id": "FR", "x_mm": 0, "y_mm": 760, "kg": 455},
                   {"id": "RL", "x_mm": 2710, "y_mm": -770, "kg": 330}, {"id": "RR", "x_mm": 2710, "y_mm": 770, "kg": 340}],
        "changes": [{"id": "old pack", "kg": -290, "xyz_mm": [1400, 0, 330]}, {"id": "new pack", "kg": 435, "xyz_mm": [1460, 0, 310]}],
        "front_x_mm": 0, "rear_x_mm": 2710, "springs": {"front_n_mm": 24, "rear_n_mm": 22},
    },
    limits=limits,
    labels={
        "wheels": "Wheels on their scales", "wheels.id": "Wheel", "wheels.x_mm": "X, rearwards", "wheels.y_mm": "Y, to the right",
        "wheels.kg": "Weight", "changes": "Put in, or with minus taken out", "changes.id": "Part", "changes.kg": "Weight",
        "changes.xyz_mm": "Its centre of gravity", "front_x_mm": "X of the front axle", "rear_x_mm": "X of the rear axle",
        "springs": "Springs, at one wheel", "springs.front_n_mm": "Front rate", "springs.rear_n_mm": "Rear rate",
        "tilt": "For the height: rear axle raised", "tilt.raised_mm": "raised by", "tilt.front_kg_raised": "front then weighs",
        "tilt.wheel_radius_mm": "radius of the wheels",
    },
    caution="Never stand or reach under a raised vehicle; block the wheels that stay down. Packs are for qualified people.",
)  # fmt: skip
