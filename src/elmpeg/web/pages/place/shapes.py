"""Shapes of the vehicle and of parts: drawn, dragged and typed over three views to scale, over a photograph where there is one."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import FieldError, InputError, MissingError
from elmpeg.core.base.naming import LONGEST_NAME
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.build.underlays import Underlay
from elmpeg.core.integrity.sound import problems
from elmpeg.core.methods.shapes.solids import (
    AXES_OF_VIEW,
    Box,
    Cylinder,
    Extrusion,
    Mesh,
    Role,
    ShapeSource,
    Solid,
    Tube,
    View,
    crossing_mm,
)
from elmpeg.core.stages.place import shape_edits
from elmpeg.core.stages.place.shape_edits import rooms_at, shapes_of
from elmpeg.figures.projection import Window
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import BuildPage, build_page, chosen_option
from elmpeg.web.desk import Desk
from elmpeg.web.drawing.bay import VIEW_NAMES, VIEW_WORDS
from elmpeg.web.drawing.shapes import Beneath, ShapeScene, draw_shapes
from elmpeg.web.forms import Form, typed_fields
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ChangeDesk, ReadDesk

router = APIRouter()
KINDS: dict[str, tuple[type[Solid], str, str]] = {
    "box": (Box, "Box", "Drag a rectangle in the large view; its third side is typed, or dragged in another view."),
    "cylinder": (Cylinder, "Cylinder", "Drag from the middle of one end to the middle of the other."),
    "extrusion": (
        Extrusion,
        "Pulled outline",
        "Click corner after corner in the view it is seen in; then type from where to where it goes.",
    ),
    "mesh": (Mesh, "Mesh", "Bring it in from a file."),
    "tube": (Tube, "Tube or hose", "Click corner after corner along its path; the third coordinate is typed, or dragged in another view."),
}
ROLES: dict[Role, str] = {
    "": "nothing said",
    "frame": "frame",
    "body": "body",
    "moving": "moving",
    "hot": "hot",
    "rotating": "rotating",
    "fuel_or_brake_line": "fuel or brake line",
    "wiring": "wiring",
    "person": "where a person is",
}
SOURCES: dict[ShapeSource, str] = {"": "nothing said", **{s: s for s in get_args(ShapeSource) if s}}
MESH_FIELDS = ("name", "role", "source", "sd_mm")
STEPS_MM = {"mm": (1.0, 5.0, 10.0, 50.0), "in": (25.4 / 16, 25.4 / 8, 25.4 / 4, 25.4)}
"""What drawing snaps to, by the unit of who draws."""
USUAL_STEP = 2
STRENGTHS = {"strong": 0.9, "faint": 0.35, "hidden": 0.0}
LABELS = {
    "centre_mm": "Centre",
    "size_mm": "Size",
    "start_mm": "One end",
    "end_mm": "Other end",
    "diameter_mm": "Diameter",
    "outline_mm": "Corners in the view",
    "from_mm": "From",
    "to_mm": "To",
    "path_mm": "Corners of its path",
    "sd_mm": "Its faces may be off by",
}


@record
class At:
    """What of a build's shapes is looked at."""

    on: str
    view: View
    kind: str
    shape: str
    step_mm: float
    strength: str


@dataclass(frozen=True, slots=True)
class ShapeField:
    """One field of a shape's form: its name, label, how it is typed, and what it holds."""

    name: str
    label: str
    kind: str
    now: Any


def at_of(desk: Desk, build: Build) -> At:
    """What is looked at, as the form or the address says."""
    on = desk.text("on") or VEHICLE
    on = on if on == VEHICLE or any(c.id == on for c in build.components) else VEHICLE
    shape = next((s for s in shapes_of(build, on) if s.id == desk.text("shape")), None)
    kind = shape.kind if shape else desk.text("kind")
    steps = STEPS_MM[desk.show.length_unit]
    return At(
        on,
        next((v for v in get_args(View) if v == (desk.text("large") or desk.text("view"))), "side"),
        kind if kind in KINDS else "",
        shape.id if shape else "",
        next((s for s in steps if f"{s:g}" == desk.text("step")), steps[USUAL_STEP]),
        next((s for s in STRENGTHS if s == desk.text("strength")), "faint"),
    )


