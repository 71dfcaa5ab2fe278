"""What is done to a piece on its page: its figures, holes, outline, faces, makings and prints."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TypeVar

from fastapi import APIRouter
from fastapi.responses import Response
from starlette.datastructures import UploadFile

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.core.base.ways import WAYS
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option
from elmpeg.core.build.pieces import Between, Piece, PlateHole
from elmpeg.core.build.rooms import SolidRef
from elmpeg.core.build.signers import signed_here
from elmpeg.core.methods.fastening.fasteners import thread
from elmpeg.core.methods.shapes.hole_rows import row_places
from elmpeg.core.methods.sheet_metal.bracket_forms import FORMS, MOST_WAYS
from elmpeg.core.methods.sheet_metal.bracket_tree import FaceJoin
from elmpeg.core.methods.sheet_metal.cutting_limits import PROCESSES
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make import piece_edits
from elmpeg.core.stages.make.piece_mounts import (
    brings_mounts,
    with_mounts,
)
from elmpeg.core.stages.make.piece_shape import PieceHole, piece_shape
from elmpeg.core.stages.make.shape_faces import with_outline_of
from elmpeg.core.stages.mount.plates import MATERIALS
from elmpeg.core.stages.place.mesh_placing import MM_PER
from elmpeg.formats import apart, dxf_outlines
from elmpeg.formats.true_size import SQUARE_MM
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import chosen_option
from elmpeg.web.desk import now
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.make.piece_fields import (
    bends_from,
    bends_text,
    cutouts_from,
    cutouts_text,
    holes_from,
    holes_text,
    outline_from,
    outline_text,
)
from elmpeg.web.pages.make.pieces import HANDS, KINDS, MADE_OF, RESULTS, SIDES, piece_page
from elmpeg.web.remedies import tried

router = APIRouter()
T = TypeVar("T")


@router.post("/builds/{build_id}/make/piece", name="keep_piece")
@answers(piece_page)
def keep(act: Act) -> Outcome | Response:
    """Change what a piece is, or take it out."""
    piece = act.build.piece(act.text("piece"))
    if act.text("do") == "remove":
        outcome = act.change(f"Took the piece {piece.name} out", lambda b: piece_edits.without_piece(b, piece.id))
        return act.go_to("pieces") if outcome.saved else outcome
    form, show = act.form, act.desk.show
    texts = {name: act.text(name).strip() for name in ("outline", "own_holes", "bends", "cutouts")}
    shown = {
        "outline": outline_text(piece.outline, show),
        "own_holes": holes_text(piece.own_holes, show),
        "bends": bends_text(piece.bends, show),
        "cutouts": cutouts_text(piece.cutouts, show),
    }

    def typed(name: str, read: Callable[[], T], as_it_is: T) -> T:
        """What a field says, or what stands, to its last digit, where nobody typed anything else."""
        if " ".join(texts[name].split()) == " ".join(shown[name].split()):
            return as_it_is
        try:
            return read()
        except InputError as refused:
            form.refuse(name, refused.message)
            return as_it_is

    made = replace(
        piece,
        name=cleaned_name(act.text("name")),
        thick_mm=form.length("thick", now=piece.thick_mm),
        material=form.choice("material", MATERIALS, "steel"),
        cut_by=form.choice("cut_by", PROCESSES, "laser"),
        count=form.count("count", 1, 999, 1),
        hand=form.choice("hand", tuple(HANDS), "either"),
        used_at=form.text("used_at", 120),
        up=form.text("up", 80),
        forward=form.text("forward", 80),
        conducts=form.tick("conducts"),
        margin_mm=form.length("margin", 15.0, piece.margin_mm),
        radius_mm=form.length("radius", 3.0, piece.radius_mm),
        k=form.number("k", 0.0, 0.5) if form.given("k") else None,
        outline=typed("outline", lambda: outline_from(texts["outline"], "outline", show), piece.outline),
        own_holes=typed("own_holes", lambda: holes_from(texts["own_holes"], show), piece.own_holes),
        bends=typed("bends", lambda: bends_from(texts["bends"], show, piece), piece.bends),
        cutouts=typed("cutouts", lambda: cutouts_from(texts["cutouts"], show), piece.cutouts),
        fitted=(piece.fitted or now()) if form.tick("fitted") else "",
    )
    return act.change(f"Changed the piece {made.name}", lambda b: piece_edits.with_piece(b, made))


@router.post("/builds/{build_id}/make/piece/holes", name="keep_piece_holes")
@answers(piece_page)
def keep_holes(act: Act) -> Outcome:
    """How each hole is made."""
    piece = act.build.piece(act.text("piece"))
    shape = piece_shape(Scene(act.build, _option(act)), piece)
    made = []
    drilled = {(h.pattern, h.hole): h.drill_mm for h in piece.holes}
    for hole in shape.holes:
        own, name = _made_as(piece, hole)
        kind = act.form.choice(f"kind_{hole.id}", KINDS, "through")
        thread = act.text(f"thread_{hole.id}").strip()
        if kind != "through" and not thread:
            act.form.refuse(f"thread_{hole.id}", f"say for which thread it is {kind}")
        drill = _drill_mm(act.form, hole, drilled.get((own, name), 0.0))
        if drill < 0:
            act.form.refuse(f"drill_{hole.id}", "must be above 0, or empty for what its thread or its mate says")
        if kind != "through" or thread or drill:
            made.append(PlateHole(own, name, kind, thread, drill))
    act.form.require()
    zero = act.form.choice("zero", ("", *(h.id for h in shape.holes)), "" if piece.zero not in {h.id for h in shape.holes} else piece.zero)
    act.form.require()
    changed = replace(piece, holes=tuple(made), zero=zero)
    piece_shape(Scene(act.build, _option(act)), changed)
    return act.change(f"Holes of the piece {piece.name}", lambda b: piece_edits.with_piece(b, changed))


def _drill_mm(form: Form, hole: PieceHole, now_mm: float) -> float:
    """The size that a hole is given by hand, 0 for what its mate or thread says: an empty field, or that size as it was shown."""
    shown_mm = form.length(f"drill_{hole.id}", 0.0, hole.drill_mm)
    return now_mm if shown_mm == hole.drill_mm else shown_mm


def _made_as(piece: Piece, hole: PieceHole) -> tuple[str, str]:
    """By what a piece says how one of its holes is made: the pattern or face, and the hole's name in it."""
    own = hole.face or "own"
    return own, hole.id.split("-", 1)[1] if piece.lower and own != "own" else hole.id


