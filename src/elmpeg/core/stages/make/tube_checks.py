"""What is wrong with a piece of tube, bar or turned work: ends, bends, walls, holes, and what was cut against what is wanted now."""

from __future__ import annotations

import math
from dataclasses import replace

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.quantities import Unit, Words, bought_mm, capitalised, deg, mm, named, plain, words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import AT_LIMIT, Verdict
from elmpeg.core.build.document import Build
from elmpeg.core.build.pieces import CrossHole, Piece
from elmpeg.core.judging.checks import Change, Check, Findings, Remedy, about
from elmpeg.core.judging.doubt import doubt_of
from elmpeg.core.judging.judge import with_verdict
from elmpeg.core.methods.tubes.tube_bends import USUAL_CLR
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import PieceShape
from elmpeg.core.stages.make.piece_states import made_after
from elmpeg.core.stages.make.print_proofs import print_checks
from elmpeg.core.stages.make.structure_members import body_of, is_sleeve
from elmpeg.core.stages.make.tube_shape import TubeShape, tube_shape
from elmpeg.core.stages.make.turned_shape import TurnedShape, turned_shape

CUT_TOLERANCE_MM = 1.0
"""A length of tube that is off by more leaves a gap that is too wide to weld."""
LEAST_WALL_MM = 1.0
"""A turned wall thinner than this springs away from the tool."""
EDGE_SHARE = 1.0
"""Of its size, how far a hole's edge lies from a tube's end at the least."""


@record
class PieceState:
    """A piece worked out: its shape as the build stands, of plate, tube or turned work; all None where it has none."""

    piece: str
    shape: PieceShape | None
    trouble: str = ""
    tube: TubeShape | None = None
    turned: TurnedShape | None = None

    @property
    def drawn(self) -> bool:
        """Whether it has a shape of any kind."""
        return self.shape is not None or self.tube is not None or self.turned is not None

    @property
    def mass_kg(self) -> float:
        """What one weighs; 0 where it has no shape."""
        found = self.shape or self.tube or self.turned
        return found.mass_kg if found else 0.0


def piece_states(build: Build, found: tuple[PieceState, ...]) -> dict[str, PieceState]:
    """Every piece of a build with how it stands; one that could not be worked out has no shape."""
    known = {state.piece: state for state in found}
    return {p.id: known.get(p.id) or PieceState(p.id, None, "It could not be worked out.") for p in build.pieces}


def _check(piece: Piece, what: str, called: str, verdict: Verdict, why: Words, unit: Unit = "mm", **more: object) -> Check:
    code, name = f"piece.{piece.id}.{what}", f"{piece.name}: {called}"
    return Check(code, "sleeve" if is_sleeve(piece) else "piece", name, unit, verdict, why, about=about(pieces=piece.id), **more)  # type: ignore[arg-type]


def shapeless(piece: Piece, refused: Exception, verdict: Verdict) -> Findings:
    """A piece that has no shape, and why."""
    said = refused.message if isinstance(refused, InputError) else str(refused)
    return Findings(
        (_check(piece, "shape", "shape", verdict, words(plain(f"{said}."))),), PieceState(piece.id, None, capitalised(f"{said}."))
    )


def made_tube(scene: Scene, piece: Piece) -> tuple[Piece, TubeShape]:
    """A tube piece with the body that it has today, and its shape. Raises InputError or MissingError where it has none."""
    whole = replace(piece, tube=body_of(scene, piece))
    return whole, tube_shape(whole)


def tube_findings(scene: Scene, piece: Piece) -> Findings:
    """Every check of a piece of tube or bar, and its shape."""
    try:
        whole, shape = made_tube(scene, piece)
    except (InputError, MissingError) as refused:
        return shapeless(piece, refused, "fails")
    found = [
        *_ends(whole, shape),
        *_bends(whole, shape),
        *_holes(whole, shape),
        *_cut(scene, piece, shape),
        *print_checks(piece, shape.wrap_mm),
    ]
    return Findings(tuple(found), PieceState(piece.id, None, "", shape))


