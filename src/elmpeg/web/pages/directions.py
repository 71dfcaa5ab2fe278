"""Measure, directions: gauge readings of how a point's axis leans."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from elmpeg.core import measuring_points
from elmpeg.core.directions import can_lean, lean_deg
from elmpeg.core.errors import InputError
from elmpeg.core.survey import VEHICLE, LeanReading, Point
from elmpeg.web.desk import Desk, Outcome, now
from elmpeg.web.pages.measure import page
from elmpeg.web.security import ChangeDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
WAYS = {"down": 1.0, "up": -1.0}
"""Slopes to the rear: tail down is positive."""
SLIP_DEG = 3.0
"""Further than this from the direction so far, a reading was most likely taken from another zero."""


@router.post("/builds/{build_id}/measure/lean", name="take_lean")
def take_lean(build_id: str, desk: ChangeDesk) -> Response:
    """Add a gauge reading of a point's direction, set one aside, or count it again."""
    point = desk.shop.builds.head(build_id).build.point(desk.text("point"))
    do, reading_id, reason = desk.text("do"), desk.text("reading"), desk.text("lean_reason").strip()
    try:
        if do == "drop" and not reason:
            raise InputError("lean_reason", "say in a few words why this reading does not count")
        if do in ("drop", "count"):
            why = reason if do == "drop" else ""
            words = f"Set a reading of the direction of {point.name} aside: {why}" if why else f"Counted a direction of {point.name} again"
            outcome = desk.change(build_id, words, lambda b: measuring_points.with_lean_dropped(b, point.id, reading_id, why))
        else:
            reading = _lean_from(desk)
            _ask_if_far(desk, point, reading)
            words = f"Read the direction of {point.name}: {reading.text}"
            outcome = desk.change(build_id, words, lambda b: measuring_points.with_lean(b, point.id, reading))
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


def _lean_from(desk: Desk) -> LeanReading:
    # Gauges have signs of their own; which way it slopes is what the person says.
    value, way = abs(desk.show.read(desk.text("lean").replace(MINUS, "-"), "deg", "lean")), desk.text("lean_way")
    if value and way not in WAYS:
        raise InputError("lean_way", "say which way it slopes")
    return LeanReading("", desk.text("lean").strip(), value * WAYS.get(way, 1.0), desk.text("lean_tool"), desk.person.name, now())
