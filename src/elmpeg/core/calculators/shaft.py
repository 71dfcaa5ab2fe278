"""Calculator ``shaft``: how fast a shaft may turn."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.calculators.fields import Finite, PositiveMm, Request
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
