"""What is wrong with a piece: edges, bends, what the brake can do, what was made against what is wanted now, hands, prints."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from functools import cached_property

from shapely.geometry import Point as Dot
from shapely.geometry import Polygon

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.later import Later
from elmpeg.core.base.quantities import Quantity, Unit, Words, bought_mm, capitalised, deg, joined, mm, named, plain, words
from elmpeg.core.base.verdicts import AT_LIMIT, Verdict
from elmpeg.core.build.pieces import Piece
from elmpeg.core.judging.checks import DRILLS, Change, Check, Findings, Remedy, about
from elmpeg.core.judging.doubt import Doubt, Figures, Nudged
from elmpeg.core.judging.judge import limit_to_be_sure, with_verdict
from elmpeg.core.methods.fastening.fasteners import EDGE_LEAST, EDGE_LIKED
from elmpeg.core.methods.shapes.outlines import polygon_of
from elmpeg.core.methods.sheet_metal.bend_order import bend_order
from elmpeg.core.methods.sheet_metal.cutting_limits import smallest_opening_mm
from elmpeg.core.methods.sheet_metal.folded_sheet import BendLine
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_chances import goes_on, play_needed_mm
from elmpeg.core.stages.make.piece_shape import PieceHole, PieceShape, edges_mm, holes_of, piece_shape, too_small
from elmpeg.core.stages.make.piece_states import (
    Miss,
    changed_holes,
    is_own_mirror,
    made_after,
    miss_vectors,
    misses,
    wrong_way_stop,
    wrong_ways_of,
)
from elmpeg.core.stages.make.print_proofs import print_checks
from elmpeg.core.stages.make.spacer_checks import between_checks
from elmpeg.core.stages.make.tube_checks import PieceState, shapeless, tube_findings, turned_findings
from elmpeg.core.stages.mount.plates import CHORD_MM

MISS_TOLD_MM = 0.1
NARROW_MM = 1e-3
"""By so much an opening may be narrower than its limit and is as wide as it."""
RELIEF_PROBE_MM = 0.5
"""How far beside the end of a fold is looked for sheet that goes on."""


def _check(piece: Piece, what: str, called: str, verdict: Verdict, why: Words, unit: Unit = "mm", **more: object) -> Check:
    code, name = f"piece.{piece.id}.{what}", f"{piece.name}: {called}"
    return Check(code, "piece", name, unit, verdict, why, about=about(pieces=piece.id), **more)  # type: ignore[arg-type]


Holes = dict[str, tuple[tuple[float, float], float]]
"""By hole of a piece's faces, its place in the flat, and its distance to the nearest fold."""


class _HolesNudged:
    """A piece's holes, laid out anew for each doubt of its points once, whatever is asked of them."""

    def __init__(self, scene: Scene, piece: Piece) -> None:
        self._scene, self._piece = scene, piece

    @cached_property
    def _nudged(self) -> Nudged:
        return Nudged(self._scene, _points(self._piece))

    @cached_property
    def _each(self) -> list[Holes]:
        return [holes_of(twin, self._piece) for twin in self._nudged.twins]

    def doubt(self, base: Figures, figures: Callable[[Holes], Figures]) -> Doubt:
        """The doubt of some figures of the holes. Raises InputError where with one of them it has no shape."""
        return self._nudged.doubt(base, [figures(holes) for holes in self._each])


def piece_findings(scene: Scene, piece: Piece) -> Findings:
    """Every check of a piece, and its shape."""
    if piece.tube is not None:
        return tube_findings(scene, piece)
    if piece.turned is not None:
        return turned_findings(scene, piece)
    try:
        shape = piece_shape(scene, piece)
    except (InputError, MissingError) as refused:
        return shapeless(piece, refused, "fails" if piece.outline or piece.form else "unknown")
    nudged = _HolesNudged(scene, piece)
    found = [
        *_faces(piece, shape),
        *_chance(scene, piece, shape),
        *_folds(scene, piece, shape, nudged),
        *_reliefs(piece, shape),
        *_narrow_openings(piece),
        *_small_holes(piece, shape),
        *_current(scene, piece, shape, nudged),
        *between_checks(scene, piece),
    ]
    if not piece.lower:
        found += [*_edges(piece, shape), *_hand(piece, shape)]
    return Findings((*found, *print_checks(piece, shape.size_mm)), PieceState(piece.id, shape))


