"""What a form says of an angle gauge's reading, and of one that is set aside."""

from __future__ import annotations

from elmpeg.core.base.errors import InputError
from elmpeg.web.desk import Desk
from elmpeg.web.showing import MINUS

WAYS = {"down": 1.0, "up": -1.0}
"""Slopes to the rear: tail down is positive."""
SHORTEST_REASON = 3


def signed_slope_deg(desk: Desk, field: str, way_field: str) -> float:
    """The angle read, tail down positive. Gauges have signs of their own; which way it slopes is what the person says."""
    value, way = abs(desk.show.read(desk.text(field).replace(MINUS, "-"), "deg", field)), desk.text(way_field)
    if value and way not in WAYS:
        raise InputError(way_field, "say which way it slopes")
    return value * WAYS.get(way, 1.0)


def is_about_a_kept_reading(desk: Desk) -> bool:
    """Whether a form sets a reading aside or counts it again, rather than bringing a new one."""
    return desk.text("do") in ("drop", "count")


def set_aside_because(desk: Desk, field: str) -> str:
    """Why a reading is set aside; empty where one is counted again. Raises InputError beside its field."""
    if desk.text("do") == "count":
        return ""
    if len(desk.text(field).strip()) < SHORTEST_REASON:
        raise InputError(field, "say in a few words why it is set aside")
    return desk.text(field)
