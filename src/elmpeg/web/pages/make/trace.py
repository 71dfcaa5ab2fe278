"""A template traced from a photograph: taken in, marked at places of known distance, traced, looked over, and made a piece."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from shapely.geometry import Point as Dot

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.core.build.pieces import Piece
from elmpeg.core.methods.measuring.plane_projection import Mark, plane_projection
from elmpeg.core.methods.shapes.outlines import Outline, with_arcs
from elmpeg.core.stages.make import piece_edits
from elmpeg.core.stages.mount.plates import MATERIALS
from elmpeg.formats.traced import Traced
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.downloads import picture
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.make.pieces import TABS, as_underlay
from elmpeg.web.pages.place.underlays import ROWS, marks_from
from elmpeg.web.pages.shop import photos
from elmpeg.web.security import ReadDesk
from elmpeg.web.tracings import LONGEST_S, Tracing

router = APIRouter()
ARC_MM = 0.3
"""How far a traced edge may lie off the arc that it is taken for."""


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """A photograph with its marks, and what was found in it."""
    at = build_page(desk, build_id, "Make", outcome)
    wanted = desk.text("picture") or (at.build.photos[-1].id if outcome and outcome.saved and at.build.photos else "")
    photo = next((p for p in at.build.photos if p.id == wanted), None)
    marks = marks_from(Form(desk.text, desk.has, desk.show)) if photo else ()
    work = desk.shop.tracings.at_hand(desk.person.id, build_id, desk.shop.photos.path(photo.id), marks) if photo and marks else None
    found = work.result if work else None
    return desk.render(
        "make/trace.html",
        outcome,
        page=at,
        photo=photo,
        marks=marks,
        rows=ROWS,
        found=found,
        work=work,
        drawn=_drawn(found, marks) if found else None,
        materials=MATERIALS,
        usual_thick=3.0,
        tab="trace",
        tabs=TABS,
    )


def _waited(desk: Desk, build_id: str, photo_id: str, marks: tuple[Mark, ...], longest_s: float) -> Tracing:
    """The tracing of a photograph with its marks, begun where there is none, after as long a wait. Raises InputError where
    the picture is refused."""
    work = desk.shop.tracings.trace(desk.person.id, build_id, desk.shop.photos.path(photo_id), marks)
    work.done.wait(longest_s)
    if work.trouble:
        raise InputError("marks", work.trouble)
    return work


def _drawn(found: Traced, marks: tuple[Mark, ...]) -> dict[str, list[str]]:
    """The edges as they lie in the picture, for drawing over it."""
    projection = plane_projection(marks)

    def ring(places: tuple[tuple[float, float], ...]) -> str:
        return " ".join(f"{x:.1f},{y:.1f}" for x, y in (projection.px(p) for p in places))

    circles = [_circle(h.xy_mm, h.d_mm) for h in found.holes]
    return {"outline": [ring(found.outline_mm)], "holes": [ring(c) for c in circles], "openings": [ring(o) for o in found.openings_mm]}


def _circle(at: tuple[float, float], d_mm: float) -> tuple[tuple[float, float], ...]:
    return tuple((float(x), float(y)) for x, y in Dot(at).buffer(d_mm / 2, quad_segs=12).exterior.coords)


@router.get("/builds/{build_id}/make/trace", name="trace")
def show(build_id: str, desk: ReadDesk) -> Response:
    """A photograph and what is in it."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/make/piece/picture.jpg", name="piece_picture")
def traced_picture(build_id: str, desk: ReadDesk) -> Response:
    """The photograph that a piece was traced from, as seen square on."""
    build = desk.shop.builds.head(build_id).build
    piece = build.piece(desk.text("piece"))
    if not piece.photo:
        raise MissingError(f"{piece.name} was not traced from a photograph")
    return picture(desk.request, desk.shop.laid_photo(build, as_underlay(piece)).data, "image/jpeg")


@router.post("/builds/{build_id}/make/trace", name="keep_trace")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Take a photograph in, trace it, or make a piece of what was found."""
    form, desk = act.form, act.desk
    do = form.choice("do", ("photo", "trace", "look", "stop", "piece"), "trace")
    form.require()
    if do == "photo":
        photo = photos.kept_from(desk, "photo")
        if photo is None:
            raise InputError("photo", "choose a photograph first")
        return act.change(f"Took in the photograph {photo.name}", lambda b: photos.with_kept(b, photo)[0])
    marks = marks_from(form)
    form.require()
    picture_id = act.text("picture")
    if all(p.id != picture_id for p in act.build.photos):
        raise InputError("photo", "choose one of the build's photographs, or take one in")
    if len(marks) < 4:
        raise InputError("marks", f"are {len(marks)}; click four or more places whose distances you know, around the template")
    if do in ("look", "stop"):
        work = desk.shop.tracings.at_hand(desk.person.id, act.build_id, desk.shop.photos.path(picture_id), marks)
        if work and do == "stop":
            desk.shop.tracings.stop(work)
        elif work and work.trouble:
            raise InputError("marks", work.trouble)
        return Outcome()
    if do == "trace":
        _waited(desk, act.build_id, picture_id, marks, desk.shop.settings.patience_s)
        return Outcome()
    found = _waited(desk, act.build_id, picture_id, marks, LONGEST_S).result
    if found is None:
        raise InputError("marks", "are still being traced; wait until the edges are drawn over the picture")
    made = replace(
        piece_edits.started(act.build, cleaned_name(act.text("name")), form.length("thick")),
        material=form.choice("material", MATERIALS, "steel"),
        photo=picture_id,
        marks=marks,
    )
    made = piece_of(made, found)
    outcome = act.change(f"Traced the piece {made.name}", lambda b: piece_edits.with_piece(b, made))
    return act.go_to("piece", piece=made.id) if outcome.saved else outcome


def piece_of(piece: Piece, found: Traced) -> Piece:
    """A piece with the outline, openings and holes of a trace."""
    source = f"photograph, edges known to {found.sd_mm:.2f} mm"
    openings: tuple[Outline, ...] = tuple(with_arcs(o, ARC_MM) for o in found.openings_mm)
    holes = tuple((h.xy_mm[0], h.xy_mm[1], round(h.d_mm, 2)) for h in found.holes)
    return piece_edits.from_contours(piece, with_arcs(found.outline_mm, ARC_MM), openings, holes, source)
