"""Orders for shafts: tapes taken for them, drafted, checked, called final, sent, received, fitted."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import get_args

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.alone import looked_again
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.drivelines import (
    DRIVE_END,
    STEEPEST_SLOPE_DEG,
    LengthReading,
    OrderState,
    OrderStep,
    ShaftOrder,
    SlopeReading,
    members_of,
    shaft_pairs,
)
from elmpeg.core.build.signers import signed_here
from elmpeg.core.methods.measuring.repeats import APART_SD, with_dropped
from elmpeg.core.stages.drive.shaft_order import OrderSheet, sheet_of

STATES: tuple[OrderState, ...] = get_args(OrderState)
LONGEST_TEXT = 300
MOST_LEAD_DAYS = 1000
LEAST_TAPE_MM = 1.0
"""What a tape read again is taken to scatter by at least."""


def with_length(build: Build, reading: LengthReading) -> Build:
    """The build with a shaft's taped length added; its id is made here."""
    line = build.driveline(reading.line)
    if (reading.near, reading.far) not in shaft_pairs(line):
        raise InputError("shaft", "choose one of the shafts of this line")
    if reading.value_mm <= 0:
        raise InputError("length_text", "must be a length above 0, from joint centre to joint centre")
    if not reading.stance:
        raise InputError("stance", "say how the vehicle stood when it was taped")
    if all(t.id != reading.tool or t.sd_mm <= 0 for t in build.tools):
        raise InputError("tool", "choose a tool for lengths")
    made = replace(reading, id=new_id("length-1", (r.id for r in build.lengths)), note=" ".join(reading.note.split())[:LONGEST_TEXT])
    return replace(build, lengths=(*build.lengths, made))


def with_length_dropped(build: Build, reading_id: str, reason: str) -> Build:
    """The build with a taped length set aside for a reason, or counted again when the reason is empty."""
    tidy = " ".join(reason.split())[:LONGEST_TEXT]
    return replace(build, lengths=with_dropped(build.lengths, reading_id, tidy, "length"))


def with_slope(build: Build, reading: SlopeReading) -> Build:
    """The build with a gauge reading of a line added; its id is made here."""
    if (reading.near, reading.far) not in members_of(build.driveline(reading.line)):
        raise InputError("member", "choose one of the parts of this line")
    if reading.zero == DRIVE_END and not reading.near:
        raise InputError("member", "is what the gauge was zeroed on; read another part, or zero the gauge on level")
    if abs(reading.value_deg) >= STEEPEST_SLOPE_DEG:
        raise InputError("slope_text", f"must be below {STEEPEST_SLOPE_DEG:g}°")
    if not reading.stance:
        raise InputError("slope_stance", "say how the vehicle stood when it was read")
    if all(t.id != reading.tool or t.sd_deg <= 0 for t in build.tools):
        raise InputError("slope_tool", "choose a tool for angles")
    made = replace(reading, id=new_id("slope-1", (r.id for r in build.slopes)))
    return replace(build, slopes=(*build.slopes, made))


def with_slope_dropped(build: Build, reading_id: str, reason: str) -> Build:
    """The build with a gauge reading set aside for a reason, or counted again when the reason is empty."""
    tidy = " ".join(reason.split())[:LONGEST_TEXT]
    return replace(build, slopes=with_dropped(build.slopes, reading_id, tidy, "slope"))


def with_order(build: Build, line_id: str, option_id: str, maker: str, lead_days: int, person: str, when: str) -> Build:
    """The build with an order drafted for a line as it sits in an option."""
    build.driveline(line_id), build.option(option_id)
    if any(o.line == line_id and o.option == option_id and o.state != "fitted" for o in build.orders):
        raise InputError("order", "an order for this line in this option is under way already")
    made = ShaftOrder(
        new_id(f"{line_id}-order", (o.id for o in build.orders)),
        line_id,
        option_id,
        cleaned_name(maker, "maker"),
        _days(lead_days),
        steps=(OrderStep("drafted", person, when),),
    )
    return replace(build, orders=(*build.orders, made))


def _days(lead_days: int) -> int:
    if not 0 <= lead_days <= MOST_LEAD_DAYS:
        raise InputError("lead_days", f"write 0 to {MOST_LEAD_DAYS} days")
    return lead_days


