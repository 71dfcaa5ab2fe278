"""Calculator ``level``: how far off level the vehicle stands."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.calculators.fields import PointMm, Request
from elmpeg.core.methods.measuring.levelling import levelness


class Level(Request):
    """Heights at places that are meant to lie on one level plane of the vehicle."""

    points_mm: Annotated[list[PointMm], Field(max_length=1000)]


def compute(request: Level) -> dict[str, Any]:
    """Pitch, roll, height at the origin, and what each point leaves over."""
    plane = asdict(levelness(tuple(request.points_mm)))
    return {**plane, "residuals_mm": list(plane["residuals_mm"])}
