"""Drive, order: tapes of a line's shafts, the order to the shaft maker, what keeps it from being final, and its state."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import noted
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import (
    Driveline,
    GaugeZero,
    LengthReading,
    Member,
    OrderState,
    ShaftOrder,
    SlopeReading,
    Stance,
    members_of,
    shaft_pairs,
)
from elmpeg.core.scene.line_in_scene import lengths_of
from elmpeg.core.stages.drive import order_edits
from elmpeg.core.stages.drive.gauge_angles import member_name, readings_of
from elmpeg.core.stages.drive.order_edits import STATES
from elmpeg.core.stages.drive.shaft_order import OrderSheet, sheet_of
from elmpeg.formats import order_sheet
from elmpeg.web.answers import Act, answers
from elmpeg.web.desk import Desk, now
from elmpeg.web.downloads import named
from elmpeg.web.forms import Form
from elmpeg.web.gauge_fields import is_about_a_kept_reading, set_aside_because, signed_slope_deg
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.drive.drive_page import drive_page, render
from elmpeg.web.security import ReadDesk

router = APIRouter()
STANCES: dict[Stance, str] = {"ride": "on its wheels, at ride height", "stands": "on stands, axle hanging"}
ZEROS: dict[GaugeZero, str] = {"level": "level", "drive end": "the drive end"}
STATE_WORDS: dict[OrderState, str] = {
    "drafted": "Drafted", "checked": "Checked", "sent": "Sent", "received": "Received", "fitted": "Fitted",
}  # fmt: skip
NEXT_WORDS: dict[OrderState, str] = {
    "checked": "I have checked it", "sent": "It has been sent", "received": "The shafts are here", "fitted": "They are fitted",
}  # fmt: skip


def _order(desk: Desk, build: Build, line_id: str, option_id: str) -> ShaftOrder | None:
    mine = [o for o in build.orders if o.line == line_id]
    asked = next((o for o in mine if o.id == desk.text("order")), None)
    return asked or next((o for o in mine if o.option == option_id), None) or (mine[-1] if mine else None)


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The order of a line as it stands."""
    on = drive_page(desk, build_id, outcome)
    build, line = on.at.build, on.line
    order = _order(desk, build, line.id, on.at.option.id) if line else None
    sheet: OrderSheet | None = None
    trouble = ""
    if order is not None:
        try:
            sheet = sheet_of(build, order)
        except InputError as refused:
            trouble = refused.message
    following = STATES[STATES.index(order.state) + 1] if order and order.state != STATES[-1] else None
    computed = dict(zip(shaft_pairs(line), lengths_of(on.state.geometry), strict=True)) if line and on.state else {}
    return render(
        desk,
        "drive/order.html",
        "order",
        on,
        outcome,
        order=order,
        sheet=sheet,
        trouble=trouble,
        following=following,
        done={s.state: s for s in order.steps} if order else {},
        states=STATES,
        state_words=STATE_WORDS,
        next_words=NEXT_WORDS,
        stances=STANCES,
        pairs=shaft_pairs(line) if line else (),
        computed=computed,
        tapes=[r for r in build.lengths if line and r.line == line.id],
        orders=[o for o in build.orders if line and o.line == line.id],
        tools=[t for t in build.tools if t.sd_mm > 0],
        slopes=readings_of(build, line) if line else (),
        member_names=_member_names(build, line) if line else {},
        angle_tools=[t for t in build.tools if t.sd_deg > 0],
        zeros=ZEROS,
        alone=desk.alone,
        reading_again=bool(
            sheet and following == "checked" and desk.alone and desk.text("again") == "1" and not (outcome and outcome.saved)
        ),
    )


def _member_names(build: Build, line: Driveline) -> dict[Member, str]:
    """Each part of a line that a gauge can be laid on; the ends by their points' names."""
    names = {p.id: p.name for p in build.points}
    ends = {0: names[line.joints[0].point], len(line.joints): names[line.joints[-1].point]}
    return {m: f"{member_name(m)}, {ends[k]}" if k in ends else member_name(m) for k, m in enumerate(members_of(line))}


@router.get("/builds/{build_id}/drive/order", name="drive_order")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The order of a line."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/drive/order.pdf", name="order_pdf")
def pdf(build_id: str, desk: ReadDesk) -> Response:
    """The order as a page to print or send."""
    build = desk.shop.builds.head(build_id).build
    order = build.order(desk.text("order"))
    headers = {**named(f"{order.id}.pdf"), "Cache-Control": "no-store"}
    head = desk.paper(f"Shaft order: {build.driveline(order.line).name}", build_id, order.option)
    said = order_sheet.as_pdf(build, sheet_of(build, order), head, desk.show.words, desk.show.bar)
    return Response(said, media_type="application/pdf", headers=headers)


@router.get("/builds/{build_id}/drive/order.json", name="order_json")
def plain(build_id: str, desk: ReadDesk) -> Response:
    """The order as JSON."""
    build = desk.shop.builds.head(build_id).build
    order = build.order(desk.text("order"))
    headers = {**named(f"{order.id}.json"), "Cache-Control": "no-store"}
    return Response(order_sheet.as_json(build, sheet_of(build, order)), media_type="application/json", headers=headers)


