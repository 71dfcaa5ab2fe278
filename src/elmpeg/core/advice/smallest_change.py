"""The smallest set of changes that brings every joint of a driveline inside its limits, through the whole travel.

A search over positions with the line's own checks as judge: each set of what may
move, the smallest sets first, is looked over on a grid; where nothing there
holds, the nearest misses are followed downhill; what holds is then made as small
as it will go, told in steps that can be made, and judged once more by the whole
evaluation, which also tells what else it upsets.
"""

from __future__ import annotations

import itertools
import math
from collections.abc import Callable
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import least_squares

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import pose_of
from elmpeg.core.base.quantities import Quantity, Words, deg, lowered, mm, words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import margin_within
from elmpeg.core.build.document import Build, with_option
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.build.options import Option, Position, with_positions
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.evaluation.evaluate import Evaluation, evaluate
from elmpeg.core.judging.checks import Check
from elmpeg.core.judging.drafts import Judged
from elmpeg.core.scene.mount_groups import mount_groups, rear_raiser
from elmpeg.core.scene.scene import Scene, root_of
from elmpeg.core.stages.drive.line_checks import judged
from elmpeg.core.stages.drive.line_checks import told as told_of
from elmpeg.core.stages.drive.pinion_turn import turned_as_made

FreedomKind = Literal["tail", "height", "sideways", "pinion", "carrier_height", "carrier_sideways"]
MOST_TOGETHER = 3
GRID = {1: 41, 2: 11, 3: 7}
"""Places looked at along each of so many freedoms."""
MISSES_FOLLOWED = {1: 2, 2: 2, 3: 1}
"""Nearest misses followed downhill, by how many move together."""
MOST_PLACES = 12_000
"""When so many places have been judged no further set is begun; those left are told as not looked at."""
STEP = {"mm": 0.5, "deg": 0.1}
KEPT_CLEAR_DEG = (0.1, 0.0)
"""Looked for first: inside by this much, as a joint's near margin is; then just inside."""
HOPELESS = 4.0
"""A miss so many times what staying clear costs is not mended by no longer staying clear."""
STEEP = 100.0
"""Stands for a line that cannot run at all in some place."""


@record
class Freedom:
    """Something that may move, and how far either way from where it is: mm, or deg for the pinion."""

    id: str
    kind: FreedomKind
    name: str
    component: str
    low: float
    high: float

    @property
    def unit(self) -> Literal["mm", "deg"]:
        """What it is told in."""
        return "deg" if self.kind == "pinion" else "mm"


@record
class Change:
    """One freedom's amount, in words."""

    freedom: Freedom
    amount: float
    words: Words


@record
class Solution:
    """What to change, the positions it leads to, and what else that upsets or mends."""

    changes: tuple[Change, ...]
    positions: tuple[Position, ...]
    evaluation: Evaluation
    upset: tuple[Check, ...]


@record
class NoSolution:
    """No set of changes does it: the nearest that was found, and the checks that stop it there."""

    nearest: tuple[Change, ...]
    stopped_by: tuple[Check, ...]
    looked_at: int
    of: int


@record
class Progress:
    """How many sets of changes have been looked at, and of which the search is looking now."""

    done: int
    total: int
    looking_at: str


class Cancelled(Exception):
    """Somebody has stopped the search."""


def freedoms_of(build: Build, option: Option, line: Driveline) -> tuple[Freedom, ...]:
    """What could move to mend a line, with usual room either way. What is part of the vehicle stays."""
    scene = Scene(build, option)
    found: list[Freedom] = []
    drive = scene.declared(line.joints[0].point).on
    if drive != VEHICLE and root_of(build, drive).movable:
        root = root_of(build, drive)
        groups = mount_groups(scene, drive)
        if groups.front and groups.rear:
            names = " and ".join(m.name for m in groups.rear)
            found.append(Freedom(f"tail.{root.id}", "tail", f"{names}, up or down", root.id, -20.0, 40.0))
        found.append(Freedom(f"height.{root.id}", "height", f"{root.name}, up or down", root.id, -20.0, 20.0))
        found.append(Freedom(f"sideways.{root.id}", "sideways", f"{root.name}, sideways", root.id, -20.0, 20.0))
    driven = scene.declared(line.joints[-1].point).on
    for joint in line.joints[1:-1]:
        on = scene.declared(joint.point).on
        if on not in (VEHICLE, drive, driven) and root_of(build, on).movable:
            root = root_of(build, on)
            found.append(Freedom(f"carrier_height.{root.id}", "carrier_height", f"{root.name}, up or down", root.id, -50.0, 50.0))
            found.append(Freedom(f"carrier_sideways.{root.id}", "carrier_sideways", f"{root.name}, sideways", root.id, -30.0, 30.0))
    if driven not in (VEHICLE, drive) and root_of(build, driven).movable:
        root = root_of(build, driven)
        found.append(Freedom(f"pinion.{root.id}", "pinion", f"Pinion of {lowered(root.name)}, turned up or down", root.id, -6.0, 6.0))
    return tuple(found)


