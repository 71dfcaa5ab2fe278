"""Patterns that must meet, adapter plates, and chains of dimensions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace
from functools import lru_cache

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.later import Later
from elmpeg.core.base.quantities import Quantity, Words, bought_mm, capitalised, mm, named, plain, words
from elmpeg.core.base.record import changed
from elmpeg.core.base.verdicts import AT_LIMIT, Verdict, verdict_within
from elmpeg.core.base.verdicts import worst as worst_of
from elmpeg.core.build.hardware import Chain, Match, Pattern
from elmpeg.core.build.pieces import Piece
from elmpeg.core.judging.checks import Change, Check, Input, Remedy, about
from elmpeg.core.judging.doubt import Doubt, doubt_of
from elmpeg.core.judging.judge import exactly, room_to_be_sure, with_verdict
from elmpeg.core.methods.fastening.fasteners import EDGE_LEAST, EDGE_LIKED, size_of, thread
from elmpeg.core.methods.fastening.pattern_fit import DROPS_MM, PatternFit, Stud, pattern_fit
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount.chains import chain_result
from elmpeg.core.stages.mount.patterns import drilled_to_mm, holes_of, studs_of
from elmpeg.core.stages.mount.plates import CHORD_MM, Drilled, PlateGeometry, countersink_needed_mm, plate_geometry, tapped_depth_needed_mm

TRIES, FURTHER = 12, 1.1
OTHER_HAND_MM = 0.5
"""How much better a turned-over plate must fit to be called the other hand."""

_fitted = lru_cache(maxsize=1024)(pattern_fit)
"""Kept: a reading saved anywhere else leaves a pattern, and every nudge of it, what it was."""


def _check(code: str, family: str, name: str, verdict: Verdict, why: Words, **more: object) -> Check:
    return Check(code=code, family=family, name=name, unit="mm", verdict=verdict, why=why, **more)  # type: ignore[arg-type]


def match_check(scene: Scene, match: Match) -> Check:
    """Whether a pattern drops over another; none of it hangs on where an option puts a part."""
    build = scene.build
    try:
        holes, studs = holes_of(build, build.pattern(match.holes)), studs_of(build, build.pattern(match.studs))
        fit = _fitted(holes, studs, allow_mirror=match.mirror)
        other = fit if match.mirror or fit.drop_in else _fitted(holes, studs, allow_mirror=True)
    except (InputError, MissingError) as refused:
        return _check(f"match.{match.id}", "pattern", match.name, "unknown", words(plain(f"{refused}.")), about=about(matches=match.id))
    plate, under = plain(build.pattern(match.holes).name), named(build.pattern(match.studs).name)
    figures = (mm(fit.worst_short_mm),)
    remedies: list[Remedy] = []
    if fit.drop_in:
        text = f"{plate} drops over {under}{', turned over' if fit.mirrored else ''}: the worst hole still has {{0}} to spare."
        figures = (mm(-fit.worst_short_mm),)
    elif other.mirrored and other.worst_short_mm < fit.worst_short_mm - OTHER_HAND_MM:
        how = "it drops in" if other.drop_in else "it comes much nearer"
        text = f"{plate} is {{0}} short over {under}. Turned over {how}: it is laid out or welded as the other hand."
        remedies.append(Remedy(words("Turn the plate over, or lay it out again as its mirror image.")))
    elif fit.suspect is not None:
        text = f"{plate} is {{0}} short over {under}. Hole {named(fit.suspect)} is probably laid out wrong: without it the others drop in."
        remedies.append(Remedy(words(f"Mark hole {named(fit.suspect)} again before drilling.")))
    else:
        text = f"{plate} is {{0}} short over {under}, at its best."
    inputs = tuple(Input(f"{plain(p.hole)} misses (may {p.float_mm:.2f} mm)", mm(p.miss_mm)) for p in fit.pairs[:12])
    formula = "the plate lies where its worst hole is as good as it can be; short by its miss less half the play of bolt in hole"
    check = _check(
        f"match.{match.id}",
        "pattern",
        match.name,
        verdict_within(fit.worst_short_mm, None, 0.0),
        words(text, *figures),
        value=fit.worst_short_mm,
        high=0.0,
        remedies=tuple(remedies),
        inputs=inputs,
        formula=formula,
        about=about(matches=match.id, patterns=(match.holes, match.studs)),
    )
    # What lies as the other hand is not mended by opening its holes.
    opens = not fit.drop_in and other.mirrored == fit.mirrored
    points = tuple(dict.fromkeys(p for i in (match.holes, match.studs) for p in _points_of(build.pattern(i))))
    if not points:
        return replace(check, remedies=(*remedies, _said(build.pattern(match.holes), _opened(fit, studs, 0.0)))) if opens else check

    def doubt_with(opened: dict[str, float]) -> Doubt:
        def short(twin: Scene) -> tuple[float]:
            plate = holes_of(build, build.pattern(match.holes), twin.local)
            over = studs_of(build, build.pattern(match.studs), twin.local)
            plate = tuple(replace(h, hole_mm=opened.get(h.id, h.hole_mm)) for h in plate)
            return (_fitted(plate, over, allow_mirror=match.mirror).worst_short_mm,)

        return doubt_of(scene, points, short, short(scene))

    sure = build.limits.sure
    try:
        doubt = doubt_with({})
    except InputError:
        return check
    mends: Sequence[Remedy] = remedies
    if opens:
        mends = Later(lambda: (*remedies, _said(build.pattern(match.holes), _opened_surely(fit, studs, doubt, doubt_with, sure))))
    return changed(with_verdict(check, doubt.scatters[0], sure), rests_on=doubt.shares[0], remedies=mends)


def _opened(fit: PatternFit, studs: tuple[Stud, ...], room_mm: float) -> dict[str, float]:
    """What each hole is opened to that has less room than that to spare where the plate lies best. All are needed."""
    bolts = {s.id: s.bolt_mm for s in studs}
    return {p.hole: bolts[p.stud] + 2 * (p.miss_mm + room_mm) for p in fit.pairs if p.miss_mm + room_mm > p.float_mm + DROPS_MM}


def _opened_surely(
    fit: PatternFit, studs: tuple[Stud, ...], doubt: Doubt, doubt_with: Callable[[dict[str, float]], Doubt], sure: float
) -> dict[str, float]:
    """The same, as far as the doubt of its points asks for; opened holes lie otherwise and are doubted otherwise, so it is asked again."""
    room = room_to_be_sure(doubt.sds[0], sure)
    opened = _opened(fit, studs, room)
    for _ in range(TRIES):
        if doubt_with(opened).scatters[0].inside(None, 0.0) >= sure:
            break
        room *= FURTHER
        opened = _opened(fit, studs, room)
    return opened


def _said(plate: Pattern, opened: dict[str, float]) -> Remedy:
    said: list[str] = []
    figures: list[Quantity] = []
    made: dict[str, float] = {}
    for hole, to_mm in opened.items():
        told, some, made[hole] = drilled_to_mm(to_mm, len(figures))
        said.append(f"{named(hole)} to {told}")
        figures += some
    which = "hole" if len(said) == 1 else "all of these holes:"
    # Of a pattern that follows points these are its holes.
    changes = tuple(
        Change("points", hole, "hole_mm", to) if plate.got == "points" else Change("patterns", plate.id, f"holes.{hole}.hole_mm", to)
        for hole, to in made.items()
    )
    return Remedy(words(f"Open {which} {', '.join(said)}.", *figures), changes=changes)


def _points_of(pattern: Pattern) -> tuple[str, ...]:
    return pattern.points if pattern.got == "points" else ()


def plate_checks(scene: Scene, plate: Piece) -> tuple[Check, ...]:
    """What one adapter plate is good for: edges, threads, heads, and the wrong ways it could go on."""
    try:
        made = plate_geometry(scene.build, plate)
    except (InputError, MissingError) as refused:
        why = words(plain(f"{refused}."))
        return (_check(f"plate.{plate.id}.edge", "plate", f"{plate.name}: plate", "unknown", why, about=about(pieces=plate.id)),)
    return (_edge(plate, made), *_threads(plate, made), *_heads(plate, made), _hand(plate, made))


def _edge(plate: Piece, made: PlateGeometry) -> Check:
    worst = min(made.holes, key=lambda h: h.edge_mm - EDGE_LEAST * h.bolt_mm)
    least, liked = EDGE_LEAST * worst.bolt_mm, EDGE_LIKED * worst.bolt_mm
    verdict: Verdict = "fails" if worst.edge_mm < least - AT_LIMIT else "near" if worst.edge_mm < liked - AT_LIMIT else "holds"
    why = words(
        f"Hole {worst.letter} lies {{0}} from the plate's edge; at least {{1}}, better {{2}}.", mm(worst.edge_mm), mm(least), mm(liked)
    )
    mend = (_further_out(plate, made),) if verdict == "fails" else ()
    return _check(
        f"plate.{plate.id}.edge",
        "plate",
        f"{plate.name}: edge distance",
        verdict,
        why,
        value=worst.edge_mm,
        low=least,
        remedies=mend,
        about=about(pieces=plate.id),
    )


def _further_out(plate: Piece, made: PlateGeometry) -> Remedy:
    """How much metal to leave beyond every hole that has too little."""
    short = [h for h in made.holes if h.edge_mm < EDGE_LIKED * h.bolt_mm]
    if not plate.outline:
        margin = max(EDGE_LIKED * h.bolt_mm - h.drill_mm / 2 for h in short) + CHORD_MM
        return Remedy(words("Make the margin {0}.", mm(margin)), changes=(Change("pieces", plate.id, "margin_mm", margin),))
    each = ", ".join(f"{{{k}}} further from {h.letter}" for k, h in enumerate(short))
    return Remedy(words(f"Let the outline go further out: {each}.", *(mm(EDGE_LIKED * h.bolt_mm - h.edge_mm) for h in short)))


def _threads(plate: Piece, made: PlateGeometry) -> list[Check]:
    found = []
    for kind, needed, what in (
        ("tapped", lambda h: tapped_depth_needed_mm(plate, h), "for its thread to hold"),
        ("countersunk", countersink_needed_mm, "for its head to lie flush"),
    ):
        holes: list[Drilled] = [h for h in made.holes if h.kind == kind]
        if not holes:
            continue
        worst = max(holes, key=needed)
        deep = needed(worst)
        why = words(
            f"Hole {worst.letter}, {kind} for {worst.thread}, needs {{0}} of plate {what}; the plate is {{1}}.",
            mm(deep),
            bought_mm(plate.thick_mm),
        )
        thicker = Remedy(words("Use plate of {0} or thicker.", mm(deep)), changes=(Change("pieces", plate.id, "thick_mm", deep),))
        mend = (thicker,) if plate.thick_mm < deep else ()
        verdict = verdict_within(plate.thick_mm, deep, None, 0.0)
        name = f"{plate.name}: {kind} holes"
        found.append(
            _check(
                f"plate.{plate.id}.{kind}",
                "plate",
                name,
                verdict,
                why,
                value=plate.thick_mm,
                low=deep,
                remedies=mend,
                about=about(pieces=plate.id),
            )
        )
    return found


def _heads(plate: Piece, made: PlateGeometry) -> list[Check]:
    """Heads of the lower bolts, which stand on the face that the upper part comes onto."""
    lower = [h for h in made.holes if h.pattern == "lower" and h.kind == "through" and h.thread]
    upper = [h for h in made.holes if h.pattern == "upper"]
    if not lower or not upper:
        return []
    gaps = []
    for a in lower:
        head = size_of(thread(a.thread)).hex.across_mm / 2
        for b in upper:
            washer = size_of(thread(b.thread)).washer.outside_mm / 2 if b.thread else b.bolt_mm
            between = ((a.xy_mm[0] - b.xy_mm[0]) ** 2 + (a.xy_mm[1] - b.xy_mm[1]) ** 2) ** 0.5
            gaps.append((between - head - washer, a.letter, b.letter, size_of(thread(a.thread)).hex.height_mm))
    room, one, other, high = min(gaps)
    if room < 0:
        why = words(f"The head in {named(one)} runs into the washer or spacer at {named(other)} by {{0}}.", mm(-room))
        mend: tuple[Remedy, ...] = (Remedy(words("Countersink the lower holes, or move the patterns apart.")),)
    elif plate.upper_on_mm >= high:
        why = words("Heads {0} high stand below the upper part, which stands on spacers of {1}.", mm(high), mm(plate.upper_on_mm))
        mend = ()
    else:
        why = words(
            f"Heads {{0}} high stand on the face that the upper part comes onto; {{1}} clear of the nearest spacer, at {named(other)}.",
            mm(high),
            mm(room),
        )
        told = words("Countersink them, or stand the upper part on spacers of {0} or higher.", mm(high))
        mend = (Remedy(told, changes=(Change("pieces", plate.id, "upper_on_mm", high),)),)
    verdict: Verdict = "fails" if room < 0 else "holds" if plate.upper_on_mm >= high else "near"
    return [
        _check(
            f"plate.{plate.id}.heads",
            "plate",
            f"{plate.name}: heads under the upper part",
            verdict,
            why,
            value=room,
            low=0.0,
            remedies=mend,
            about=about(pieces=plate.id),
        )
    ]


def _hand(plate: Piece, made: PlateGeometry) -> Check:
    name = f"{plate.name}: hand"
    marked = bool(plate.up.strip() and plate.forward.strip())
    if not made.wrong_ways:
        return _check(f"plate.{plate.id}.hand", "plate", name, "holds", words("It goes on in one way only."), about=about(pieces=plate.id))
    first = made.wrong_ways[0]
    near = "goes on all the same" if first.short_mm <= 0 else "goes on but for {0}"
    marks = (
        f" Its marks say: {named(plate.up)} up, {named(plate.forward)} forward."
        if marked
        else " Nothing marks which face is up and which edge forward."
    )
    why = words(f"{capitalised(first.how)} it {near}.{marks}", mm(max(first.short_mm, 0.0)))
    mend = () if marked else (Remedy(words("Mark the upper face and the forward edge before it leaves the bench.")),)
    return _check(f"plate.{plate.id}.hand", "plate", name, "holds" if marked else "near", why, remedies=mend, about=about(pieces=plate.id))


def chain_check(scene: Scene, chain: Chain) -> Check:
    """Whether a chain of dimensions comes out within its limits."""
    try:
        found = chain_result(scene, chain)
    except (InputError, MissingError) as refused:
        return _check(f"chain.{chain.id}", "chain", chain.name, "unknown", words(plain(f"{refused}.")), about=about(chains=chain.id))
    band = found.band
    low, high = chain.low_mm, chain.high_mm
    worst = verdict_within(band.worst_min_mm, low, None, 0.0), verdict_within(band.worst_max_mm, None, high, 0.0)
    likely = (
        verdict_within(band.rss_centre_mm - band.rss_half_mm, low, None, 0.0),
        verdict_within(band.rss_centre_mm + band.rss_half_mm, None, high, 0.0),
    )
    verdict: Verdict = "holds" if "fails" not in worst else "near" if "fails" not in likely else "fails"
    tighter = next((one for one in found.links if one.link.id == found.tighter), None)
    text = "{0} nominal; {1} to {2} with everything at its worst, {3} to {4} likely."
    mend: tuple[Remedy, ...] = ()
    if tighter is not None and verdict != "holds":
        mend = (
            Remedy(words(f"Hold {named(tighter.link.name)} tighter first; it brings {100 * tighter.share:.0f} % of the likely spread.")),
        )
    figures = (
        band.nominal_mm,
        band.worst_min_mm,
        band.worst_max_mm,
        band.rss_centre_mm - band.rss_half_mm,
        band.rss_centre_mm + band.rss_half_mm,
    )
    check = _check(
        f"chain.{chain.id}",
        "chain",
        chain.name,
        verdict,
        words(text, *(mm(v) for v in figures)),
        value=band.nominal_mm,
        low=low,
        high=high,
        remedies=mend,
        inputs=tuple(Input(one.link.name, mm(one.mm * one.link.direction)) for one in found.links),
        formula="links added in order with their directions; worst case adds all tolerances, the likely band is their root sum of squares",
        about=about(chains=chain.id),
    )
    points = tuple(dict.fromkeys(p for k in chain.links if k.from_point and k.to_point for p in (k.from_point, k.to_point)))
    if not points:
        return exactly(check, "its sizes are given with their tolerances; the band says how far it may be off", verdict)
    nominal = (band.nominal_mm,)
    doubt = doubt_of(scene, points, lambda twin: (chain_result(twin, chain).band.nominal_mm,), nominal)
    judged = with_verdict(check, doubt.scatters[0], scene.build.limits.sure)
    return replace(judged, verdict=worst_of((verdict, judged.verdict)), rests_on=doubt.shares[0])
