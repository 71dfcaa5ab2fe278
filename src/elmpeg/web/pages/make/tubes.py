"""Pieces of tube, bar and turned work: begun, changed, and as files."""

from __future__ import annotations

from dataclasses import replace
from typing import Any, get_args

from fastapi import APIRouter
from fastapi.responses import Response

from elmpeg.core.base.declared import called
from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.pieces import Piece, Section, TubeBody, TurnedAs, TurnedBody, TurnedStep
from elmpeg.core.integrity.ranges import out_of_range, require_in_range
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make import piece_edits
from elmpeg.core.stages.make.structure_members import with_sleeves
from elmpeg.core.stages.make.tube_checks import made_tube
from elmpeg.core.stages.make.tube_shape import tube_shape
from elmpeg.core.stages.make.turned_shape import turned_shape
from elmpeg.core.stages.mount.plates import MATERIALS
from elmpeg.formats import turned_slip, wrap_print
from elmpeg.formats.paper import Head
from elmpeg.formats.true_size import PAPERS
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import chosen_option
from elmpeg.web.desk import Desk, now
from elmpeg.web.downloads import named
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.make.line_fields import kept
from elmpeg.web.pages.make.piece_files import made_up_for
from elmpeg.web.pages.make.pieces import HANDS, page, piece_page
from elmpeg.web.pages.make.tube_fields import (
    bends_from,
    bends_lines,
    bores_from,
    bores_text,
    cross_from,
    cross_text,
    end_from,
    legs_text,
    steps_from,
    steps_text,
    wrap_words,
)
from elmpeg.web.security import ReadDesk

router = APIRouter()
SECTIONS: tuple[Section, ...] = get_args(Section)


@router.post("/builds/{build_id}/make/tube", name="start_tube")
@answers(page)
def start_tube(act: Act) -> Outcome | Response:
    """Begin a tube or a bar."""
    form = act.form
    name = cleaned_name(act.text("tube_name"))
    section = form.choice("section", SECTIONS, "round")
    across, wall, long = form.length("across"), form.length("wall", 0.0), form.length("long")
    material = form.choice("tube_material", MATERIALS, "steel")
    form.require()
    body = TubeBody(section, across, wall, legs_mm=(long,))
    piece = Piece(new_id(name, (p.id for p in act.build.pieces)), name, wall or across, material=material, tube=body)
    return _begun(act, piece, "tube")


@router.post("/builds/{build_id}/make/turned", name="start_turned")
@answers(page)
def start_turned(act: Act) -> Outcome | Response:
    """Begin a turned part."""
    form = act.form
    name = cleaned_name(act.text("turned_name"))
    long, outside = form.length("turned_long"), form.length("turned_outside")
    material = form.choice("turned_material", MATERIALS, "steel")
    form.require()
    body = TurnedBody((TurnedStep(long, outside),))
    piece = Piece(new_id(name, (p.id for p in act.build.pieces)), name, outside, material=material, turned=body)
    return _begun(act, piece, "turned")


@router.post("/builds/{build_id}/make/sleeves", name="take_sleeves")
@answers(page)
def take_sleeves(act: Act) -> Outcome:
    """The sleeves of mounts as pieces."""
    return act.change("Made pieces of sleeves", with_sleeves)


def _begun(act: Act, piece: Piece, part: str) -> Outcome | Response:
    outcome = act.change(f"Began the piece {piece.name}", lambda b: piece_edits.with_piece(b, piece))
    return act.go_to("piece", piece=piece.id, part=part) if outcome.saved else outcome


@router.post("/builds/{build_id}/make/piece/tube", name="keep_tube")
@answers(piece_page)
def keep_tube(act: Act) -> Outcome:
    """What a tube is, its ends, bends and holes; of a member of a structure its holes and what is noted of it."""
    piece, form, show = act.build.piece(act.text("piece")), act.form, act.desk.show
    old = piece.tube
    if old is None:
        raise InputError("tube", f"{piece.name} is no tube")
    holes = kept(act.text("holes"), cross_text(old, show), old.holes, lambda t: cross_from(t, show))
    body = replace(old, holes=holes)
    if not old.member:
        body = TubeBody(
            form.choice("section", SECTIONS, "round"),
            form.length("across", now=old.across_mm),
            form.length("wall", 0.0, old.wall_mm),
            form.length("high", 0.0, old.high_mm),
            kept(act.text("legs"), legs_text(old, show), old.legs_mm, lambda t: form.lengths("legs")),
            kept(act.text("bends"), bends_lines(old, show), old.bends, lambda t: bends_from(t, show)),
            end_from(act, "start", old.start),
            end_from(act, "end", old.end),
            body.holes,
        )
    made = _noted(act, replace(piece, tube=body, thick_mm=body.wall_mm or body.across_mm))
    form.require()
    if not old.member:
        require_in_range("tube", body)
        tube_shape(made)
    return act.change(f"Changed the piece {made.name}", lambda b: piece_edits.with_piece(b, made))


