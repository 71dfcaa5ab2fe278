"""Pieces: all of them by where they stand, and one of them, from what it joins to what was made of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.core.base.verdicts import worst
from elmpeg.core.base.ways import WAYS
from elmpeg.core.build.document import Build
from elmpeg.core.build.pieces import Hand, HoleKind, Piece, Result, Side, TriedIn
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.build.underlays import Underlay
from elmpeg.core.evaluation.kept_findings import worst_first
from elmpeg.core.judging.checks import Check
from elmpeg.core.judging.in_short import in_short
from elmpeg.core.methods.fastening.fasteners import NAMES
from elmpeg.core.methods.measuring.print_scale import PrintScale
from elmpeg.core.methods.sheet_metal.bracket_forms import FORMS
from elmpeg.core.methods.sheet_metal.cutting_limits import PROCESSES, smallest_opening_mm
from elmpeg.core.methods.sheet_metal.leg_lengths import LegLength, leg_lengths
from elmpeg.core.methods.sheet_metal.section_stiffness import Stiffened, ways_to_stiffen
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make import piece_edits
from elmpeg.core.stages.make.counted_from import CORNER, zero_of
from elmpeg.core.stages.make.neighbours import fouls
from elmpeg.core.stages.make.on_the_metal import CAUTIONS, bench_holes, bench_order, bench_steps
from elmpeg.core.stages.make.pair_as_one import pair_as_one
from elmpeg.core.stages.make.piece_mounts import (
    brings_mounts,
    holes_near,
    mounts_of,
    new_holes,
    out_of_place_mm,
    part_points,
    vehicle_points,
)
from elmpeg.core.stages.make.piece_shape import PieceShape, k_for
from elmpeg.core.stages.make.piece_states import STANDINGS, Standing, made_after, standing
from elmpeg.core.stages.make.print_proofs import print_proof
from elmpeg.core.stages.make.proposals import Proposal, proposals
from elmpeg.core.stages.make.structure_members import sleeves_wanted
from elmpeg.core.stages.make.tube_checks import PieceState, piece_states
from elmpeg.core.stages.mount.existing_holes import HoleSet
from elmpeg.core.stages.mount.plates import MATERIALS
from elmpeg.formats.true_size import PAPERS, SQUARE_MM
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import BuildPage, build_page
from elmpeg.web.desk import Desk
from elmpeg.web.drawing.piece import Under, card_drawing, flat_drawing, pair_drawing, profile_drawing
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.make.piece_fields import (
    bends_text,
    cutouts_text,
    holes_text,
    outline_text,
)
from elmpeg.web.pages.make.tube_fields import SECTIONS, TUBE_PARTS, TURNED_PARTS, shown
from elmpeg.web.security import ReadDesk

router = APIRouter()
TABS = (
    ("pieces", "Pieces"),
    ("structures", "Structures of tube"),
    ("stands", "Stands"),
    ("welding", "Welding"),
    ("cut_list", "Cut list"),
    ("trace", "Trace a photograph"),
    ("sheet_rules", "Test strips and brake"),
)
PARTS = (("shape", "Shape"), ("joins", "What it joins"), ("paper", "On paper"), ("cutter", "To the cutter"), ("tried", "What was made"))
HANDS: dict[Hand, str] = {"either": "no hand", "left": "left", "right": "right", "pair": "a pair, left and right"}
KINDS: tuple[HoleKind, ...] = get_args(HoleKind)
RESULTS: dict[Result, str] = {"": "not tried yet", "good": "good", "change": "must change"}
SIDES: dict[Side, str] = {"": "away from its part", "along": "along the holes' axes", "against": "against them"}
MADE_OF: tuple[TriedIn, ...] = get_args(TriedIn)
USUAL_LIP_MM = 15.0


@dataclass(frozen=True, slots=True)
class PieceRow:
    """One piece as the list shows it."""

    piece: Piece
    standing: Standing
    state: PieceState
    verdict: str
    says: str = ""
    """What is wrong with it in three words; empty where nothing is."""

    @property
    def shape(self) -> PieceShape | None:
        """Of plate, its shape."""
        return self.state.shape

    @property
    def trouble(self) -> str:
        """Why it has no shape; empty where it has one."""
        return self.state.trouble


def _rows(at: BuildPage) -> list[PieceRow]:
    """Every piece with its worst verdict; the checks are gone through once."""
    own: dict[str, list[Check]] = {}
    for check in at.evaluation.checks:
        for piece_id in check.ids("pieces"):
            own.setdefault(piece_id, []).append(check)
    states = piece_states(at.build, at.evaluation.of(PieceState))
    return [_row(p, states[p.id], worst_first(own.get(p.id, []))) for p in at.build.pieces]


def _row(piece: Piece, state: PieceState, checks: tuple[Check, ...]) -> PieceRow:
    verdict = worst(tuple(c.verdict for c in checks)) if checks else "unknown"
    return PieceRow(piece, standing(piece, state.drawn), state, verdict, in_short(checks[0]) if checks and verdict != "holds" else "")


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """Every piece by where it stands."""
    at = build_page(desk, build_id, "Make", outcome)
    rows = _rows(at)
    columns = [(name, [r for r in rows if r.standing == name]) for name in STANDINGS]
    return desk.render(
        "make/pieces.html",
        outcome,
        page=at,
        rows=rows,
        columns=columns,
        tab="pieces",
        tabs=TABS,
        usual_thick=3.0,
        sections=SECTIONS.items(),
        sleeves=sleeves_wanted(at.build),
        materials=[(m, m) for m in MATERIALS],
    )


@router.get("/builds/{build_id}/make", name="pieces")
def show(build_id: str, desk: ReadDesk) -> Response:
    """All pieces."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/make", name="start_piece")
