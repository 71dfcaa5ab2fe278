"""What a form says of an angle gauge's reading, and of one that is set aside."""

from __future__ import annotations

from elmpeg.web.forms import Form

WAYS = {"down": 1.0, "up": -1.0}
"""Slopes to the rear: tail down is positive."""


def signed_slope_deg(form: Form, field: str, way_field: str) -> float:
    """The angle read, tail down positive. Gauges have signs of their own; which way it slopes is what the person says."""
    value = abs(form.angle(field))
    if not value:
        return 0.0
    if not form.given(way_field):
        form.refuse(way_field, "say which way it slopes")
        return value
    return value * WAYS[form.choice(way_field, WAYS)]


def is_about_a_kept_reading(do: str) -> bool:
    """Whether a form sets a reading aside or counts it again, rather than bringing a new one."""
    return do in ("drop", "count")


def set_aside_because(form: Form, field: str, do: str) -> str:
    """Why a reading is set aside; empty where one is counted again."""
    return "" if do == "count" else form.reason(field, message="say in a few words why it is set aside")