@router.post("/builds/{build_id}/make/piece/turned", name="keep_turned")
@answers(piece_page)
def keep_turned(act: Act) -> Outcome:
    """What a turned part is."""
    piece, form, show = act.build.piece(act.text("piece")), act.form, act.desk.show
    if piece.turned is None:
        raise InputError("steps", f"{piece.name} is not turned")
    old = piece.turned
    body = TurnedBody(
        kept(act.text("steps"), steps_text(old, show), old.steps, lambda t: steps_from(t, show)),
        kept(act.text("bores"), bores_text(old, show), old.bores, lambda t: bores_from(t, show)),
        form.text("measured", 200),
        form.choice("made_as", get_args(TurnedAs), "one piece"),
    )  # fmt: skip
    widest = max((s.outside_mm for s in body.steps), default=piece.thick_mm)
    made = _noted(act, replace(piece, turned=body, thick_mm=widest))
    form.require()
    _require_lines("steps", body.steps)
    _require_lines("bores", body.bores)
    turned_shape(made)
    return act.change(f"Changed the piece {made.name}", lambda b: piece_edits.with_piece(b, made))


def _require_lines(field: str, rows: tuple[Any, ...]) -> None:
    """Raise InputError for the first line of a field that says what no part can be."""
    for k, row in enumerate(rows, 1):
        cls: Any = type(row)
        for where, said in out_of_range("", row):
            raise InputError(field, f"line {k}: {called(cls, where.strip('.'))} {said}")


def _noted(act: Act, piece: Piece) -> Piece:
    form = act.form
    return replace(
        piece,
        name=cleaned_name(act.text("name")),
        material=form.choice("material", MATERIALS, "steel"),
        count=form.count("count", 1, 999, 1),
        hand=form.choice("hand", tuple(HANDS), "either"),
        used_at=form.text("used_at", 120),
        fitted=(piece.fitted or now()) if form.tick("fitted") else "",
    )


def _asked(build_id: str, desk: Desk) -> tuple[Scene, Piece]:
    build = desk.shop.builds.head(build_id).build
    return Scene(build, chosen_option(build, desk.text("option"))), build.piece(desk.text("piece"))


def _head(desk: Desk, build_id: str, scene: Scene, title: str) -> Head:
    head = desk.paper(title, build_id, scene.option.id)
    size = PAPERS.get(desk.text("paper", "a4"))  # type: ignore[call-overload]
    return Head(head.title, head.of, head.by, size) if size else head


@router.get("/builds/{build_id}/make/piece/wrap.pdf", name="wrap_pdf")
def wrap_pdf(build_id: str, desk: ReadDesk) -> Response:
    """The wraps of a tube's ends at true size."""
    scene, piece = _asked(build_id, desk)
    whole, shape = made_tube(scene, piece)
    body = whole.tube
    if body is None or body.section != "round":
        raise MissingError("a wrap is laid round a round tube; a box section is marked face by face from its figures")
    head = _head(desk, build_id, scene, f"{piece.name}: wraps at true size")
    said = wrap_print.as_pdf(piece, shape, head, wrap_words(piece, body, shape, desk.show), made_up_for(desk, piece, shape.wrap_mm))
    return Response(said, media_type="application/pdf", headers={**named(f"{piece.id}-wraps.pdf"), "Cache-Control": "no-store"})


@router.get("/builds/{build_id}/make/piece/slip.pdf", name="turned_pdf")
def turned_pdf(build_id: str, desk: ReadDesk) -> Response:
    """The slip for the turner."""
    scene, piece = _asked(build_id, desk)
    head = _head(desk, build_id, scene, f"To turn: {piece.name}")
    said = turned_slip.as_pdf(piece, turned_shape(piece), head)
    return Response(said, media_type="application/pdf", headers={**named(f"{piece.id}-slip.pdf"), "Cache-Control": "no-store"})


@router.get("/builds/{build_id}/make/piece/slip.json", name="turned_json")
def turned_json(build_id: str, desk: ReadDesk) -> Response:
    """The same for a program."""
    _, piece = _asked(build_id, desk)
    return Response(turned_slip.as_json(piece, turned_shape(piece)), media_type="application/json", headers=named(f"{piece.id}-slip.json"))