def moved(scene: Scene, freedoms: tuple[Freedom, ...], amounts: tuple[float, ...]) -> Scene:
    """The scene with each freedom moved by its amount. Raises InputError where a mount cannot rise so far."""
    for freedom, amount in sorted(zip(freedoms, amounts, strict=True), key=lambda f: f[0].kind == "tail"):
        if not amount:
            continue
        pose = pose_of(scene.placement(freedom.component))
        if freedom.kind == "tail":
            pose = rear_raiser(scene, mount_groups(scene, freedom.component))(amount)
        elif freedom.kind == "pinion":
            pose = turned_as_made(scene, freedom.component, amount)
        else:
            way: Literal["y", "z"] = "z" if "height" in freedom.kind else "y"
            pose = pose.with_value(way, pose.value(way) + amount)
        scene = scene.with_pose(freedom.component, pose)
    return scene


def _misses(one: Judged, clear_deg: float) -> float:
    """How far a figure is outside, 0 or less inside, as a share of what its bound is; angles are to stay clear of theirs."""
    scale = 1.0 if one.unit == "deg" else max(abs(one.high or 0.0), abs(one.low or 0.0), 1.0) / 4
    keep = clear_deg if one.unit == "deg" else 0.0
    return (keep - margin_within(one.value, one.low, one.high)) / scale