def _faces(piece: Piece, shape: PieceShape) -> list[Check]:
    found = []
    names = {f.id: f.name for f in piece.faces}
    for face in shape.faces:
        if face.split:
            called = {h.id: h.called for h in shape.holes}
            off = dict(face.off_mm)
            worst = max(face.split, key=lambda p: abs(off[p]))
            why = words(
                f"{plain(called.get(worst, worst))} does not lie on one face with the rest of {names[face.face.name]}: {{0}} off its plane, or its "
                "axis points elsewhere.", mm(abs(off[worst])),
            )  # fmt: skip
            mend = (Remedy(words("Measure it again, or make a face of its own of it.")),)
            found.append(_check(piece, f"face.{face.face.name}", f"holes of {names[face.face.name]}", "fails", why, remedies=mend))
    return found


def _chance(scene: Scene, piece: Piece, shape: PieceShape) -> list[Check]:
    sure = scene.build.limits.sure
    chance = goes_on(shape)
    if chance is None:
        return []
    worst = chance.holes[0]
    verdict: Verdict = "holds" if chance.chance >= sure else "near"
    why = words(
        f"All {len(chance.holes)} holes go over their bolts with a chance of {_share(chance.chance)}; {named(worst.called)} is the least sure, known to "
        "{0} with {1} of play around its bolt. The shop asks for {2}.",
        mm(worst.sd_mm), mm(worst.play_mm), Quantity(100 * sure, "pct"),
    )  # fmt: skip
    short = max(play_needed_mm(h.sd_mm, sure, len(chance.holes)) - h.play_mm for h in chance.holes)
    mend = () if verdict == "holds" else (
        Remedy(words(f"Measure {named(worst.called)} again before cutting.")),
        _drilled_larger(piece, shape, {h.hole for h in chance.holes}, 2 * max(short, 0.0)),
    )  # fmt: skip
    return [
        _check(
            piece, "goes_on", "fits over its bolts", verdict, why, unit="pct", value=100 * chance.chance, remedies=mend,
            exact="it is itself the chance that follows from the doubt of its points",
        )
    ]  # fmt: skip


def _drilled_larger(piece: Piece, shape: PieceShape, holes: set[str], by_mm: float) -> Remedy:
    changes = tuple(Change(DRILLS, piece.id, f"{h.face}/{h.id}", h.drill_mm + by_mm) for h in shape.holes if h.id in holes)
    return Remedy(words("Or drill these holes {0} larger, all of them.", mm(by_mm)), changes=changes)


def _share(chance: float) -> str:
    """A chance in words: never surer than it is."""
    return "more than 99 %" if chance > 0.99 else f"{100 * chance:.0f} %"


def _folds(scene: Scene, piece: Piece, shape: PieceShape, nudged: _HolesNudged) -> list[Check]:
    if not shape.bends:
        return []
    brake = scene.build.brake
    try:
        sheet = shape.folded()
    except InputError as refused:
        return [_check(piece, "folds", "folds", "fails", words(plain(f"{refused}.")))]
    if piece.thick_mm > brake.most_thick_mm:
        why = words("The shop's brake folds up to {0}; this is {1}.", bought_mm(brake.most_thick_mm), bought_mm(piece.thick_mm))
        mend = (Remedy(words("Have it folded elsewhere, weld it from two plates, or fold thinner sheet with gussets.")),)
        return [_check(piece, "folds", "folds", "fails", why, value=piece.thick_mm, high=brake.most_thick_mm, remedies=mend)]
    long = max(math.dist(b.a_mm, b.b_mm) for b in shape.bends)
    if long > brake.widest_mm:
        why = words("Its longest fold is {0}; the brake folds {1}.", mm(long), mm(brake.widest_mm))
        return [_check(piece, "folds", "folds", "fails", why, value=long, high=brake.widest_mm)]
    order = bend_order(sheet, shape.bends, shape.base_mm, brake.channel_share)
    if not order.exists:
        stuck = order.fouled[0]
        after = f"After {', '.join(order.order)} no" if order.order else "No"
        by = "its own flange" if stuck.by == stuck.bend else f"what {stuck.by} has folded"
        why = words(plain(f"{after} further fold closes: at {stuck.bend} {by} meets the blade of the brake."))
        mend = (Remedy(words("Make that leg shorter or the web wider, or make it of two pieces and weld them.")),)
        return [_check(piece, "folds", "folds", "fails", why, remedies=mend)]
    close = min((h for h in shape.holes if math.isfinite(h.to_bend_mm)), key=lambda h: h.to_bend_mm - h.bend_least_mm, default=None)
    angles = ", ".join(f"{{{k}}}" for k in range(len(shape.bends)))
    figures = [deg(abs(b.angle_deg)) for b in shape.bends]
    more = ""
    if close is not None:
        more = f" The hole nearest to a bend, {named(close.named)}, is {{{len(figures)}}} from where its arc begins; {{{len(figures) + 1}}} is the least."
        figures += [mm(close.to_bend_mm), mm(close.bend_least_mm)]
    why = words(f"{len(shape.bends)} fold{'s' if len(shape.bends) > 1 else ''} of {angles}.{more}", *figures)
    value, low = (close.to_bend_mm, close.bend_least_mm) if close is not None else (None, None)
    check = _check(piece, "folds", "folds", "holds", why, value=value, low=low)
    if close is None or close.id not in {p for f in piece.faces for p in f.points}:
        return [check]
    try:
        doubt = nudged.doubt((close.to_bend_mm,), lambda holes: (holes[close.id][1],))
    except InputError as refused:
        return [_doubtful(check, refused)]
    return [replace(with_verdict(check, doubt.scatters[0], scene.build.limits.sure), rests_on=doubt.shares[0])]


