"""What next: for each stage the one most useful thing to do on this build, worked out from what it holds and lacks."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from elmpeg.core.advice.agreeing import all_is_well
from elmpeg.core.base.quantities import Words, capitalised, lowered, plain, words
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.evaluation.evaluate import Evaluation
from elmpeg.core.judging.checks import Check
from elmpeg.core.judging.in_short import in_short

SOFT = ("borrowed", "assumed")
DECIDES_SHARE = 0.3
"""Share of a check's doubt above which a point that nobody measured decides it."""


@record
class Next:
    """One thing to do: in words, and the route and fields of the page where it is done; no route where it is done here."""

    words: Words
    route: str
    query: tuple[tuple[str, str], ...] = ()


def next_step(build: Build, evaluation: Evaluation, stage: str, opened: str = "") -> Next | None:
    """The most useful next thing at a stage, of the thing that is ``opened`` there before all others; None where nothing stands out."""
    rule = _RULES.get(stage)
    return rule(build, evaluation, opened) if rule else None


def _reference(build: Build, evaluation: Evaluation, opened: str) -> Next | None:
    if not build.levellings:
        return Next(words("Nobody has said yet how the vehicle stands. Level it, or read how far off level it is."), "reference")
    if not build.sheet:
        return Next(words("No figure from before the work is written down yet. Note ride heights and shaft lengths first."), "reference")
    lacking = [f for f in build.sheet if f.before is None]
    if lacking:
        return Next(words(f"{capitalised(lacking[0].name)} is not read yet; {_more(lacking, 'figure')}."), "reference")
    return None


def _more(things: Sequence[object], noun: str) -> str:
    n = len(things)
    return f"{n} {noun}{'s are' if n != 1 else ' is'} to do in all"


def _measure(build: Build, evaluation: Evaluation, opened: str) -> Next | None:
    if not build.points:
        return Next(words("Nothing is measured yet. Begin with a hole on the frame that stays where it is."), "new_point")
    here = next((p for p in build.points if p.id == opened and p.source in SOFT), None)
    if here is not None:
        return Next(
            words(f"{capitalised(here.name)} is {here.source}; read it, and it counts as measured."), "measure", (("point", here.id),)
        )
    deciding = _deciding(build, evaluation)
    if deciding is not None:
        point, check, share = deciding
        said = f"Measure {lowered(point.name)}{_on(build, point)}: it is {point.source} and brings {100 * share:.0f}\u00a0% of the doubt of {lowered(check.name)}."
        return Next(words(said), "measure", (("point", point.id),))
    soft = [p for p in build.points if p.source in SOFT]
    if soft:
        return Next(words(f"{capitalised(soft[0].name)}{_on(build, soft[0])} is {soft[0].source}; {_more([*soft], 'point')}."), "measure", (("point", soft[0].id),))  # fmt: skip
    return None


def _on(build: Build, point: Point) -> str:
    return "" if point.on == VEHICLE else f" on {build.component(point.on).name}"


def _deciding(build: Build, evaluation: Evaluation) -> tuple[Point, Check, float] | None:
    """The point nobody measured that brings most to the doubt of a check that is not settled."""
    points = {p.id: p for p in build.points}
    found = [
        (r.share, points[r.point], check)
        for check in evaluation.checks
        if check.verdict in ("near", "fails", "unknown") and check.value is not None
        for r in check.rests_on
        if r.point in points and r.source in SOFT and r.share >= DECIDES_SHARE
    ]
    if not found:
        return None
    share, point, check = max(found, key=lambda f: f[0])
    return point, check, share


def _place(build: Build, evaluation: Evaluation, opened: str) -> Next | None:
    if not build.components:
        return Next(words("Nothing is in this vehicle yet. Put the first part in."), "put_in")
    worst = next((c for c in evaluation.checks if c.stage == "Place" and c.verdict == "fails"), None)
    if worst is not None and worst.remedies:
        return Next(worst.remedies[0].words, "bay", (("check", worst.code),))
    if not build.rooms:
        return Next(words("No room is watched yet. Say which shapes must stay apart, and by how much."), "things", (("of", "rooms"),))
    if not build.solids:
        return Next(words("The vehicle has no shapes yet, so nothing can be hit. Draw what the part has to pass."), "shapes")
    if build.agreed is None and all_is_well(build, evaluation):
        return Next(
            words("Everything of this build holds. A lead can agree this option in its menu above; or copy it and try another."), ""
        )
    return None


