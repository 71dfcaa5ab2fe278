"""How far to turn a line's driven part about its own cross line: one amount for all of the line's checks that a turn mends.

A joint, the driven end under load and the line's school each ask for the pinion; an amount
of its own for each would leave the others failing. The turns are looked over with the line's
own checks as judge, first bare, then with their doubt.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose
from elmpeg.core.base.quantities import deg, joined, named, words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import AT_LIMIT
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.build.limits import Limits
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.judging.checks import Check, Remedy
from elmpeg.core.judging.judge import room_to_be_sure
from elmpeg.core.scene.scene import Scene, root_of
from elmpeg.core.stages.drive.line_checks import JudgedRows, judged_with, line_checks
from elmpeg.core.stages.drive.load_checks import RUNS_EVENLY, load_code
from elmpeg.core.stages.drive.pinion_turn import roll_remedy, turned_as_made, turned_in_steps

Rows = NDArray[np.intp]
MOST_TURN_DEG, STEP_TURN_DEG = 8.0, 0.1
"""How far a turn is looked for, and how finely it is told."""
BEYOND = (0, 1, 3, 7)
GROW_AS_SQUARES = ("rad_s2", "pct")


@record
class Setting:
    """A turn of a line's driven part, front side up, deg, with which all that asks for it holds and nothing else of the line fails
    that did not. ``whole_deg`` is the smallest with which nothing of the line fails, None where there is none: the same turn, or one
    that leaves near something that asks for it. ``near`` is by name what that turn leaves near."""

    root: str
    turn_deg: float
    asked_by: tuple[str, ...]
    whole_deg: float | None
    near: tuple[str, ...] = ()

    @property
    def mends_line(self) -> bool:
        """Whether nothing of the line fails with it."""
        return self.whole_deg == self.turn_deg


def worst_joint(checks: Sequence[Check]) -> Check | None:
    """Of the joints that fail the one that is farthest out: every move changes them all, so the others wait for it."""
    failing = [c for c in checks if c.family == "joint" and c.verdict == "fails"]
    return min(failing, key=lambda c: (c.room_share, c.code), default=None)


def driven_root(scene: Scene, line: Driveline) -> str | None:
    """The part that carries a line's last joint, where it can be moved without the first."""
    drive, driven = (scene.declared(j.point).on for j in (line.joints[0], line.joints[-1]))
    if driven in (VEHICLE, drive) or not root_of(scene.build, driven).movable:
        return None
    return root_of(scene.build, driven).id


def pinion_setting(scene: Scene, line: Driveline, checks: Sequence[Check]) -> Setting | None:
    """The smallest turn that mends what asks for one among a line's ``checks`` as they stand, the whole line where one does; None
    where nothing asks or no turn mends it."""
    root, worst = driven_root(scene, line), worst_joint(checks)
    if root is None:
        return None
    asking = [c for c in checks if c.verdict == "fails" and (c is worst or c.code == load_code(line))]
    asking = asking or [c for c in checks if c.verdict == "fails" and c.family == "layout"]
    if not asking:
        return None
    try:
        return _Turns(scene, line, root, checks, tuple(c.code for c in asking)).best()
    except InputError:
        return None