def _option(act: Act) -> Option:
    return chosen_option(act.build, act.text("option"))


@router.post("/builds/{build_id}/make/piece/outline", name="own_outline")
@answers(piece_page)
def own_outline(act: Act) -> Outcome:
    """The outline that follows made the piece's own, let go again, cut at a corner, or read from a drawing."""
    piece, do = act.build.piece(act.text("piece")), act.text("do")
    scene = Scene(act.build, _option(act))
    if do == "follow":
        return act.change(
            f"The outline of {piece.name} follows its holes", lambda b: piece_edits.with_piece(b, replace(b.piece(piece.id), outline=()))
        )
    if do == "corner":
        return act.change(f"Cut a corner off {piece.name}", lambda b: piece_edits.with_corner_cut(b, scene, piece.id))
    if do == "own":
        outline = piece_shape(scene, piece).outline
        return act.change(
            f"The outline of {piece.name} is its own", lambda b: piece_edits.with_piece(b, replace(b.piece(piece.id), outline=outline))
        )
    if do == "face":
        looks = act.form.choice("looks", tuple(WAYS))
        grown = act.form.length("grown", 0.0)
        act.form.require()
        on, _, solid = act.text("shape").partition("|")
        faced = with_outline_of(scene, piece, SolidRef(on, solid), looks, grown)
        return act.change(f"{piece.name} takes the outline of {faced.came_from}", lambda b: piece_edits.with_piece(b, faced))
    upload = act.desk.form.get("file")
    if not isinstance(upload, UploadFile) or not upload.filename:
        raise InputError("file", "choose a DXF drawing first")
    with upload.file as file:
        drawn = apart.read(
            "contours", file.read(dxf_outlines.LARGEST_BYTES + 1), MM_PER.get(act.text("unit")), under_way=act.desk.files_under_way
        )
    made = piece_edits.from_contours(piece, drawn.outline, drawn.cutouts, drawn.holes, upload.filename)
    return act.change(f"Read {upload.filename[:60]} into {piece.name}", lambda b: piece_edits.with_piece(b, made))


