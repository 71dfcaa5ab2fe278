"""A build at one option, in a state: where every component, wheel and point sits in the vehicle."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from elmpeg.core.base.errors import MissingError
from elmpeg.core.base.memo import Memo
from elmpeg.core.base.pose import Placed, Pose, compose, placed, seen_from
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add
from elmpeg.core.build.components import Component, Wheel
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option
from elmpeg.core.build.rooms import SolidRef
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.methods.shapes.solids import FIXED, Solid
from elmpeg.core.scene.located_points import Located, Rows, surveyed
from elmpeg.core.scene.states import AT_REST, State

KEPT = 24


class Scene:
    """Positions resolved once for an option; a nudged scene shares all but what it nudges.

    A component bolted to another goes where its parent goes; only the driving
    part of an assembly has a position of its own. What is moved or shifted is so
    at rest; where the scene is in a state, all is then brought into it anew.
    """

    __slots__ = (
        *("_assemblies", "_axes", "_moved", "_placements", "_points", "_rest", "_roots", "_shifts", "_stands"),
        *("build", "option", "state", "survey"),
    )

    def __init__(self, build: Build, option: Option) -> None:
        self.build, self.option = build, option
        self.state: State = AT_REST
        self._rest: Scene | None = None
        self._stands: Stands | None = None
        self._points: dict[str, Point] = {p.id: p for p in build.points}
        self.survey = surveyed(build)
        self._shifts: dict[str, Vec3] = {}
        self._axes: dict[str, Vec3] = {}
        carried_by = _carried(build)
        for component_id, root in carried_by.roots.items():
            if root is None:
                raise _ring(component_id)
        self._assemblies = carried_by.on_root
        self._roots = {child: root for root, carried in self._assemblies.items() for child in carried}
        self._moved: dict[str, Placed] = {}
        self._placements: dict[str, Placed] = {}
        for driving, carried in self._assemblies.items():
            self._placements[driving] = placed(pose_in(build, option, driving))
            for child, on_root in carried.items():
                self._placements[child] = compose(self._placements[driving], on_root)

    def _copy(self) -> Scene:
        twin = object.__new__(Scene)
        twin.build, twin.option = self.build, self.option
        twin.state, twin._rest, twin._stands = AT_REST, None, None
        twin._assemblies, twin._roots = self._assemblies, self._roots
        twin._points, twin.survey = self._points, self.survey
        twin._shifts, twin._axes = self._shifts, self._axes
        twin._placements, twin._moved = self._placements, self._moved
        return twin

    def with_point_shifted(self, point_id: str, shift_mm: Vec3) -> Scene:
        """The same scene with one point elsewhere in its own frame, and with it all that were measured from it."""
        follow = self.survey.moves.get(point_id, ())
        return self.with_points_shifted({point_id: shift_mm, **{p: _times(rows, shift_mm) for p, rows in follow}})

    def with_points_shifted(self, shifts_mm: dict[str, Vec3]) -> Scene:
        """The same scene with just these points elsewhere, each in its own frame."""
        if self._rest is not None:
            return self._again(self._rest.with_points_shifted(shifts_mm))
        twin = self._copy()
        twin._shifts = {**self._shifts, **shifts_mm}
        return twin

    def with_axis(self, point_id: str, axis: Vec3) -> Scene:
        """The same scene with one point's axis along another direction of its own frame."""
        if self._rest is not None:
            return self._again(self._rest.with_axis(point_id, axis))
        twin = self._copy()
        twin._axes = {**self._axes, point_id: axis}
        return twin

    def with_pose(self, component_id: str, pose: Pose) -> Scene:
        """The same scene with a driving component, and all that is bolted to it, elsewhere."""
        return self.with_placed(component_id, placed(pose))

    def with_placed(self, component_id: str, where: Placed) -> Scene:
        """The same, by where it is placed."""
        if self._rest is not None:
            return self._again(self._rest.with_placed(component_id, where))
        twin = self._copy()
        carried = self._assemblies[component_id]
        twin._moved = {on: at for on, at in self._moved.items() if on not in carried}
        twin._moved[component_id] = where
        return twin

    def with_motion(self, component_id: str, motion: Placed) -> Scene:
        """The same scene with a part, bolted to another or not, and all that is bolted to it, moved in the vehicle frame. Raises
        MissingError for no part."""
        if self._rest is not None:
            return self._again(self._rest.with_motion(component_id, motion))
        root = self._roots.get(self.build.component(component_id).id)
        if root is None:
            return self.with_placed(component_id, compose(motion, self.placement(component_id)))
        twin, where = self._copy(), self.placement(root)
        going = {part: compose(motion, self.placement(part)) for part in _carried_on(self.build, component_id)}
        twin._assemblies = {**self._assemblies, root: {**self._assemblies[root], **{p: seen_from(where, at) for p, at in going.items()}}}
        twin._moved = {on: at for on, at in self._moved.items() if on not in going}
        twin._placements = {**self._placements, **going}
        return twin

    @property
    def at_rest(self) -> Scene:
        """The same scene at rest."""
        return self if self._rest is None else self._rest

    def standing_in(self, rest: Scene, state: State, stands: Stands) -> Scene:
        """This scene, said to be ``rest`` in a state; ``stands`` brings any scene at rest into it."""
        twin = self._copy()
        twin.state, twin._rest, twin._stands = state, rest, stands
        return twin

    def _again(self, rest: Scene) -> Scene:
        assert self._stands is not None
        return self._stands(rest, self.state).standing_in(rest, self.state, self._stands)

    @property
    def wheels(self) -> tuple[Wheel, ...]:
        """Every wheel where it stands in the state: one on an axle or another part goes with it."""
        rest = self._rest
        if rest is None:
            return self.build.wheels

        def gone(wheel: Wheel) -> Vec3:
            return self.placement(wheel.on).point(rest.placement(wheel.on).local(wheel.centre_mm))

        return tuple(w if w.on in ("", VEHICLE) else replace(w, centre_mm=gone(w)) for w in self.build.wheels)

    def same_here(self, other: Scene, point_ids: tuple[str, ...]) -> bool:
        """Whether all parts, and these points, certainly are where they are in another scene."""
        if self._moved is not other._moved or self._placements is not other._placements:
            return False
        return self._shifts is other._shifts or not any(p in self._shifts or p in other._shifts for p in point_ids)

    def same_point(self, other: Scene, point_id: str) -> bool:
        """Whether a point, and its axis, certainly is where it is in another scene."""
        if self._moved is not other._moved or self._placements is not other._placements:
            return False
        return self._shifts.get(point_id) is other._shifts.get(point_id) and self._axes.get(point_id) is other._axes.get(point_id)

    def declared(self, point_id: str) -> Point:
        """The point as the build declares it; raises MissingError."""
        try:
            return self._points[point_id]
        except KeyError:
            raise MissingError(f"this build has no point “{point_id}”") from None

    def located(self, point_id: str) -> Located:
        """The point's coordinates and doubt in its own frame."""
        try:
            return self.survey.points[point_id]
        except KeyError:
            raise MissingError(f"this build has no point “{point_id}”") from None

    def local(self, point_id: str) -> Vec3:
        """The point in its own frame, mm."""
        xyz = self.located(point_id).xyz_mm
        shift = self._shifts.get(point_id) if self._shifts else None
        return xyz if shift is None else add(xyz, shift)

    def placement(self, on: str) -> Placed:
        """Where a component sits; the vehicle's own things sit in its frame already."""
        if on == VEHICLE:
            return FIXED
        if self._moved:
            if on in self._moved:
                return self._moved[on]
            root = self._roots.get(on)
            if root in self._moved:
                # Only what somebody asks for is carried along in a search over many poses.
                self._moved[on] = compose(self._moved[root], self._assemblies[root][on])
                return self._moved[on]
        return self._placements[on]

    def root(self, on: str) -> str:
        """The driving part of what a component is bolted to; itself for one that stands by itself, and for the vehicle."""
        return self._roots.get(on, on)

    def xyz(self, point_id: str) -> Vec3:
        """The point in the vehicle frame, mm."""
        return self.placement(self.declared(point_id).on).point(self.local(point_id))

    def on_root(self, point_id: str) -> Vec3:
        """A component's point in the frame of its assembly's driving part; no option moves it there."""
        on = self.declared(point_id).on
        if on in self._assemblies:
            return self.local(point_id)
        return self._assemblies[self._roots[on]][on].point(self.local(point_id))

    def axis(self, point_id: str) -> Vec3 | None:
        """The point's axis in the vehicle frame, None where it has none."""
        point = self.declared(point_id)
        axis = self._axes.get(point_id, point.axis)
        return None if axis is None else self.placement(point.on).direction(axis)

    def solid(self, ref: SolidRef) -> Solid:
        """A named solid; raises MissingError."""
        among = self.build.solids if ref.on == VEHICLE else self.build.component(ref.on).solids
        for solid in among:
            if solid.id == ref.solid:
                return solid
        raise MissingError(f"“{ref.on}” has no solid “{ref.solid}”")


