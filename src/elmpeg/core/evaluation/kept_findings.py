"""What is known of a document from one move to the next: findings are kept where all that they rest on is what it was."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from elmpeg.core.base.record import filled
from elmpeg.core.base.verdicts import gravity_of
from elmpeg.core.evaluation.catalogue import KINDS, Runner
from elmpeg.core.judging.checks import Check
from elmpeg.core.judging.measure_next import measured_again
from elmpeg.core.scene.scene import Scene

ROUNDS_KEPT = 4
"""How many whole evaluations' worth is kept of a document; more only costs memory."""
LEAST_KEPT = 8
Rank = tuple[int, int, float, str]


@dataclass(frozen=True, slots=True)
class Ranked:
    """Findings of one thing, finished: its state, and each check with its rank among all checks."""

    state: object
    checks: tuple[tuple[Rank, Check], ...]


def rank_of(check: Check) -> Rank:
    """Where a check stands among others: by verdict, by what it takes to mend it, by the room left as a share of its limit."""
    return (gravity_of(check.verdict), KINDS[check.family].gravity, check.room_share, check.code)


def worst_first(checks: Iterable[Check]) -> tuple[Check, ...]:
    """Checks in the order they want attention."""
    return tuple(sorted(checks, key=rank_of))


class _Same:
    """A thing told apart by what it is, not by what it says: comparing whole records at every move would take long."""

    __slots__ = ("thing",)

    def __init__(self, thing: object) -> None:
        self.thing = thing

    def __hash__(self) -> int:
        return id(self.thing)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.thing is self.thing


def findings(runner: Runner, scene: Scene) -> list[Ranked]:
    """What a runner finds in a scene, for each thing it is run for, in order."""
    things = runner.each(scene.build)
    kept = runner.kept.of(scene.build, dict)
    found = []
    for thing in things:
        # Of the build itself only the fields count that the memo rests on; names stand for themselves.
        own = None if thing is scene.build else thing if isinstance(thing, str) else _Same(thing)
        key = (own, runner.sits(scene, thing))
        ranked = kept.get(key)
        if ranked is None:
            ranked = kept[key] = _finished(runner, scene, thing)
        found.append(ranked)
    for old in list(kept)[: -max(LEAST_KEPT, ROUNDS_KEPT * len(things))]:
        kept.pop(old, None)
    return found


def _finished(runner: Runner, scene: Scene, thing: object) -> Ranked:
    """Findings with each check's stage and what to measure again filled in."""
    made = runner.run(scene, thing)
    checks = (measured_again(_told_of_its_kind(c)) for c in made.checks)
    return Ranked(made.state, tuple((rank_of(c), c) for c in checks))


def _told_of_its_kind(check: Check) -> Check:
    kind = KINDS[check.family]
    exact = check.exact or (kind.exact if check.value is not None and check.sd is None else "")
    return filled(check, stage=kind.stage, exact=exact)
