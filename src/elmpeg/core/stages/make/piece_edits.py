"""Pieces added, changed and taken out; what was tried of them; prints; orders."""

from __future__ import annotations

from dataclasses import replace

from shapely.geometry import Polygon

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import new_id
from elmpeg.core.build.alone import looked_again
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.pieces import (
    Brake,
    Cutout,
    OwnHole,
    Piece,
    PieceFace,
    PieceRevision,
    PlateHole,
    PrintedSquare,
    Result,
    Sending,
    SendingState,
    TestStrip,
    TriedIn,
)  # fmt: skip
from elmpeg.core.build.signers import same_person, signed_here
from elmpeg.core.integrity.make import piece_problems
from elmpeg.core.integrity.ranges import require_in_range
from elmpeg.core.methods.shapes.outlines import Outline, chords, polygon_of, with_arcs
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_drawings import drawing_of, printed_size_mm
from elmpeg.core.stages.make.piece_shape import PieceShape, piece_shape
from elmpeg.core.stages.make.piece_states import made_after
from elmpeg.core.stages.make.print_proofs import print_proof

CORNER_CUT_SHARE = 0.12
LEAST_CUT_MM, MOST_CUT_MM = 6.0, 25.0
STATES: tuple[SendingState, ...] = ("drafted", "checked", "sent", "received", "tried")
MADE_OF: tuple[TriedIn, ...] = ("card", "board", "print", "metal")


def with_piece(build: Build, piece: Piece) -> Build:
    """The build with a piece added or changed. Raises InputError for one that no bench can make."""
    if piece.outline:
        polygon_of(piece.outline)
    for cutout in piece.cutouts:
        polygon_of(cutout.corners)
    for name, ids in (("holes", [h.id for h in piece.own_holes]), ("faces", [f.id for f in piece.faces])):
        doubled = next((i for i in ids if ids.count(i) > 1), None)
        if doubled is not None:
            raise InputError(name, f"has two called {doubled}; give each its own name")
    require_in_range("pieces", (piece,))
    made = (
        replace(build, pieces=with_item(build.pieces, piece))
        if any(p.id == piece.id for p in build.pieces)
        else replace(build, pieces=(*build.pieces, piece))
    )
    for where, said in piece_problems(replace(made, pieces=(piece,))):
        raise InputError(where.split(".")[-1], said)
    return made


def without_piece(build: Build, piece_id: str) -> Build:
    """The build without a piece; refused while a mount uses it."""
    made: Build = taken_out(build, "pieces", piece_id)
    return made


def started(build: Build, name: str, thick_mm: float) -> Piece:
    """A piece with nothing but its name and thickness."""
    return Piece(new_id(name, (p.id for p in build.pieces)), name, thick_mm)


def face_named(piece: Piece, name: str, points: tuple[str, ...]) -> PieceFace:
    """A new face of a piece."""
    return PieceFace(new_id(name, (f.id for f in piece.faces)), name, points)


def with_revision(
    build: Build, scene: Scene, piece_id: str, made_of: TriedIn, changed: str, by: str, at: str, why: str = "", finding: str = ""
) -> Build:
    """A piece made of something, with its drawing as it is now. Metal needs a print that is proved, where one was printed.

    Raises InputError where it has no shape, or where its last print was measured and is not true.
    """
    piece = build.piece(piece_id)
    drawing = drawing_of(scene, piece)
    if made_of == "metal":
        _require_proved(scene, piece)
    number = 1 + max((r.number for r in piece.revisions), default=0)
    new = PieceRevision(f"r{number}", number, made_of, changed, by, at, drawing, why, finding)
    return with_piece(build, replace(piece, revisions=(*piece.revisions, new)))


def with_drilled(build: Build, piece_id: str, pattern: str, hole: str, drill_mm: float) -> Build:
    """A piece with one hole drilled to a size of its own, made otherwise as it was."""
    piece = build.piece(piece_id)
    now = next((h for h in piece.holes if (h.pattern, h.hole) == (pattern, hole)), PlateHole(pattern, hole, "through"))
    others = tuple(h for h in piece.holes if (h.pattern, h.hole) != (pattern, hole))
    return with_piece(build, replace(piece, holes=(*others, replace(now, drill_mm=drill_mm))))


