"""Where a build's driveline runs in a scene: at rest, under load and through the states of its axle."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from functools import cached_property, lru_cache
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.memo import Kept
from elmpeg.core.base.pose import Pose, rotation
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import angle_deg, dot, norm, scale, sub
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import CarriedAxle, Driveline
from elmpeg.core.methods.driveline.axle_travel import AxleMove, Suspension, axle_moves
from elmpeg.core.methods.driveline.joint_limits import judged_rpm
from elmpeg.core.methods.driveline.joint_motion import Array
from elmpeg.core.methods.driveline.line_motion import (
    BareFigures,
    DrivelineMotion,
    Joint,
    LaidLine,
    RunFigures,
    angles_between,
    axes_of,
    bare_figures,
    driveline_motions,
    line_axes,
)
from elmpeg.core.scene.carried_axle import carried_at, suspension_of
from elmpeg.core.scene.in_state import in_states, load_turn_deg, load_turns_deg
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import State, under_load


@record
class LineStep:
    """A line in one state of its axle: each joint's angle and each shaft's length."""

    state: State
    angles_deg: tuple[float, ...]
    lengths_mm: tuple[float, ...]


def axle_of(build: Build, line: Driveline) -> CarriedAxle | None:
    """The carried axle that moves a line's end, where one is named."""
    return build.axle(line.axle) if line.axle else None


def joint_max_deg(build: Build, line: Driveline, index: int) -> float | None:
    """How far a joint bends at most: its own figure, else that of its shafts' joint size, None where nobody said."""
    return _maxima(build, line)[index]


def _maxima(build: Build, line: Driveline) -> tuple[float | None, ...]:
    return _MOST.get((build.series, line), lambda: tuple(_most_deg(build, line, k) for k in range(len(line.joints))))


_MOST: Kept[tuple[float | None, ...]] = Kept(512)


def _most_deg(build: Build, line: Driveline, index: int) -> float | None:
    own = line.joints[index].max_angle_deg
    if own is not None:
        return own
    sizes = {s.id: s.max_angle_deg for s in build.series}
    beside = [sizes[s.series] for k in (index - 1, index) if (s := line.shaft(k)) and s.series in sizes]
    return min(beside) if beside and line.joints[index].kind == "cardan" else None


def laid_line(scene: Scene, line: Driveline) -> LaidLine:
    """Where a line runs. End axes are turned to point from the drive end to the driven end.

    Raises InputError where an end has no axis.
    """
    most = _maxima(scene.build, line)
    joints = tuple(Joint(j.id, scene.xyz(j.point), j.kind, most[k]) for k, j in enumerate(line.joints))
    ends = []
    for k, near, far in ((0, 0, 1), (-1, -2, -1)):
        axis = scene.axis(line.joints[k].point)
        if axis is None:
            raise InputError("axis", f"Needs the axis of {scene.declared(line.joints[k].point).name}.")
        along = sub(joints[far].xyz_mm, joints[near].xyz_mm) if len(joints) > 1 else axis
        ends.append(axis if dot(axis, along) >= 0 else scale(axis, -1.0))
    return LaidLine(ends[0], ends[1], joints)


def angles_of(laid: LaidLine) -> tuple[float, ...]:
    """Each joint's true angle, deg; quick enough to search with."""
    return tuple(angle_deg(arriving, leaving) for arriving, leaving in pairwise(line_axes(laid.input_axis, laid.output_axis, laid.joints)))


def angles_in(scene: Scene, line: Driveline) -> tuple[float, ...]:
    """Each joint's true angle in a scene, deg."""
    return angles_of(laid_line(scene, line))


def lengths_of(laid: LaidLine) -> tuple[float, ...]:
    """Each shaft's length from joint centre to joint centre, mm."""
    return tuple(norm(sub(b.xyz_mm, a.xyz_mm)) for a, b in pairwise(laid.joints))


@record
class LineAt:
    """A line in one scene, where it lies and its figures: at rest, under drive and on the overrun (the same without an axle)."""

    scene: Scene
    laid: LaidLine
    rest: RunFigures
    drive: RunFigures
    coast: RunFigures


@record
class LinesAt:
    """A line in many scenes as arrays: its joints (scenes x joints x 3), and its bare figures at rest, under drive and on the overrun."""

    places: Array
    rest: BareFigures
    drive: BareFigures
    coast: BareFigures

    def one(self, scene: Scene, laid: LaidLine, k: int) -> LineAt:
        """One of them by itself."""
        return LineAt(scene, laid, *(_told(f, k) for f in (self.rest, self.drive, self.coast)))