def _ends(piece: Piece, shape: TubeShape) -> list[Check]:
    shaped = shape.shaped
    if not shaped:
        why = words("{0} to cut, both ends square.", mm(shape.blank_mm))
        return [_check(piece, "ends", "ends", "holds", why)]
    said = " and ".join(
        f"its {n} {'coped' if e.end.cut == 'cope' else 'cut'} {{{k}}} deep at {{{k + 1}}}"
        for k, (n, e) in zip((1, 3), shaped, strict=False)
    )
    figures = [q for _, e in shaped for q in (mm(e.deepest_mm), deg(e.end.angle_deg))]
    twist = f", the two turned by {{{len(figures) + 1}}} to each other" if shape.twist_deg is not None and len(shaped) > 1 else ""
    more = [deg(shape.twist_deg)] if twist and shape.twist_deg is not None else []
    return [_check(piece, "ends", "ends", "holds", words(f"{{0}} to cut, {said}{twist}.", mm(shape.blank_mm), *figures, *more))]


def _bends(piece: Piece, shape: TubeShape) -> list[Check]:
    body = piece.tube
    if body is None or not body.bends:
        return []
    tight = min(body.bends, key=lambda b: b.radius_mm)
    needs = USUAL_CLR * body.across_mm
    verdict: Verdict = "holds" if tight.radius_mm >= needs - 1e-9 else "near"
    wall = " The wall outside thins to about {2}." if body.wall_mm else ""
    why = words(
        f"{len(body.bends)} bend{'s' if len(body.bends) > 1 else ''}, the tightest at a centre line of {{0}}; below {{1}} a tube folds without a mandrel.{wall}",
        mm(tight.radius_mm), mm(needs), mm(shape.least_wall_mm),
    )  # fmt: skip
    them = "it" if sum(1 for b in body.bends if b.radius_mm < needs - 1e-9) < 2 else "all that are tighter"
    text = f"Bend {them} at {{0}}, or with a mandrel, or try one on an offcut first."
    tighter = tuple(
        Change("pieces", piece.id, f"tube.bends.{k}.radius_mm", needs) for k, b in enumerate(body.bends) if b.radius_mm < needs - 1e-9
    )
    mend = () if verdict == "holds" else (Remedy(words(text, mm(needs)), changes=tighter),)
    return [_check(piece, "bends", "bends", verdict, why, value=tight.radius_mm, low=needs, remedies=mend)]


def _holes(piece: Piece, shape: TubeShape) -> list[Check]:
    rooms = []
    for one in shape.holes:
        low, high = min(y for _, y in one.edge), max(y for _, y in one.edge)
        left, right = low - shape.start.farthest_mm, shape.bent.straight_mm - shape.end.farthest_mm - high
        rooms.append((left, right, one.hole))
    if not rooms:
        return []
    *ways, hole = min(rooms, key=lambda r: min(r[:2]) - EDGE_SHARE * r[2].hole_mm)
    room, least = min(ways), EDGE_SHARE * hole.hole_mm
    verdict: Verdict = "fails" if room < 0 else "near" if room < least - AT_LIMIT else "holds"
    why = words(f"Hole {named(hole.id)} leaves {{0}} to the cut end; {{1}} is the least.", mm(max(room, 0.0)), mm(least))
    mend = () if verdict == "holds" else (_further_in(piece, rooms),)
    return [_check(piece, "holes", "holes", verdict, why, value=room, low=least, remedies=mend)]


def _further_in(piece: Piece, rooms: list[tuple[float, float, CrossHole]]) -> Remedy:
    """Every hole too near to a cut end moved in as far as it needs, where the tube is long enough for that."""
    short = [(left, right, h) for left, right, h in rooms if min(left, right) < EDGE_SHARE * h.hole_mm - AT_LIMIT]
    if any(left + right < 2 * EDGE_SHARE * h.hole_mm for left, right, h in short):
        return Remedy(words("The tube is too short for it; make the hole smaller or the tube longer."))
    each = " and ".join(f"hole {named(h.id)} {{{k}}}" for k, (_, _, h) in enumerate(short))
    by = [EDGE_SHARE * h.hole_mm - min(left, right) for left, right, h in short]
    changes = tuple(
        Change("pieces", piece.id, f"tube.holes.{h.id}.at_mm", h.at_mm + (b if left < right else -b))
        for b, (left, right, h) in zip(by, short, strict=True)
    )
    return Remedy(words(f"Move {each} further in.", *(mm(b) for b in by)), changes=changes)