class _Search:
    """One search: the scene it starts from, the line it mends, and how many places it has judged."""

    def __init__(self, scene: Scene, line: Driveline, tick: Callable[[], None]) -> None:
        self.scene, self.line, self.tick = scene, line, tick
        self.base = self._checks([scene], True)[0] or ()
        self.codes = tuple(c.code for c in self.base)
        self.clear_deg = KEPT_CLEAR_DEG[0]
        self.judged = 0

    def _checks(self, scenes: list[Scene], travel: bool) -> list[tuple[Judged, ...] | None]:
        self.tick()
        try:
            return list(judged(scenes, self.line, travel))
        except InputError:
            if len(scenes) == 1:
                return [None]
            return [one for scene in scenes for one in self._checks([scene], travel)]

    def misses(self, freedoms: tuple[Freedom, ...], places: list[tuple[float, ...]]) -> list[NDArray[np.float64]]:
        """By place: how far each check of the line is outside. Travel is asked for only where all else is inside."""
        scenes: list[Scene | None] = []
        for place in places:
            try:
                scenes.append(moved(self.scene, freedoms, place))
            except InputError:
                scenes.append(None)
        self.judged += len(places)
        steep = np.full(max(1, len(self.codes)), STEEP)
        rows = [steep for _ in places]
        self._fill(rows, scenes, [n for n, scene in enumerate(scenes) if scene is not None], False)
        self._fill(rows, scenes, [n for n, row in enumerate(rows) if np.all(row <= 0)], True)
        return rows

    def _fill(self, rows: list[NDArray[np.float64]], scenes: list[Scene | None], wanted: list[int], travel: bool) -> None:
        if not wanted:
            return
        there = [scene for n in wanted if (scene := scenes[n]) is not None]
        for n, checks in zip(wanted, self._checks(there, travel), strict=True):
            if checks is not None:
                by_code = {c.code: _misses(c, self.clear_deg) for c in checks}
                rows[n] = np.array([by_code.get(code, 0.0) for code in self.codes])

    def holds(self, freedoms: tuple[Freedom, ...], place: tuple[float, ...]) -> bool:
        """Whether every check of the line is inside there."""
        return bool(np.all(self.misses(freedoms, [place])[0] <= 0))

    def found_in(self, freedoms: tuple[Freedom, ...]) -> tuple[tuple[float, ...] | None, tuple[float, tuple[float, ...]]]:
        """A place where all holds, as near as it was found, or None; and the least miss with its place."""
        axes = [np.linspace(f.low, f.high, GRID[len(freedoms)]) for f in freedoms]
        places = [tuple(float(v) for v in p) for p in itertools.product(*axes)]
        rows = self.misses(freedoms, places)
        outside = [float(np.sum(np.maximum(row, 0.0) ** 2)) for row in rows]
        inside = [p for p, o in zip(places, outside, strict=True) if o == 0.0]
        if inside:
            return min(inside, key=lambda p: _size(freedoms, p)), (0.0, inside[0])
        order = sorted(range(len(places)), key=lambda n: outside[n])
        best = (outside[order[0]], places[order[0]])
        for n in order[: MISSES_FOLLOWED[len(freedoms)]]:
            place, left = self._downhill(freedoms, places[n])
            if left < best[0]:
                best = (left, place)
            if self.holds(freedoms, place):
                return place, (0.0, place)
        return None, best

    def _downhill(self, freedoms: tuple[Freedom, ...], start: tuple[float, ...]) -> tuple[tuple[float, ...], float]:
        low, high = np.array([f.low for f in freedoms]), np.array([f.high for f in freedoms])
        wide = high - low

        def off(share: NDArray[np.float64]) -> NDArray[np.float64]:
            place = tuple(float(v) for v in low + share * wide)
            return np.asarray(np.maximum(self.misses(freedoms, [place])[0], 0.0))

        begin = np.clip((np.array(start) - low) / wide, 1e-6, 1 - 1e-6)
        fit = least_squares(off, begin, bounds=(0.0, 1.0), max_nfev=12, diff_step=1e-3)
        return tuple(float(v) for v in low + fit.x * wide), float(2 * fit.cost)

    def told(self, freedoms: tuple[Freedom, ...], place: tuple[float, ...]) -> tuple[float, ...] | None:
        """The place in steps that can be made, each amount as small as all still holds; None where no such step holds."""
        steps = [STEP[f.unit] for f in freedoms]
        exact = [v / s for v, s in zip(place, steps, strict=True)]
        near = itertools.product(*({math.floor(v), math.ceil(v)} for v in exact))
        rounded = [tuple(n * s for n, s in zip(ns, steps, strict=True)) for ns in near]
        rounded = [p for p in rounded if all(f.low <= v <= f.high for f, v in zip(freedoms, p, strict=True))]
        rows = self.misses(freedoms, rounded)
        sound = [p for p, row in zip(rounded, rows, strict=True) if np.all(row <= 0)]
        if not sound:
            return None
        return self._smaller(freedoms, min(sound, key=lambda p: _size(freedoms, p)), steps)

    def _smaller(self, freedoms: tuple[Freedom, ...], place: tuple[float, ...], steps: list[float]) -> tuple[float, ...]:
        """Each amount brought towards zero as far as all holds, by halves, in turn until nothing gives."""
        changed = True
        while changed:
            changed = False
            for k, step in enumerate(steps):
                holds_at, fails_at = round(place[k] / step), 0
                while abs(holds_at - fails_at) > 1:
                    middle = int((holds_at + fails_at) / 2)
                    if self.holds(freedoms, (*place[:k], middle * step, *place[k + 1 :])):
                        holds_at = middle
                    else:
                        fails_at = middle
                if holds_at * step != place[k]:
                    place, changed = (*place[:k], holds_at * step, *place[k + 1 :]), True
        return place


def _size(freedoms: tuple[Freedom, ...], place: tuple[float, ...]) -> float:
    return sum(abs(v) / max(abs(f.low), abs(f.high)) for f, v in zip(freedoms, place, strict=True))


def _sets(freedoms: tuple[Freedom, ...], size: int, missed: dict[frozenset[str], float]) -> list[tuple[Freedom, ...]]:
    """All sets of a size, first those of which a smaller part came nearest."""

    def promise(chosen: tuple[Freedom, ...]) -> float:
        parts = itertools.combinations(chosen, size - 1)
        return min((missed.get(frozenset(f.id for f in part), math.inf) for part in parts), default=math.inf)

    return sorted(itertools.combinations(freedoms, size), key=promise)