@router.post("/builds/{build_id}/make/piece/between", name="keep_between")
@answers(piece_page)
def keep_between(act: Act) -> Outcome:
    """What a plate between two castings takes from a shaft, dowels and bolts; or that it turns freely."""
    piece, do, form = act.build.piece(act.text("piece")), act.text("do"), act.form
    old = piece.between
    if do == "none":
        return act.change(
            f"{piece.name} lies between nothing", lambda b: piece_edits.with_piece(b, replace(b.piece(piece.id), between=None))
        )
    if do == "turns":
        if old is None:
            raise InputError("reach", "say first what it lies between")
        by = "" if signed_here(old.turned_by) else act.desk.person.name
        turned = replace(old, turned_by=by, turned_at=now() if by else "")
        return act.change(
            f"{piece.name}: {'turns freely' if by else 'does not turn freely'}",
            lambda b: piece_edits.with_piece(b, replace(b.piece(piece.id), between=turned)),
        )
    chain = form.choice("chain", ("", *(c.id for c in act.build.chains)), "")
    made = Between(
        form.length("reach", 0.0 if chain else None, old.reach_mm if old else None), form.length("reach_sd", 0.0, old.reach_sd_mm if old else None),
        form.length("needs", None, old.needs_mm if old else None), chain, form.length("dowel", 0.0, old.dowel_mm if old else None),
        form.length("dowel_long", 0.0, old.dowel_long_mm if old else None), form.length("dowel_deep", 0.0, old.dowel_deep_mm if old else None),
        form.length("dowel_least", 0.0, old.dowel_least_mm if old else None), form.text("thread", 20),
        form.length("bolt_long", 0.0, old.bolt_long_mm if old else None), form.length("engaged", 0.0, old.engaged_mm if old else None),
        old.turned_by if old else "", old.turned_at if old else "",
    )  # fmt: skip
    if made.thread:
        thread(made.thread, "thread")
    form.require()
    return act.change(
        f"{piece.name} lies between two castings", lambda b: piece_edits.with_piece(b, replace(b.piece(piece.id), between=made))
    )


@router.post("/builds/{build_id}/make/piece/row", name="piece_row")
@answers(piece_page)
def row(act: Act) -> Outcome:
    """A row of holes of the piece's own, along a line at an angle."""
    piece, form = act.build.piece(act.text("piece")), act.form
    start = (form.length("row_x", 0.0), form.length("row_y", 0.0))
    angle, hole = form.angle("row_angle", 0.0), form.length("row_hole")
    steps = form.lengths("row_steps")
    beside = form.lengths("row_beside") if form.given("row_beside") else ()
    why = form.text("row_why", 120)
    form.require()
    made = piece_edits.with_row(piece, row_places(start, angle, steps, beside), hole, why)
    return act.change(
        f"A row of {len(made.own_holes) - len(piece.own_holes)} holes in {piece.name}", lambda b: piece_edits.with_piece(b, made)
    )


@router.post("/builds/{build_id}/make/piece/joins", name="keep_faces")
@answers(piece_page)
def keep_faces(act: Act) -> Outcome:
    """Add a face that the piece joins, take one out, or choose how they are joined."""
    piece, do = act.build.piece(act.text("piece")), act.text("do")
    if piece.lower:
        raise InputError("points", "it joins two patterns already; change them at Mount, Plates")
    if do == "unface":
        gone = act.text("face")
        left = tuple(f for f in piece.faces if f.id != gone)
        form = piece.form if len(left) > 1 else ""
        changed = replace(piece, faces=left, form=form, joins=())
        return act.change(f"Took a face out of {piece.name}", lambda b: piece_edits.with_piece(b, changed))
    if do == "form":
        form_name = act.form.choice("form", FORMS)
        why = act.form.text("because", 200)
        way, joins = act.form.count("way", 0, MOST_WAYS, 0), _joins(act, piece)
        changed = replace(piece, form=form_name, way=way, joins=joins, chosen_because=why, outline=())
        piece_shape(Scene(act.build, _option(act)), changed)
        option, mounted = _option(act), act.form.tick("mounts") and brings_mounts(act.build, piece)

        def chosen(build: Build) -> Build:
            made = piece_edits.with_piece(build, changed)
            return with_mounts(made, Scene(made, made.option(option.id)), piece.id) if mounted else made

        return act.change(f"{piece.name}: {form_name}{' and its mounts' if mounted else ''}", chosen)
    if do == "mounts":
        option = _option(act)
        return act.change(f"The mounts of {piece.name}", lambda b: with_mounts(b, Scene(b, b.option(option.id)), piece.id))
    points = tuple(v for v in act.desk.form.getlist("points") if isinstance(v, str) and v)
    if not points:
        raise InputError("points", "choose the points of its holes; hold a key for more than one")
    for point_id in points:
        act.build.point(point_id)
    face = replace(
        piece_edits.face_named(piece, cleaned_name(act.text("face_name") or f"face {len(piece.faces) + 1}"), points),
        side=act.form.choice("side", tuple(SIDES), ""),
    )
    changed = replace(piece, faces=(*piece.faces, face), joins=())
    return act.change(f"{piece.name} joins {face.name}", lambda b: piece_edits.with_piece(b, changed))


