"""Photographs laid under a view: taken in, marked at places that are known, shown true to scale, and taken out."""

from __future__ import annotations

import math
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.core.build.document import Build
from elmpeg.core.build.entities import item_of
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.build.thing_edits import with_thing, without_thing
from elmpeg.core.build.underlays import Underlay
from elmpeg.core.methods.measuring.plane_projection import Flat, Mark, plane_projection
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, View
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.downloads import picture
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.shop import photos
from elmpeg.web.security import ReadDesk

router = APIRouter()
ROWS = 8
LARGEST_PX = 1e5


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """A photograph with its marks, or the form to take one in."""
    on_page = build_page(desk, build_id, "Place", outcome)
    build = on_page.build
    underlay = next((u for u in build.underlays if u.id == desk.text("underlay")), None)
    wanted = (
        underlay.photo if underlay else desk.text("picture") or (build.photos[-1].id if outcome and outcome.saved and build.photos else "")
    )
    photo = next((p for p in build.photos if p.id == wanted), None)
    asked = desk.text("view") or (underlay.view if underlay else "")
    view: View = next((v for v in get_args(View) if v == asked), "side")
    fit = plane_projection(underlay.marks) if underlay else None
    return desk.render(
        "place/underlay.html",
        outcome,
        page=on_page,
        underlay=underlay,
        photo=photo,
        view=view,
        views=[(v, v) for v in get_args(View)],
        on=underlay.on if underlay else desk.text("on") or VEHICLE,
        marks=list(underlay.marks) if underlay else [],
        rows=ROWS,
        axes=[("XYZ"[i]) for i in AXES_OF_VIEW[view]],
        fit=fit,
    )


@router.get("/builds/{build_id}/shapes/photo", name="underlay")
def show(build_id: str, desk: ReadDesk) -> Response:
    """A photograph and its marks."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/shapes/photo/{underlay_id}.jpg", name="underlay_picture")
def laid_picture(build_id: str, underlay_id: str, desk: ReadDesk) -> Response:
    """The photograph as seen square on, at one scale."""
    build = desk.shop.builds.head(build_id).build
    laid = desk.shop.laid_photo(build, item_of(build, "underlays", underlay_id))
    return picture(desk.request, laid.data, "image/jpeg")


@router.post("/builds/{build_id}/shapes/photo", name="keep_underlay")
@answers(page)
def keep(act: Act) -> Outcome:
    """Take a photograph in, keep its marks, or take it from under the view."""
    do = act.form.choice("do", ("photo", "keep", "remove"), "keep")
    act.form.require()
    if do == "photo":
        photo = photos.kept_from(act.desk, "photo")
        if photo is None:
            raise InputError("photo", "choose a photograph first")
        return act.change(f"Took in the photograph {photo.name}", lambda b: photos.with_kept(b, photo)[0])
    underlay_id = act.text("underlay")
    if do == "remove":
        name = item_of(act.build, "underlays", underlay_id).name
        return act.change(f"Took {name} from under the view", lambda b: without_thing(b, "underlays", underlay_id))
    said = _said(act, underlay_id)

    def edit(build: Build) -> Build:
        return with_thing(build, "underlays", said)

    outcome = act.change(f"Laid {said.name} under the {said.view} view", edit)
    outcome.errors = tuple(e if "." not in e.field else FieldError("marks", e.message) for e in outcome.errors)
    return outcome


def _said(act: Act, underlay_id: str) -> Underlay:
    form = act.form
    name = cleaned_name(act.text("name"))
    view = form.choice("view", get_args(View))
    on = form.choice("on", (VEHICLE, *(c.id for c in act.build.components)), VEHICLE)
    photo = form.choice("picture", [p.id for p in act.build.photos])
    marks = marks_from(form)
    form.require()
    if len(marks) in (0, 1, 3):
        raise InputError("marks", "two places do for a picture taken square on; four or more for one taken askew")
    try:
        plane_projection(marks)
    except InputError as refused:
        raise InputError("marks", refused.message) from None
    return Underlay(underlay_id, name, photo, view, marks, on)


def marks_from(form: Form) -> tuple[Mark, ...]:
    """The marks as typed. With two of them, the second's place may be left to the distance between them."""
    found: list[Mark] = []
    for k in range(ROWS):
        if not form.given(f"px_{k}_x"):
            continue
        px = (form.number(f"px_{k}_x", -LARGEST_PX, LARGEST_PX), form.number(f"px_{k}_y", -LARGEST_PX, LARGEST_PX))
        typed = [form.given(f"at_{k}_{a}") for a in "uv"]
        if k == 1 and form.given("distance") and not any(typed):
            found.append(Mark(px, _at_distance(found[0] if found else None, px, form.length("distance"))))
            continue
        found.append(Mark(px, (form.length(f"at_{k}_u", 0.0 if k == 0 else None), form.length(f"at_{k}_v", 0.0 if k == 0 else None))))
    return tuple(found)


def _at_distance(first: Mark | None, px: Flat, distance_mm: float) -> Flat:
    """Where a second mark is, so far from the first as the tape says, in the direction that the picture shows."""
    if first is None:
        return (0.0, 0.0)
    du, dv = px[0] - first.px[0], -(px[1] - first.px[1])
    long = math.hypot(du, dv) or 1.0
    return (first.at_mm[0] + du / long * distance_mm, first.at_mm[1] + dv / long * distance_mm)