Stands = Callable[[Scene, State], Scene]
"""Brings a scene at rest into a state."""


def _times(rows: Rows, v: Vec3) -> Vec3:
    a, b, c = rows
    return (
        a[0] * v[0] + a[1] * v[1] + a[2] * v[2],
        b[0] * v[0] + b[1] * v[1] + b[2] * v[2],
        c[0] * v[0] + c[1] * v[1] + c[2] * v[2],
    )


def root_of(build: Build, component_id: str) -> Component:
    """The driving part of the assembly that a component belongs to."""
    roots = _carried(build).roots
    if component_id not in roots:
        # Says what is not there, in the words that all such refusals have.
        build.component(component_id)
    root = roots[component_id]
    if root is None:
        raise _ring(component_id)
    return root


def _ring(component_id: str) -> MissingError:
    return MissingError(f"the components around “{component_id}” are bolted to each other in a ring; one must drive")


def assembly_of(build: Build, component_id: str) -> tuple[Component, ...]:
    """All components that move with this one, the driving part first."""
    root, roots = root_of(build, component_id), _carried(build).roots
    return (root, *(c for c in build.components if c.id != root.id and roots[c.id] is root))


def _carried_on(build: Build, component_id: str) -> tuple[str, ...]:
    """A part and all that is bolted to it, in turn."""
    found = [component_id]
    for part in found:
        found += [c.id for c in build.components if c.parent == part]
    return tuple(found)


