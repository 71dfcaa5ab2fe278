"""What is known of a document from one move to the next: findings are kept where all that they rest on is what it was."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass

from elmpeg.core.base.later import Later
from elmpeg.core.base.quantities import words
from elmpeg.core.base.record import changed, filled
from elmpeg.core.base.verdicts import gravity_of
from elmpeg.core.build.document import Build
from elmpeg.core.evaluation.catalogue import KINDS, STAGE_OF
from elmpeg.core.judging.checks import Check, Findings, Remedy
from elmpeg.core.judging.kinds import Gravity, Runner
from elmpeg.core.judging.measure_next import measured_again
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import AT_REST

ROUNDS_KEPT = 4
"""How many whole evaluations' worth is kept of a document; more only costs memory."""
LEAST_KEPT = 8
LEAST_KEPT_OF_ALL = 96
"""Where findings rest on single entries alone, those of all documents lie together."""
Rank = tuple[int, int, float, str]


@dataclass(frozen=True, slots=True)
class Ranked:
    """Findings of one thing, finished: its state, and each check with its rank among all checks."""

    state: object
    checks: tuple[tuple[Rank, Check], ...]
    worked_out: bool = True
    """Whether it was; what went wrong once, as for want of memory, may not the next time, and is not kept."""


def rank_of(check: Check) -> Rank:
    """Where a check stands among others: by verdict, by what it takes to mend it, by the room left as a share of its limit.

    What runs into its seat is mended by a move, as all is that stands where it cannot.
    """
    interferes = check.family == "gap" and check.value is not None and check.low is not None and check.value < check.low
    gravity = Gravity.MOVE if interferes else KINDS[check.family].gravity
    return (gravity_of(check.verdict), gravity, check.room_share, check.code)


def worst_first(checks: Iterable[Check]) -> tuple[Check, ...]:
    """Checks in the order they want attention."""
    return tuple(sorted(checks, key=rank_of))


def by_hand_first(checks: Iterable[Check]) -> tuple[Check, ...]:
    """Checks in the order in which they are put right with what is in the hand: read again, then made or filled, then moved."""

    def rank(check: Check) -> Rank:
        verdict, gravity, room, code = rank_of(check)
        return (verdict, -gravity, room, code)

    return tuple(sorted(checks, key=rank))


class _Same:
    """A thing told apart by what it is, not by what it says: comparing whole records at every move would take long."""

    __slots__ = ("thing",)

    def __init__(self, thing: object) -> None:
        self.thing = thing

    def __hash__(self) -> int:
        return id(self.thing)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.thing is self.thing


Troubled = Callable[[Runner, object, Exception], None]
"""Who is told of a thing that could not be worked out, by what it was run for and what went wrong."""
_TOLD: list[Troubled] = []


def bear_trouble(told: Troubled | None) -> None:
    """From now on, in this process, one thing that goes wrong while it is worked out is told of, and unknown; the others stand. A
    server does so: else nobody could open a build with that thing in it. With None it is raised, as ever."""
    _TOLD[:] = [told] if told else []


def findings(runner: Runner, scene: Scene) -> list[Ranked]:
    """What a runner finds in a scene, for each thing it is run for, in order."""
    things = runner.each(scene.build)
    kept = runner.kept.of(scene.build, dict)
    found = []
    for thing in things:
        # Of the build itself only the fields count that the memo rests on; names stand for themselves.
        own = None if thing is scene.build else thing if isinstance(thing, str) else _Same(thing)
        key = (own, runner.sits(scene, thing), *_standing(runner, scene, thing), *_entries(runner, scene.build, thing))
        ranked = kept.get(key)
        if ranked is None:
            ranked = _finished(runner, scene, thing)
            if ranked.worked_out:
                kept[key] = ranked
        found.append(ranked)
    least = LEAST_KEPT if runner.kept.reads else LEAST_KEPT_OF_ALL
    for old in list(kept)[: -max(least, ROUNDS_KEPT * len(things))]:
        kept.pop(old, None)
    return found


def _standing(runner: Runner, scene: Scene, thing: object) -> tuple[object, ...]:
    """What a runner's findings rest on of the scene's state: where it does not go through states by itself, and no part has moved
    within what it is bolted to, where everything sits says all of it."""
    if scene.state == AT_REST:
        return ()
    return (scene.state,) if runner.ranges(scene, thing) else scene.state.of_parts


def _entries(runner: Runner, build: Build, thing: object) -> tuple[object, ...]:
    """The entries of the build's lists that findings for a thing rest on, where that is not the whole list."""
    found: list[object] = []
    for name, ids_of in runner.only.items():
        ids = frozenset(ids_of(build, thing))
        if ids:
            found += [_Same(entry) for entry in getattr(build, name) if entry.id in ids]
    return tuple(found)


def _finished(runner: Runner, scene: Scene, thing: object) -> Ranked:
    """Findings with each check's stage and what to measure again filled in."""
    worked_out = True
    try:
        made = runner.run(scene, thing)
    except Exception as trouble:
        if not _TOLD:
            raise
        _TOLD[0](runner, thing, trouble)
        made, worked_out = Findings((_not_worked_out(runner, thing),)), False
    checks = (measured_again(_told_of_its_kind(_borne(c, runner, thing))) for c in made.checks)
    return Ranked(made.state, tuple((rank_of(c), c) for c in checks), worked_out)


def _borne(check: Check, runner: Runner, thing: object) -> Check:
    """A check whose remedies, looked for only when somebody reads them, keep nobody out either: none where that goes wrong."""
    remedies = check.remedies
    if not _TOLD or not isinstance(remedies, Later):
        return check

    def made() -> tuple[Remedy, ...]:
        try:
            return remedies.made
        except Exception as trouble:
            for told in _TOLD:
                told(runner, thing, trouble)
            return ()

    return changed(check, remedies=Later(made))


def _not_worked_out(runner: Runner, thing: object) -> Check:
    family = next(kind.family for kind in KINDS.values() if kind.runner is runner)
    own, called = getattr(thing, "id", runner.name), getattr(thing, "name", runner.name)
    why = words("It could not be worked out. That is a mistake in Elm Peg, not in the vehicle; all else stands. Undo brings back what was.")
    return Check(f"{family}.{own}.not-worked-out", family, f"{called}: not worked out", "mm", "unknown", why)


def _told_of_its_kind(check: Check) -> Check:
    kind = KINDS[check.family]
    exact = check.exact or (kind.exact if check.value is not None and check.sd is None else "")
    return filled(check, stage=STAGE_OF[check.family], exact=exact)