def with_order_told(
    build: Build, order_id: str, maker: str, lead_days: int, measured_how: str, height: str, note: str, photos: tuple[str, ...]
) -> Build:
    """The build with what is written on an order changed. Refused once it has been called final."""
    order = build.order(order_id)
    if order.final:
        raise InputError("order", "has been called final; take that back to change it")
    texts = {"measured_how": measured_how, "height": height, "note": note}
    tidy = {field: " ".join(text.split()) for field, text in texts.items()}
    for field, text in tidy.items():
        if len(text) > LONGEST_TEXT:
            raise InputError(field, f"has {len(text)} characters; keep it to {LONGEST_TEXT}")
    known = {p.id for p in build.photos}
    changed = replace(
        order,
        maker=cleaned_name(maker, "maker"),
        lead_days=_days(lead_days),
        photos=tuple(p for p in dict.fromkeys(photos) if p in known),
        measured_how=tidy["measured_how"],
        height=tidy["height"],
        note=tidy["note"],
    )
    return replace(build, orders=with_item(build.orders, changed))


def with_final(build: Build, order_id: str, person: str, when: str) -> Build:
    """The build with an order called final, its figures frozen. Refused while any of them rests on too little, naming each."""
    order = build.order(order_id)
    sheet = sheet_of(build, order)
    blockers = sheet.blockers
    if blockers:
        first, *rest = (FieldError("final", b) for b in blockers)
        raise InputError(first.field, first.message, *rest)
    if not any(s.state == "checked" and signed_here(s.person) for s in order.steps):
        if any(s.state == "checked" for s in order.steps):
            raise InputError(
                "final", "was checked elsewhere, which says nothing of this vehicle; draft another order and have that checked"
            )
        raise InputError("final", "is not checked yet: a second person checks it, or who works alone reads it again")
    changed = replace(order, final=OrderStep(order.state, person, when), figures=sheet.frozen)
    return replace(build, orders=with_item(build.orders, changed))


def with_final_taken_back(build: Build, order_id: str) -> Build:
    """The build with an order no longer final. Refused once it has been sent."""
    order = build.order(order_id)
    if STATES.index(order.state) >= STATES.index("sent"):
        raise InputError("final", "has been sent; draft another order instead")
    return replace(build, orders=with_item(build.orders, replace(order, final=None, figures=())))


def require_read_again(sheet: OrderSheet, again_mm: Mapping[str, float]) -> None:
    """Refuse, beside ``again_SHAFT``, lengths read again blind that are not those of the sheet within three of both their doubts.

    ``again_mm`` is by shaft, as on the sheet.
    """
    found = []
    for shaft in sheet.shafts:
        long = shaft.figures[0]
        allowed = APART_SD * math.sqrt(2) * max(long.sd or 0.0, LEAST_TAPE_MM)
        if abs(again_mm[shaft.member] - long.value) > allowed:
            # What the sheet has is not told: the next reading would be a copy of it.
            said = "is not what the sheet has; read it once more, and where it stays as it is, set the first tape aside"
            found.append(FieldError(f"again_{shaft.member}", said))
    if found:
        raise InputError(found[0].field, found[0].message, *found[1:])


def with_order_step(build: Build, order_id: str, state: OrderState, person: str, when: str, note: str = "", alone: str = "") -> Build:
    """The build with an order come to its next state: checked by a second person, sent only when final, received, fitted.

    ``alone`` says how the one who drafted it read it again, where nobody else is there to check it.
    """
    order = build.order(order_id)
    if STATES.index(state) != STATES.index(order.state) + 1:
        wanted = STATES[STATES.index(order.state) + 1] if order.state != STATES[-1] else "nothing more"
        raise InputError("state", f"is {order.state}; next comes {wanted}")
    own = state == "checked" and any(s.person == person for s in order.steps if s.state == "drafted")
    if own and not alone:
        raise InputError("state", "whoever drafted it cannot check it as well; ask a second person")
    if state == "sent" and (order.final is None or not signed_here(order.final.person)):
        raise InputError("state", "is not called final here yet, so it is not sent")
    step = OrderStep(state, person, when, " ".join(note.split())[:LONGEST_TEXT], looked_again("alone", alone) if own else "")
    return replace(build, orders=with_item(build.orders, replace(order, steps=(*order.steps, step))))


def without_order(build: Build, order_id: str) -> Build:
    """The build without an order that has not been sent."""
    order = build.order(order_id)
    if STATES.index(order.state) >= STATES.index("sent"):
        raise InputError("order", "has been sent and stays on record")
    return replace(build, orders=tuple(o for o in build.orders if o.id != order_id))
