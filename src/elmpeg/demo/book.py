"""The demo shop's parts book: the parts of its builds as they are known there, and three more that lie on the rack."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.starters.book_part import BookPart, begun, taken_from
from elmpeg.core.starters.forms import FORMS
from elmpeg.core.starters.given import Given
from elmpeg.demo import bookworm, cairn

_FROM_BUILDS = (
    (cairn.build, "engine", "engine_inline"),
    (cairn.build, "gearbox", "gearbox"),
    (cairn.build, "transfer", "transfer"),
    (cairn.build, "rear-axle", "axle"),
    (cairn.build, "compressor", "accessory"),
    (bookworm.build, "motor", "motor"),
    (bookworm.build, "pack", "pack"),
)
_ON_THE_RACK = (
    (
        "seat",
        "Folding attendant seat",
        {"width_mm": 430.0, "height_mm": 880.0, "cushion_mm": 390.0, "mass_kg": 16.5},
        "From the old ambulance.",
    ),
    ("tank", "Fuel tank, long range", {"length_mm": 760.0, "width_mm": 420.0, "height_mm": 260.0}, "Steel, tested dry last spring."),
    (
        "radiator",
        "Radiator, twin fans",
        {"width_mm": 600.0, "height_mm": 400.0, "fan_mm": 280.0},
        "Fans draw; wiring cut short on the left.",
    ),
)


def parts() -> tuple[BookPart, ...]:
    """All of them, in the order they were entered."""
    known = tuple(taken_from(build(), part, kind) for build, part, kind in _FROM_BUILDS)
    rack = []
    for form_id, name, typed, note in _ON_THE_RACK:
        form = FORMS[form_id]
        given = Given(form.figures, typed, {p.name: p.choices[0][0] for p in form.picks})
        rack.append(replace(begun(form, given, name), note=note))
    return (*known, *rack)
