"""How far to turn a line's driven part about its own cross line: one amount for all of the line's checks that a turn mends.

A joint, the driven end under load and the line's school each ask for the pinion; an amount
of its own for each would leave the others failing. The turns are looked over with the line's
own checks as judge, first bare, then with their doubt.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose
from elmpeg.core.base.quantities import deg, joined, plain, words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import margin_within, outside
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.judging.checks import Check, Remedy
from elmpeg.core.judging.drafts import Judged
from elmpeg.core.judging.judge import room_to_be_sure
from elmpeg.core.scene.line_in_scene import axle_of
from elmpeg.core.scene.scene import Scene, root_of
from elmpeg.core.stages.drive.line_checks import judged_with, line_checks
from elmpeg.core.stages.drive.load_checks import load_code
from elmpeg.core.stages.drive.pinion_turn import turned_as_made, with_means

MOST_TURN_DEG, STEP_TURN_DEG = 8.0, 0.1
"""How far a turn is looked for, and how finely it is told."""


@record
class Setting:
    """A turn of a line's driven part, front side up, deg, with which all that asks for it holds and nothing else of the line fails
    that did not. ``whole_deg`` is the smallest with which nothing of the line fails, None where there is none: the same turn, or one
    that leaves ``near`` what asks for it."""

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
    return _Turns(scene, line, root, checks, tuple(c.code for c in asking)).best()


class _Turns:
    """A line by the turn of its driven part, in steps from where it is."""

    def __init__(self, scene: Scene, line: Driveline, root: str, checks: Sequence[Check], asked_by: tuple[str, ...]) -> None:
        self._scene, self._line, self._root, self._asked_by = scene, line, root, asked_by
        self._failed = {c.code for c in checks if c.verdict == "fails"}
        sure, near = scene.build.limits.sure, scene.build.limits.joints.near_margin_deg
        self._rooms = {
            c.code: max(room_to_be_sure(c.sd or 0.0, sure), near if c.family == "joint" else 0.0) for c in checks if c.code in asked_by
        }
        self._bare = self._judged([sign * k for k in range(1, round(MOST_TURN_DEG / STEP_TURN_DEG) + 1) for sign in (1, -1)])
        self._seen: dict[int, _Turned] = {}

    def best(self) -> Setting | None:
        """The smallest turn of the best kind there is: all that failed holds, nothing of the line fails, what asks for it holds."""

        def told(step: int, whole: int | None, near: tuple[str, ...] = ()) -> Setting:
            return Setting(self._root, step * STEP_TURN_DEG, self._asked_by, None if whole is None else whole * STEP_TURN_DEG, near)

        for kind in (lambda t: t.mends_all, lambda t: t.mends and not t.fails):
            whole = self._smallest(lambda out: out, kind)
            if whole is not None:
                return told(whole, whole)
        some = self._smallest(self._in_the_way, lambda t: t.mends)
        whole = self._smallest(lambda out: out, lambda t: not t.fails)
        if some is None:
            return None
        return told(some, whole, self._turned(whole).near if whole is not None else ())

    def _in_the_way(self, out: set[str]) -> set[str]:
        """Of what a turn leaves outside, what it must not."""
        return {c for c in out if c in self._asked_by or c not in self._failed}

    def _smallest(self, bad: Callable[[set[str]], set[str]], good: Callable[[_Turned], bool]) -> int | None:
        """The smallest good turn of those that leave nothing bad outside."""
        clear = [s for s, row in self._bare.items() if not bad({j.code for j in row if outside(j.value, j.low, j.high)})]
        found = [self._first([s for s in clear if s * sign > 0], good) for sign in (1, -1)]
        return min((step for step in found if step is not None), key=abs, default=None)

    def _first(self, steps: list[int], good: Callable[[_Turned], bool]) -> int | None:
        """The first good one of some turns that grow: looked for in strides that double from where all that asks is inside by as
        much as its doubt wants, then back; where no stride meets one, their middle is looked at too."""
        if not steps:
            return None
        begin = next((n for n, s in enumerate(steps) if self._roomy(s)), 0)
        at, last = begin, begin - 1
        while at < len(steps) and not good(self._turned(steps[at])):
            last, at = at, 2 * at + 1 - begin
        if at >= len(steps):
            at, last = len(steps) // 2, -1
            if not good(self._turned(steps[at])):
                return None
        while at - last > 1:
            middle = (last + at) // 2
            last, at = (last, middle) if good(self._turned(steps[middle])) else (middle, at)
        while at > 0 and good(self._turned(steps[at - 1])):
            at -= 1
        return steps[at]

    def _roomy(self, step: int) -> bool:
        return all(margin_within(j.value, j.low, j.high) >= self._rooms[j.code] for j in self._bare[step] if j.code in self._rooms)

    def _pose(self, step: int) -> Pose:
        return turned_as_made(self._scene, self._root, step * STEP_TURN_DEG)

    def _judged(self, steps: list[int]) -> dict[int, tuple[Judged, ...]]:
        """The line's bare figures at rest at each turn at which it can run: at many it costs little more than at one."""
        try:
            rows = judged_with(self._scene, self._line, self._root, [self._pose(s) for s in steps])
        except InputError:
            if len(steps) == 1:
                return {}
            half = len(steps) // 2
            return self._judged(steps[:half]) | self._judged(steps[half:])
        return dict(zip(steps, rows, strict=True))

    def _turned(self, step: int) -> _Turned:
        if step not in self._seen:
            checks = line_checks(self._scene.with_pose(self._root, self._pose(step)), self._line).checks
            after = {c.code: c.verdict for c in checks}
            fails = frozenset(code for code, verdict in after.items() if verdict == "fails")
            mends = all(after.get(code) == "holds" for code in self._asked_by) and fails <= self._failed
            mends_all = mends and all(after.get(code) == "holds" for code in self._failed)
            near = tuple(c.name for c in checks if c.code in self._asked_by and c.verdict != "holds")
            self._seen[step] = _Turned(fails, mends, mends_all, near)
        return self._seen[step]


