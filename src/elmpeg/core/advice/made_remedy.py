"""A remedy put into effect, and what that newly puts outside its limits, anywhere in the build."""

from __future__ import annotations

from elmpeg.core.build.document import Build
from elmpeg.core.build.figures import with_figure
from elmpeg.core.build.mounts import StackPiece
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.judging.checks import DRILLS, STACKS, Check, Remedy
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_edits import with_drilled
from elmpeg.core.stages.make.structure_members import with_structure
from elmpeg.core.stages.mount.stack_edits import with_stack
from elmpeg.core.stages.place.position_edits import placed_at


def with_remedy(build: Build, option_id: str, remedy: Remedy) -> Build:
    """The build with a remedy made: its part moved, and the figures set that it names; as it is for one that is advice.

    What a stack takes is one piece made to measure. Raises InputError where the option is agreed or the part is not one
    that moves.
    """
    if remedy.component is not None and remedy.pose is not None:
        build = placed_at(build, option_id, remedy.component, remedy.pose)
    for change in remedy.changes:
        if change.of == STACKS:
            pieces = (StackPiece("made", "made to measure", change.to, 1),) if change.to > 0 else ()
            build = with_stack(build, option_id, change.id, pieces)
        elif change.of == DRILLS:
            pattern, _, hole = change.path.partition("/")
            build = with_drilled(build, change.id, pattern, hole, change.to)
        else:
            build = with_figure(build, change.of, change.id, change.path, change.to)
    for moved in {c.id for c in remedy.changes if c.of == "structures"}:
        # Its members are cut anew, and the part that is drawn follows.
        build = with_structure(build, Scene(build, build.option(option_id)), build.structure(moved))
    return build


def newly_out(build: Build, option_id: str, remedy: Remedy) -> tuple[Check, ...]:
    """The checks that fail once a remedy is made and did not fail before, as they then stand; none for one that is advice.

    Raises as ``with_remedy`` does.
    """
    if not remedy.can_be_made:
        return ()
    before = {c.code for c in evaluate(build, option_id).checks if c.verdict == "fails"}
    there = evaluate(with_remedy(build, option_id, remedy), option_id)
    return tuple(c for c in there.checks if c.verdict == "fails" and c.code not in before)
