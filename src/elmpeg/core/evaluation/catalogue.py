"""The catalogue of checks: what every stage tells of itself in its folder, collected in the order of work."""

from __future__ import annotations

from importlib import import_module
from importlib.util import find_spec
from typing import get_args

from elmpeg.core import stages
from elmpeg.core.build.document import Stage
from elmpeg.core.judging.kinds import CheckKind, Runner, StageChecks


def _entry(name: Stage) -> StageChecks:
    """A stage's own entry; one whose folder has none, or is not there yet, has no checks."""
    where = f"{stages.__name__}.{name.lower().replace(' ', '_')}"
    if find_spec(where) is None or find_spec(f"{where}.stage") is None:
        return StageChecks(name)
    entry: StageChecks = import_module(f"{where}.stage").STAGE
    return entry


STAGES: tuple[StageChecks, ...] = tuple(map(_entry, get_args(Stage)))
KINDS: dict[str, CheckKind] = {kind.family: kind for stage in STAGES for kind in stage.kinds}
STAGE_OF: dict[str, Stage] = {kind.family: stage.name for stage in STAGES for kind in stage.kinds}
"""The stage at which a family of checks is put right."""
RUNNERS: tuple[Runner, ...] = tuple(dict.fromkeys(kind.runner for kind in KINDS.values()))
