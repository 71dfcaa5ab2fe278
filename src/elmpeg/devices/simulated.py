"""A caliper, an angle gauge and a laser offset that are not there: what they would show, and what they would send.

Each shows the true figure less where it was zeroed, plus its noise, rounded to its
display, in its own unit. Every reading takes a little from its battery; a low one
is told, an empty one sends nothing.
"""

from __future__ import annotations

import random
from dataclasses import dataclass, replace
from typing import Any, Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH

DeviceUnit = Literal["mm", "in", "deg"]
INCH = float(MM_PER_INCH)
LOW_PCT, EMPTY_PCT = 15.0, 2.0
PER_READING_PCT = 0.5


@dataclass(frozen=True, slots=True)
class Simulated:
    """One simulated device. ``true`` and ``zero`` are mm, or degrees for the gauge."""

    kind: str
    name: str
    tool: str
    unit: DeviceUnit
    true: float
    noise: float
    step: float
    largest: float
    zero: float = 0.0
    battery_pct: float = 80.0
    sequence: int = 0

    @property
    def units(self) -> tuple[DeviceUnit, ...]:
        """What its unit button goes through."""
        return ("deg",) if self.unit == "deg" else ("mm", "in")

    @property
    def low(self) -> bool:
        """Whether its battery wants changing."""
        return self.battery_pct < LOW_PCT


KINDS: dict[str, Simulated] = {
    "caliper": Simulated("caliper", "Bench caliper", "caliper", "mm", 12.7, 0.02, 0.01, 300.0),
    "gauge": Simulated("gauge", "Bench angle gauge", "gauge", "deg", 2.3, 0.05, 0.05, 180.0),
    "laser": Simulated("laser", "Bench laser offset", "laser", "mm", 430.0, 0.6, 0.1, 30_000.0),
}


@dataclass(frozen=True, slots=True)
class Press:
    """What came of pressing a device's button: the device afterwards, and the line it sends, None where it stays dark."""

    device: Simulated
    line: dict[str, Any] | None


def pressed(device: Simulated, chance: random.Random) -> Press:
    """Read once: noise, zero, unit, display and battery as the real thing has them."""
    if device.battery_pct <= EMPTY_PCT:
        return Press(device, None)
    shown = device.true - device.zero + chance.gauss(0.0, device.noise)
    after = replace(device, battery_pct=max(device.battery_pct - PER_READING_PCT, 0.0), sequence=device.sequence + 1)
    line = {
        "value": _displayed(shown, device),
        "unit": device.unit,
        "battery_pct": after.battery_pct,
        "sequence": after.sequence,
    }
    return Press(after, line)


def _displayed(shown: float, device: Simulated) -> float:
    if device.unit == "in":
        return round(round(shown / INCH / 0.0005) * 0.0005, 4)
    return round(round(shown / device.step) * device.step, 4)


def zeroed(device: Simulated) -> Simulated:
    """Zeroed where it is: from now on it shows the difference."""
    return replace(device, zero=device.true)


def turned_to_next_unit(device: Simulated) -> Simulated:
    """Its unit button pressed."""
    units = device.units
    return replace(device, unit=units[(units.index(device.unit) + 1) % len(units)])


def set_to(device: Simulated, true: float, noise: float, battery_pct: float) -> Simulated:
    """The stand-in's own knobs: what is really there, how noisy the device is, and its battery."""
    if abs(true) > device.largest:
        raise InputError("true", f"is beyond what this device reads, {device.largest:g}")
    if not 0 <= noise <= device.largest / 10:
        raise InputError("noise", "must be 0 or more, and well below what the device reads")
    if not 0 <= battery_pct <= 100:
        raise InputError("battery", "goes from 0 to 100 %")
    return replace(device, true=true, noise=noise, battery_pct=battery_pct)
