"""The six ways that something can look in the vehicle, by name: x to the rear, y to the right, z up."""

from __future__ import annotations

from typing import Literal

from elmpeg.core.base.vectors import Vec3

Looks = Literal["up", "down", "forward", "rearward", "left", "right"]
WAYS: dict[Looks, Vec3] = {
    "up": (0.0, 0.0, 1.0),
    "down": (0.0, 0.0, -1.0),
    "forward": (-1.0, 0.0, 0.0),
    "rearward": (1.0, 0.0, 0.0),
    "left": (0.0, -1.0, 0.0),
    "right": (0.0, 1.0, 0.0),
}