class _Turns:
    """A line by the turn of its driven part, in steps from where it is."""

    def __init__(self, scene: Scene, line: Driveline, root: str, checks: Sequence[Check], asked_by: tuple[str, ...]) -> None:
        self._scene, self._line, self._root, self._asked_by = scene, line, root, asked_by
        self._failed = {c.code: c for c in checks if c.verdict == "fails"}
        self._rooms = {code: _room(c, scene.build.limits) for code, c in self._failed.items()}
        self._steps = [sign * k for k in range(1, round(MOST_TURN_DEG / STEP_TURN_DEG) + 1) for sign in (1, -1)]
        self._steps, rows = self._judged(self._steps)
        self._codes, self._margins = rows.codes, rows.margins
        self._seen: dict[int, _Turned] = {}

    def best(self) -> Setting | None:
        """The smallest turn of the best kind there is: all that failed holds, nothing of the line fails, what asks for it holds."""

        def told(step: int, whole: int | None, near: tuple[str, ...] = ()) -> Setting:
            return Setting(self._root, step * STEP_TURN_DEG, self._asked_by, None if whole is None else whole * STEP_TURN_DEG, near)

        asked = set(self._asked_by)
        out = self._margins < -AT_LIMIT
        inside = np.flatnonzero(~out.any(axis=1))
        whole = self._first(inside, set(self._failed), lambda t: t.mends_all)
        if whole is None:
            whole = self._first(inside, asked, lambda t: t.mends and not t.fails)
        if whole is not None:
            return told(whole, whole, self._turned(whole).near)
        must = [k for k, code in enumerate(self._codes) if code in asked or code not in self._failed]
        might = np.flatnonzero(~out[:, must].any(axis=1))
        some = self._first(might, asked, lambda t: t.mends)
        if some is None:
            return None
        whole = self._first(inside, set(), lambda t: not t.fails)
        return told(some, whole, self._turned(whole).near if whole is not None else ())

    def _first(self, among: Rows, roomy: set[str], good: Callable[[_Turned], bool]) -> int | None:
        """The first good one of some turns that grow. One costs as much as the line itself: looked at is first that at which what is
        to hold is inside by as much as its doubt wants, and a few beyond it."""
        held = [k for k, code in enumerate(self._codes) if code in roomy]
        rooms = np.array([self._rooms[self._codes[k]] for k in held])
        enough = among[(self._margins[among][:, held] >= rooms).all(axis=1)]
        if not len(enough):
            return None
        first = self._steps[enough[0]]
        on = [s for s in (self._steps[k] for k in among) if s * first > 0 and abs(s) >= abs(first)]
        return next((s for s in (on[k] for k in BEYOND if k < len(on)) if good(self._turned(s))), None)

    def _pose(self, step: int) -> Pose:
        return turned_as_made(self._scene, self._root, step * STEP_TURN_DEG)

    def _judged(self, steps: list[int]) -> tuple[list[int], JudgedRows]:
        """The line's bare figures at rest at each turn at which it can run: at many it costs little more than at one."""
        try:
            places = turned_in_steps(self._scene, self._root, [step * STEP_TURN_DEG for step in steps])
            return steps, judged_with(self._scene, self._line, self._root, *places)
        except InputError:
            if len(steps) == 1:
                raise
        runs, rows = [], []
        for half in (steps[: len(steps) // 2], steps[len(steps) // 2 :]):
            with suppress(InputError):
                ran, found = self._judged(half)
                runs += ran
                rows.append(found)
        if not rows:
            raise InputError("line", "cannot run with its pinion turned")
        return runs, replace(rows[0], values=np.concatenate([r.values for r in rows]))

    def _turned(self, step: int) -> _Turned:
        if step not in self._seen:
            checks = line_checks(self._scene.with_pose(self._root, self._pose(step)), self._line).checks
            after = {c.code: c.verdict for c in checks}
            fails = frozenset(code for code, verdict in after.items() if verdict == "fails")
            mends = all(after.get(code) == "holds" for code in self._asked_by) and fails <= self._failed.keys()
            mends_all = mends and all(after.get(code) == "holds" for code in self._failed)
            near = tuple(c.name for c in checks if c.verdict == "near")
            self._seen[step] = _Turned(fails, mends, mends_all, near)
        return self._seen[step]


@record
class _Turned:
    """What a turn leaves failing; whether it makes all hold that asks for it, at no other's cost, and all that failed; and by name
    what it leaves near."""

    fails: frozenset[str]
    mends: bool
    mends_all: bool
    near: tuple[str, ...]


def _room(check: Check, limits: Limits) -> float:
    """How far inside its limit a check that fails must come to hold."""
    room = room_to_be_sure(check.sd or 0.0, limits.sure)
    if check.family == "joint":
        return max(room, limits.joints.near_margin_deg)
    if check.unit in GROW_AS_SQUARES and check.high and check.value:
        # It grows as the square of how far the line is bent, and so its doubt as its root.
        room *= math.sqrt(min(1.0, check.high / check.value))
    return room


def within_line(name: str, line: Driveline) -> str:
    """The name of one of a line's checks where the line need not be said."""
    return name.removeprefix(line.name).lstrip(",: ")


def setting_remedy(scene: Scene, line: Driveline, setting: Setting) -> Remedy:
    """A turn of the driven part as a remedy: how much, what it does for the line, and what to make for it."""
    own = [within_line(name, line) for name in setting.near]
    near = f" and leaves near: {named(', '.join(own))}" if own else ""
    also = ""
    if setting.mends_line:
        also = f"; that brings the whole line inside its limits{near}"
    elif load_code(line) in setting.asked_by:
        also = RUNS_EVENLY
    remedy = roll_remedy(scene, line, setting.root, setting.turn_deg, also)
    if setting.whole_deg is None or setting.mends_line:
        return remedy
    text = f"Something else of the line still fails then: {{0}} brings all of it inside its limits{near}."
    return replace(remedy, words=joined(remedy.words, words(text, deg(abs(setting.whole_deg)))))
