"""Meshes and drawings brought in from files: read aside, brought to size, turned, put in place, and kept as shapes."""

from __future__ import annotations

from dataclasses import dataclass, replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, PlainTextResponse, Response
from starlette.datastructures import UploadFile

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.methods.measuring.rigid_fit import RigidFit
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, Extrusion, Mesh, View, bounds_mm
from elmpeg.core.stages.place import mesh_placing, shape_edits
from elmpeg.core.stages.place.mesh_placing import MM_PER, TURNS, Points
from elmpeg.figures.projection import Window
from elmpeg.formats import apart, mesh_reading
from elmpeg.formats.mesh_names import meshes_of
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page, chosen_option
from elmpeg.web.desk import Desk
from elmpeg.web.downloads import named
from elmpeg.web.drawing.bay import VIEW_NAMES
from elmpeg.web.drawing.shapes import ShapeScene, draw_shapes
from elmpeg.web.forms import Form
from elmpeg.web.mesh_imports import Import
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.place.shapes import ROLES, SOURCES
from elmpeg.web.security import ChangeDesk, ReadDesk

router = APIRouter()
PICKS = 6
VIEWS: tuple[View, ...] = ("side", "plan", "rear")
TURN_NAMES = tuple(TURNS)
MOST_TURNS = 12
DEEP_MM = 10.0
"""How thick an outline from a drawing is pulled where nobody says."""


@dataclass(frozen=True, slots=True)
class Laid:
    """A mesh as the form lays it: its corners in its own turned frame, and the shape in its place."""

    corners: Points
    shape: Mesh
    fit: RigidFit | None


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The form to bring a file in, how far it is, or the mesh to be put in place."""
    at = build_page(desk, build_id, "Place", outcome)
    one = desk.shop.imports.of(desk.text("import"), desk.person.id)
    on = desk.text("on") or VEHICLE
    if one is None or (outcome and outcome.saved):
        return desk.render("place/mesh_file.html", outcome, page=at, one=None, on=on, added=bool(outcome and outcome.saved))
    if one.result is None:
        return desk.render("place/mesh_file.html", outcome, page=at, one=one, on=on, added=False)
    form = Form(desk.text, desk.has, desk.show)
    view: View = next((v for v in VIEWS if v == desk.text("view")), "side")
    sizes = mesh_placing.sizes(one.result.vertices)
    laid = _laid(form, one, at.build, on)
    option = chosen_option(at.build, desk.text("option"))
    alone = replace(at.build, solids=(), wheels=(), components=(), rooms=(), points=())
    own = replace(laid.shape, id="own", vertices_mm=tuple((float(x), float(y), float(z)) for x, y, z in laid.corners))
    return desk.render(
        "place/mesh_place.html",
        outcome,
        page=at,
        one=one,
        mesh=one.result,
        on=on,
        sizes=sizes,
        unit=_unit(form, one),
        unsure=sum(s.makes_sense for s in sizes) != 1,
        turns=TURN_NAMES[1:],
        turned=desk.text("turns"),
        picks=PICKS,
        laid=laid,
        view=view,
        views=VIEW_NAMES,
        own=draw_shapes(ShapeScene(alone, option, VEHICLE, own, None, _around(own, view)), view, desk.show, large=True),
        there={v: draw_shapes(ShapeScene(at.build, option, on, laid.shape), v, desk.show, large=False) for v in VIEWS},
        roles=ROLES.items(),
        sources=SOURCES.items(),
        holders=[(VEHICLE, "the vehicle"), *((c.id, c.name) for c in at.build.components)],
    )


def _around(shape: Mesh, view: View) -> Window:
    """The part of a view that a shape fills."""
    low, high = bounds_mm(shape)
    i, j = AXES_OF_VIEW[view]
    return Window(low[i], low[j], high[i], high[j]).grown(0.12)


def _unit(form: Form, one: Import) -> str:
    """The unit asked for; without one the first that makes sense."""
    assert one.result is not None
    return form.choice("unit", MM_PER, mesh_placing.sizes(one.result.vertices)[0].unit)


def _turns(form: Form) -> tuple[str, ...]:
    said = [t for t in form.text("turns").split(",") if t.isdigit()]
    return tuple(TURN_NAMES[int(t)] for t in said[-MOST_TURNS:] if 0 < int(t) < len(TURN_NAMES))


def _laid(form: Form, one: Import, build: Build, on: str) -> Laid:
    """The mesh as the form says it: to size, turned, and fitted to the places that were picked where three are, else
    set down where its X, Y and Z are typed."""
    assert one.result is not None
    mm = MM_PER[_unit(form, one)]
    corners = mesh_placing.turned(one.result.vertices, _turns(form), mm)
    picked, wanted = _picks(form)
    fit = None
    if picked:
        try:
            fit = mesh_placing.fitted(picked, wanted)
        except InputError as refused:
            form.refuse("picks", refused.message)
    pose = fit.pose if fit else Pose(*(form.length(f"place_{a}", 0.0) for a in "xyz"))
    where = placed(pose)
    there = [where.point((float(x), float(y), float(z))) for x, y, z in corners]
    name = form.text("name") or one.name
    shape = mesh_placing.as_shape(name, there, one.result.triangles, one.result.closed, one.about, one.result.before, one.result.off * mm)  # type: ignore[arg-type]
    return Laid(corners, shape, fit)


def _picks(form: Form) -> tuple[tuple[Vec3, ...], tuple[Vec3, ...]]:
    picked: list[Vec3] = []
    wanted: list[Vec3] = []
    for k in range(PICKS):
        numbers = [t for t in form.text(f"pick_{k}").split(";") if t.strip()]
        if len(numbers) != 3 or not any(form.given(f"to_{k}_{a}") for a in "xyz"):
            continue
        try:
            x, y, z = (float(n) for n in numbers)
        except ValueError:
            form.refuse(f"pick_{k}", "pick it on the mesh again")
            continue
        picked.append((x, y, z))
        wanted.append(form.point(f"to_{k}_x", f"to_{k}_y", f"to_{k}_z"))
    return tuple(picked), tuple(wanted)


@router.get("/builds/{build_id}/shapes/file", name="mesh_file")
def show(build_id: str, desk: ReadDesk) -> Response:
    """Bringing a file in, at whatever step it is."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/shapes/file/seen", name="mesh_seen")