@record
class StepsAt:
    """A line in some states of its axle, in many scenes: scenes x states x joints, deg, and x shafts, mm."""

    states: tuple[State, ...]
    angles_deg: Array
    lengths_mm: Array

    def at(self, state: State) -> int:
        """Which of the states it is."""
        return self.states.index(state)

    def steps(self, k: int) -> tuple[LineStep, ...]:
        """Those of one scene."""
        rows = zip(self.states, self.angles_deg[k].tolist(), self.lengths_mm[k].tolist(), strict=True)
        return tuple(LineStep(s, tuple(a), tuple(d)) for s, a, d in rows)


@record
class _Moves:
    """Where an axle goes, by state: its turns (states x 3 x 3) about its centre, and the centre's shifts (states x 3), mm."""

    turns: Array
    shifts_mm: Array


class Lines:
    """One line in several scenes of one build, worked out together as arrays of scenes x joints x 3."""

    def __init__(self, scenes: list[Scene], line: Driveline) -> None:
        """Raises InputError where an end has no axis."""
        self.scenes, self.line = scenes, line
        self.build = scenes[0].build
        self.axle = axle_of(self.build, line)
        self.laid = laid_line(scenes[0], line)
        points = [j.point for j in line.joints]
        first = scenes[0]
        usual = {p: (first.xyz(p), first.axis(p)) for p in points}
        # A nudged scene differs in a point or two.
        found = [[usual[p] if s.same_point(first, p) else (s.xyz(p), s.axis(p)) for p in points] for s in scenes]
        self._places = np.array([[xyz for xyz, _ in one] for one in found])
        self._inputs, self._outputs = (np.array([one[k][1] for one in found], dtype=np.float64) for k in (0, -1))
        if len(points) > 1:
            # An end's axis points from the drive end to the driven end.
            self._inputs = _towards(self._inputs, self._places[:, 1] - self._places[:, 0])
            self._outputs = _towards(self._outputs, self._places[:, -1] - self._places[:, -2])
        self._carried: list[bool] = []
        if self.axle is not None:
            own = self.axle.component
            self._carried = [scenes[0].root(scenes[0].declared(j.point).on) == own for j in line.joints]
            self._centres = np.array([scene.placement(own).origin_mm for scene in scenes])

    @cached_property
    def _carried_by(self) -> list[Suspension]:
        """What carries the axle in each scene: the same in all that move nothing of it."""
        assert self.axle is not None
        first, held = self.scenes[0], carried_at(self.axle)
        usual = suspension_of(first, self.axle)
        return [usual if scene.same_here(first, held) else suspension_of(scene, self.axle) for scene in self.scenes]

    def at_rest(self) -> list[LineAt]:
        """The line in each scene by itself. Raises InputError where it cannot run."""
        found = self.together()
        return [found.one(s, self.laid if s is self.scenes[0] else laid_line(s, self.line), k) for k, s in enumerate(self.scenes)]

    def together(self) -> LinesAt:
        """Figures at rest, under drive and on the overrun in all scenes. Raises InputError where the line cannot run."""
        n = len(self.scenes)
        axes = [axes_of(self._inputs, self._outputs, self._places)]
        if self.axle is not None:
            turns = np.array([rotation(Pose(pitch_deg=turn)) for turn in load_turns_deg(self.build, self.axle)])
            moved = self._moved(np.repeat(turns, n, axis=0), np.zeros((2 * n, 3)), np.tile(np.arange(n), 2))
            axes.append(axes_of(*moved))
        kinds = tuple(j.kind for j in self.line.joints)
        figures = bare_figures(_rpm(self.build, self.line), np.concatenate(axes), kinds, self.line.phases_deg)
        drive, coast = (n, 2 * n) if self.axle is not None else (0, 0)
        return LinesAt(self._places, *(_some(figures, first, n) for first in (0, drive, coast)))

    def geometry(self) -> Array:
        """What the figures at rest hang on, a row a scene: both end axes and the joints' places, as numbers."""
        return np.concatenate((self._inputs, self._outputs, self._places.reshape(len(self.scenes), -1)), axis=1)

    def shaken(self, rows: Array, loaded: bool) -> LinesAt:
        """The bare figures in many scenes told only by their geometry (scenes x numbers, as ``geometry`` gives them), the axle
        being where it is in the first scene; under load only where that is asked for. Raises InputError where the line cannot run in one of them."""
        n = len(rows)
        ends = rows[:, :3], rows[:, 3:6]
        inputs, outputs = (one / np.sqrt(np.einsum("ij,ij->i", one, one))[:, None] for one in ends)
        places = rows[:, 6:].reshape(n, len(self.line.joints), 3)
        axes = [axes_of(inputs, outputs, places)]
        loaded = loaded and self.axle is not None
        if loaded and self.axle is not None:
            for turn in load_turns_deg(self.build, self.axle):
                turned = np.broadcast_to(rotation(Pose(pitch_deg=turn)), (n, 3, 3))
                axes.append(axes_of(*self._carried_along(turned, np.zeros((n, 3)), inputs, outputs, places.copy(), self._centres[:1])))
        kinds = tuple(j.kind for j in self.line.joints)
        found = bare_figures(_rpm(self.build, self.line), np.concatenate(axes), kinds, self.line.phases_deg)
        drive, coast = (n, 2 * n) if loaded else (0, 0)
        return LinesAt(places, *(_some(found, first, n) for first in (0, drive, coast)))

    def steps(self, states: tuple[State, ...]) -> list[tuple[LineStep, ...]]:
        """The line in each state of its axle, in each scene by itself. Raises InputError out of reach, or without an axle."""
        found = self.stepped(states)
        return [found.steps(k) for k in range(len(self.scenes))]

    def stepped(self, states: tuple[State, ...], alone: bool = False) -> StepsAt:
        """The line in each state of its axle, in all scenes, or in the first ``alone``. Raises InputError out of reach, or
        without an axle. Of a state only what it says of this axle counts."""
        if self.axle is None:
            raise InputError("axle", "say which axle the line follows")
        scenes = self.scenes[:1] if alone else self.scenes
        stands = tuple(_stand(self.build, self.axle, s) for s in states)
        usual = _moves(self._carried_by[0], stands)
        moves = [usual if by is self._carried_by[0] else _moves(by, stands) for by in self._carried_by[: len(scenes)]]
        which = np.repeat(np.arange(len(scenes)), len(states))
        inputs, outputs, places = self._moved(np.concatenate([m.turns for m in moves]), np.concatenate([m.shifts_mm for m in moves]), which)
        shape = (len(scenes), len(states), -1)
        return StepsAt(states, angles_between(axes_of(inputs, outputs, places)).reshape(shape), lengths_between(places).reshape(shape))

    def together_with(self, root: str, rotations: Array, origins_mm: Array) -> LinesAt:
        """Figures at rest, under drive and on the overrun in the first scene, with a driving part in each of some places (n x 3 x 3 and
        n x 3). Raises InputError where the line cannot run."""
        inputs, outputs, places, centres = self._with(root, rotations, origins_mm)
        n, axes = len(origins_mm), [axes_of(inputs, outputs, places)]
        if self.axle is not None:
            for turn in load_turns_deg(self.build, self.axle):
                turned = np.broadcast_to(rotation(Pose(pitch_deg=turn)), (n, 3, 3))
                axes.append(axes_of(*self._carried_along(turned, np.zeros((n, 3)), inputs, outputs, places.copy(), centres)))
        kinds = tuple(j.kind for j in self.line.joints)
        found = bare_figures(_rpm(self.build, self.line), np.concatenate(axes), kinds, self.line.phases_deg)
        drive, coast = (n, 2 * n) if self.axle is not None else (0, 0)
        return LinesAt(places, *(_some(found, first, n) for first in (0, drive, coast)))

    def _with(self, root: str, rotations: Array, origins: Array) -> tuple[Array, Array, Array, Array]:
        """End axes, joints and the axle's centre in the first scene, a row a place of a driving part that carries some of them."""
        scene, n = self.scenes[0], len(origins)
        before = scene.placement(root)
        turns, was = rotations @ np.array(before.rotation).T, np.array(before.origin_mm)
        held = [scene.root(scene.declared(j.point).on) == root for j in self.line.joints]
        inputs, outputs, places = (np.repeat(a[:1], n, axis=0) for a in (self._inputs, self._outputs, self._places))
        for k, on in enumerate(held):
            if on:
                places[:, k] = origins + turns @ (places[0, k] - was)
        inputs = turns @ inputs[0] if held[0] else inputs
        outputs = turns @ outputs[0] if held[-1] else outputs
        # An end's axis points from the drive end to the driven end, wherever they are now.
        if len(self.line.joints) > 1:
            inputs, outputs = _towards(inputs, places[:, 1] - places[:, 0]), _towards(outputs, places[:, -1] - places[:, -2])
        centres = np.repeat(self._centres[:1], n, axis=0) if self.axle is not None else np.zeros((n, 3))
        if self.axle is not None and scene.root(self.axle.component) == root:
            centres = origins + turns @ (centres[0] - was)
        return inputs, outputs, places, centres

    def _moved(self, turns: Array, shifts: Array, which: NDArray[np.int_]) -> tuple[Array, Array, Array]:
        """End axes and joints of the scenes ``which``, what the axle carries turned about its centre and shifted."""
        return self._carried_along(turns, shifts, self._inputs[which], self._outputs[which], self._places[which], self._centres[which])

    def _carried_along(
        self, turns: Array, shifts: Array, inputs: Array, outputs: Array, places: Array, centres: Array
    ) -> tuple[Array, Array, Array]:
        for k, on in enumerate(self._carried):
            if on:
                places[:, k] = centres + shifts + np.einsum("nij,nj->ni", turns, places[:, k] - centres)
        if self._carried[0]:
            inputs = np.einsum("nij,nj->ni", turns, inputs)
        if self._carried[-1]:
            outputs = np.einsum("nij,nj->ni", turns, outputs)
        return inputs, outputs, places