def pose_in(build: Build, option: Option, component_id: str) -> Pose:
    """A driving component's pose in an option, or its own where the option leaves it."""
    return next((p.pose for p in option.positions if p.component == component_id), build.component(component_id).pose)


@record
class _Carried:
    """By component its driving part (None in a ring); by driving part where all that is bolted to it sits in its frame."""

    roots: dict[str, Component | None]
    on_root: dict[str, dict[str, Placed]]


_CARRIED: Memo[_Carried] = Memo("assemblies", ("components",), KEPT)


def _carried(build: Build) -> _Carried:
    return _CARRIED.of(build, lambda: _followed(build.components))


def _followed(components: tuple[Component, ...]) -> _Carried:
    """Every chain of parts followed up to its driving part; what is known of a part further up is not followed again."""
    by_id = {c.id: c for c in components}
    roots: dict[str, Component | None] = {c.id: c for c in components if c.parent is None}
    sits: dict[str, Placed] = {}
    for component in components:
        below: list[Component] = []
        at = component
        while at.id not in roots and not (below and at is below[0]):
            below.append(at)
            above = by_id.get(at.parent or "")
            if above is None or len(below) > len(components):
                break
            at = above
        root = roots.get(at.id)
        for part in reversed(below):
            roots[part.id] = root
            if root is not None and part.parent is not None:
                own = placed(part.pose)
                sits[part.id] = own if part.parent == root.id else compose(sits[part.parent], own)
    on_root: dict[str, dict[str, Placed]] = {c.id: {} for c in components if c.parent is None}
    for component in components:
        root = roots[component.id]
        if root is not None and component.parent is not None:
            on_root[root.id][component.id] = sits[component.id]
    return _Carried(roots, on_root)