def seen(build_id: str, desk: ReadDesk) -> Response:
    """The place of a mesh that is seen at a place of a view: X; Y; Z in its own turned frame, mm. Empty beside it."""
    one = desk.shop.imports.of(desk.text("import"), desk.person.id)
    if one is None or one.result is None:
        raise MissingError("there is no such file under way")
    form = Form(desk.text, desk.has, desk.show)
    view: View = next((v for v in VIEWS if v == desk.text("view")), "side")
    corners = mesh_placing.turned(one.result.vertices, _turns(form), MM_PER[_unit(form, one)])
    place = mesh_placing.seen_at(corners, one.result.triangles, view, form.number("u", -1e6, 1e6), form.number("v", -1e6, 1e6))
    return PlainTextResponse("; ".join(f"{v:.1f}" for v in place) if place else "", headers={"Cache-Control": "no-store"})


@router.post("/builds/{build_id}/shapes/file", name="take_mesh")
def take(build_id: str, desk: ChangeDesk) -> Response:
    """Take a file in: a drawing at once, a mesh aside."""
    on = desk.text("on") or VEHICLE
    try:
        upload = desk.form.get("file")
        if not isinstance(upload, UploadFile) or not upload.filename:
            raise InputError("file", "choose a file first")
        with upload.file as file:
            data = file.read(mesh_reading.LARGEST_BYTES + 1)
        name = upload.filename.replace("\\", "/").rsplit("/", 1)[-1]
        if name.lower().endswith(".dxf"):
            return page(desk, build_id, _drawing(desk, build_id, on, name, data))
        kind = mesh_reading.kind_of(name, data)
        mesh_reading.refuse_absurd(kind, data)
        kept = desk.shop.meshes.keep(kind, data)
    except InputError as refused:
        return page(desk, build_id, Outcome(errors=refused.errors))
    short = name.rsplit(".", 1)[0][:60] or "mesh"
    one = desk.shop.imports.read(desk.person.id, build_id, kept, short, desk.shop.meshes.path(kept), kind)
    return desk.go(
        f"{desk.shop.url('mesh_file', build_id=build_id)}?{desk.query(**{'import': one.id, 'on': on, 'option': desk.text('option')})}"
    )


