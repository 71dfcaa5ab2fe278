"""The parts book: the shop's parts across builds, each with its shapes, points, mass, versions, and where its figures come from."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.survey import Point, PointKind, Source
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.starters.book_part import BookPart, begun, by_itself, require_sound_part, taken_from
from elmpeg.core.starters.forms import FORMS
from elmpeg.core.starters.given import PART
from elmpeg.store.book import Kept
from elmpeg.web.desk import Desk
from elmpeg.web.downloads import picture
from elmpeg.web.drawing.bay import BayScene, draw
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.shop import photos
from elmpeg.web.pages.shop.things import Field, rows_field, typed_rows
from elmpeg.web.security import ChangeDesk, ReadDesk
from elmpeg.web.starter_fields import MOST_CORNERS, figure_fields, given, is_asked

router = APIRouter()


@record
class PointRow:
    """One point of a part as the book's form says it; which way it looks stays as it is."""

    id: str
    name: str
    kind: PointKind
    xyz_mm: Vec3
    hole_mm: float | None = None
    source: Source = "measured"
    sd_mm: float | None = None


LONGEST_NOTE = 2000


def page(desk: Desk, outcome: Outcome | None = None, part_id: str = "") -> HTMLResponse:
    """The book, open at one part."""
    book = desk.shop.book
    looked = desk.text("find").strip().lower()
    gone = desk.text("gone") == "1"
    parts = [k for k in book.parts(gone) if all(w in f"{k.part.name} {k.part.note}".lower() for w in looked.split())]
    wanted = part_id or desk.text("part")
    version = desk.number("version") or None
    here = book.part(wanted, version) if wanted else (parts[0] if parts else None)
    return desk.render(
        "shop/book.html",
        outcome,
        parts_=parts,
        here=here,
        versions=book.versions(here.id) if here else (),
        point_rows=_point_rows(desk, here.part, bool(outcome and outcome.errors)) if here else None,
        views=_views(desk, here.part) if here else {},
        looked=looked,
        gone=gone,
        forms=FORMS,
    )


def _views(desk: Desk, part: BookPart) -> dict[str, str]:
    alone = by_itself(part)
    scene = BayScene(alone, evaluate(alone, alone.options[0].id), PART)
    return {view: draw(scene, view, desk.show, large=False) for view in ("side", "plan", "rear")}


@router.get("/book", name="book")
def show(desk: ReadDesk) -> Response:
    """The parts book."""
    return page(desk)


@router.get("/book/new", name="new_book_part")
def new(desk: ReadDesk) -> Response:
    """A starter form for a part of the book."""
    return _new_page(desk)


def _new_page(desk: Desk, outcome: Outcome | None = None) -> HTMLResponse:
    starter = FORMS.get(desk.text("form"))
    return desk.render(
        "shop/book_new.html",
        outcome,
        forms=FORMS,
        starter=starter,
        fields=figure_fields(starter.figures, desk.show) if starter else [],
        drawn=_drawn(desk),
        corners=range(MOST_CORNERS),
        asked=bool(outcome and is_asked(outcome.errors)),
    )


def _drawn(desk: Desk) -> str:
    starter = FORMS.get(desk.text("form"))
    if starter is None:
        return ""
    form = Form(desk.text, desk.has, desk.show)
    try:
        part = begun(starter, given(form, desk.show, starter), starter.name)
        require_sound_part(part)
        views = _views(desk, part)
    except InputError as refused:
        form.errors += refused.errors
        views = {}
    asked = [] if desk.request.method == "GET" else form.errors
    return desk.shop.templates.get_template("shop/_drawn_part.html").render(views=views, asked=asked)


@router.post("/book/drawn", name="book_drawn")
def drawn(desk: ChangeDesk) -> Response:
    """The part as typed so far."""
    return HTMLResponse(_drawn(desk), headers={"Cache-Control": "no-store"})


@router.post("/book/new", name="begin_book_part")
def begin(desk: ChangeDesk) -> Response:
    """Keep a part begun from a starter form in the book."""
    form, starter = Form(desk.text, desk.has, desk.show), FORMS.get(desk.text("form"))
    try:
        if starter is None:
            raise InputError("form", "choose a kind of part first")
        part = begun(starter, given(form, desk.show, starter), cleaned_name(desk.text("name")))
        form.require()
        kept = desk.shop.book.keep(part, desk.author, "Begun from taped figures")
    except InputError as refused:
        return _new_page(desk, Outcome(errors=(*form.errors, *(e for e in refused.errors if e not in form.errors))))
    return desk.go(_address(desk, kept))


