"""Drive, axles: how each is carried, how far it goes from ride height, and who measured that."""

from __future__ import annotations

from typing import Literal, get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.quantities import noted
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import CarriedAxle, ControlLink, Perches, TravelReading
from elmpeg.core.build.survey import VEHICLE, Source
from elmpeg.core.methods.driveline.axle_travel import TravelKind
from elmpeg.core.scene.carried_axle import reach_of
from elmpeg.core.stages.drive import axle_edits
from elmpeg.web.answers import Act, answers
from elmpeg.web.desk import Desk, now
from elmpeg.web.forms import Form
from elmpeg.web.gauge_fields import set_aside_because
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.drive.drive_page import drive_page, render
from elmpeg.web.security import ReadDesk

router = APIRouter()
CARRIED: dict[TravelKind, tuple[str, str]] = {
    "leaf": (
        "On leaf springs",
        "The seat moves on an arc of three quarters of the half towards the fixed eye; unlike halves turn the pinion.",
    ),
    "four_link": ("On upper and lower links", "Two links of fixed length, seen from the side; the pinion turns as they close."),
    "swing": ("On an arm about a pivot", "The axle turns rigidly about one pivot: torque tube, trailing arms, radius arms."),
    "parallel": ("Straight up and down", "The axle rises without turning; also for a differential that is bolted to the frame."),
}
SOURCES: tuple[Source, ...] = get_args(Source)
WAYS: tuple[Literal["bump", "droop"], ...] = ("bump", "droop")


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The carried axles, and the chosen one."""
    on = drive_page(desk, build_id, outcome)
    build = on.at.build
    wanted = desk.text("axle") or (on.line.axle if on.line else "")
    new = desk.text("new") == "1" or not build.axles
    chosen = None if new else next((a for a in build.axles if a.id == wanted), build.axles[0])
    kind = next((k for k in CARRIED if k == desk.text("kind")), chosen.kind if chosen else "leaf")
    mine = {chosen.component} if chosen else {c.id for c in build.components}
    return render(
        desk,
        "drive/axles.html",
        "axles",
        on,
        outcome,
        new=new,
        chosen=chosen,
        kind=kind,
        carried=CARRIED,
        sources=SOURCES,
        reach=reach_of(build, chosen) if chosen else None,
        roots=[c for c in build.components if c.parent is None],
        frame_points=[p for p in build.points if p.on not in mine or p.on == VEHICLE],
        axle_points=[p for p in build.points if p.on != VEHICLE and (not chosen or p.on in mine)],
        tools=[t for t in build.tools if t.sd_mm > 0],
        windup=build.limits.joints.windup_deg(kind),
        # What was typed stays when another way of carrying is chosen, and when something is refused.
        said=desk.form if outcome and outcome.errors else desk.request.query_params,
    )


@router.get("/builds/{build_id}/drive/axles", name="drive_axles")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The carried axles."""
    return page(desk, build_id)


def axle_from(desk: Desk, form: Form, build: Build) -> CarriedAxle:
    """The axle that the form says. Raises InputError beside each field."""
    before = next((a for a in build.axles if a.id == desk.text("axle")), None)
    kind: TravelKind = form.choice("kind", CARRIED, "leaf")
    upper = lower = None
    if kind == "four_link":
        ends: Literal[1, 2] = form.choice("ends", (1, 2), 1)
        engaged = form.length_or_none("engaged", before.upper.engaged_mm if before and before.upper else None)
        upper = ControlLink(desk.text("upper_frame"), desk.text("upper_axle"), form.text("thread"), engaged, ends)
        lower = ControlLink(desk.text("lower_frame"), desk.text("lower_axle"))
    made = CarriedAxle(
        id=before.id if before else "",
        name=desk.text("name"),
        component=desk.text("component"),
        kind=kind,
        bump_mm=form.length("bump", now=before.bump_mm if before else None),
        droop_mm=form.length("droop", now=before.droop_mm if before else None),
        source=form.choice("source", SOURCES, "assumed"),
        readings=before.readings if before else (),
        roll_deg=form.angle("roll", 0.0, before.roll_deg if before else None),
        apart_mm=form.length_or_none("apart", before.apart_mm if before else None) or 0.0,
        pivot_point=desk.text("pivot_point") if kind == "swing" else "",
        upper=upper,
        lower=lower,
        seat_point=desk.text("seat_point") if kind == "leaf" else "",
        eye_point=desk.text("eye_point") if kind == "leaf" else "",
        shackle_half_mm=form.length_or_none("shackle_half", before.shackle_half_mm if before else None) if kind == "leaf" else None,
        perch_mm=form.length_or_none("perch", before.perch_mm if before else None),
        perches=form.choice("perches", get_args(Perches), "welded"),
        tube_mm=form.length_or_none("tube", before.tube_mm if before else None),
    )
    form.require()
    return made


@router.post("/builds/{build_id}/drive/axles", name="keep_axle")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Add an axle, change it, take a reading of its travel, or take it out."""
    desk, form = act.desk, act.form
    build = act.build
    do = desk.text("do")
    if do == "remove":
        axle = build.axle(desk.text("axle"))
        outcome = act.change(f"Took {axle.name} out", lambda b: axle_edits.without_carried(b, axle.id))
    elif do == "reading":
        axle = build.axle(desk.text("axle"))
        way: Literal["bump", "droop"] = form.choice("way", WAYS, "bump")
        text = desk.text("travel_text").strip()
        value = form.length("travel_text")
        reading = TravelReading("", way, text, value, desk.text("travel_tool"), desk.person.name, now())
        outcome = act.change(
            f"Travel to {way} of {axle.name}: {noted(value, 'mm')}", lambda b: axle_edits.with_travel_reading(b, axle.id, reading)
        )
    elif do in ("drop", "count"):
        axle = build.axle(desk.text("axle"))
        reason = set_aside_because(form, "reason", do)
        reading_id = desk.text("reading")
        outcome = act.change(
            f"{'Set aside' if reason else 'Counted again'} a reading of {axle.name}",
            lambda b: axle_edits.with_travel_dropped(b, axle.id, reading_id, reason),
        )
    else:
        made = axle_from(desk, form, build)
        outcome = act.change(f"How {made.name} is carried", lambda b: axle_edits.with_carried(b, made))
    return outcome