def _cut(scene: Scene, piece: Piece, shape: TubeShape) -> list[Check]:
    """What was cut against what is wanted now, by its length; with the doubt of the points that it hangs on."""
    made = made_after(piece)
    if made is None:
        return []
    called, kept = made.called, made.drawing
    then = max(c.x_mm for c in kept.outline) - min(c.x_mm for c in kept.outline)
    off = shape.blank_mm - then
    if abs(kept.thick_mm - piece.thick_mm) > 1e-6 and kept.thick_mm:
        why = words(f"{capitalised(called)} has a wall of {{0}}; it is to be {{1}}.", bought_mm(kept.thick_mm), bought_mm(piece.thick_mm))
        return [_check(piece, "current", "up to date", "fails", why)]
    verdict: Verdict = "holds" if abs(off) <= CUT_TOLERANCE_MM else "fails"
    short = "short" if off > 0 else "long"
    why = (
        words(f"{capitalised(called)} is as long as is wanted today, within {{0}}.", mm(CUT_TOLERANCE_MM))
        if verdict == "holds"
        else words(f"Out of date: {called} is {{0}} too {short} now.", mm(abs(off)))
    )
    mend = (
        ()
        if verdict == "holds"
        else (Remedy(words("Cut {0} off it." if off < 0 else "Cut it again {0} longer, or sleeve it.", mm(abs(off)))),)
    )
    check = _check(piece, "current", "up to date", verdict, why, value=abs(off), high=CUT_TOLERANCE_MM, remedies=mend)
    points = tube_points(scene.build, piece)
    if not points:
        return [check]
    try:
        doubt = doubt_of(scene, points, lambda twin: (made_tube(twin, piece)[1].blank_mm - then,), (off,))
    except InputError:
        # Where its nodes may as well be it cannot be cut at all.
        return [replace(check, verdict="near" if check.verdict == "holds" else check.verdict)]
    return [replace(with_verdict(check, doubt.scatters[0], scene.build.limits.sure), rests_on=doubt.shares[0])]


def tube_points(build: Build, piece: Piece) -> tuple[str, ...]:
    """The points that the nodes of a member follow, on which a piece of tube hangs."""
    if piece.tube is None or not piece.tube.member:
        return ()
    structure = next((s for s in build.structures if piece.tube.member.startswith(f"{s.id}/")), None)
    return tuple(dict.fromkeys(n.point for n in structure.nodes if n.point)) if structure else ()


def turned_findings(scene: Scene, piece: Piece) -> Findings:
    """Every check of a turned piece, and its shape."""
    del scene
    try:
        shape = turned_shape(piece)
    except InputError as refused:
        return shapeless(piece, refused, "fails" if piece.turned and piece.turned.steps else "unknown")
    thin = shape.thinnest
    found = []
    if thin.bore_mm:
        verdict: Verdict = "holds" if thin.wall_mm >= LEAST_WALL_MM else "near"
        why = words("The thinnest wall is {0}, {1} to {2} from its left end.", mm(thin.wall_mm), mm(thin.from_mm), mm(thin.to_mm))
        found.append(_check(piece, "wall", "wall", verdict, why, value=thin.wall_mm, low=LEAST_WALL_MM))
    tight = min(shape.fits, key=lambda f: f.limits.high_mm - f.limits.low_mm, default=None)
    if tight is not None:
        width = tight.limits.high_mm - tight.limits.low_mm
        why = words(f"The tightest fit is {tight.fit} on {tight.of} mm: its two limits are {1000 * width:.0f} µm apart.")
        found.append(_check(piece, "fits", "fits", "holds", why))
    if not found:
        found.append(
            _check(piece, "shape", "shape", "holds", words("{0} long from a bar of {1}.", mm(shape.long_mm), mm(math.ceil(shape.bar_mm))))
        )
    return Findings(tuple(found), PieceState(piece.id, None, "", None, shape))