def with_opened(build: Build, scene: Scene, piece_id: str, opened: dict[str, float], by: str, at: str) -> Build:
    """A piece of which holes that exist were opened by hand: a making of its own, after the drawing of what there was.

    Raises InputError where nothing was made of it yet, for a hole that this has not, and for one that would not grow.
    """
    piece = build.piece(piece_id)
    made = made_after(piece)
    if made is None:
        raise InputError("hole", f"nothing was made of {piece.name} yet")
    kept = made.drawing
    now = {h.id: h.hole_mm for h in kept.holes}
    for hole, to_mm in opened.items():
        if hole not in now:
            raise InputError("hole", "what was made has no such hole")
        if to_mm <= now[hole]:
            raise InputError("to", f"is no larger than the {now[hole]:g} mm that it has")
    drawing = replace(kept, holes=tuple(replace(h, hole_mm=opened.get(h.id, h.hole_mm)) for h in kept.holes))
    letters = {h.id: h.named for h in _shape(scene, piece).holes}
    changed = "opened by hand: " + ", ".join(f"{letters.get(hole, hole)} to {to:.1f} mm" for hole, to in opened.items())
    number = 1 + max((r.number for r in piece.revisions), default=0)
    new = PieceRevision(f"r{number}", number, made.made_of, changed[:200], by, at, drawing)
    return with_piece(build, replace(piece, revisions=(*piece.revisions, new)))


def _shape(scene: Scene, piece: Piece) -> PieceShape:
    try:
        return piece_shape(scene, piece)
    except MissingError as missing:
        raise InputError("piece", str(missing)) from None


def _require_proved(scene: Scene, piece: Piece) -> None:
    printed = any(r.made_of == "print" for r in piece.revisions)
    size = printed_size_mm(scene, piece)
    proof = print_proof(piece, size)
    if printed and size is not None and proof is None:
        raise InputError("made_of", "measure the square of its print both ways first; until then nobody knows whether the print is true")
    if proof is not None and not proof.true_size:
        said = f"{100 * proof.x_scale:.1f} % across and {100 * proof.y_scale:.1f} % up"
        raise InputError("made_of", f"its last print came out at {said}; print it again and measure that before it goes on to metal")


def with_result(build: Build, piece_id: str, revision_id: str, result: Result, learnt: str) -> Build:
    """What came of a revision."""
    piece = build.piece(piece_id)
    if all(r.id != revision_id for r in piece.revisions):
        raise MissingError(f"{piece.name} has no revision “{revision_id}”")
    changed = tuple(replace(r, result=result, learnt=learnt) if r.id == revision_id else r for r in piece.revisions)
    return with_piece(build, replace(piece, revisions=changed))


def without_revision(build: Build, piece_id: str, revision_id: str) -> Build:
    """The build without a revision of a piece that was noted by mistake."""
    piece = build.piece(piece_id)
    return with_piece(build, replace(piece, revisions=tuple(r for r in piece.revisions if r.id != revision_id)))


def with_square(build: Build, piece_id: str, paper: str, lengths_mm: tuple[float, float, float, float], by: str, at: str) -> Build:
    """The square of a print, as it should be and as measured: across, then up."""
    piece = build.piece(piece_id)
    taken = {q.id for q in piece.squares}
    new = PrintedSquare(next(f"q{n}" for n in range(1, 10_000) if f"q{n}" not in taken), paper, *lengths_mm, by, at)
    return with_piece(build, replace(piece, squares=(*piece.squares, new)))


def without_square(build: Build, piece_id: str, square_id: str) -> Build:
    """The build without a measured square that was typed by mistake."""
    piece = build.piece(piece_id)
    return with_piece(build, replace(piece, squares=tuple(q for q in piece.squares if q.id != square_id)))


