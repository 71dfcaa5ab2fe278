"""What a build says of itself: its name, vehicle, stage, cautions and limits; copied, put away, removed and brought back."""

from __future__ import annotations

from dataclasses import fields, replace
from typing import Any, get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.verdicts import LEAST_SURE, MOST_SURE
from elmpeg.core.build.document import Build, Stage
from elmpeg.core.build.limits import Limits
from elmpeg.core.integrity.signed import from_elsewhere
from elmpeg.core.stages.mount.stack_edits import without_reservations
from elmpeg.store.builds import PLACES
from elmpeg.store.shop_record import LONGEST_CAUTION, MOST_CAUTIONS
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ChangeDesk, LeadDesk, ReadDesk

router = APIRouter()
LIMIT_WORDS = {
    "mount_tilt_deg": "Foot and seat out of parallel, at most",
    "square_mm": "Diagonals of a frame bay apart, at most",
    "mirror_mm": "Left and right apart from each other's mirror image, at most",
}
"""The limits that stand here; those of joints have a page of their own at Drive."""


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The build's own page."""
    at = build_page(desk, build_id, "About", outcome)
    limits = [(f.name, LIMIT_WORDS[f.name], getattr(at.build.limits, f.name)) for f in fields(Limits) if f.name in LIMIT_WORDS]
    standing = desk.shop.builds.standing(build_id)
    return desk.render("shop/about_build.html", outcome, page=at, limits=limits, standing=standing, all_stages=get_args(Stage))


@router.get("/builds/{build_id}/about", name="about_build")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The build's own page."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/about", name="keep_about")
@answers(page)
def keep(act: Act) -> Outcome:
    """Keep the build's name, vehicle and stage, or its cautions."""
    form = act.form
    if form.choice("do", ("about", "cautions")) == "cautions":
        lines = tuple(" ".join(line.split()) for line in act.text("cautions").splitlines() if line.strip())
        if len(lines) > MOST_CAUTIONS or any(len(line) > LONGEST_CAUTION for line in lines):
            form.refuse("cautions", f"are at most {MOST_CAUTIONS} lines of at most {LONGEST_CAUTION} characters")
        return act.change("Changed its cautions", lambda b: replace(b, cautions=lines))
    name, vehicle = cleaned_name(act.text("name")), form.text("vehicle", 200)
    stage = form.choice("stage", get_args(Stage))
    return act.change("Changed what it says of itself", lambda b: replace(b, name=name, vehicle=vehicle, stage=stage))


@router.post("/builds/{build_id}/about/limits", name="keep_limits")
@answers(page, LeadDesk)
def keep_limits(act: Act) -> Outcome:
    """Keep the limits that do not concern joints."""
    form = act.form
    said: dict[str, Any] = {n: _limit(form, n, getattr(act.build.limits, n)) for n in LIMIT_WORDS}
    for name, value in said.items():
        if value <= 0:
            form.refuse(name, "must be above 0")
    said["sure"] = form.number("sure_pct", 100 * LEAST_SURE, 100 * MOST_SURE, 100 * act.build.limits.sure) / 100

    def edit(build: Build) -> Build:
        return replace(build, limits=replace(build.limits, **said))

    return act.change("Changed its limits", edit)


def _limit(form: Form, name: str, now: float) -> float:
    return form.angle(name, now=now) if name.endswith("_deg") else form.length(name, now=now)


@router.post("/builds/{build_id}/copy", name="copy_build")
def copy(build_id: str, desk: ChangeDesk) -> Response:
    """A copy of the build as the start of another: all that is known of the vehicle and its parts, without rounds and orders."""
    form = Form(desk.text, desk.has, desk.show)
    original = desk.shop.builds.head(build_id).build
    try:
        name = cleaned_name(desk.text("copy_name"), "copy_name")
        build = replace(
            without_reservations(from_elsewhere(original)),
            id=new_id(name, ()),
            name=name,
            rounds=(),
            orders=(),
            agreed=None,
            stage="Reference",
        )
        head = desk.shop.builds.add(build, desk.author, f"Began as a copy of {original.name}")
    except InputError as refused:
        return page(desk, build_id, Outcome(errors=(*form.errors, *refused.errors)))
    return desk.go(desk.shop.url("about_build", build_id=head.build.id))


@router.post("/builds/{build_id}/put", name="put_build")
def put(build_id: str, desk: ChangeDesk) -> Response:
    """Archive a build, bring it back, or remove it; only leads remove and bring back what was removed."""
    form = Form(desk.text, desk.has, desk.show)
    builds = desk.shop.builds
    try:
        where = form.choice("where", PLACES)
        form.require()
        if "removed" in (where, builds.standing(build_id).where) and not desk.person.leads:
            raise InputError("where", "only leads remove builds and bring them back; ask one")
    except InputError as refused:
        return page(desk, build_id, Outcome(errors=refused.errors))
    builds.put(build_id, where, desk.author)
    if desk.text("from") == "builds":
        return desk.go(desk.shop.url("builds"))
    return desk.go(desk.shop.url("about_build", build_id=build_id) if where == "in work" else desk.shop.url("builds"))
