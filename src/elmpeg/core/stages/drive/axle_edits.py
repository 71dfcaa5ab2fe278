"""Carried axles made, changed and taken out, and readings of how far they go."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import LONGEST_REASON, cleaned_name, new_id
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.drivelines import (
    CarriedAxle,
    TravelReading,
)
from elmpeg.core.build.entities import taken_out
from elmpeg.core.methods.measuring.repeats import with_dropped
from elmpeg.core.scene.carried_axle import astray
from elmpeg.core.scene.scene import root_of
from elmpeg.core.stages.drive.line_edits import with_sound_lines


def with_carried(build: Build, axle: CarriedAxle) -> Build:
    """The build with a carried axle added (no id) or changed."""
    name = cleaned_name(axle.name)
    if axle.component not in {c.id for c in build.components}:
        raise InputError("component", "choose the axle among the components")
    if root_of(build, axle.component).id != axle.component:
        raise InputError("component", "is bolted to another part; choose a part that stands by itself")
    for field in ("bump_mm", "droop_mm", "apart_mm"):
        if getattr(axle, field) < 0:
            raise InputError(field.removesuffix("_mm"), "must be 0 or more")
    wrong = astray(build, axle)
    if wrong:
        raise InputError("carried", wrong)
    made = replace(axle, name=name, id=axle.id or new_id(name, (a.id for a in build.axles)))
    if axle.id:
        return with_sound_lines(replace(build, axles=with_item(build.axles, made)))
    return with_sound_lines(replace(build, axles=(*build.axles, made)))


def without_carried(build: Build, axle_id: str) -> Build:
    """The build without a carried axle. Refused while a line follows it."""
    made: Build = taken_out(build, "axles", axle_id)
    return made


def with_travel_reading(build: Build, axle_id: str, reading: TravelReading) -> Build:
    """The build with a reading of how far an axle goes; its id is made here."""
    axle = build.axle(axle_id)
    if reading.value_mm <= 0:
        raise InputError("travel_text", "must be a length above 0, from ride height")
    if all(t.id != reading.tool for t in build.tools):
        raise InputError("travel_tool", "choose one of the tools")
    made = replace(reading, id=new_id("t1", (r.id for r in axle.readings)))
    return with_sound_lines(replace(build, axles=with_item(build.axles, replace(axle, readings=(*axle.readings, made), source="measured"))))


def with_travel_dropped(build: Build, axle_id: str, reading_id: str, reason: str) -> Build:
    """The build with a travel reading set aside for a reason, or counted again when the reason is empty."""
    axle = build.axle(axle_id)
    tidy = " ".join(reason.split())[:LONGEST_REASON]
    readings = with_dropped(axle.readings, reading_id, tidy, "reading")
    return replace(build, axles=with_item(build.axles, replace(axle, readings=readings)))
