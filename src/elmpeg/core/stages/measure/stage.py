"""The checks of Measure: readings against each other, points outside of what they are on."""

from __future__ import annotations

from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.judging.checks import Findings
from elmpeg.core.judging.kinds import AGAINST_ITSELF, CheckKind, Gravity, Opens, Runner, StageChecks, nowhere, whole_build
from elmpeg.core.scene.located_points import SURVEY_READS
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.measure.cross_checks import measured_checks, outside_checks
from elmpeg.core.stages.measure.reading_checks import reading_checks


def _readings(scene: Scene, build: Build) -> Findings:
    return Findings(tuple(c for p in build.points for c in reading_checks(scene, p)))


def _assemblies(build: Build) -> tuple[str, ...]:
    return (VEHICLE, *(c.id for c in build.components if c.parent is None))


READINGS = Runner("readings", whole_build, _readings, SURVEY_READS, nowhere)
MEASURED = Runner(
    "what was measured",
    whole_build,
    lambda scene, _: Findings(measured_checks(scene)),
    (*SURVEY_READS, "components", "spans", "pairs", "bays", "limits"),
    nowhere,
)
OUTSIDE = Runner(
    "points outside",
    _assemblies,
    lambda scene, root: Findings(outside_checks(scene, root)),
    (*SURVEY_READS, "components", "solids", "wheels", "datum"),
    lambda scene, root: (scene.placement(root),),
)
_POINT = Opens("measure", "Measure", "points", "point")
STAGE = StageChecks(
    "Measure",
    (
        CheckKind("reading", Gravity.READ, READINGS, _POINT, exact=AGAINST_ITSELF),
        CheckKind("source", Gravity.READ, READINGS, _POINT),
        CheckKind("place", Gravity.MAKE, READINGS, _POINT, compared=True),
        CheckKind("square", Gravity.READ, MEASURED, _POINT, compared=True),
        CheckKind("mirror", Gravity.READ, MEASURED, _POINT, compared=True),
        CheckKind("span", Gravity.READ, MEASURED, _POINT, compared=True),
        CheckKind("bench", Gravity.READ, MEASURED, _POINT, compared=True),
        CheckKind("sense", Gravity.READ, OUTSIDE, _POINT, compared=True),
    ),
)
