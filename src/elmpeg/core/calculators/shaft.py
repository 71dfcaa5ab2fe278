"""Calculator ``shaft``: how fast a shaft may turn."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import Quantity, words
from elmpeg.core.calculators.fields import Finite, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result
from elmpeg.core.methods.driveline.shaft_tubes import Road, Tube, TubeMaterial, critical_rpm, mass_kg


class RoadFields(Request):
    """Road speed, tyre and axle ratio."""

    speed_kmh: Annotated[Finite, Field(gt=0, le=1000)]
    tyre_diameter_mm: PositiveMm
    axle_ratio: Annotated[Finite, Field(gt=0, le=100)]


class Shaft(Request):
    """A tube, how much of its critical speed is used, and perhaps the road it runs on."""

    length_mm: PositiveMm
    od_mm: PositiveMm
    wall_mm: PositiveMm
    material: TubeMaterial
    margin: Annotated[Finite, Field(gt=0, le=1)] = 0.75
    road: RoadFields | None = None


def compute(request: Shaft) -> dict[str, Any]:
    """Critical and safe speed, mass, and what that means on the road."""
    tube = Tube(request.length_mm, request.od_mm, request.wall_mm, request.material)
    critical = critical_rpm(tube)
    result = {"critical_rpm": critical, "safe_rpm": critical * request.margin, "mass_kg": mass_kg(tube)}
    if request.road is not None:
        per_kmh = Road(request.road.speed_kmh, request.road.tyre_diameter_mm, request.road.axle_ratio).rpm_per_kmh
        result["rpm_at_speed"] = per_kmh * request.road.speed_kmh
        result["speed_at_safe_kmh"] = result["safe_rpm"] / per_kmh
    return result


def limits(_request: Shaft, result: Result) -> tuple[Limit, ...]:
    """Whether the shaft stays below its safe speed on the road."""
    if "rpm_at_speed" not in result:
        return ()
    slower = words("stay below {0}, shorten the shaft, or use a wider tube", Quantity(result["speed_at_safe_kmh"], "kmh"))
    return (Limit("speed", "Shaft at road speed", result["rpm_at_speed"], "rpm", high=result["safe_rpm"], mend=slower),)


CALCULATOR = Calculator(
    name="shaft",
    purpose="Critical and safe speed of a shaft tube",
    request=Shaft,
    compute=compute,
    stage="Drive",
    title="Speed of a shaft tube",
    words=("critical speed", "shaft speed", "whip", "tube", "prop shaft tube", "how fast", "carrier bearing"),
    answers=(
        Answer("safe_rpm", "Turn it no faster than", "rpm"),
        Answer("critical_rpm", "It would whip at", "rpm"),
        Answer("speed_at_safe_kmh", "On the road that is"),
        Answer("rpm_at_speed", "At road speed it turns", "rpm"),
        Answer("mass_kg", "It weighs"),
    ),
    formula="Critical speed = 60 · π / (2 L²) · √(E · I / (ρ · A)) rpm; safe is that times the margin.",
    source="Simply supported beam; E 207 GPa and 7850 kg/m³ for steel, 69 GPa and 2700 for aluminium.",
    not_told="Balance, joints' own limits, and a bent tube.",
    example={"length_mm": 1350, "od_mm": 76, "wall_mm": 2, "material": "steel", "margin": 0.75,
             "road": {"speed_kmh": 120, "tyre_diameter_mm": 720, "axle_ratio": 3.9}},
    limits=limits,
    labels={
        "length_mm": "Between joints", "od_mm": "Outside", "wall_mm": "Wall", "material": "Made of", "margin": "Use of the critical speed",
        "road": "On the road", "road.speed_kmh": "Speed", "road.tyre_diameter_mm": "Tyre, across", "road.axle_ratio": "Axle ratio",
    },
    caution="A shaft that lets go kills: guard it, and have it balanced.",
)  # fmt: skip