def _mount(build: Build, evaluation: Evaluation, opened: str) -> Next | None:
    if not build.components:
        return Next(words("There is no part to hold yet. Put one in first."), "put_in")
    failing = [c for c in evaluation.checks if c.verdict == "fails" and c.ids("mounts")]
    mine = next((c for c in failing if opened in c.ids("mounts")), None)
    if mine is not None:
        return _of_mount(mine)
    held = {build.point(m.component_point).on for m in build.mounts}
    for component in build.components:
        holes = [p for p in build.points if p.on == component.id and p.kind == "hole"]
        if holes and component.parent is None and component.id not in held:
            n = f"{len(holes)} holes" if len(holes) > 1 else "one hole"
            return Next(words(f"{component.name} has {n} and no mount. Add its first one."), "mounts", (("new", holes[0].id),))
    if failing:
        return _of_mount(failing[0])
    bare = min((m for m in build.mounts if m.fastener is None), key=lambda m: m.id != opened, default=None)
    if bare is not None:
        return Next(words(f"Say what {bare.name} is made of: its bolt, and what it goes through."), "mounts", (("mount", bare.id),))
    return None


def _of_mount(check: Check) -> Next:
    """What a failing mount asks for: the shelf for a gap that is open, else what would mend it."""
    said = f"{capitalised(check.name.rsplit(': ', 1)[0])}: {in_short(check)}."
    more = " See what the shelf has for it." if in_short(check) == "gap still open" else " See what would mend it."
    return Next(words(plain(f"{said}{more}")), "mounts", (("mount", next(iter(check.ids("mounts")), "")),))


def _drive(build: Build, evaluation: Evaluation, opened: str) -> Next | None:
    used = {j.point for line in build.drivelines for j in line.joints}
    free = [p for p in build.points if p.kind == "joint" and p.on != VEHICLE and p.id not in used]
    if not build.drivelines:
        if len({p.on for p in free}) >= 2:
            return Next(words("Two parts have joints and no shaft between them. Join them."), "drive_lines", (("new", "1"),))
        return Next(words("A shaft runs between two joints. Put in the parts that have them, such as a gearbox and an axle."), "put_in")
    failing = [c for c in evaluation.checks if c.verdict == "fails" and c.stage == "Drive" and c.ids("drivelines")]
    check = next((c for c in failing if opened in c.ids("drivelines")), failing[0] if failing and not opened else None)
    if check is not None:
        line = next(iter(check.ids("drivelines")), "")
        subject = capitalised(check.name.split(": ")[0])
        return Next(words(plain(f"{subject}: {in_short(check)}. See what would mend it.")), "drive_mend", (("line", line),))
    bare = min((d for d in build.drivelines if not d.shafts), key=lambda d: d.id != opened, default=None)
    if bare is not None:
        return Next(words(f"Say what the shafts of {bare.name} are made of; then their speed and their room can be told."), "drive_shafts", (("line", bare.id),))  # fmt: skip
    return None


def _fit(build: Build, evaluation: Evaluation, opened: str) -> Next | None:
    if not build.rounds:
        return Next(words("No test fit yet. Start the first round in card or board: what is predicted is frozen as it starts."), "fit")
    last = build.rounds[-1]
    if not last.closed:
        return Next(words(f"Round {last.number} is open. Measure what it shows, and write down what was decided."), "fit")
    return None


_RULES: dict[str, Callable[[Build, Evaluation, str], Next | None]] = {
    "Reference": _reference,
    "Measure": _measure,
    "Place": _place,
    "Mount": _mount,
    "Drive": _drive,
    "Fit": _fit,
}