@answers(page)
def start(act: Act) -> Outcome | Response:
    """Begin a piece, and go on to what it joins."""
    made = piece_edits.started(act.build, cleaned_name(act.text("name")), act.form.length("thick"))
    made = replace(made, material=act.form.choice("material", MATERIALS, "steel"))
    outcome = act.change(f"Began the piece {made.name}", lambda b: piece_edits.with_piece(b, made))
    if outcome.saved is None:
        return outcome
    return act.go_to("piece", piece=made.id, part="joins")


def piece_page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """One piece."""
    at = build_page(desk, build_id, "Make", outcome)
    piece = next((p for p in at.build.pieces if p.id == desk.text("piece")), None)
    if piece is None:
        return page(desk, build_id, outcome)
    parts_of = TUBE_PARTS if piece.tube is not None else TURNED_PARTS if piece.turned is not None else PARTS
    part = next((p for p, _ in parts_of if p == desk.text("part")), parts_of[0][0])
    scene = Scene(at.build, at.option)
    row = next(r for r in _rows(at) if r.piece.id == piece.id)
    shape = row.shape
    holes = bench_holes(scene, shape) if shape else ()
    offered = _offered(scene, piece) if part == "joins" and piece.faces and not piece.lower else ()
    exists = made_after(piece)
    drawing = profile = None
    pair = pair_as_one(piece, shape) if shape and part == "paper" and piece.hand == "pair" else None
    if shape is not None:
        drawing = flat_drawing(
            piece, shape, holes, desk.show, movable=part == "shape" and desk.may_change, under=_under(desk, at.build, piece)
        )
        profile = _profile(shape, desk, piece)
    return desk.render(
        "make/piece.html",
        outcome,
        page=at,
        row=row,
        piece=piece,
        shape=shape,
        holes=holes,
        exists=exists,
        to_open=[
            (h.id, f"{b.letter}, {desk.show.value(h.hole_mm, 'mm')}: {b.hole.called}")
            for b in holes
            for h in (exists.drawing.holes if exists else ())
            if h.id == b.hole.id
        ],
        part=part,
        mends={"post": desk.shop.url("piece_remedy", build_id=build_id), "fields": {"piece": piece.id, "part": part}},
        parts_of=parts_of,
        state=row.state,
        **(shown(desk, scene, piece, row.state, part) if parts_of is not PARTS else {}),
        drawing=drawing,
        profile=profile,
        checks=[c for c in at.evaluation.checks if c.concerns("pieces", piece.id)],
        used_by=[m.name for m in mounts_of(at.build, piece)],
        brings=brings_mounts(at.build, piece),
        unheld=[at.build.point(p).name for p in part_points(at.build, piece) if all(m.component_point != p for m in at.build.mounts)],
        seats_off_mm=out_of_place_mm(scene, piece),
        drills_new=new_holes(at.build, piece),
        uses_holes=[p for p in vehicle_points(at.build, piece) if p.kind == "hole"],
        near_sets=_holes_near(scene, piece) if part == "joins" else (),
        offered=[(o, card_drawing(o.shape, desk.show, o.says)) for o in offered if o.shape is not None],
        unoffered=[o for o in offered if o.shape is None],
        fouls=fouls(scene, shape) if shape and part in ("joins", "cutter") else (),
        stiffer=_stiffer(shape, piece) if part == "joins" else (),
        lip_mm=USUAL_LIP_MM,
        k=k_for(at.build, piece),
        pair=pair,
        pair_drawing=pair_drawing(piece, shape, pair, holes, desk.show) if shape and pair else None,
        steps=bench_steps(piece, shape, holes, at.build.brake.channel_share) if shape else (),
        drill_order=bench_order(holes),
        made_cautions=CAUTIONS,
        proof=_proof(piece, row.state),
        papers=tuple(PAPERS),
        square_mm=SQUARE_MM,
        hands=HANDS,
        looks=tuple(WAYS),
        legs=_legs(shape) if part == "shape" else (),
        shapes=_shapes(at.build) if part == "shape" else (),
        processes=[(p, p) for p in PROCESSES],
        smallest_mm=smallest_opening_mm(piece.cut_by, piece.thick_mm),
        kinds=KINDS,
        results=RESULTS,
        sides=SIDES,
        made_of=MADE_OF,
        states=piece_edits.STATES,
        forms=FORMS,
        materials=MATERIALS,
        threads=NAMES,
        places=_places(at.build),
        findings=[(f"{r.number}, {f.place}: {f.words}"[:120]) for r in at.build.rounds for f in r.findings],
        outline_text=outline_text(piece.outline, desk.show),
        holes_text=holes_text(piece.own_holes, desk.show),
        bends_text=bends_text(piece.bends, desk.show),
        cutouts_text=cutouts_text(piece.cutouts, desk.show),
        said={(h.pattern, h.hole): h for h in piece.holes},
        others=at.build.pieces,
        zero=zero_of(piece, shape) if shape else None,
        zero_corner=CORNER,
        zero_holes=[(h.id, f"hole {h.letter}, {h.called}") for h in shape.holes] if shape else [],
        alone=desk.alone,
        tab="pieces",
        tabs=TABS,
    )