def shape_from(form: Form, kind: str, shape_id: str, now: Solid | None) -> Solid:
    """The shape as a form says it, ``now`` being what it showed. Refusals are kept in the form."""
    if isinstance(now, Mesh):
        # Its surface comes from its file; by hand it is only moved.
        by = tuple(form.length(f"by_{axis}", 0.0) for axis in "xyz")
        kept = {n: getattr(now, n) for n in Mesh.__dataclass_fields__ if n not in MESH_FIELDS}
        told = form.record(Mesh, given={**kept, "id": shape_id}, partly=True, now=now)
        return shape_edits.shifted(told, (by[0], by[1], by[2]))
    if kind == "mesh":
        form.refuse("kind", "a mesh comes from a file")
        kind = "box"
    made: Solid = form.record(KINDS[kind][0], given={"id": shape_id}, now=now)
    return made


def draft_of(desk: Desk, build: Build, at: At) -> tuple[Solid | None, tuple[FieldError, ...], Extrusion | None]:
    """The shape in hand: as it is being typed where that makes a shape, else as it is kept; what keeps it from being one;
    and the outline that crosses itself, if that does."""
    kept = shape_edits.shape_of(build, at.on, at.shape) if at.shape else None
    if desk.request.method == "GET" or not at.kind or desk.text("do") in ("remove", "copy", "mirror"):
        return kept, (), None
    form = Form(desk.text, desk.has, desk.show)
    shape = shape_from(form, at.kind, at.shape or "draft", kept)
    if form.errors:
        return kept, tuple(form.errors), None
    # A name is asked for when it is kept; it is drawn without one.
    shape = replace(shape, name=shape.name[:LONGEST_NAME] or "draft")
    trial = Build("draft", "draft", "", build.datum, solids=(shape,), options=build.options[:1])
    found = [p for p in problems(trial) if p.field.startswith("solids")]
    if not found:
        return shape, (), None
    crossed = shape if isinstance(shape, Extrusion) and len(shape.outline_mm) > 3 and crossing_mm(shape.outline_mm) else None
    return None if crossed else kept, tuple(FieldError("shape", p.message) for p in found), crossed


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The shapes of the vehicle or of a part, and the form of the one in hand."""
    on_page = build_page(desk, build_id, "Place", outcome)
    build = on_page.build
    at = at_of(desk, build)
    done = bool(outcome and outcome.saved)
    shape = next((s for s in shapes_of(build, at.on) if s.id == at.shape), None)
    if done and desk.text("do") in ("keep", "copy", "mirror") and not at.shape:
        shape = shapes_of(build, at.on)[-1]
        at = At(at.on, at.view, shape.kind, shape.id, at.step_mm, at.strength)
    watched = rooms_at(build, at.on, shape.id) if shape else ()
    return desk.render(
        "place/shapes.html",
        outcome,
        page=on_page,
        at=at,
        shape=shape,
        holders=[(VEHICLE, "The vehicle"), *((c.id, c.name) for c in build.components)],
        shapes=shapes_of(build, at.on),
        kinds=KINDS,
        fields=_fields(at.kind, shape) if at.kind else [],
        roles=ROLES.items(),
        sources=SOURCES.items(),
        watched=watched,
        steps=STEPS_MM[desk.show.length_unit],
        strengths=STRENGTHS,
        underlays=[u for u in build.underlays if u.on == at.on],
        unit_mm=1.0 if desk.show.units == "mm" else 25.4,
        axes="".join("xyz"[i] for i in AXES_OF_VIEW[at.view]),
        drawn=_drawn(desk, on_page, at, shape if done else None),
        keep_typed=bool(outcome and (outcome.errors or outcome.conflict)),
    )


def _fields(kind: str, shape: Solid | None) -> list[ShapeField]:
    found = []
    for typed in typed_fields(KINDS[kind][0], partly=True):
        if typed.name in ("role", "source") or (kind == "mesh" and typed.name not in MESH_FIELDS):
            continue
        now = getattr(shape, typed.name) if shape else typed.default
        found.append(ShapeField(typed.name, LABELS.get(typed.name, typed.label.capitalize()), typed.kind, now))
    return found


def _drawn(desk: Desk, on_page: BuildPage, at: At, saved: Solid | None = None) -> str:
    build = on_page.build
    draft, refused, crossed = (saved, (), None) if saved else draft_of(desk, build, at)
    views = {}
    for view in get_args(View):
        beneath = _beneath(desk, build, at, view)
        scene = ShapeScene(build, chosen_option(build, desk.text("option")), at.on, draft, beneath, _window(desk, view), crossed)
        views[view] = draw_shapes(scene, view, desk.show, large=view == at.view)
    return desk.shop.templates.get_template("place/_shapes_drawn.html").render(
        views=views, at=at, names=VIEW_NAMES, words=VIEW_WORDS, refused=refused if at.kind else (), url=desk.shop.url, build=build,
        option=chosen_option(build, desk.text("option")),
    )  # fmt: skip


def _window(desk: Desk, view: View) -> Window | None:
    """The part of the large view that the page says it shows: it stays while a shape is drawn in it."""
    try:
        numbers = [float(v) for v in desk.text(f"window_{view}").split(",")]
    except ValueError:
        return None
    return Window(*numbers) if len(numbers) == 4 and numbers[0] < numbers[2] and numbers[1] < numbers[3] else None


def _beneath(desk: Desk, build: Build, at: At, view: View) -> Beneath | None:
    strength = STRENGTHS[at.strength]
    under = [u for u in build.underlays if u.on == at.on and u.view == view]
    if not under or not strength:
        return None
    wanted: Underlay = next((u for u in under if u.id == desk.text("under")), under[-1])
    try:
        laid = desk.shop.laid_photo(build, wanted)
    except MissingError:
        return None
    href = desk.shop.url("underlay_picture", build_id=build.id, underlay_id=wanted.id)
    return Beneath(
        f"{href}?of={wanted.photo[:8]}-{abs(hash(wanted.marks)):x}", (laid.left_mm, laid.bottom_mm, laid.right_mm, laid.top_mm), strength
    )


@router.get("/builds/{build_id}/shapes", name="shapes")
def show(build_id: str, desk: ReadDesk) -> Response:
    """Shapes, looked at."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/shapes/pick", name="pick")
