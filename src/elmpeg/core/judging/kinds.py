"""What a stage tells of its checks: its kinds, what runs them, and where each is put right.

A stage registers itself with one ``STAGE`` in its folder; the catalogue collects them. An entry says how hard a kind is to mend,
which runner makes it and on which page it is put right. A runner says what it is run for, which fields of the build its answer
rests on and, of an option, whose places; where these are what they were, its answer is not worked out again.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import dataclass
from enum import IntEnum
from types import MappingProxyType
from typing import Any

from elmpeg.core.base.memo import Memo
from elmpeg.core.build.document import Build, Stage
from elmpeg.core.judging.checks import Check, Findings
from elmpeg.core.scene.bodies import SceneBody
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import State

KEPT_DOCUMENTS = 48
"""Documents whose answers are kept: those that a shop's people look at within a while."""
GIVEN = "what it is worked out from was chosen or bought by name, not measured here"
AGAINST_ITSELF = "it holds readings against each other; how they scatter is in its limit"
DRAWN = "it is worked out from what was drawn or typed, not from readings"


class Gravity(IntEnum):
    """What it takes to mend a kind of check; what only a move mends comes first."""

    MOVE = 0
    MAKE = 1
    READ = 2


NONE_ONLY: Mapping[str, Callable[[Build, Any], Collection[str]]] = MappingProxyType({})
"""Of a runner whose findings rest on no single entries: on a list as a whole, or on none of it."""


def nothing_else(_scene: Scene, _thing: object) -> tuple[State, ...]:
    """The states of a runner that looks at things only as they stand."""
    return ()


class Runner:
    """What makes the checks of some kinds.

    ``each`` gives what it is run for in a build, one at a time (the build itself for what
    is looked at as a whole); ``run`` the findings for one; ``reads`` names the fields of
    the build that these rest on, besides the thing itself; ``sits`` what of the option
    they rest on: where parts are, and stacks. ``states`` is what the states that it finds are called in an evaluation;
    several runners may add to one list. ``ranges`` gives the states that it goes through by itself when it is asked at rest: in
    every other state it finds what stands there, and no more. ``only`` says of a list of the build of which of its entries the
    findings for one thing rest on: any other may change, and they stay.
    """

    def __init__(
        self,
        name: str,
        each: Callable[[Build], tuple[Any, ...]],
        run: Callable[[Scene, Any], Findings],
        reads: tuple[str, ...],
        sits: Callable[[Scene, Any], tuple[object, ...]],
        states: str = "",
        ranges: Callable[[Scene, Any], tuple[State, ...]] = nothing_else,
        only: Mapping[str, Callable[[Build, Any], Collection[str]]] = NONE_ONLY,
    ) -> None:
        self.name, self.each, self.run, self.sits, self.states, self.ranges = name, each, run, sits, states, ranges
        self.only = only
        self.kept: Memo[dict[object, Any]] = Memo(f"checks of {name}", reads, KEPT_DOCUMENTS)


@dataclass(frozen=True, slots=True)
class Opens:
    """Where a check is put right: the route of a page, the word on the button, and what of the check that page is opened at."""

    route: str
    word: str
    of: str = ""
    field: str = ""

    def query(self, check: Check, option_id: str) -> dict[str, str]:
        """The address's fields that open the page at what a check is about."""
        first = next(iter(check.ids(self.of)), "")
        return {"option": option_id, **({self.field: first} if self.field and first else {})}


@dataclass(frozen=True, slots=True)
class CheckKind:
    """One kind of check.

    ``predicted`` ones are frozen when a test fit starts; ``settles`` ones are told when a stack is tried;
    ``compared`` ones hold what was measured against itself. ``exact`` says why figures of the kind that state no doubt have
    none. Its stage is that of the entry that lists it.
    """

    family: str
    gravity: Gravity
    runner: Runner
    opens: Opens | None = None
    predicted: bool = False
    settles: bool = False
    compared: bool = False
    exact: str = GIVEN


@dataclass(frozen=True, slots=True)
class StageChecks:
    """A stage's own entry: its name on the spine, its kinds of check, and what it adds to the bodies of a scene."""

    name: Stage
    kinds: tuple[CheckKind, ...] = ()
    bodies: tuple[Callable[[Scene], Iterable[SceneBody]], ...] = ()


def roots_of(scene: Scene, points: tuple[str, ...]) -> tuple[object, ...]:
    """Where the parts are that some points are on: for a runner's ``sits``."""
    return tuple(scene.placement(scene.root(scene.declared(p).on)) for p in points)


def whole_build(build: Build) -> tuple[Build, ...]:
    """The build itself, for a runner that looks at it as a whole."""
    return (build,)


def nowhere(_scene: Scene, _thing: object) -> tuple[object, ...]:
    """Nothing of the option, for a runner whose findings do not rest on where anything is."""
    return ()
