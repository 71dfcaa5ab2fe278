"""Putting a part in: from a starter form that needs only what a tape gives, or from the shop's book."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from dataclasses import replace as with_

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.advice.neighbours import Neighbour, neighbours, with_rooms_watched
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.core.base.pose import FREEDOMS, Freedom, Pose
from elmpeg.core.build.document import Build
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.integrity.sound import require_sound
from elmpeg.core.starters.book_part import BookPart, begun, put_in
from elmpeg.core.starters.forms import FORMS
from elmpeg.core.starters.given import StarterForm
from elmpeg.core.starters.places import Place, beside, first_place, with_wheels_on
from elmpeg.store.book import Kept
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page, chosen_option
from elmpeg.web.desk import Desk
from elmpeg.web.drawing.bay import BayScene, draw
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ChangeDesk, ReadDesk
from elmpeg.web.showing import Show
from elmpeg.web.starter_fields import MOST_CORNERS, figure_fields, given, is_asked

router = APIRouter()
WATCHED = 3
USUAL_ROOM_MM = 10.0
MOST_TOLD = 5


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is being put in: the part, and where it comes from."""

    part: BookPart
    starter: StarterForm | None = None
    kept: Kept | None = None


def wanted(desk: Desk, form: Form) -> Wanted | None:
    """The part that the address or form names; None while nothing is chosen. Refusals are kept in the form."""
    starter = FORMS.get(desk.text("form"))
    if starter is not None:
        return Wanted(begun(starter, given(form, desk.show, starter), desk.text("name").strip() or starter.name), starter)
    if desk.text("part"):
        kept = desk.shop.book.part(desk.text("part"))
        return Wanted(kept.part, kept=kept)
    return None


@dataclass(frozen=True, slots=True)
class PlaceFields:
    """What stands in the fields of where a part goes, what they would hold untouched, and what X, Y and Z count from."""

    texts: Mapping[Freedom, str]
    usual: str
    counted_from: str


def _parent(desk: Desk, form: Form, build: Build, part: BookPart) -> str:
    """What the part is bolted to: as chosen, and before anybody chose what such a part usually is."""
    if not desk.has("parent"):
        return first_place(build, part).parent or ""
    return form.choice("parent", ("", *(c.id for c in build.components)))


def usual_place(build: Build, part: BookPart, parent: str) -> Pose:
    """Where a part goes before anybody says: beside the part that it is bolted to, by itself where such a part first stands."""
    first = first_place(build, part)
    if parent == (first.parent or ""):
        return first.pose
    return beside(build, part, Pose(), parent) if parent else first_place(build, part, bolted=False).pose


def _shown(pose: Pose, show: Show) -> dict[str, str]:
    return {f: show.entered(pose.value(f), "mm" if f in "xyz" else "deg") for f in FREEDOMS}


def _untouched(desk: Desk, freedom: Freedom) -> bool:
    """Whether a field is empty, or still as the page filled it in before another parent or kind was chosen."""
    was = dict(zip(FREEDOMS, desk.text("placed_as").split(";"), strict=False))
    text = desk.text(f"place_{freedom}").strip()
    return not text or text == was.get(freedom)


def place_fields(desk: Desk, build: Build, part: BookPart) -> PlaceFields:
    """The fields of where the part goes; those that nobody wrote in follow what it is bolted to."""
    parent = _parent(desk, Form(desk.text, desk.has, desk.show), build, part)
    usual = _shown(usual_place(build, part, parent), desk.show)
    texts = {f: usual[f] if _untouched(desk, f) else desk.text(f"place_{f}") for f in FREEDOMS}
    name = next((c.name for c in build.components if c.id == parent), "")
    return PlaceFields(texts, ";".join(usual.values()), f"the zero of {name}, along its own axes" if parent else "the vehicle’s datum")


def place_of(desk: Desk, form: Form, build: Build, part: BookPart) -> Place:
    """Where the part goes: what was typed, and for the rest where such a part is first put."""
    parent = _parent(desk, form, build, part)
    usual = usual_place(build, part, parent)
    values = {}
    for f in FREEDOMS:
        read = form.length if f in "xyz" else form.angle
        values[f] = usual.value(f) if _untouched(desk, f) else read(f"place_{f}")
    return Place(Pose(*(values[f] for f in ("x", "y", "z", "roll", "pitch", "yaw"))), parent or None)


