"""From a piece's shape to work at the bench: letters for its holes, what each is marked and drilled with, the order, cautions."""

from __future__ import annotations

import math

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import Words, bought_mm, deg, mm, named, words
from elmpeg.core.base.record import record
from elmpeg.core.build.pieces import Piece
from elmpeg.core.methods.sheet_metal.bend_order import bend_order, outermost_first
from elmpeg.core.methods.sheet_metal.folded_sheet import BendLine
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.pair_as_one import CLAMPS, HAND_NAMES, PairAsOne, pair_as_one
from elmpeg.core.stages.make.piece_shape import PieceHole, PieceShape

PILOTS_MM = ((6.0, 0.0), (10.0, 4.0), (16.0, 5.0), (1e9, 6.0))
"""Up to which drill, the pilot that goes first; none below."""
STEP_MM = 12.0
"""A hole larger than this is drilled in steps, or cut with a hole saw or cutter."""


@record
class BenchHole:
    """One hole as the bench makes it."""

    letter: str
    hole: PieceHole
    pilot_mm: float
    then: str
    marked_with: str


def bench_holes(scene: Scene, shape: PieceShape) -> tuple[BenchHole, ...]:
    """Each hole with what it is marked and made with."""
    return tuple(BenchHole(h.letter, h, _pilot_mm(h.drill_mm), _then(h), _marked_with(scene, h)) for h in shape.holes)


def _pilot_mm(drill_mm: float) -> float:
    return next(pilot for most, pilot in PILOTS_MM if drill_mm <= most)


def _then(hole: PieceHole) -> str:
    if hole.slot_mm:
        return "drill both ends, saw and file between"
    if hole.kind == "tapped":
        return f"tap {hole.thread}"
    if hole.kind == "countersunk":
        return f"countersink 90° for {hole.thread}"
    return "drill in steps or with a hole cutter" if hole.drill_mm > STEP_MM else "drill"


def _marked_with(scene: Scene, hole: PieceHole) -> str:
    """What brings the place onto the metal: the mate itself where it can be reached, else the print."""
    known = {p.id: p for p in scene.build.points}
    point = known.get(hole.id)
    if point is not None and point.depth == "blind":
        return f"transfer point screwed into {point.name}"
    if point is not None:
        return f"through {point.name} with a transfer punch, or the print"
    return "centre punch through the print"


def bench_steps(piece: Piece, shape: PieceShape, holes: tuple[BenchHole, ...], channel_share: float = 1.0) -> tuple[Words, ...]:
    """What is done in which order; ``channel_share`` is what the shop's brake leaves beside its blade."""
    pair = pair_as_one(piece, shape) if piece.hand == "pair" else None
    # What is folded, or lies back to back with its other hand, does not yet reach what it meets.
    by_point = [h for h in holes if meets(h)] if not shape.bends and pair is None else []
    then = "punch every centre through it" if holes else "scribe its outline through it"
    found = [words(f"Glue the proved print to the blank, upper face up, and {then}.")]
    if by_point:
        letters = ", ".join(h.letter for h in by_point[:8])
        found.append(
            words(f"Hold the blank in place and mark {letters} from what they meet; where print and mark differ, the mark counts.")
        )
    found += _as_one(pair) if pair is not None else _hung_first(by_point)
    pilots = sorted({h.pilot_mm for h in holes if h.pilot_mm})
    if pilots:
        figures = [bought_mm(p) for p in pilots]
        found.append(
            words(
                "Pilot with "
                + " and ".join(f"{{{k}}}" for k in range(len(figures)))
                + ", then the drill of the table; clamp it, never hold it by hand.",
                *figures,
            )
        )
    if pair is not None:
        found += _parted(shape, pair)
    tapped = [h for h in holes if h.hole.kind == "tapped"]
    if tapped:
        found.append(
            words(
                f"Tap {', '.join(h.letter for h in tapped)} square to the face, with a lubricant; mark them so that nobody drills them through."
            )
        )
    if shape.bends and not can_be_folded(shape, channel_share):
        found.append(
            words("It cannot be folded as it is drawn: its check says which fold is in the way. Do not cut it before that is mended.")
        )
    elif shape.bends:
        folds = in_order(shape, channel_share)
        found += [
            words(
                f"Scribe the bend lines on the {'upper' if b.angle_deg > 0 else 'lower'} face, inside of the fold: {b.id} turns {{0}} to a radius of {{1}}.",
                deg(abs(b.angle_deg)), mm(b.radius_mm),
            )
            for b in folds
        ]  # fmt: skip
        if len(folds) > 1:
            found.append(words(f"Fold in this order: {', '.join(b.id for b in folds)}; the blade then stays clear of what is folded."))
        if pair is None and (reached := [h.letter for h in holes if meets(h)]):
            found.append(
                words(f"Offer it up once it is folded, and look at {', '.join(reached[:8])} against what they meet before it is finished.")
            )
    found.append(words("Break every edge before it is handled again; deburr both sides of each hole."))
    if piece.conducts:
        found.append(
            words(
                "Keep paint off the faces around its holes, where it conducts; afterwards measure the earth path from the part to the frame."
            )
        )
    return tuple(found)


