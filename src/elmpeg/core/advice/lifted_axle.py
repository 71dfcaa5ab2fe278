"""A build with one axle somewhere in its travel: for looking only, nothing of it is kept."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.pose import pose_of
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import Verdict, verdict_within
from elmpeg.core.build.document import Build, with_option
from elmpeg.core.build.options import Position, with_positions
from elmpeg.core.evaluation.evaluate import Evaluation, evaluate
from elmpeg.core.scene.carried_axle import at_heights
from elmpeg.core.scene.line_in_scene import angles_of
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.line_checks import LineState
from elmpeg.core.stages.drive.travel_checks import binding_deg


@record
class Raised:
    """The build with an axle at a height and roll, what it evaluates to there, and the lines that follow the axle.

    The joints of those lines are judged by how far they may bend in travel, not by
    what is asked of them at ride height.
    """

    build: Build
    evaluation: Evaluation
    lines: tuple[LineState, ...]


def raised(build: Build, option_id: str, axle_id: str, rise_mm: float, roll_deg: float) -> Raised:
    """The build with an axle's centre risen and its right side up. Raises InputError out of reach, MissingError for no axle."""
    axle, option = build.axle(axle_id), build.option(option_id)
    scene = Scene(build, option)
    there = at_heights(scene, axle, (rise_mm,), roll_deg)[0]
    was, now = scene.placement(axle.component), there.placement(axle.component)
    moved = with_positions(option, (Position(axle.component, pose_of(now)),))
    wheels = tuple(replace(w, centre_mm=now.point(was.local(w.centre_mm))) if w.on == axle.component else w for w in build.wheels)
    built = with_option(replace(build, wheels=wheels), moved)
    found = evaluate(built, option_id)
    following = {d.id for d in build.drivelines if d.axle == axle_id}
    lines = tuple(_in_travel(there, state) if state.line.id in following else state for state in found.of(LineState))
    return Raised(built, found.with_states(LineState, lines), tuple(s for s in lines if s.line.id in following))


def _in_travel(scene: Scene, state: LineState) -> LineState:
    limits = binding_deg(scene, state.line)
    margin = scene.build.limits.joints.near_margin_deg
    verdicts: tuple[Verdict, ...] = tuple(
        verdict_within(angle, None, limit, margin) for angle, limit in zip(angles_of(state.geometry), limits, strict=True)
    )
    return replace(state, verdicts=verdicts)