@record
class _Turned:
    """What a turn leaves failing; whether it makes all hold that asks for it, at no other's cost, and all that failed; and of what
    asks for it the names of what then does not hold."""

    fails: frozenset[str]
    mends: bool
    mends_all: bool
    near: tuple[str, ...]


def setting_remedy(scene: Scene, line: Driveline, setting: Setting) -> Remedy:
    """A turn of the driven part as a remedy: how much, what it does for the line, and what to make for it."""
    also = ""
    if setting.mends_line:
        also = "; the whole line is then inside its limits"
    elif load_code(line) in setting.asked_by:
        also = "; the driven end then runs evenly enough wound up and on the overrun"
    remedy = roll_remedy(scene, line, setting.root, setting.turn_deg, also)
    if setting.whole_deg is None or setting.mends_line:
        return remedy
    text = f"Something else of the line still fails then: {{0}} brings all of it inside, and leaves near: {plain(', '.join(setting.near))}."
    return replace(remedy, words=joined(remedy.words, words(text, deg(abs(setting.whole_deg)))))


def roll_remedy(scene: Scene, line: Driveline, root: str, turn_deg: float, also: str) -> Remedy:
    """A turn of the driven part in words, and what to make for it."""
    # A pinion in front of its axle looks up when the axle turns tail down; one behind it looks down.
    ahead = scene.xyz(line.joints[-1].point)[0] < scene.placement(root).origin_mm[0]
    way = "up" if (turn_deg > 0) == ahead else "down"
    said = words(f"Roll the pinion {way} {{0}}{also}.", deg(abs(turn_deg)))
    return Remedy(with_means(said, scene, axle_of(scene.build, line), root, turn_deg), root, turned_as_made(scene, root, turn_deg))