def meets(hole: BenchHole) -> bool:
    """Whether a hole goes over something that is there: a bolt, a stud, another hole."""
    return "transfer" in hole.marked_with


def _hung_first(holes: list[BenchHole]) -> list[Words]:
    """What a piece is hung by before its other holes are drilled; only of holes that meet something."""
    first = next((h for h in holes if h.hole.kind == "through"), None)
    if first is None or len(holes) < 2:
        return []
    said = f"Drill {first.letter} first, bolt the piece up by it, and check the others against what they meet before they are drilled."
    return [words(said)]


def _as_one(pair: PairAsOne) -> list[Words]:
    """What makes two blanks one until their holes are in."""
    at = f"with a clamp at {' and at '.join(CLAMPS[: len(pair.clamps_mm)])}" if pair.clamps_mm else "with clamps over their edges"
    found = [
        words(
            f"Lay the two blanks back to back, lower faces together, the one with the print on top and a board below; hold them {at}. "
            "Together they are {0} thick: see that the drill and the bolts are long enough.",
            bought_mm(pair.stack_mm),
        )
    ]
    if len(pair.bolted) > 1:
        a, b = pair.bolted
        found.append(
            words(
                f"Drill {a} through both and put a bolt through it, tight; then {b}, the farthest from it, and a bolt there. Now no clamp can "
                "slip, and one that is in the way may come off."
            )
        )
    elif pair.bolted:
        found.append(
            words(
                f"Drill {pair.bolted[0]} through both and put a bolt through it, tight; leave the clamps on, for one bolt lets them turn."
            )
        )
    return found


def _parted(shape: PieceShape, pair: PairAsOne) -> list[Words]:
    """What is done before the two are parted, while both upper faces lie outside, and their outlines on each other."""
    found = [
        words("Saw and grind both outlines as one. Strike ONE on the face with the print and OTHER HAND on the other, then part them.")
    ]
    if pair.sunk:
        found.insert(0, words(f"Countersink {', '.join(pair.sunk)} on both outer faces."))
    for hand, name in HAND_NAMES.items():
        cut = [named(c.id) for c in pair.parted if c.only == hand]
        if cut:
            one = "the opening" if len(cut) == 1 else "the openings"
            found.append(words(f"Only {name} has {one} {', '.join(f'“{c}”' for c in cut)}: cut {'it' if len(cut) == 1 else 'them'} there."))
    alone = " and ".join(said for said, there in (("tapped", pair.tapped), ("folded", shape.bends)) if there)
    if alone:
        found.append(words(f"What is {alone}, each of the two has to itself, with its own upper face towards you."))
    return found


def can_be_folded(shape: PieceShape, channel_share: float = 1.0) -> bool:
    """Whether there is an order in which every fold closes clear of the blade."""
    try:
        return bend_order(shape.folded(), shape.bends, shape.base_mm, channel_share).exists
    except InputError:
        return False


def in_order(shape: PieceShape, channel_share: float = 1.0) -> list[BendLine]:
    """The folds in an order in which each closes; those that do not close after any other come last. Of a sheet that cannot be
    folded, which its check says, the outermost first."""
    first = outermost_first(shape.bends, shape.base_mm)
    try:
        found = bend_order(shape.folded(), shape.bends, shape.base_mm, channel_share).order
    except InputError:
        return first
    left = [b for b in first if b.id not in found]
    return [next(b for b in shape.bends if b.id == name) for name in found] + left


CAUTIONS = (
    "Cutting, grinding and drilling: eyes and ears covered, gloves off at the drill press, the piece clamped.",
    "No cutting or grinding near fuel, a battery or an airbag; disconnect them first.",
    "A bracket that carries a seat, a belt, steering, brakes or a tow point is a matter for a qualified person and the local code; this tool "
    "computes shapes, not strength.",
)


def bench_order(holes: tuple[BenchHole, ...]) -> str:
    """The letters in the order in which they are drilled: one to hang it by, the one farthest from it, then the rest."""
    through = [h for h in holes if h.hole.kind == "through" and not h.hole.slot_mm] or list(holes)
    if len(holes) < 2:
        return ", ".join(h.letter for h in holes)
    first = through[0]
    far = max((h for h in holes if h is not first), key=lambda h: math.dist(h.hole.xy_mm, first.hole.xy_mm))
    return ", ".join(h.letter for h in (first, far, *(h for h in holes if h not in (first, far))))
