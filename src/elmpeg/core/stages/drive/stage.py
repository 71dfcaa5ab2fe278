"""The checks of Drive: joints and shafts of every line, through the travel of its axle."""

from __future__ import annotations

from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.judging.checks import Findings
from elmpeg.core.judging.kinds import CheckKind, Gravity, Runner, StageChecks, roots_of
from elmpeg.core.scene.carried_axle import carried_at
from elmpeg.core.scene.line_in_scene import axle_of
from elmpeg.core.scene.located_points import SURVEY_READS
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import AT_REST, State, under_load
from elmpeg.core.stages.drive.joint_remedies import with_remedies
from elmpeg.core.stages.drive.line_checks import line_checks
from elmpeg.core.stages.drive.shaft_bodies import shaft_bodies
from elmpeg.core.stages.drive.travel_checks import judged_states


def _line(scene: Scene, line: Driveline) -> Findings:
    found = line_checks(scene, line)
    # What mends a line is looked for where it runs all day.
    found = with_remedies(scene, found) if scene.state == AT_REST else found
    return Findings(found.checks, found.state)


def _line_sits(scene: Scene, line: Driveline) -> tuple[object, ...]:
    axle = axle_of(scene.build, line)
    # Whatever carries what is turned is asked how it is turned.
    turned = (scene.root(scene.declared(line.joints[-1].point).on), axle and axle.component)
    carrying = [a for a in scene.build.axles if a.component in turned or a is axle]
    points = (*(j.point for j in line.joints), *dict.fromkeys(p for a in carrying for p in (*carried_at(a), a.seat_point) if p))
    return (*roots_of(scene, points), scene.placement(axle.component) if axle else None)


def _line_ranges(scene: Scene, line: Driveline) -> tuple[State, ...]:
    axle = axle_of(scene.build, line)
    return (*under_load(axle.id), *(s for s in judged_states(scene, axle) if s != AT_REST)) if axle else ()


LINES = Runner(
    "lines",
    lambda b: b.drivelines,
    _line,
    (*SURVEY_READS, "components", "limits", "mounts", "axles", "series", "datum"),
    _line_sits,
    "lines",
    _line_ranges,
)
STAGE = StageChecks(
    "Drive",
    (
        CheckKind("joint", Gravity.MOVE, LINES, predicted=True, settles=True),
        CheckKind("shaft", Gravity.MOVE, LINES),
        CheckKind("load", Gravity.MOVE, LINES),
        CheckKind("layout", Gravity.MOVE, LINES),
        CheckKind("travel", Gravity.MOVE, LINES),
        CheckKind("slip", Gravity.MAKE, LINES),
        CheckKind("speed", Gravity.MAKE, LINES),
        CheckKind("ground", Gravity.MAKE, LINES),
    ),
    (shaft_bodies,),
)