def _doubtful(check: Check, refused: InputError) -> Check:
    """A check of a piece that its points' doubt may as well leave without a shape."""
    more = words(f"Its points are known so badly that it may have no such shape: {named(refused.message)}. Measure them again.")
    return replace(check, verdict="near" if check.verdict == "holds" else check.verdict, why=joined(check.why, more))


def _reliefs(piece: Piece, shape: PieceShape) -> list[Check]:
    """Folds that end at a corner of the outline, beside which the sheet goes on: without a relief it tears there."""
    metal, wanted = polygon_of(shape.outline), piece.thick_mm
    torn: dict[str, list[float]] = {}
    for bend in shape.bends:
        half = bend.arc_mm(piece.thick_mm) / 2
        for end, way in ((bend.a_mm, -1.0), (bend.b_mm, 1.0)):
            if any(_tears(metal, bend, end, way, side, half) for side in (1.0, -1.0)):
                torn.setdefault(bend.id, []).append(half + piece.radius_mm + wanted)
    if not torn:
        return []
    ends = sum(len(deep) for deep in torn.values())
    where = " and ".join(f"{'both ends' if len(deep) > 1 else 'an end'} of {named(b)}" for b, deep in torn.items())
    why = words(
        f"{capitalised(where)} {'lie in corners' if ends > 1 else 'lies in a corner'}, and the sheet goes on beside: it tears or bulges "
        "there when it is folded."
    )
    text = f"Cut a relief there{', at each of them' if ends > 1 else ''}, {{0}} wide and {{1}} deep from the bend line."
    mend = (Remedy(words(text, mm(wanted), mm(max(d for deep in torn.values() for d in deep)))),)
    return [_check(piece, "relief", "corner relief", "near", why, remedies=mend)]


def _tears(metal: Polygon, bend: BendLine, end: tuple[float, float], way: float, side: float, half_arc_mm: float) -> bool:
    """Whether the sheet goes on beside an end of a fold, on one side of its line, though the fold itself ends there."""
    long = math.dist(bend.a_mm, bend.b_mm)
    ux, uy = (bend.b_mm[0] - bend.a_mm[0]) / long, (bend.b_mm[1] - bend.a_mm[1]) / long
    out, across = way * RELIEF_PROBE_MM, side * (half_arc_mm + RELIEF_PROBE_MM)
    x, y = end
    beside, inside = Dot(x + ux * out - uy * across, y + uy * out + ux * across), Dot(x + ux * out, y + uy * out)
    return bool(metal.contains(beside) and not metal.contains(inside))


def _narrow_openings(piece: Piece) -> list[Check]:
    """Openings narrower than the process makes: they must be made otherwise."""
    limit = smallest_opening_mm(piece.cut_by, piece.thick_mm)
    narrow = [c.id for c in piece.cutouts if polygon_of(c.corners).buffer(-limit / 2 + NARROW_MM).is_empty]
    if not narrow:
        return []
    some, are, each = ("openings", "are", "each of them") if len(narrow) > 1 else ("opening", "is", "it")
    why = words(
        f"The {some} {named(' and '.join(narrow))} {are} narrower than the {{0}} that {_cutter(piece)} makes cleanly there.", mm(limit)
    )
    mend = (Remedy(words(f"Open {each} to {{0}}, or cut it by another way.", mm(limit))),)
    return [_check(piece, "narrow", "narrow openings", "near", why, remedies=mend)]


