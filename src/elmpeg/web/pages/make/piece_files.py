"""A piece as files: on paper at true size, for the cutter, for a trial print; and its orders."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from elmpeg.core.base.errors import MissingError
from elmpeg.core.build.document import Build
from elmpeg.core.build.pieces import Piece, Sending
from elmpeg.core.build.signers import signed_here
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make import piece_edits
from elmpeg.core.stages.make.on_the_metal import bench_holes, bench_steps
from elmpeg.core.stages.make.piece_shape import PieceShape, other_hand_of, piece_shape
from elmpeg.core.stages.make.print_proofs import print_proof
from elmpeg.formats import cut_order, piece_dxf, piece_print, piece_solid, piece_svg, true_size
from elmpeg.formats.paper import Head
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import chosen_option
from elmpeg.web.desk import Desk, now
from elmpeg.web.downloads import named
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.make.pieces import piece_page
from elmpeg.web.security import ReadDesk

router = APIRouter()
HANDS: dict[str, piece_print.PrintedHand] = {"other": "other hand", "pair": "pair as one"}
MEDIA = {"dxf": "application/dxf", "svg": "image/svg+xml", "stl": "model/stl", "3mf": "model/3mf"}


def _asked(build_id: str, desk: Desk, other_hand: bool = False) -> tuple[Scene, Piece, PieceShape]:
    build = desk.shop.builds.head(build_id).build
    option = chosen_option(build, desk.text("option"))
    scene = Scene(build, option)
    piece = build.piece(desk.text("piece"))
    return scene, piece, piece_shape(scene, other_hand_of(piece) if other_hand else piece)


def _head(desk: Desk, build_id: str, scene: Scene, title: str, paper: str) -> Head:
    head = desk.paper(title, build_id, scene.option.id)
    size = true_size.PAPERS.get(paper)  # type: ignore[call-overload]
    return Head(head.title, head.of, head.by, size) if size else head


def made_up_for(desk: Desk, piece: Piece, size_mm: tuple[float, float] | None) -> tuple[float, float]:
    """The scale that makes up for the printer whose print was measured, where that is asked for."""
    proof = print_proof(piece, size_mm) if desk.text("again") else None
    return (proof.print_at_pct[0] / 100.0, proof.print_at_pct[1] / 100.0) if proof is not None else (1.0, 1.0)


@router.get("/builds/{build_id}/make/piece.pdf", name="piece_pdf")
def pdf(build_id: str, desk: ReadDesk) -> Response:
    """The piece on paper at true size; made up for the printer where its last print was measured and that is asked for."""
    hand = HANDS.get(desk.text("hand"), "as drawn")
    scene, piece, shape = _asked(build_id, desk, hand == "other hand")
    holes = bench_holes(scene, shape)
    scale = made_up_for(desk, piece, shape.size_mm)
    said_hand = "" if hand == "as drawn" else f", {hand.upper()}"
    head = _head(desk, build_id, scene, f"{piece.name} at true size{said_hand}", desk.text("paper", "a4"))
    said = piece_print.as_pdf(
        piece,
        shape,
        holes,
        bench_steps(piece, shape, holes, scene.build.brake.channel_share),
        head,
        desk.show.words,
        lambda v: str(desk.show.value(v, "mm", None, 1)),
        hand,
        scale,
    )
    return Response(said, media_type="application/pdf", headers={**named(f"{piece.id}.pdf"), "Cache-Control": "no-store"})


@router.get("/builds/{build_id}/make/piece/file", name="piece_file")
def file(build_id: str, desk: ReadDesk) -> Response:
    """The piece as DXF, SVG, STL or 3MF, folded or flat, as drawn or the other hand."""
    kind = desk.text("kind", "dxf")
    other = desk.text("hand") == "other"
    _, piece, shape = _asked(build_id, desk, other)
    if kind not in MEDIA:
        raise MissingError(f"there is no file of the kind “{kind[:10]}”")
    if kind == "dxf":
        data = piece_dxf.written_piece(piece, shape, other)
    elif kind == "svg":
        data = piece_svg.written_piece(piece, shape)
    else:
        body = piece_solid.solid(shape, fold=desk.text("flat") == "")
        body = piece_solid.mirrored(body) if other else body
        data = piece_solid.written(body, "stl" if kind == "stl" else "3mf")
    name = f"{build_id}-{piece.id}{'-other-hand' if other else ''}{'-flat' if desk.text('flat') else ''}.{kind}"
    return Response(data, media_type=MEDIA[kind], headers=named(name))


@router.post("/builds/{build_id}/make/piece/sent", name="keep_sending")
@answers(piece_page)
def keep_sending(act: Act) -> Outcome:
    """An order to a cutter: drafted, moved on, or taken back."""
    piece, form = act.build.piece(act.text("piece")), act.form
    if act.text("do") == "unsend":
        gone = act.text("sending")
        return act.change(f"Took an order of {piece.name} back", lambda b: piece_edits.without_sending(b, piece.id, gone))
    old = next((s for s in piece.sendings if s.id == act.text("sending")), None)
    taken = {s.id for s in piece.sendings}
    to = form.text("to", 80)
    if not to:
        form.refuse("to", "say who cuts it")
    made = Sending(
        old.id if old else next(f"s{n}" for n in range(1, 10_000) if f"s{n}" not in taken),
        to,
        form.text("process", 60),
        form.choice("state", piece_edits.STATES, "drafted"),
        old.by if old else act.desk.person.name,
        now(),
        form.count("count", 1, 9999, piece.count),
        form.text("price", 40),
        form.number("days", 0, 999) if form.given("days") else None,
        "" if not form.tick("checked") else old.checked_by if old and signed_here(old.checked_by) else act.desk.person.name,
        form.text("note", 200),
        old.drawing if old else None,
        act.looked_again() if act.desk.alone and act.form.tick("alone") else "",
    )
    option = act.text("option")

    def edit(build: Build) -> Build:
        chosen = next((o for o in build.options if o.id == option), build.options[0])
        return piece_edits.with_sending(build, Scene(build, chosen), piece.id, made)

    return act.change(f"{piece.name}: {made.state}, {made.to}", edit)


def _order(build_id: str, desk: Desk) -> tuple[Scene, Piece, PieceShape, Sending]:
    scene, piece, shape = _asked(build_id, desk)
    sending = next((s for s in piece.sendings if s.id == desk.text("sending")), None)
    if sending is None:
        raise MissingError(f"{piece.name} has no order “{desk.text('sending')[:20]}”")
    return scene, piece, shape, sending


@router.get("/builds/{build_id}/make/piece/order.pdf", name="cut_order_pdf")
def order_pdf(build_id: str, desk: ReadDesk) -> Response:
    """The slip that goes with a piece."""
    scene, piece, shape, sending = _order(build_id, desk)
    found = desk.shop.evaluated(desk.shop.builds.head(build_id), scene.option.id)
    checks = tuple(c for c in found.checks if c.concerns("pieces", piece.id))
    head = _head(desk, build_id, scene, f"Order to cut: {piece.name}", "")
    return Response(
        cut_order.as_pdf(piece, sending, shape, checks, head, desk.show.words), media_type="application/pdf",
        headers={**named(f"{piece.id}-{sending.id}.pdf"), "Cache-Control": "no-store"},
    )  # fmt: skip


@router.get("/builds/{build_id}/make/piece/order.json", name="cut_order_json")
def order_json(build_id: str, desk: ReadDesk) -> Response:
    """The same for a program."""
    _, piece, shape, sending = _order(build_id, desk)
    return Response(cut_order.as_json(piece, sending, shape), media_type="application/json", headers=named(f"{piece.id}-{sending.id}.json"))