def with_sending(build: Build, scene: Scene, piece_id: str, sending: Sending) -> Build:
    """An order to a cutter added or changed; once it is sent it keeps its drawing, and two people stand for it.

    Raises InputError for an order sent unchecked, or checked by the one who drew it.
    """
    piece = build.piece(piece_id)
    old = next((s for s in piece.sendings if s.id == sending.id), None)
    if sending.state != "drafted":
        if not signed_here(sending.checked_by):
            raise InputError("checked", "is not ticked by anybody here; a second pair of eyes looks over a drawing before it goes out")
        own = same_person(sending.checked_by, sending.by)
        sending = replace(sending, alone=looked_again("alone", sending.alone) if own and sending.alone else "")
        if own and not sending.alone:
            raise InputError("checked", f"cannot be said by {sending.by}, who drafted it; somebody else checks")
    drawing = drawing_of(scene, piece)
    if sending.state in ("sent", "received", "tried"):
        _require_proved(scene, piece)
        kept = old.drawing if old is not None and old.drawing is not None else drawing
        sending = replace(sending, drawing=kept)
    all_of = tuple(sending if s.id == sending.id else s for s in piece.sendings) if old else (*piece.sendings, sending)
    return with_piece(build, replace(piece, sendings=all_of))


def without_sending(build: Build, piece_id: str, sending_id: str) -> Build:
    """The build without an order that was noted by mistake."""
    piece = build.piece(piece_id)
    return with_piece(build, replace(piece, sendings=tuple(s for s in piece.sendings if s.id != sending_id)))


def with_corner_cut(build: Build, scene: Scene, piece_id: str) -> Build:
    """The piece with the outer corner nearest to its upper right cut off, so that it is seen when it lies wrong."""
    piece = build.piece(piece_id)
    shape = _shape(scene, piece)
    return with_piece(build, replace(piece, outline=_cut(shape)))


def _cut(shape: PieceShape) -> Outline:
    left, low, right, high = shape.box_mm
    flat = polygon_of(shape.outline)
    size = min(max(CORNER_CUT_SHARE * min(right - left, high - low), LEAST_CUT_MM), MOST_CUT_MM)
    places = chords(shape.outline)
    far = max(places, key=lambda p: p[0] - left + p[1] - low)
    holes = [h.opening.buffer(h.bolt_mm * 0.9) for h in shape.holes]
    for share in (1.0, 0.75, 0.5, 0.3):
        level = far[0] + far[1] - size * share
        half = [(left - 1e3, level - (left - 1e3)), (right + 1e3, level - (right + 1e3))]
        below = Polygon([half[0], half[1], (right + 1e3, level - (right + 1e3) - 1e4), (left - 1e3, level - (left - 1e3) - 1e4)])
        kept = flat.intersection(below)
        if isinstance(kept, Polygon) and all(kept.contains(h) for h in holes if flat.contains(h)):
            return with_arcs([(float(x), float(y)) for x, y in kept.exterior.coords])
    raise InputError("outline", "has no corner that can be cut off without coming too near to a hole; notch its forward edge by hand")


def with_strip(build: Build, strip: TestStrip) -> Build:
    """A test strip of the shop's added or changed."""
    require_in_range("strips", (strip,))
    made = (
        replace(build, strips=tuple(strip if s.id == strip.id else s for s in build.strips))
        if any(s.id == strip.id for s in build.strips)
        else replace(build, strips=(*build.strips, strip))
    )
    return made


def without_strip(build: Build, strip_id: str) -> Build:
    """The build without a test strip."""
    made: Build = taken_out(build, "strips", strip_id)
    return made


def with_brake(build: Build, brake: Brake) -> Build:
    """What the shop's brake can do."""
    require_in_range("brake", brake)
    return replace(build, brake=brake)


def with_row(piece: Piece, places: tuple[tuple[float, float], ...], hole_mm: float, why: str) -> Piece:
    """The piece with holes of its own at places, named on from those that it has."""
    taken = {h.id for h in piece.own_holes}
    names = (name for n in range(1, 10_000) if (name := f"h{n}") not in taken)
    return replace(
        piece, own_holes=(*piece.own_holes, *(OwnHole(name, x, y, hole_mm, why=why) for name, (x, y) in zip(names, places, strict=False)))
    )


def from_contours(
    piece: Piece, outline: Outline, cutouts: tuple[Outline, ...], holes: tuple[tuple[float, float, float], ...], source: str
) -> Piece:
    """The piece with an outline, openings and round holes (x, y, size) that were read or traced, in place of its own."""
    return replace(
        piece,
        outline=outline,
        cutouts=tuple(Cutout(f"opening {n}", corners, source[:80]) for n, corners in enumerate(cutouts, 1)),
        own_holes=tuple(OwnHole(f"h{n}", x, y, d, why=source[:80]) for n, (x, y, d) in enumerate(holes, 1)),
        came_from=source[:120],
    )