@router.post("/builds/{build_id}/drive/order/tape", name="tape_shaft")
@answers(page)
def tape(act: Act) -> Outcome | Response:
    """Take down a shaft's taped length, or set one aside."""
    desk, form = act.desk, act.form
    build = act.build
    line = build.driveline(desk.text("line"))
    if is_about_a_kept_reading(act.text("do")):
        reason = set_aside_because(act.form, "reason", act.text("do"))
        words = f"{'Set aside' if reason else 'Counted again'} a tape of {line.name}"
        outcome = act.change(words, lambda b: order_edits.with_length_dropped(b, desk.text("length"), reason))
    else:
        near, _, far = desk.text("shaft").partition("|")
        text = desk.text("length_text").strip()
        value = form.length("length_text")
        stance = form.choice("stance", STANCES, "")
        reading = LengthReading("", line.id, near, far, text, value, desk.text("tool"), desk.person.name, now(), stance, desk.text("note"))
        outcome = act.change(f"Taped {near}-{far} of {line.name}: {noted(value, 'mm')}", lambda b: order_edits.with_length(b, reading))
    return outcome


@router.post("/builds/{build_id}/drive/order/gauge", name="gauge_line")
@answers(page)
def gauge(act: Act) -> Outcome | Response:
    """Take down a gauge's reading of a line, or set one aside."""
    desk = act.desk
    build = act.build
    line = build.driveline(desk.text("line"))
    if is_about_a_kept_reading(act.text("do")):
        reason = set_aside_because(act.form, "slope_reason", act.text("do"))
        words = f"{'Set aside' if reason else 'Counted again'} a slope of {line.name}"
        outcome = act.change(words, lambda b: order_edits.with_slope_dropped(b, desk.text("slope"), reason))
    else:
        reading = _slope_reading(desk, act.form, line)
        words = f"Read {member_name((reading.near, reading.far))} of {line.name}: {noted(reading.value_deg, 'deg')}"
        outcome = act.change(words, lambda b: order_edits.with_slope(b, reading))
    return outcome


def _slope_reading(desk: Desk, form: Form, line: Driveline) -> SlopeReading:
    near, _, far = desk.text("member").partition("|")
    text, slope = desk.text("slope_text").strip(), signed_slope_deg(form, "slope_text", "slope_way")
    zero = form.choice("zero", ZEROS)
    stance = form.choice("slope_stance", STANCES, "")
    return SlopeReading("", line.id, near, far, text, slope, zero, desk.text("slope_tool"), desk.person.name, now(), stance)


def _read_again(act: Act, order: ShaftOrder) -> str:
    """How somebody who works alone read an order's lengths again, once these are the sheet's. Raises InputError where not."""
    sheet = sheet_of(act.build, order)
    again = {s.member: act.form.length(f"again_{s.member}") for s in sheet.shafts}
    how = act.looked_again()
    act.form.require()
    order_edits.require_read_again(sheet, again)
    return how


@router.post("/builds/{build_id}/drive/order", name="keep_order")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Draft an order, write on it, check it, call it final, and follow it until it is fitted."""
    desk, form = act.desk, act.form
    build = act.build
    line, do = build.driveline(desk.text("line")), desk.text("do")
    name, when = desk.person.name, now()
    if do == "draft":
        days = form.count("lead_days", 0, 1000)
        form.require()
        option_id = build.option(desk.text("option")).id
        maker = desk.text("maker")
        outcome = act.change(
            f"Drafted an order for {line.name}",
            lambda b: order_edits.with_order(b, line.id, option_id, maker, days, name, when),
        )
        return outcome
    order = build.order(desk.text("order"))
    if do == "told":
        days = form.count("lead_days", 0, 1000)
        texts = [desk.text(f) for f in ("measured_how", "height", "note")]
        photos = tuple(v for v in desk.form.getlist("photos") if isinstance(v, str))
        outcome = act.change(
            f"Wrote on the order for {line.name}",
            lambda b: order_edits.with_order_told(b, order.id, desk.text("maker"), days, texts[0], texts[1], texts[2], photos),
        )
    elif do == "final":
        outcome = act.change(f"Called the order for {line.name} final", lambda b: order_edits.with_final(b, order.id, name, when))
    elif do == "unfinal":
        outcome = act.change(f"Took back that the order for {line.name} is final", lambda b: order_edits.with_final_taken_back(b, order.id))
    elif do == "remove":
        outcome = act.change(f"Took out the order for {line.name}", lambda b: order_edits.without_order(b, order.id))
    else:
        state = form.choice("state", STATES)
        alone = _read_again(act, order) if state == "checked" and desk.alone else ""
        outcome = act.change(
            f"Order for {line.name}: {STATE_WORDS[state].lower()}",
            lambda b: order_edits.with_order_step(b, order.id, state, name, when, desk.text("step_note"), alone),
        )
    return outcome
