"""The demo shop's parts book: the parts of its builds as they are known there, and three more that lie on the rack."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.starters.book_part import BookPart, begun, taken_from
from elmpeg.core.starters.forms import FORMS
from elmpeg.core.starters.given import Given
from elmpeg.demo import bookworm, cairn, dynamo

_BUILDS = (cairn.build, bookworm.build, dynamo.build)
_KINDS = {
    "engine": "engine_inline",
    "gearbox": "gearbox",
    "transfer": "transfer",
    "front-axle": "axle",
    "rear-axle": "axle",
    "compressor": "accessory",
    "alternator": "accessory",
    "radiator": "radiator",
    "seat": "seat",
    "motor": "motor",
    "pack": "pack",
}
"""Which starter form a part of the demo would have been begun with, by its id there."""
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
    known: dict[str, BookPart] = {}
    for build in (one() for one in _BUILDS):
        for component in build.components:
            part = taken_from(build, component.id, _KINDS.get(component.id, ""))
            # Two vehicles may have a part of one name; in the book each says which it came from.
            name = part.name if part.name not in known else f"{part.name}, {build.name.split(',')[0]}"
            known[name] = replace(part, name=name)
    rack = []
    for form_id, name, typed, note in _ON_THE_RACK:
        form = FORMS[form_id]
        given = Given(form.figures, typed, {p.name: p.choices[0][0] for p in form.picks})
        rack.append(replace(begun(form, given, name), note=note))
    return (*known.values(), *rack)