def lengths_between(places: Array) -> Array:
    """Each shaft's length from joint centre to joint centre, lines x shafts, mm, of joints as lines x joints x 3."""
    along = places[:, 1:] - places[:, :-1]
    long: Array = np.sqrt(np.einsum("nij,nij->ni", along, along))
    return long


def _towards(axes: Array, along: Array) -> Array:
    return axes * np.where(np.einsum("ni,ni->n", axes, along) < 0, -1.0, 1.0)[:, None]


def _told(found: BareFigures, k: int) -> RunFigures:
    bends = [(x, y, z) for x, y, z in found.bends_deg[k].tolist()]
    angles, ripples, accels = (tuple(a[k].tolist()) for a in (found.angles_deg, found.ripples_pct, found.accels_rad_s2))
    return RunFigures(angles, tuple(bends), ripples, accels)


def _some(found: BareFigures, first: int, n: int) -> BareFigures:
    arrays = (found.angles_deg, found.bends_deg, found.ripples_pct, found.accels_rad_s2)
    return BareFigures(*(a[first : first + n] for a in arrays))


Stand = tuple[float, float, float]
"""How an axle stands: its centre's rise, mm, its right side up and its front side up, deg."""


def _stand(build: Build, axle: CarriedAxle, state: State) -> Stand:
    at = state.axle(axle.id)
    return (at.rise_mm, at.roll_deg, load_turn_deg(build, axle, at))


