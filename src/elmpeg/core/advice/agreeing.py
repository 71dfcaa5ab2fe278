"""Whether an option can be agreed: when everything of the build holds, or with what fails accepted by name."""

from __future__ import annotations

from collections.abc import Callable, Collection

from elmpeg.core.base.errors import FieldError, InputError
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


def unnamed(before: Build, after: Build) -> tuple[FieldError, ...]:
    """What is wrong with an agreement that a change makes, however it was made: by page, file or interface."""
    if after.agreed is None or (before.agreed, before.agreed_except) == (after.agreed, after.agreed_except):
        return ()
    fails = {c.code: c.name for c in failing(evaluate(after, after.agreed))}
    named = {e.check: e.name for e in after.agreed_except}
    wrong = [
        f"{name} fails and is not named among what it is agreed with all the same" for code, name in fails.items() if code not in named
    ]
    wrong += [f"{name} is named as failing and does not fail" for code, name in named.items() if code not in fails]
    return (FieldError("agreed_except", _first(wrong)),) if wrong else ()


def _first(said: list[str]) -> str:
    return said[0] + (f", and {len(said) - 1} more" if len(said) > 1 else "")


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
    left = [c for c in fails if c.code not in accepted]
    if left:
        more = f", and {len(left) - 1} more" if len(left) > 1 else ""
        raise InputError("except", f"{left[0].name} fails{more}: tick what you agree with all the same, or mend it first")
    excepted = tuple(Excepted(c.code, c.name, told(c)) for c in fails)
    return option_edits.with_agreed(build, option_id, because, excepted)
