"""Calculator ``wedge``: what thickness makes an angle."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.calculators.fields import Finite, PositiveMm, Request
from elmpeg.core.methods.driveline.shaft_tubes import mount_rise_mm, perch_rise_mm

Slope = Annotated[Finite, Field(gt=-90, lt=90)]


class Wedge(Request):
    """A wedge under a perch (length and angle), or a rise at the rear mount (span and pitches)."""

    kind: Literal["perch", "mount"]
    length_mm: PositiveMm | None = None
    angle_deg: Slope | None = None
    span_mm: PositiveMm | None = None
    from_deg: Slope | None = None
    to_deg: Slope | None = None


def compute(request: Wedge) -> dict[str, Any]:
    """The rise in mm."""
    wanted = ("length_mm", "angle_deg") if request.kind == "perch" else ("span_mm", "from_deg", "to_deg")
    for name in ("length_mm", "angle_deg", "span_mm", "from_deg", "to_deg"):
        given = getattr(request, name) is not None
        if given != (name in wanted):
            raise InputError(
                name, f"is {'missing' if name in wanted else 'not used'} for a {request.kind} wedge; it takes {', '.join(wanted)}"
            )
    if request.kind == "perch":
        return {"rise_mm": perch_rise_mm(request.length_mm or 0.0, request.angle_deg or 0.0)}
    return {"rise_mm": mount_rise_mm(request.span_mm or 0.0, request.from_deg or 0.0, request.to_deg or 0.0)}
