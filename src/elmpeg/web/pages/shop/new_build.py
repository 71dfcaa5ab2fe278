"""A new build: a vehicle from what a tape gives, drawn to scale while it is typed."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity.sound import require_sound
from elmpeg.core.starters.vehicle import FIGURES, KINDS, Kind, vehicle_begun
from elmpeg.web.desk import Desk, now
from elmpeg.web.drawing.bay import BayScene, draw
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ChangeDesk, ReadDesk
from elmpeg.web.starter_fields import figure_fields, is_asked, typed_figures

router = APIRouter()
UNNAMED = "the new build"


def kind_of(desk: Desk) -> Kind:
    """The kind of vehicle that is being begun."""
    return next((k for k in KINDS if k == desk.text("kind")), "ladder")


def begun(desk: Desk, form: Form, name: str) -> Build:
    """The build as the form says it. Refusals are kept in the form."""
    typed = typed_figures(form, desk.show, FIGURES[kind_of(desk)])
    shop = desk.shop.records.get()
    build = vehicle_begun(
        kind_of(desk), name, form.text("vehicle", 200), typed.values, typed.texts, desk.person.name, now(), shop.tools, shop.cautions
    )
    return replace(build, limits=replace(build.limits, sure=shop.sure))


def page(desk: Desk, outcome: Outcome | None = None) -> HTMLResponse:
    """The form, with the vehicle as it stands so far."""
    kind = kind_of(desk)
    return desk.render(
        "shop/new_build.html",
        outcome,
        kinds=KINDS,
        kind=kind,
        fields=figure_fields(FIGURES[kind], desk.show),
        drawn=_drawn(desk),
        asked=bool(outcome and is_asked(outcome.errors)),
    )


def _drawn(desk: Desk) -> str:
    """The vehicle in three views, with what it was asked about; what cannot be read yet counts as not typed."""
    form = Form(desk.text, desk.has, desk.show)
    build = begun(desk, form, UNNAMED)
    try:
        require_sound(build)
    except InputError as refused:
        form.errors += refused.errors
        build = vehicle_begun(kind_of(desk), UNNAMED, "", {})
    scene = BayScene(build, evaluate(build, build.options[0].id), "")
    views = {view: draw(scene, view, desk.show, large=view == "side") for view in ("side", "plan", "rear")}
    return desk.shop.templates.get_template("shop/_drawn_vehicle.html").render(
        views=views, asked=[] if desk.request.method == "GET" else form.errors, told=build.datum.where
    )


@router.get("/new", name="new_build")
def show(desk: ReadDesk) -> Response:
    """The form for a new build."""
    return page(desk)


@router.post("/new/drawn", name="new_build_drawn")
def drawn(desk: ChangeDesk) -> Response:
    """The vehicle as typed so far."""
    return HTMLResponse(_drawn(desk), headers={"Cache-Control": "no-store"})


@router.post("/new", name="begin_build")
def begin(desk: ChangeDesk) -> Response:
    """Begin the build, and open it."""
    form = Form(desk.text, desk.has, desk.show)
    if not desk.text("name").strip():
        form.refuse("name", "is empty; write what the shop calls this vehicle")
    try:
        build = begun(desk, form, desk.text("name").strip() or UNNAMED)
        form.require()
        head = desk.shop.builds.add(build, desk.author, f"Began {build.name}")
    except InputError as refused:
        return page(desk, Outcome(errors=(*form.errors, *(e for e in refused.errors if e not in form.errors))))
    return desk.go(desk.shop.url("bay", build_id=head.build.id))