def with_part(build: Build, part: BookPart, name: str, place: Place, origin: str) -> Build:
    """The build with the part in its place; an axle carries the wheels that stand there."""
    made = put_in(build, part, name, place.pose, place.parent, origin)
    return with_wheels_on(made, made.components[-1].id) if part.kind == "axle" and place.parent is None else made


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The list of what can be put in, or the form of what was chosen."""
    at = build_page(desk, build_id, "Place", outcome)
    form = Form(desk.text, desk.has, desk.show)
    chosen = wanted(desk, form)
    looked = desk.text("find").strip().lower()
    if chosen is None:
        found = [f for f in FORMS.values() if all(w in f"{f.name} {f.words}".lower() for w in looked.split())]
        kept = [k for k in desk.shop.book.parts() if all(w in f"{k.part.name} {k.part.note}".lower() for w in looked.split())]
        return desk.render("place/put_in_list.html", outcome, page=at, found=found, kept=kept, looked=looked)
    return desk.render(
        "place/put_in.html",
        outcome,
        page=at,
        chosen=chosen,
        free_name=_free_name(at.build, chosen.kept.part.name if chosen.kept else chosen.starter.name if chosen.starter else ""),
        fields=figure_fields(chosen.starter.figures, desk.show) if chosen.starter else [],
        place=place_fields(desk, at.build, chosen.part),
        parent=_parent(desk, form, at.build, chosen.part),
        drawn=_drawn(desk, at.build),
        corners=range(MOST_CORNERS),
        usual_room=USUAL_ROOM_MM,
        asked=bool(outcome and is_asked(outcome.errors)),
    )


def _free_name(build: Build, name: str) -> str:
    taken = {c.name.lower() for c in build.components}
    return next(n for n in (name, *(f"{name} {k}" for k in range(2, 1000))) if n.lower() not in taken)


def _drawn(desk: Desk, build: Build) -> str:
    """The vehicle with the part in it, and what it comes near to or hits."""
    form = Form(desk.text, desk.has, desk.show)
    chosen = wanted(desk, form)
    if chosen is None:
        return ""
    option = chosen_option(build, desk.text("option"))
    near: tuple[Neighbour, ...] = ()
    try:
        made = with_part(build, chosen.part, _free_name(build, chosen.part.name or "part"), place_of(desk, form, build, chosen.part), "")
        require_sound(made)
        part_id = made.components[-1].id
        near = neighbours(made, option, part_id)[:MOST_TOLD]
        scene = BayScene(made, evaluate(made, option.id), part_id)
    except InputError as refused:
        form.errors += refused.errors
        scene = BayScene(build, evaluate(build, option.id), "")
    views = {view: draw(scene, view, desk.show, large=view == "side") for view in ("side", "plan", "rear")}
    told = chosen.part.figures_from
    place = place_fields(desk, build, chosen.part)
    # The fields are drawn again only where something else stands in them, so that nothing is taken from under somebody's typing.
    moved_on = desk.request.method == "POST" and desk.text("placed_as") != place.usual
    asked = [] if desk.request.method == "GET" else form.errors
    return desk.shop.templates.get_template("place/_put_in_drawn.html").render(
        views=views, near=near, told=told, asked=asked, show=desk.show, place=place, whole=False, moved_on=moved_on
    )


@router.get("/builds/{build_id}/parts/new", name="put_in")
def show(build_id: str, desk: ReadDesk) -> Response:
    """What can be put in."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/parts/drawn", name="put_in_drawn")
def drawn(build_id: str, desk: ChangeDesk) -> Response:
    """The vehicle with the part as typed so far."""
    return HTMLResponse(_drawn(desk, desk.shop.builds.head(build_id).build), headers={"Cache-Control": "no-store"})


@router.post("/builds/{build_id}/parts/new", name="keep_part")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Put the part in, keep it in the book where that is asked for, and watch its room to what stands nearest."""
    desk, form = act.desk, act.form
    chosen = wanted(desk, form)
    if chosen is None:
        raise InputError("form", "choose what to put in first")
    name = cleaned_name(act.text("name"))
    place = place_of(desk, form, act.build, chosen.part)
    watch, room = form.tick("watch"), form.length("room", USUAL_ROOM_MM)
    form.require()
    option_id = chosen_option(act.build, act.text("option")).id
    # Tried on the build as it was shown, so that the book gets nothing that the build refuses.
    with_part(act.build, chosen.part, name, place, "")
    origin = chosen.kept.origin if chosen.kept else ""
    if form.tick("in_book") and chosen.starter:
        origin = desk.shop.book.keep(with_(chosen.part, name=name), desk.author, f"Begun for {act.build.name}").origin

    def edit(build: Build) -> Build:
        made = with_part(build, chosen.part, name, place, origin)
        return with_rooms_watched(made, made.option(option_id), made.components[-1].id, room, WATCHED) if watch else made

    outcome = act.change(f"Put {name} in", edit)
    if outcome.saved and not outcome.notice:
        part_id = outcome.saved.head.build.components[-1].id
        return desk.go(f"{desk.shop.url('bay', build_id=act.build_id)}?{desk.query(option=option_id, part=part_id)}")
    return outcome
