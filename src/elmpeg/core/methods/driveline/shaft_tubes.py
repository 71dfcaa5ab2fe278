"""Propeller shaft tubes: the speed at which one would whip, what it weighs, and wedges for angles."""

from __future__ import annotations

import math
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

TubeMaterial = Literal["steel", "aluminium"]

STIFFNESS_PA: dict[TubeMaterial, float] = {"steel": 207e9, "aluminium": 69e9}
DENSITY_KG_M3: dict[TubeMaterial, float] = {"steel": 7850.0, "aluminium": 2700.0}
"""Usual values for structural steel and wrought aluminium."""


@record
class Tube:
    """A plain tube between joint centres."""

    length_mm: float
    od_mm: float
    wall_mm: float
    material: TubeMaterial


@record
class Road:
    """What turns road speed into shaft speed."""

    speed_kmh: float
    tyre_diameter_mm: float
    axle_ratio: float

    @property
    def rpm_per_kmh(self) -> float:
        """Shaft speed for each km/h, without tyre slip."""
        return 1000.0 / 60.0 / (math.pi * self.tyre_diameter_mm / 1000.0) * self.axle_ratio


def _bore_mm(tube: Tube) -> float:
    bore = tube.od_mm - 2 * tube.wall_mm
    if bore < 0:
        raise InputError("wall_mm", f"is {tube.wall_mm:g} mm, more than half of the tube's {tube.od_mm:g} mm; half is a solid bar")
    return bore


def critical_rpm(tube: Tube) -> float:
    """First bending speed of the tube held at its ends, rpm: 60 (pi / 2 L²) sqrt(E I / (rho A)).

    Source: simply supported Euler-Bernoulli beam. I / A of a tube is (D² + d²) / 16.
    """
    od, bore, length = tube.od_mm / 1000, _bore_mm(tube) / 1000, tube.length_mm / 1000
    gyration2 = (od * od + bore * bore) / 16
    wave = math.sqrt(STIFFNESS_PA[tube.material] / DENSITY_KG_M3[tube.material] * gyration2)
    return 60 * math.pi / (2 * length * length) * wave


def mass_kg(tube: Tube) -> float:
    """Mass of the tube alone, without its ends."""
    od, bore = tube.od_mm / 1000, _bore_mm(tube) / 1000
    return math.pi / 4 * (od * od - bore * bore) * tube.length_mm / 1000 * DENSITY_KG_M3[tube.material]


def perch_rise_mm(length_mm: float, angle_deg: float) -> float:
    """Thick end of a wedge under a spring perch: length x tan angle."""
    return length_mm * math.tan(math.radians(angle_deg))


def mount_rise_mm(span_mm: float, from_deg: float, to_deg: float) -> float:
    """How far to raise the rear mount to go from one pitch to another, the front mounts fixed: span (sin from - sin to)."""
    return span_mm * (math.sin(math.radians(from_deg)) - math.sin(math.radians(to_deg)))
