"""The start of a test-fit round: what the evaluation says, frozen as its prediction."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Position
from elmpeg.core.build.rounds import Material, PredictedPoint, Prediction, Round
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.evaluation.catalogue import KINDS
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.scene.scene import pose_in, root_of


def with_round(build: Build, option_id: str, material: Material, by: str, started: str) -> Build:
    """The build with a new round: the option's checks and the placed parts' points, frozen as they are now."""
    still_open = next((r for r in build.rounds if not r.closed), None)
    if still_open is not None:
        raise InputError("round", f"round {still_open.number} is still open; close it before starting another")
    option, evaluation = build.option(option_id), evaluate(build, option_id)
    where = {p.point: p for p in evaluation.points}
    movable = {c.id for c in build.components if root_of(build, c.id).movable}
    number = len(build.rounds) + 1
    return replace(
        build,
        rounds=(
            *build.rounds,
            Round(
                id=new_id(f"round-{number}", (r.id for r in build.rounds)),
                number=number,
                option=option.id,
                option_name=option.name,
                material=material,
                by=cleaned_name(by, "by"),
                started=started,
                positions=tuple(Position(c.id, pose_in(build, option, c.id)) for c in build.components if c.parent is None),
                predictions=tuple(
                    Prediction(c.code, c.name, c.value, c.unit, c.low, c.high, c.sd or 0.0, c.verdict)
                    for c in sorted(evaluation.checks, key=lambda c: c.code)
                    if c.value is not None and KINDS[c.family].predicted
                ),
                points=tuple(
                    PredictedPoint(p.id, p.name, p.on, where[p.id].xyz_mm, where[p.id].sd_mm)
                    for p in build.points
                    if p.on != VEHICLE and p.on in movable
                ),
            ),
        ),
    )
