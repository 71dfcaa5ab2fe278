"""Lantern: a lamplighters' van that arrived this morning. A few figures are taped, the rest is assumed; a motor stands beside it."""

from __future__ import annotations

from functools import cache

from elmpeg.core.base.pose import Pose
from elmpeg.core.build.document import Build
from elmpeg.core.starters.book_part import begun, put_in
from elmpeg.core.starters.forms import FORMS
from elmpeg.core.starters.given import Given
from elmpeg.core.starters.vehicle import vehicle_begun
from elmpeg.store.shop_record import USUAL_CAUTIONS

ARRIVED = "2026-11-26T08:10:00"


@cache
def build() -> Build:
    """The build as it stands after the first quarter of an hour."""
    typed = {"wheelbase_mm": 2438.4, "front_track_mm": 1397.0, "tyre_mm": 640.0, "sill_low_mm": 235.0}
    texts = {"wheelbase_mm": ("8 ft 0 in", "in"), "front_track_mm": ("55 in", "in"), "tyre_mm": ("640", "mm"), "sill_low_mm": ("235", "mm")}
    made = vehicle_begun(
        "unit_body",
        "Lantern, lamplighters' van",
        "Tallis & Crane delivery van, 1970s",
        typed,
        texts,  # type: ignore[arg-type]
        "Wil Adeyemi",
        ARRIVED,
        cautions=(*USUAL_CAUTIONS, "High voltage: isolate, prove dead, qualified people only. Follow local codes."),
    )
    form = FORMS["motor"]
    motor = begun(form, Given(form.figures, {"length_mm": 330.0, "diameter_mm": 270.0}), "Traction motor")
    return put_in(made, motor, "Traction motor", Pose(1900.0, 0.0, 420.0))
