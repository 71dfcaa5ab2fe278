"""Whether an option can be agreed: when everything of the build holds, or with what fails accepted by name."""

from __future__ import annotations

from collections.abc import Callable, Collection

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Excepted
from elmpeg.core.evaluation.evaluate import Evaluation, evaluate
from elmpeg.core.judging.checks import Check
from elmpeg.core.stages.place import option_edits


def all_is_well(build: Build, evaluation: Evaluation) -> bool:
    """Whether everything of a build holds: there are checks, all hold, and every part that stands by itself is held by something.

    An axle is held by what carries it.
    """
    held = {build.point(m.component_point).on for m in build.mounts} | {a.component for a in build.axles}
    loose = [c for c in build.components if c.parent is None and c.movable and c.id not in held]
    return bool(evaluation.checks) and not loose and all(c.verdict == "holds" for c in evaluation.checks)


def failing(evaluation: Evaluation) -> tuple[Check, ...]:
    """What an option would be agreed with although it fails, worst first."""
    return tuple(c for c in evaluation.checks if c.verdict == "fails")


def with_agreed(
    build: Build,
    option_id: str,
    because: str,
    accepted: Collection[str],
    told: Callable[[Check], str],
    evaluation: Evaluation | None = None,
) -> Build:
    """The build with an option agreed. ``accepted`` are the codes of the failing checks that were named, ``told`` says how one stands.

    Raises InputError beside ``except`` where something fails that was not named.
    """
    fails = failing(evaluation or evaluate(build, option_id))
    unnamed = [c for c in fails if c.code not in accepted]
    if unnamed:
        more = f", and {len(unnamed) - 1} more" if len(unnamed) > 1 else ""
        raise InputError("except", f"{unnamed[0].name} fails{more}: tick what you agree with all the same, or mend it first")
    excepted = tuple(Excepted(c.code, c.name, told(c)) for c in fails)
    return option_edits.with_agreed(build, option_id, because, excepted)
