"""A plate between two castings: what it leaves of a shaft's reach, of its dowels and of its bolts."""

from __future__ import annotations

import math

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.quantities import Unit, Words, bought_mm, mm, named, plain, words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.document import Build
from elmpeg.core.build.pieces import Between, Piece
from elmpeg.core.build.signers import signed_here
from elmpeg.core.judging.checks import Change, Check, Remedy, about
from elmpeg.core.judging.judge import room_to_be_sure, with_verdict
from elmpeg.core.judging.scatter import Normal
from elmpeg.core.methods.fastening.fasteners import thread
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount.chains import chain_result
from elmpeg.core.stages.mount.plates import THINNEST_MM

IN_CASTING = 1.5
"""Of its size, how far a bolt is in the thread of a casting at the least (common shop rule for light alloy)."""
BAND_SDS = 2.0
"""A chain's likely band reaches so many standard deviations each way."""


@record
class Reach:
    """A shaft's reach into its bearing without the plate, and its standard deviation."""

    mm: float
    sd_mm: float


def _check(piece: Piece, what: str, called: str, verdict: Verdict, why: Words, unit: Unit = "mm", **more: object) -> Check:
    code, name = f"piece.{piece.id}.{what}", f"{piece.name}: {called}"
    return Check(code, "piece", name, unit, verdict, why, about=about(pieces=piece.id), **more)  # type: ignore[arg-type]


def reach_of(scene: Scene, between: Between) -> Reach:
    """The reach as typed, or as its chain of dimensions comes out. Raises InputError or MissingError for a chain that leads nowhere."""
    if not between.chain:
        return Reach(between.reach_mm, between.reach_sd_mm)
    chain = scene.build.chain(between.chain)
    through = next((k.name for k in chain.links if k.mount), None)
    if through is not None:
        raise InputError("chain", f"{chain.name} goes through a mount's layer ({through}); type the reach that it comes to")
    band = chain_result(scene, chain).band
    return Reach(band.rss_centre_mm, band.rss_half_mm / BAND_SDS)


def between_checks(scene: Scene, piece: Piece) -> list[Check]:
    """Reach, dowels, bolts, and whether somebody felt it turn; nothing for a plate that lies between nothing."""
    between = piece.between
    if between is None:
        return []
    try:
        reach = reach_of(scene, between)
    except (InputError, MissingError) as refused:
        return [_check(piece, "reach", "shaft's reach", "unknown", words(plain(f"{refused}.")))]
    return [_reach(scene, piece, between, reach), *_dowels(piece, between), *_bolts(piece, between), _turns(piece, between)]


def _reach(scene: Scene, piece: Piece, between: Between, reach: Reach) -> Check:
    left = reach.mm - piece.thick_mm
    short = between.needs_mm - left
    why = words("The shaft reaches {0} into its bearing with the plate in; {1} is the least.", mm(left, reach.sd_mm), mm(between.needs_mm))
    thinner = short + room_to_be_sure(reach.sd_mm, scene.build.limits.sure)
    text = "Make the plate {0} thinner, or have the shaft's end made longer by as much."
    changes: tuple[Change, ...] = (Change("pieces", piece.id, "thick_mm", piece.thick_mm - thinner),)
    if thinner > piece.thick_mm - THINNEST_MM:
        text = "Have the shaft's end made {0} longer; no plate is thin enough."
        changes = (Change("pieces", piece.id, "between.reach_mm", between.reach_mm + thinner),) if not between.chain else ()
    mend = (Remedy(words(text, mm(thinner)), changes=changes),) if short > 0 else ()
    check = _check(piece, "reach", "shaft's reach", "holds", why, value=left, low=between.needs_mm, remedies=mend)
    return with_verdict(check, Normal(left, reach.sd_mm), scene.build.limits.sure)


def _dowels(piece: Piece, between: Between) -> list[Check]:
    if between.dowel_long_mm <= 0:
        return []
    left = between.dowel_long_mm - between.dowel_deep_mm - piece.thick_mm
    least = between.dowel_least_mm or between.dowel_mm
    verdict: Verdict = "holds" if left >= least - 1e-9 else "fails"
    if left <= 0:
        why = words(
            "A dowel of {0} ends {1} inside the plate: it holds the second casting not at all.", bought_mm(between.dowel_long_mm), mm(-left)
        )
    else:
        why = words(
            "A dowel of {0} reaches {1} into the second casting; {2} is the least.", bought_mm(between.dowel_long_mm), mm(left), mm(least)
        )
    wanted = between.dowel_deep_mm + piece.thick_mm + least
    mend = (
        ()
        if verdict == "holds"
        else (
            Remedy(
                words("Fit dowels {0} long: {1} longer.", mm(wanted), mm(wanted - between.dowel_long_mm)),
                changes=(Change("pieces", piece.id, "between.dowel_long_mm", wanted),),
            ),
        )
    )
    return [_check(piece, "dowels", "dowels", verdict, why, value=left, low=least, remedies=mend, exact="it follows from lengths as typed")]


def _bolts(piece: Piece, between: Between) -> list[Check]:
    if not between.thread.strip() or between.engaged_mm <= 0:
        return []
    try:
        size = thread(between.thread)
    except InputError as refused:
        return [_check(piece, "bolts", "bolts", "unknown", words(plain(f"{refused.message}.")))]
    left = between.engaged_mm - piece.thick_mm
    least = IN_CASTING * size.d_mm
    verdict: Verdict = "holds" if left >= least - 1e-9 else "fails"
    longer = math.ceil((least - left) / 5.0 - 1e-9) * 5.0
    why = words(
        f"{plain(size.name)} bolts of {{0}} reach {{1}} into their thread with the plate in; {{2}} is the least.",
        bought_mm(between.bolt_long_mm),
        mm(max(left, 0.0)),
        mm(least),
    )
    mend = (
        ()
        if verdict == "holds"
        else (
            Remedy(
                words(
                    "Take bolts at least {0} longer: {1}. In a blind hole see first that they do not bottom.",
                    bought_mm(longer),
                    bought_mm(between.bolt_long_mm + longer),
                ),
                changes=(
                    Change("pieces", piece.id, "between.bolt_long_mm", between.bolt_long_mm + longer),
                    Change("pieces", piece.id, "between.engaged_mm", between.engaged_mm + longer),
                ),
            ),
        )
    )
    return [_check(piece, "bolts", "bolts", verdict, why, value=left, low=least, remedies=mend, exact="it follows from lengths as typed")]


def _turns(piece: Piece, between: Between) -> Check:
    if signed_here(between.turned_by):
        return _check(piece, "turns", "turns freely", "holds", words(f"Bolted up it turns freely: felt by {named(between.turned_by)}."))
    mend = (Remedy(words("Bolt it up, turn it by hand a whole turn, then tick it.")),)
    return _check(
        piece, "turns", "turns freely", "unknown", words("Nobody has felt yet whether it turns freely when it is bolted up."), remedies=mend
    )


def chain_points(build: Build, piece: Piece) -> tuple[str, ...]:
    """The points that a plate's chain of dimensions hangs on."""
    if piece.between is None or not piece.between.chain:
        return ()
    chain = next((c for c in build.chains if c.id == piece.between.chain), None)
    return tuple(dict.fromkeys(p for k in chain.links for p in (k.from_point, k.to_point) if p)) if chain else ()