def solve(
    build: Build,
    option_id: str,
    line_id: str,
    freedoms: tuple[Freedom, ...],
    told: Callable[[Progress], None] = lambda _: None,
    stop: Callable[[], bool] = lambda: False,
) -> Solution | NoSolution:
    """The smallest set of changes that brings every check of a line inside, or what stops it.

    Fewest changes first; among sets of one size, those that upset nothing else, then
    the smallest amounts as shares of what each may move. Raises Cancelled when ``stop``
    says so, InputError where there is nothing to move, nothing to mend, or no line.
    """
    option, line = build.option(option_id), build.driveline(line_id)
    if not freedoms:
        raise InputError("freedoms", "choose at least one thing that may move")
    for freedom in freedoms:
        if not freedom.low <= 0 <= freedom.high or freedom.low == freedom.high:
            raise InputError(freedom.id, "needs room to move: from 0 or below to 0 or above")
    scene = Scene(build, option)

    def tick() -> None:
        if stop():
            raise Cancelled

    search = _Search(scene, line, tick)
    if not search.codes:
        raise InputError("line", "cannot be worked out yet; measure what it needs first")
    if all(_misses(c, 0.0) <= 0 for c in search.base):
        raise InputError("line", "is inside its limits already; there is nothing to mend")
    before = evaluate(build, option_id)
    sizes = range(1, min(MOST_TOGETHER, len(freedoms)) + 1)
    total = sum(math.comb(len(freedoms), size) for size in sizes)
    done = 0
    missed: dict[frozenset[str], float] = {}
    nearest: tuple[float, tuple[Freedom, ...], tuple[float, ...]] = (math.inf, (), ())
    for size in sizes:
        sound: list[Solution] = []
        for chosen in _sets(freedoms, size, missed):
            if search.judged > MOST_PLACES:
                break
            told(Progress(done, total, ", ".join(f.name for f in chosen)))
            for search.clear_deg in KEPT_CLEAR_DEG:
                place, (miss, at) = search.found_in(chosen)
                fine = search.told(chosen, place) if place is not None else None
                if fine is not None and all(fine):
                    sound.append(solution_of(build, option, chosen, fine, before))
                    break
                if miss > HOPELESS * search.clear_deg**2 * len(search.codes):
                    break
            missed[frozenset(f.id for f in chosen)] = miss
            if miss < nearest[0]:
                nearest = (miss, chosen, at)
            done += 1
        told(Progress(done, total, ""))
        if sound:
            return min(
                sound,
                key=lambda s: (
                    len(s.upset),
                    _close(s, line_id),
                    sum(abs(c.amount) / max(-c.freedom.low, c.freedom.high) for c in s.changes),
                ),
            )
    _, chosen, at = nearest
    stopping = tuple(c for c in told_of(moved(scene, chosen, at), line) if c.verdict == "fails")
    return NoSolution(_changes(scene, chosen, at), stopping, done, total)


def _close(solution: Solution, line_id: str) -> int:
    """How many of the line's checks are near their limits in a solution."""
    return sum(c.verdict == "near" for c in solution.evaluation.checks if c.concerns("drivelines", line_id))


def solution_of(build: Build, option: Option, freedoms: tuple[Freedom, ...], place: tuple[float, ...], before: Evaluation) -> Solution:
    """What some freedoms moved by some amounts make of an option, and what that upsets."""
    scene = Scene(build, option)
    there = moved(scene, freedoms, place)
    roots = dict.fromkeys(f.component for f in freedoms)
    positions = tuple(Position(root, pose_of(there.placement(root))) for root in roots)
    after = evaluate(with_option(build, with_positions(option, positions)), option.id)
    was = {c.code: c.verdict for c in before.checks}
    upset = tuple(c for c in after.checks if c.verdict == "fails" and was.get(c.code) != "fails")
    return Solution(_changes(scene, freedoms, place), positions, after, upset)


def _changes(scene: Scene, freedoms: tuple[Freedom, ...], place: tuple[float, ...]) -> tuple[Change, ...]:
    return tuple(Change(f, v, _said(scene, f, v)) for f, v in zip(freedoms, place, strict=True))


def _said(scene: Scene, freedom: Freedom, amount: float) -> Words:
    size: Quantity = deg(abs(amount)) if freedom.unit == "deg" else mm(abs(amount))
    name = f"the {lowered(scene.build.component(freedom.component).name)}"
    if freedom.kind == "tail":
        mounts = " and ".join(lowered(m.name) for m in mount_groups(scene, freedom.component).rear)
        return words(f"{'Raise' if amount > 0 else 'Lower'} the {mounts} {{0}}.", size)
    if freedom.kind == "pinion":
        return words(f"Turn the front side of {name} {'up' if amount > 0 else 'down'} {{0}}.", size)
    if "height" in freedom.kind:
        return words(f"{'Raise' if amount > 0 else 'Lower'} {name} {{0}}.", size)
    return words(f"Move {name} {{0}} to the {'right' if amount > 0 else 'left'}.", size)