def _drawing(desk: Desk, build_id: str, on: str, name: str, data: bytes) -> Outcome:
    """Every closed outline of a drawing as a shape, pulled to a thickness in the view that was chosen."""
    form = Form(desk.text, desk.has, desk.show)
    drawn = apart.read("outlines", data, under_way=desk.files_under_way)
    view: View = form.choice("drawn_in", VIEWS, "side")
    unit = form.choice("drawn_unit", ("", *MM_PER), "") or drawn.unit
    if not unit:
        raise InputError("drawn_unit", "the drawing says no unit; choose it")
    form.require()
    mm, short = MM_PER[unit], name.rsplit(".", 1)[0][:50] or "outline"
    shapes = [
        Extrusion(
            "",
            f"{short} {k + 1}" if len(drawn.outlines) > 1 else short,
            view,
            tuple((x * mm, y * mm) for x, y in o),
            0.0,
            DEEP_MM,
            source="drawing",
        )
        for k, o in enumerate(drawn.outlines)
    ]

    def edit(build: Build) -> Build:
        for shape in shapes:
            build = shape_edits.with_shape(build, on, shape)
        return build

    outcome = desk.change(build_id, f"Brought in {len(shapes)} outline{'s' if len(shapes) > 1 else ''} from {name[-60:]}", edit)
    if outcome.saved and not outcome.notice:
        outcome.notice = (
            f"{len(shapes)} outline{'s' if len(shapes) > 1 else ''} came in, {DEEP_MM:g} mm thick; say how thick they are at Shapes."
        )
    return outcome


@router.post("/builds/{build_id}/shapes/file/stop", name="stop_mesh")
def stop(build_id: str, desk: ChangeDesk) -> Response:
    """Stop reading a file."""
    one = desk.shop.imports.of(desk.text("import"), desk.person.id)
    if one is not None:
        desk.shop.imports.stop(one)
    return desk.go(f"{desk.shop.url('mesh_file', build_id=build_id)}?{desk.query(on=desk.text('on'))}")


@router.post("/builds/{build_id}/shapes/file/keep", name="keep_mesh")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Keep the mesh as a shape where it lies; or only look at how it would lie."""
    desk, form = act.desk, act.form
    one = desk.shop.imports.of(act.text("import"), desk.person.id)
    if one is None or one.result is None:
        raise InputError("file", "is no longer at hand; bring it in again")
    on = act.text("on") or VEHICLE
    laid = _laid(form, one, act.build, on)
    if act.text("do") == "try":
        return Outcome(errors=tuple(form.errors))
    name = cleaned_name(act.text("name"))
    role, source = form.choice("role", ROLES, ""), form.choice("source", SOURCES, "")
    sd = form.length("sd_mm", 0.0)
    form.require()
    shape = replace(laid.shape, name=name, role=role, source=source, sd_mm=max(sd, laid.shape.off_mm))
    outcome = act.change(f"Brought in {name}, a mesh of {one.result.before:,} triangles", lambda b: shape_edits.with_shape(b, on, shape))
    if outcome.saved and not outcome.notice:
        made = shape_edits.shapes_of(outcome.saved.head.build, on)[-1]
        return desk.go(f"{desk.shop.url('shapes', build_id=act.build_id)}?{desk.query(option=act.text('option'), on=on, shape=made.id)}")
    return outcome


@router.get("/builds/{build_id}/meshes/{file}", name="mesh_original")
def original(build_id: str, file: str, desk: ReadDesk) -> Response:
    """The file that a shape came from, as it was brought in."""
    if file not in meshes_of(desk.shop.builds.head(build_id).build):
        raise MissingError("this build has no such file")
    headers = named(file)
    return Response(desk.shop.meshes.read(file), media_type="application/octet-stream", headers=headers)
