"""Directions as a gauge gives them: which way something mostly points, and by how many degrees it slopes or turns off that.

A slope is what a gauge shows in the side or rear view and a turn what a protractor shows in plan, as everywhere in a build:
``atan2(-z, x)`` and ``atan2(y, x)`` for what runs to the rear."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any, Literal, get_args

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import Vec3

Way = Literal["to_the_rear", "to_the_front", "to_the_right", "to_the_left", "up", "down"]
WAYS: tuple[Way, ...] = get_args(Way)
MOST_OFF_DEG = 80.0
"""Further off, another way says it better, and the tangent runs away."""
_ALONG: Mapping[Way, Vec3] = {
    "to_the_rear": (1.0, 0.0, 0.0), "to_the_front": (-1.0, 0.0, 0.0), "to_the_right": (0.0, 1.0, 0.0),
    "to_the_left": (0.0, -1.0, 0.0), "up": (0.0, 0.0, 1.0), "down": (0.0, 0.0, -1.0),
}  # fmt: skip
_OFF: Mapping[str, Vec3] = {"down_deg": (0.0, 0.0, -1.0), "rear_deg": (1.0, 0.0, 0.0), "right_deg": (0.0, 1.0, 0.0)}
"""Which way each reading counts."""

OFF_WORDS: Mapping[str, str] = {"down_deg": "slope", "rear_deg": "turn to the rear", "right_deg": "turn to the right"}
"""What each is called where it is not said which way the thing points."""


def off_names(way: Way) -> tuple[str, ...]:
    """The two readings that tell how something lies that mostly points that way."""
    along = _ALONG[way]
    return tuple(name for name, off in _OFF.items() if not any(a and b for a, b in zip(along, off, strict=True)))


def off_label(way: Way, name: str) -> str:
    """What a reading is called."""
    if way in ("up", "down"):
        return {"rear_deg": "leans to the rear", "right_deg": "leans to the right"}[name]
    return {"down_deg": "slopes down that way", "rear_deg": "turned to the rear", "right_deg": "turned to the right"}[name]


def vector_of(readings: Mapping[str, Any]) -> Vec3:
    """The direction that readings tell, of no particular length. Raises InputError for what is no reading."""
    way = readings.get("kind")
    if way not in WAYS:
        raise InputError("kind", "must say which way, as “kind”: one of " + ", ".join(WAYS))
    names = off_names(way)
    if set(readings) - {"kind", *names}:
        raise InputError("kind", f"has for {way} the readings {' and '.join(names)}")
    found = _ALONG[way]
    for name in names:
        off = readings.get(name, 0.0)
        if isinstance(off, bool) or not isinstance(off, int | float) or not abs(off) <= MOST_OFF_DEG:
            raise InputError(name, f"is off by more than {MOST_OFF_DEG:.0f}°; say it as the way it points most")
        tangent = math.tan(math.radians(off))
        found = (found[0] + _OFF[name][0] * tangent, found[1] + _OFF[name][1] * tangent, found[2] + _OFF[name][2] * tangent)
    return found


def direction(given: Any) -> Vec3:
    """A direction of a request, however it is given."""
    x, y, z = vector_of(given) if isinstance(given, Mapping) else given
    return (float(x), float(y), float(z))


def readings_of(vector: Vec3) -> dict[str, Any]:
    """A direction as a gauge would give it: the other way round."""
    way = max(WAYS, key=lambda w: sum(a * b for a, b in zip(_ALONG[w], vector, strict=True)))
    ahead = sum(a * b for a, b in zip(_ALONG[way], vector, strict=True))
    offs = {n: math.degrees(math.atan2(sum(a * b for a, b in zip(_OFF[n], vector, strict=True)), ahead)) for n in off_names(way)}
    return {"kind": way, **offs}
