"""Solids that must stay apart."""

from __future__ import annotations

from typing import Annotated

from elmpeg.core.base.declared import NOT_NEGATIVE, Called
from elmpeg.core.base.record import record
from elmpeg.core.build.survey import VEHICLE


@record
class SolidRef:
    """One solid of a component, or of the vehicle."""

    on: str
    solid: str


@record
class Room:
    """Two solids that must stay apart. ``sd_mm`` is how well their shapes are known."""

    id: str
    name: str
    a: Annotated[SolidRef, Called("first")]
    b: Annotated[SolidRef, Called("second")]
    at_least_mm: Annotated[float, Called("least room")]
    sd_mm: Annotated[float, NOT_NEGATIVE] = 2.0
    why: str = ""

    @property
    def vehicle_solids(self) -> tuple[str, ...]:
        """Those of the two that are the vehicle's own."""
        return tuple(ref.solid for ref in (self.a, self.b) if ref.on == VEHICLE)
