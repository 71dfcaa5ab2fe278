"""Measure, directions: gauge readings of how a point's axis leans."""

from __future__ import annotations

from fastapi import APIRouter

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import noted
from elmpeg.core.build.survey import VEHICLE, LeanReading, Point
from elmpeg.core.scene.axis_from_gauge import can_lean, lean_deg
from elmpeg.core.stages.measure import point_readings
from elmpeg.web.answers import Act, answers
from elmpeg.web.desk import now
from elmpeg.web.forms import Form
from elmpeg.web.gauge_fields import is_about_a_kept_reading, set_aside_because, signed_slope_deg
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.measure.points import page

router = APIRouter()
SLIP_DEG = 3.0
"""Further than this from the direction so far, a reading was most likely taken from another zero."""


@router.post("/builds/{build_id}/measure/lean", name="take_lean")
@answers(page)
def take_lean(act: Act) -> Outcome:
    """Add a gauge reading of a point's direction, set one aside, or count it again."""
    point, form, do = act.build.point(act.text("point")), act.form, act.text("do")
    if is_about_a_kept_reading(do):
        why, reading_id = set_aside_because(form, "lean_reason", do), act.text("reading")
        words = f"Set a reading of the direction of {point.name} aside: {why}" if why else f"Counted a direction of {point.name} again"
        return act.change(words, lambda b: point_readings.with_lean_dropped(b, point.id, reading_id, why))
    slope = signed_slope_deg(form, "lean", "lean_way")
    form.require()
    reading = LeanReading("", act.text("lean").strip(), slope, act.text("lean_tool"), act.desk.person.name, now())
    _ask_if_far(form, point, reading)
    return act.change(
        f"Read the direction of {point.name}: {noted(reading.value_deg, 'deg')}", lambda b: point_readings.with_lean(b, point.id, reading)
    )


def _ask_if_far(form: Form, point: Point, reading: LeanReading) -> None:
    """Raise InputError for a reading far from the direction so far, unless the person has said that it stands."""
    if form.tick("sure") or point.axis is None or not can_lean(point.axis):
        return
    off = abs(reading.value_deg - lean_deg(point.axis))
    if off > SLIP_DEG:
        zero = "the frame" if point.on == VEHICLE else "the part itself, not on level in the vehicle"
        raise InputError("lean_far", f"It is {off:.1f}° from the direction so far. Was the gauge zeroed on {zero}?")
