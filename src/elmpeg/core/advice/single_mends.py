"""Single ways to mend a line, each with what it does to every other check of the build."""

from __future__ import annotations

from elmpeg.core.advice.smallest_change import Freedom, NoSolution, Solution, freedoms_of, solution_of, solve
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import Words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import gravity_of
from elmpeg.core.build.document import Build, with_option
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.build.options import Option, Position, with_positions
from elmpeg.core.evaluation.evaluate import Evaluation, evaluate
from elmpeg.core.judging.checks import Check
from elmpeg.core.scene.line_in_scene import axle_of
from elmpeg.core.scene.scene import Scene, root_of
from elmpeg.core.stages.drive.pinion_setting import pinion_setting
from elmpeg.core.stages.drive.pinion_turn import means_of

WORTH_MM, WORTH_DEG, WORTH_SHARE = 0.2, 0.05, 0.02
"""Changes of a check's room smaller than these are not worth telling."""


@record
class Effect:
    """How one check changes: what it was and is."""

    before: Check
    after: Check

    @property
    def worse(self) -> bool:
        """Whether it has less room to its limit."""
        return (self.after.margin or 0.0) < (self.before.margin or 0.0)


@record
class Mend:
    """One way to mend a line: the move in words, how it is made, the positions, what it does elsewhere, and what still fails."""

    freedom: str
    words: Words
    how: tuple[Words, ...]
    positions: tuple[Position, ...]
    effects: tuple[Effect, ...]
    failing: tuple[Check, ...]


def mends_of(build: Build, option_id: str, line: Driveline) -> tuple[Mend, ...]:
    """Each single freedom of a line that by itself brings it inside its limits, the smallest amount of it, with its effects."""
    option = build.option(option_id)
    before = evaluate(build, option_id)
    found = []
    own = [c for c in before.checks if c.concerns("drivelines", line.id)]
    for freedom in freedoms_of(build, option, line):
        setting = pinion_setting(Scene(build, option), line, own) if freedom.kind == "pinion" else None
        try:
            if setting is not None and setting.whole_deg is not None:
                # The checks tell this amount too; one turn has one amount.
                solved: Solution | NoSolution = solution_of(build, option, (freedom,), (setting.whole_deg,), before)
            else:
                solved = solve(build, option_id, line.id, (freedom,))
        except InputError:
            return ()
        if isinstance(solved, Solution):
            found.append(_mend(build, option, line, freedom, solved, before))
    return tuple(sorted(found, key=lambda m: (len(m.failing), abs(len(m.effects)))))


def _mend(build: Build, option: Option, line: Driveline, freedom: Freedom, solved: Solution, before: Evaluation) -> Mend:
    change = solved.changes[0]
    how: tuple[Words, ...] = ()
    axle = axle_of(build, line)
    if freedom.kind == "pinion" and axle is not None and root_of(build, axle.component).id == freedom.component:
        how = tuple(m.words for m in means_of(Scene(build, option), axle, change.amount)[:1])
    return Mend(
        freedom.id,
        change.words,
        how,
        solved.positions,
        effects_of(before, solved.evaluation, line),
        tuple(c for c in solved.upset if not c.concerns("drivelines", line.id)),
    )


def effects_of(before: Evaluation, after: Evaluation, line: Driveline | None = None) -> tuple[Effect, ...]:
    """Checks that change by more than is worth telling, those that change their verdict first; without the line's own."""
    found = []
    was = {c.code: c for c in before.checks}
    for check in after.checks:
        then = was.get(check.code)
        if then is None or (line and check.concerns("drivelines", line.id)):
            continue
        if then.verdict != check.verdict or _moved(then, check):
            found.append(Effect(then, check))
    return tuple(sorted(found, key=lambda e: (e.before.verdict == e.after.verdict, gravity_of(e.after.verdict), e.after.code)))


def _moved(before: Check, after: Check) -> bool:
    if before.margin is None or after.margin is None:
        return False
    worth = {"mm": WORTH_MM, "deg": WORTH_DEG}.get(after.unit, WORTH_SHARE * max(abs(after.high or 0.0), abs(after.low or 0.0), 1.0))
    return abs(after.margin - before.margin) > worth


def trial_of(build: Build, option_id: str, positions: tuple[Position, ...]) -> Build:
    """The build with some parts elsewhere in an option: for looking, nothing of it is kept."""
    return with_option(build, with_positions(build.option(option_id), positions))