def _small_holes(piece: Piece, shape: PieceShape) -> list[Check]:
    """Holes and slots below what the process makes: they are only marked."""
    small = [h for h in shape.holes if too_small(piece, h)]
    if not small:
        return []
    least = min(small, key=lambda h: h.drill_mm)
    limit = smallest_opening_mm(piece.cut_by, piece.thick_mm, least.kind == "tapped")
    why = words(
        f"Hole {named(least.named)} is {{0}} in plate of {{1}}; {_cutter(piece)} makes none below {{2}} there. The file has it as a mark only.",
        mm(least.drill_mm), bought_mm(piece.thick_mm), mm(limit),
    )  # fmt: skip
    mend = (Remedy(words("Drill it at the mark, or cut it by another way.")),)
    return [_check(piece, "small", "small holes", "near", why, value=least.drill_mm, low=limit, remedies=mend)]


def _cutter(piece: Piece) -> str:
    return "a punch" if piece.cut_by == "punch" else f"a {piece.cut_by}"


def _current(scene: Scene, piece: Piece, shape: PieceShape, nudged: _HolesNudged) -> list[Check]:
    made = made_after(piece)
    if made is None:
        return []
    called, kept = made.called, made.drawing
    came, went = changed_holes(shape, kept)
    off = misses(shape, kept)
    if abs(kept.thick_mm - piece.thick_mm) > 1e-6 and kept.thick_mm:
        why = words(f"{capitalised(called)} is {{0}} thick; the piece is to be {{1}}.", bought_mm(kept.thick_mm), bought_mm(piece.thick_mm))
        return [_check(piece, "current", "up to date", "fails", why)]
    if came or went:
        said = " and ".join(
            [*([f"has no hole for {named(came[0])}"] if came else []), *([f"has a hole {named(went[0])} too many"] if went else [])]
        )
        return [_check(piece, "current", "up to date", "fails", words(f"Out of date: {named(called)} {said}."))]
    if not off or off[0].mm <= MISS_TOLD_MM:
        return [_check(piece, "current", "up to date", "holds", words(f"{capitalised(called)} is what is wanted today."))]
    worst = max(off, key=lambda m: m.mm - m.play_mm)
    goes = worst.mm <= worst.play_mm + AT_LIMIT
    why = words(
        f"Out of date: what it joins has moved since {named(called)}; hole {named(worst.called)} now misses by "
        f"{{0}}, with {{1}} of play{': it still goes on' if goes else ''}.",
        mm(worst.mm), mm(worst.play_mm),
    )  # fmt: skip
    check = _check(piece, "current", "up to date", "holds" if goes else "fails", why, value=worst.mm, high=worst.play_mm)
    measured = {p for f in piece.faces for p in f.points}
    doubted = [m for m in off if m.hole in measured]
    sure = scene.build.limits.sure
    needed = {m.hole: m.mm for m in off}
    if doubted:

        def missed(holes: Holes) -> tuple[tuple[float, float], ...]:
            vectors = miss_vectors({hole: at for hole, (at, _) in holes.items()}, kept)
            return tuple(vectors[m.hole] for m in doubted)

        try:
            doubt = nudged.doubt(missed(holes_of(scene, piece)), missed)
        except InputError as refused:
            return [_doubtful(check, refused)]
        needed |= {m.hole: limit_to_be_sure(s, sure) for m, s in zip(doubted, doubt.scatters, strict=True)}
        k = next((k for k, m in enumerate(doubted) if m.hole == worst.hole), None)
        if k is not None:
            check = replace(with_verdict(check, doubt.scatters[k], sure), rests_on=doubt.shares[k])
    return [replace(check, remedies=_made_again(off, needed)) if check.verdict != "holds" else check]


def _made_again(off: tuple[Miss, ...], needed: dict[str, float]) -> tuple[Remedy, ...]:
    """Making a piece again, or opening every hole of it that has less play than it needs."""
    short = [m for m in off if needed[m.hole] > m.play_mm + AT_LIMIT]
    each = ", ".join(f"{m.letter} to {{{k}}}" for k, m in enumerate(short))
    opened = words(
        f"Or open hole{'s' if len(short) > 1 else ''} {each} by hand, and keep that with what was made.",
        *(mm(m.bolt_mm + 2 * needed[m.hole]) for m in short),
    )
    return (Remedy(words("Make it again from today's drawing.")), *((Remedy(opened),) if short else ()))


def _points(piece: Piece) -> tuple[str, ...]:
    return tuple(dict.fromkeys(p for f in piece.faces for p in f.points))