def pick(build_id: str, desk: ReadDesk) -> Response:
    """One view to pick a place or a shape in, for a form that has the fields."""
    return HTMLResponse(picking(desk, desk.shop.builds.head(build_id).build), headers={"Cache-Control": "no-store"})


def picking(desk: Desk, build: Build) -> str:
    """The view that is picked in."""
    at = at_of(desk, build)
    scene = ShapeScene(build, chosen_option(build, desk.text("option")), at.on, None, _beneath(desk, build, at, at.view))
    return desk.shop.templates.get_template("place/_pick.html").render(
        at=at, names=VIEW_NAMES, words=VIEW_WORDS, drawing=draw_shapes(scene, at.view, desk.show, large=True), url=desk.shop.url, build=build,
        option=scene.option, axes="".join("xyz"[i] for i in AXES_OF_VIEW[at.view]), unit_mm=1.0 if desk.show.units == "mm" else 25.4,
    )  # fmt: skip


@router.post("/builds/{build_id}/shapes/drawn", name="shapes_drawn")
def drawn(build_id: str, desk: ChangeDesk) -> Response:
    """The views with the shape as it is typed so far."""
    on_page = build_page(desk, build_id, "Place")
    return HTMLResponse(_drawn(desk, on_page, at_of(desk, on_page.build)), headers={"Cache-Control": "no-store"})


@router.post("/builds/{build_id}/shapes", name="keep_shape")
@answers(page)
def keep(act: Act) -> Outcome:
    """Add a shape, change it, copy it, mirror it, or take it out."""
    at = at_of(act.desk, act.build)
    do = act.form.choice("do", ("keep", "copy", "mirror", "remove", "remove_all"), "keep")
    act.form.require()
    if do == "keep":
        return _kept(act, at)
    name = shape_edits.shape_of(act.build, at.on, at.shape).name
    if do == "copy":
        by = act.form.point("by_x", "by_y", "by_z") if any(act.form.given(f"by_{a}") for a in "xyz") else (0.0, 0.0, 0.0)
        return act.change(f"Copied {name}", lambda b: shape_edits.with_copy(b, at.on, at.shape, by))
    if do == "mirror":
        return act.change(f"Mirrored {name}", lambda b: shape_edits.with_mirrored(b, at.on, at.shape))
    return act.change(f"Took {name} out", lambda b: shape_edits.without_shape(b, at.on, at.shape, with_rooms=do == "remove_all"))


def _kept(act: Act, at: At) -> Outcome:
    if not at.kind:
        raise InputError("kind", "choose a kind of shape first")
    before = shape_edits.shape_of(act.build, at.on, at.shape) if at.shape else None
    shape = shape_from(act.form, at.kind, at.shape, before)
    outcome = act.change(
        f"{'Changed' if at.shape else 'Drew'} {shape.name or 'a shape'}", lambda b: shape_edits.with_shape(b, at.on, shape)
    )
    outcome.errors = tuple(e if "." not in e.field else FieldError("shape", e.message) for e in outcome.errors)
    return outcome