@lru_cache(256)
def _moves(carried: Suspension, stands: tuple[Stand, ...]) -> _Moves:
    # Kept, since moving an engine asks again about an axle that stays where it is.
    found: dict[tuple[float, float], AxleMove] = {}
    for roll in dict.fromkeys(r for _, r, _ in stands):
        rises = tuple(h for h, r, _ in stands if r == roll)
        found.update({(h, roll): move for h, move in zip(rises, axle_moves(carried, rises, roll), strict=True)})
    moves = [found[h, roll] for h, roll, _ in stands]
    turns = np.array([rotation(Pose(roll_deg=m.roll_deg, pitch_deg=m.pitch_deg, yaw_deg=m.yaw_deg)) for m in moves])
    wound = np.array([rotation(Pose(pitch_deg=turn)) for _, _, turn in stands])
    return _Moves(wound @ turns, np.array([m.shift_mm for m in moves]))


def lines_at(scenes: list[Scene], line: Driveline) -> list[LineAt]:
    """A line in several scenes of one build at once. Raises InputError where it cannot run."""
    return Lines(scenes, line).at_rest() if scenes else []


def steps_at(scene: Scene, line: Driveline, axle: CarriedAxle, states: tuple[State, ...]) -> tuple[LineStep, ...]:
    """The line in each state of an axle. Raises InputError out of reach."""
    followed = line if line.axle == axle.id else replace(line, axle=axle.id)
    return Lines([scene], followed).steps(states)[0]


def laid_under_load(scene: Scene, line: Driveline) -> tuple[LaidLine, LaidLine, LaidLine]:
    """Where a line runs at rest, under drive and on the overrun; three times the same without an axle."""
    rest, axle = laid_line(scene, line), axle_of(scene.build, line)
    if axle is None:
        return (rest, rest, rest)
    drive, coast = in_states(scene, under_load(axle.id))
    return (rest, laid_line(drive, line), laid_line(coast, line))


def motions_under_load(scene: Scene, line: Driveline) -> tuple[DrivelineMotion, DrivelineMotion, DrivelineMotion]:
    """A line's full motion at rest, under drive and on the overrun."""
    rest, drive, coast = driveline_motions(_rpm(scene.build, line), laid_under_load(scene, line), line.phases_deg)
    return rest, drive, coast


def _rpm(build: Build, line: Driveline) -> float:
    return judged_rpm(line.rpm, build.limits.school, build.limits.joints, line.use)


Steps = Mapping[State, LineStep]
"""A line in the states of its axle that some drafts ask for, rest among them."""