def _edges(piece: Piece, shape: PieceShape) -> list[Check]:
    holes = [h for h in shape.holes if h.bolt_mm > 0]
    if not holes:
        return []
    worst = min(holes, key=lambda h: h.edge_mm - EDGE_LEAST * h.bolt_mm)
    least, liked = EDGE_LEAST * worst.bolt_mm, EDGE_LIKED * worst.bolt_mm
    verdict: Verdict = "fails" if worst.edge_mm < least - AT_LIMIT else "near" if worst.edge_mm < liked - 0.1 else "holds"
    if worst.edge_mm < 0:
        why = words(f"Hole {named(worst.named)} lies outside the piece.")
    else:
        why = words(
            f"Hole {named(worst.named)} lies {{0}} from the edge; at least {{1}}, better {{2}}.", mm(worst.edge_mm), mm(least), mm(liked)
        )
    mend = (_further_out(piece, shape, holes),) if verdict == "fails" else ()
    # An outline that follows its holes keeps its distance from them; what its chords take off is no figure of anybody's.
    value = worst.edge_mm if piece.outline else round(worst.edge_mm, 1)
    return [_check(piece, "edge", "edge distance", verdict, why, value=value, low=least, remedies=mend)]


def _further_out(piece: Piece, shape: PieceShape, holes: list[PieceHole]) -> Remedy:
    """How much metal to leave beyond every hole that has too little, by its outline and by what is cut out beside it."""
    outline = polygon_of(shape.outline)
    short = [
        (border, EDGE_LIKED * h.bolt_mm - edge, h)
        for h in holes
        for border, edge in edges_mm(h, outline, piece.cutouts).items()
        if edge < EDGE_LIKED * h.bolt_mm
    ]
    if not piece.outline and not shape.bends and not any(border for border, _, _ in short):
        margin = max(EDGE_LIKED * h.bolt_mm - h.drill_mm / 2 for _, _, h in short) + CHORD_MM
        return Remedy(words("Make the margin {0}.", mm(margin)), changes=(Change("pieces", piece.id, "margin_mm", margin),))
    each = ", ".join(f"{named(border) or 'the outline'} {{{k}}} further from {h.letter}" for k, (border, _, h) in enumerate(short))
    return Remedy(words(f"Let the edge go further: {each}.", *(mm(by) for _, by, _ in short)))


def _hand(piece: Piece, shape: PieceShape) -> list[Check]:
    marked = bool(piece.up.strip() and piece.forward.strip())
    marks = (
        f"Its marks say: {named(piece.up)} up, {named(piece.forward)} forward."
        if marked
        else "Nothing marks which face is up and which edge forward."
    )
    ways = wrong_ways_of(shape)
    unseen = [w for w in ways if not w.shows]
    if ways:
        first = (unseen or ways)[0]
        near = "goes on all the same" if first.short_mm <= 0 else "goes on but for {0}"
        seen = "" if unseen else " Its outline shows it."
        why = words(f"{capitalised(first.how)} it {near}.{seen} {marks}", *([] if first.short_mm <= 0 else [mm(first.short_mm)]))
        verdict: Verdict = "holds" if marked or not unseen else "near"
        mend = Later(lambda: _one_way_only(shape, bool(unseen), marked)) if verdict != "holds" else ()
        return [_check(piece, "hand", "hand", verdict, why, remedies=mend)]
    if shape.bends and piece.hand != "pair" and not is_own_mirror(shape):
        why = words(f"It goes on in one way only. Folded from the other face it comes out as the other hand. {marks}")
        mark = () if marked else (Remedy(words("Mark the face that the bender sees before it is cut.")),)
        return [_check(piece, "hand", "hand", "holds" if marked else "near", why, remedies=mark)]
    return [_check(piece, "hand", "hand", "holds", words("It goes on in one way only."))]


def _one_way_only(shape: PieceShape, unseen: bool, marked: bool) -> tuple[Remedy, ...]:
    """What keeps a piece from going on the wrong way, or shows that it does."""
    found, stop = [], wrong_way_stop(shape)
    if stop is not None:
        called = next(h.named for h in shape.holes if h.id == stop.hole)
        text = f"Move hole {named(called)}, with what it meets, by {{0}} along {stop.along}: then it goes on in one way only."
        found.append(Remedy(words(text, mm(stop.by_mm))))
    if unseen:
        found.append(Remedy(words("Cut a corner off its forward edge, so that it is seen lying wrong.")))
    if not marked:
        found.append(Remedy(words("Mark the upper face and the forward edge before it leaves the bench.")))
    return tuple(found)
