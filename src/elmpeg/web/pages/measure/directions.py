"""Measure, directions: gauge readings of how a point's axis leans."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.survey import VEHICLE, LeanReading, Point
from elmpeg.core.scene.axis_from_gauge import can_lean, lean_deg
from elmpeg.core.stages.measure import point_readings
from elmpeg.web.desk import Desk, now
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.gauge_fields import is_about_a_kept_reading, set_aside_because, signed_slope_deg
from elmpeg.web.pages.measure.points import page
from elmpeg.web.security import ChangeDesk

router = APIRouter()
SLIP_DEG = 3.0
"""Further than this from the direction so far, a reading was most likely taken from another zero."""


@router.post("/builds/{build_id}/measure/lean", name="take_lean")
def take_lean(build_id: str, desk: ChangeDesk) -> Response:
    """Add a gauge reading of a point's direction, set one aside, or count it again."""
    point = desk.shop.builds.head(build_id).build.point(desk.text("point"))
    try:
        if is_about_a_kept_reading(desk):
            why = set_aside_because(desk, "lean_reason")
            words = f"Set a reading of the direction of {point.name} aside: {why}" if why else f"Counted a direction of {point.name} again"
            outcome = desk.change(build_id, words, lambda b: point_readings.with_lean_dropped(b, point.id, desk.text("reading"), why))
        else:
            slope = signed_slope_deg(desk, "lean", "lean_way")
            reading = LeanReading("", desk.text("lean").strip(), slope, desk.text("lean_tool"), desk.person.name, now())
            _ask_if_far(desk, point, reading)
            words = f"Read the direction of {point.name}: {reading.text}"
            outcome = desk.change(build_id, words, lambda b: point_readings.with_lean(b, point.id, reading))
    except InputError as refused:
        outcome = Outcome(errors=refused.errors)
    return page(desk, build_id, outcome)


def _ask_if_far(desk: Desk, point: Point, reading: LeanReading) -> None:
    """Raise InputError for a reading far from the direction so far, unless the person has said that it stands."""
    if desk.text("sure") == "1" or point.axis is None or not can_lean(point.axis):
        return
    off = abs(reading.value_deg - lean_deg(point.axis))
    if off > SLIP_DEG:
        zero = "the frame" if point.on == VEHICLE else "the part itself, not on level in the vehicle"
        raise InputError("lean_far", f"It is {off:.1f}° from the direction so far. Was the gauge zeroed on {zero}?")
