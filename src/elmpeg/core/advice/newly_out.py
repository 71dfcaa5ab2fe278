"""What a remedy that moves a part newly puts outside its limits, anywhere in the build."""

from __future__ import annotations

from elmpeg.core.build.document import Build
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.judging.checks import Check, Remedy
from elmpeg.core.stages.place.position_edits import placed_at


def newly_out(build: Build, option_id: str, remedy: Remedy) -> tuple[Check, ...]:
    """The checks that fail once a remedy's move is made and did not fail before, as they then stand.

    Raises InputError where the option is agreed or the part is not one that moves.
    """
    if remedy.component is None or remedy.pose is None:
        return ()
    before = {c.code for c in evaluate(build, option_id).checks if c.verdict == "fails"}
    there = evaluate(placed_at(build, option_id, remedy.component, remedy.pose), option_id)
    return tuple(c for c in there.checks if c.verdict == "fails" and c.code not in before)