@router.post("/book/{part_id}", name="change_book_part")
def change(part_id: str, desk: ChangeDesk) -> Response:
    """Keep a further version of a part with what is said of it changed; take it out or bring it back; bring an old version back."""
    book, form = desk.shop.book, Form(desk.text, desk.has, desk.show)
    try:
        do = form.choice("do", ("keep", "out", "back", "version", "photo", "photo_out"))
        form.require()
        if do in ("out", "back"):
            book.take_out(part_id, back=do == "back")
            return desk.go(desk.shop.url("book"))
        if do == "version":
            old = book.part(part_id, desk.number("version"))
            kept = book.keep(old.part, desk.author, f"Brought version {old.number} back", part_id, desk.number("seen") or None)
            return desk.go(_address(desk, kept))
        if do in ("photo", "photo_out"):
            part = _with_photo(desk, book.part(part_id).part, do)
            words = "A photograph more" if do == "photo" else "A photograph less"
            return desk.go(_address(desk, book.keep(part, desk.author, words, part_id, desk.number("seen") or None)))
        part = _said(form, book.part(part_id).part, desk)
        form.require()
        kept = book.keep(part, desk.author, desk.text("words") or "Changed what it says", part_id, desk.number("seen") or None)
    except InputError as refused:
        return page(desk, Outcome(errors=(*form.errors, *(e for e in refused.errors if e not in form.errors))), part_id)
    return desk.go(_address(desk, kept))


def _with_photo(desk: Desk, part: BookPart, do: str) -> BookPart:
    if do == "photo_out":
        return replace(part, photos=tuple(p for p in part.photos if p.id != desk.text("photo_id")))
    photo = photos.kept_from(desk, "photo")
    if photo is None:
        raise InputError("photo", "choose a photograph first")
    return replace(part, photos=(*(p for p in part.photos if p.id != photo.id), photo))


@router.get("/book/{part_id}/photos/{photo_id}", name="book_photo")
def book_photo(part_id: str, photo_id: str, desk: ReadDesk) -> Response:
    """A photograph of a part of the book, of any of its versions."""
    if all(p.id != photo_id for kept in desk.shop.book.versions(part_id) for p in kept.part.photos):
        raise MissingError("this part has no such photograph")
    small = desk.text("small") == "1"
    return picture(desk.request, desk.shop.photos.read(photo_id, small), desk.shop.photos.type_of(photo_id, small))


def _rows_of(part: BookPart) -> tuple[PointRow, ...]:
    return tuple(PointRow(p.id, p.name, p.kind, p.xyz_mm, p.hole_mm, p.source, p.sd_mm) for p in part.points)


def _point_rows(desk: Desk, part: BookPart, refused: bool) -> Field:
    return rows_field("points", "Points", PointRow, _rows_of(part), typed_rows(desk)("points") if refused else 0)


def _points(form: Form, part: BookPart) -> tuple[Point, ...]:
    """The points as the form says them: what it does not say stays with those that were there."""
    before = {p.id: p for p in part.points}
    made: list[Point] = []
    for row in form.rows("points", PointRow, now=_rows_of(part)):
        told = {f: getattr(row, f) for f in ("name", "kind", "xyz_mm", "hole_mm", "source", "sd_mm")}
        point_id = row.id if row.id in before else new_id(row.name, (*before, *(p.id for p in made)))
        made.append(replace(before.get(row.id) or Point(point_id, row.name, PART, row.kind, row.xyz_mm), **told))
    return tuple(made)


def _said(form: Form, part: BookPart, desk: Desk) -> BookPart:
    mass = form.mass("mass_kg") if form.given("mass_kg") else None
    centre = form.point("centre_x", "centre_y", "centre_z") if any(form.given(f"centre_{a}") for a in "xyz") else None
    return replace(
        part,
        name=cleaned_name(desk.text("name")),
        note=form.text("note", LONGEST_NOTE),
        figures_from=form.text("figures_from", LONGEST_NOTE),
        mass_kg=mass,
        centre_of_mass_mm=centre,
        points=_points(form, part) if form.tick("with_points") else part.points,
    )


@router.post("/builds/{build_id}/parts/{component_id}/offer", name="offer_to_book")
def offer(build_id: str, component_id: str, desk: ChangeDesk) -> Response:
    """Keep a part as it is known on a vehicle in the book: a new version of where it came from, or a new part."""
    build, book = desk.shop.builds.head(build_id).build, desk.shop.book
    component = build.component(component_id)
    from_id = component.origin.split(" version ")[0]
    known = {k.id: k for k in book.parts()}
    before = known.get(from_id)
    part = taken_from(build, component_id, before.part.kind if before else "")
    try:
        if before:
            part = replace(part, name=before.part.name, photos=before.part.photos)
        kept = book.keep(part, desk.author, f"Measured on {build.name}", before.id if before else "")
    except InputError as refused:
        return page(desk, Outcome(errors=refused.errors))
    return desk.go(_address(desk, kept))


def _address(desk: Desk, kept: Kept) -> str:
    return f"{desk.shop.url('book')}?{desk.query(part=kept.id)}"
