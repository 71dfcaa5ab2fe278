"""Calculator ``wedge``: what thickness makes an angle."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.calculators.fields import Finite, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator
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


CALCULATOR = Calculator(
    name="wedge",
    purpose="What thickness makes an angle",
    request=Wedge,
    compute=compute,
    stage="Drive",
    title="Wedge or rise for an angle",
    words=("wedge", "shim", "pinion angle", "perch", "tilt the pinion", "raise the gearbox", "degrees shim"),
    answers=(Answer("rise_mm", "Thick end, or rise"),),
    formula="Under a perch: length · tan angle. At the rear mount: span · (sin from − sin to).",
    source="Trigonometry.",
    not_told="What the wedge does to the spring bolt's head and the U-bolts' length.",
    example={"kind": "perch", "length_mm": 120, "angle_deg": 2.5},
    labels={
        "kind": "For", "length_mm": "Length of the perch", "angle_deg": "Angle wanted", "span_mm": "Front to rear mounts", "from_deg": "Pitch now",
        "to_deg": "Pitch wanted",
    },
    hints={"kind": "perch: a wedge under a spring; mount: a rise at the rear mount"},
    caution="Springs under load: axle on stands before the U-bolts are undone.",
)  # fmt: skip