def _joins(act: Act, piece: Piece) -> tuple[FaceJoin, ...]:
    """How each face hangs on another, as an offer said it: face, the face it hangs on, form and way, four words a join."""
    said = [v for v in act.desk.form.getlist("joins") if isinstance(v, str)]
    faces, found = {f.id for f in piece.faces}, []
    for text in said[: len(faces)]:
        face, onto, form, way = (*text.split("|"), "", "", "", "")[:4]
        if face not in faces or onto not in faces or form not in FORMS or not way.isdigit() or int(way) > MOST_WAYS:
            raise InputError("form", "its faces have changed since; look at the ways again and choose")
        found.append(FaceJoin(face, onto, form, int(way)))
    return tuple(found)


@router.post("/builds/{build_id}/make/piece/made", name="keep_made")
@answers(piece_page)
def keep_made(act: Act) -> Outcome:
    """Something made of the piece, what came of it, or a note taken back."""
    piece, do, form = act.build.piece(act.text("piece")), act.text("do"), act.form
    if do == "result":
        result = form.choice("result", tuple(RESULTS), "")
        learnt, revision = form.text("learnt", 300), act.text("revision")
        return act.change(f"What came of {piece.name}", lambda b: piece_edits.with_result(b, piece.id, revision, result, learnt))
    if do == "opened":
        hole, to_mm, person, at = form.text("hole", 80), form.length("to"), act.desk.person.name, now()
        option_id = _option(act).id
        return act.change(
            f"A hole of {piece.name} opened by hand",
            lambda b: piece_edits.with_opened(b, Scene(b, b.option(option_id)), piece.id, {hole: to_mm}, person, at),
        )
    if do == "unmake":
        revision = act.text("revision")
        return act.change(f"Took a making of {piece.name} back", lambda b: piece_edits.without_revision(b, piece.id, revision))
    made_of = form.choice("made_of", MADE_OF)
    changed, why, finding = (
        form.reason("changed", message="say in a few words what was made or changed"),
        form.text("why", 300),
        form.text("finding", 200),
    )
    option, person, at = _option(act), act.desk.person.name, now()
    return act.change(
        f"{piece.name} made in {made_of}",
        lambda b: piece_edits.with_revision(b, Scene(b, b.option(option.id)), piece.id, made_of, changed, person, at, why, finding),
    )


@router.post("/builds/{build_id}/make/piece/remedy", name="piece_remedy")
@answers(piece_page)
def try_remedy(act: Act) -> Outcome:
    """What would mend a check of the piece, tried."""
    return tried(act)


@router.post("/builds/{build_id}/make/piece/square", name="keep_square")
@answers(piece_page)
def keep_square(act: Act) -> Outcome:
    """The square of a print as it was measured, or one taken back."""
    piece, form = act.build.piece(act.text("piece")), act.form
    if act.text("do") == "unmeasure":
        gone = act.text("square")
        return act.change(f"Took a measured print of {piece.name} back", lambda b: piece_edits.without_square(b, piece.id, gone))
    lengths = (form.length("x_nominal", SQUARE_MM), form.length("x"), form.length("y_nominal", SQUARE_MM), form.length("y"))
    for field, length in zip(("x_nominal", "x", "y_nominal", "y"), lengths, strict=True):
        if not form.errors and length <= 0:
            form.refuse(field, "must be above 0")
    paper, person, at = form.text("paper", 40) or "paper", act.desk.person.name, now()
    return act.change(f"Measured a print of {piece.name}", lambda b: piece_edits.with_square(b, piece.id, paper, lengths, person, at))