def _under(desk: Desk, build: Build, piece: Piece) -> Under | None:
    """The picture that a piece was traced from, to lie under its flat."""
    if not piece.photo or desk.text("part") not in ("", "shape"):
        return None
    try:
        laid = desk.shop.laid_photo(build, as_underlay(piece))
    except (InputError, MissingError):
        return None
    href = f"{desk.shop.url('piece_picture', build_id=build.id)}?{desk.query(piece=piece.id)}"
    return Under(href, laid.left_mm, laid.bottom_mm, laid.right_mm, laid.top_mm)


def as_underlay(piece: Piece) -> Underlay:
    """The picture of a piece as one that lies under a view: of one plane, by its marks."""
    return Underlay(piece.id, piece.name, piece.photo, "plan", piece.marks)


def _profile(shape: PieceShape, desk: Desk, piece: Piece) -> object:
    try:
        return profile_drawing(shape, desk.show, piece.name)
    except InputError:
        return None


def _offered(scene: Scene, piece: Piece) -> tuple[Proposal, ...]:
    try:
        return proposals(scene, piece)
    except (InputError, MissingError):
        return ()


def _proof(piece: Piece, state: PieceState) -> PrintScale | None:
    """What the newest measured print says of the piece's flat, or of its larger wrap."""
    return print_proof(piece, state.shape.size_mm if state.shape else state.tube.wrap_mm if state.tube else None)


def _legs(shape: PieceShape | None) -> tuple[LegLength, ...]:
    if shape is None or not shape.bends:
        return ()
    try:
        return leg_lengths(shape.folded(), shape.bends)
    except InputError:
        return ()


def _holes_near(scene: Scene, piece: Piece) -> tuple[HoleSet, ...]:
    try:
        return holes_near(scene, piece)
    except (InputError, MissingError):
        return ()


def _stiffer(shape: PieceShape | None, piece: Piece) -> tuple[Stiffened, ...]:
    if shape is None:
        return ()
    try:
        return ways_to_stiffen(min(shape.size_mm), piece.thick_mm, USUAL_LIP_MM)
    except InputError:
        return ()


def _shapes(build: Build) -> list[tuple[str, list[tuple[str, str]]]]:
    """Shapes that have a flat face, by what they are of."""
    among = [(VEHICLE, "Vehicle", build.solids), *((c.id, c.name, c.solids) for c in build.components)]
    found = [(name, [(f"{on}|{s.id}", s.name) for s in solids if s.kind != "tube"]) for on, name, solids in among]
    return [(name, own) for name, own in found if own]


def _places(build: Build) -> list[tuple[str, list[tuple[str, str]]]]:
    """Points that have a hole or an axis, by what they are on."""
    names = {VEHICLE: "Vehicle", **{c.id: c.name for c in build.components}}
    found: dict[str, list[tuple[str, str]]] = {}
    for point in build.points:
        if point.kind != "wheel" and (point.axis is not None or point.hole_mm):
            found.setdefault(names.get(point.on, point.on), []).append((point.id, point.name))
    return sorted(found.items())


@router.get("/builds/{build_id}/make/piece", name="piece")
def show_piece(build_id: str, desk: ReadDesk) -> Response:
    """One piece."""
    return piece_page(desk, build_id)
