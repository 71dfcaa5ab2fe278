"""Everything that follows from a build's option, as one pure function.

What-if, comparison, frozen predictions, ghosts and remedies are all this same
evaluation of one document or another.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import fields, replace
from threading import Lock
from typing import TypeVar, cast

from elmpeg.core.base.memo import Kept
from elmpeg.core.base.pose import Placed
from elmpeg.core.base.quantities import words
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Option, stack_of
from elmpeg.core.judging.checks import Check, Remedy, worst_first
from elmpeg.core.judging.measure_next import measured_again
from elmpeg.core.scene.carried_axle import carried_at
from elmpeg.core.scene.line_in_scene import axle_of
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.joint_remedies import line_remedies
from elmpeg.core.stages.drive.line_checks import LineChecks, LineState, line_checks
from elmpeg.core.stages.measure.cross_checks import cross_checks
from elmpeg.core.stages.measure.reading_checks import reading_checks
from elmpeg.core.stages.mount.hardware_checks import hardware_checks
from elmpeg.core.stages.mount.mount_checks import MountChecks, MountState, mount_checks
from elmpeg.core.stages.mount.plate_checks import plate_checks
from elmpeg.core.stages.place.room_checks import RoomState, room_check


@record
class PlacedComponent:
    """Where one component sits."""

    component: str
    where: Placed


@record
class PlacedPoint:
    """Where one point sits in the vehicle frame, and the doubt of its coordinates."""

    point: str
    xyz_mm: Vec3
    sd_mm: float


@record
class Evaluation:
    """A build at one option: where everything sits, what state it is in, and every check, worst first."""

    option: str
    components: tuple[PlacedComponent, ...]
    points: tuple[PlacedPoint, ...]
    mounts: tuple[MountState, ...]
    lines: tuple[LineState, ...]
    rooms: tuple[RoomState, ...]
    checks: tuple[Check, ...]

    def check(self, code: str) -> Check | None:
        """The check of a code, if there is one."""
        return next((c for c in self.checks if c.code == code), None)

    def count(self, verdict: Verdict) -> int:
        """How many checks have a verdict."""
        return sum(c.verdict == verdict for c in self.checks)


def evaluate(build: Build, option_id: str) -> Evaluation:
    """Evaluate one option of a build. Raises MissingError for an option or a reference that is not there.

    The answer depends on nothing but its arguments, and not on the order in
    which the build lists its points, components, mounts or lines.
    """
    scene = Scene(build, build.option(option_id))
    settled = Settled(build)
    held = [settled.mount(scene, m) for m in build.mounts]
    mounts, hardware = [found for found, _ in held], [c for _, made in held for c in made]
    lines = [settled.line(scene, line) for line in build.drivelines]
    rooms = [room_check(scene, room) for room in build.rooms]
    checks = [
        *(c for m in mounts for c in m.checks),
        *hardware,
        *(c for line in lines for c in line.checks),
        *(r.check for r in rooms),
        *(c for p in build.points for c in reading_checks(scene, p)),
        *cross_checks(scene),
        *plate_checks(scene),
    ]
    return Evaluation(
        option=option_id,
        components=_placed(scene),
        points=tuple(PlacedPoint(p.id, scene.xyz(p.id), max(scene.located(p.id).sd_mm)) for p in build.points),
        mounts=tuple(m.state for m in mounts if m.state is not None),
        lines=tuple(line.state for line in lines if line.state is not None),
        rooms=tuple(r.state for r in rooms),
        checks=worst_first([measured_again(c) for c in checks]),
    )


class Settled:
    """What is known of mounts and lines whose parts sit where they have sat before in the same document.

    A move changes what hangs on the moved part and nothing else; all of a document
    but its options (and what no check looks at) must be the very same.
    """

    def __init__(self, build: Build) -> None:
        self.found: dict[object, object] = _SETTLED.get(tuple(getattr(build, name) for name in _LOOKED_AT), dict)
        self.most = ROUNDS_SETTLED * (len(build.mounts) + len(build.drivelines))

    def mount(self, scene: Scene, mount: Mount) -> tuple[MountChecks, tuple[Check, ...]]:
        """A mount's checks, and those of what it is made of."""

        def make() -> tuple[MountChecks, tuple[Check, ...]]:
            checks = mount_checks(scene, mount)
            return checks, hardware_checks(scene, mount, checks.state)

        points = (mount.component_point, mount.seat_point)
        return self._at(("mount", mount.id, self._where(scene, points), stack_of(scene.option, mount.id)), make)

    def line(self, scene: Scene, line: Driveline) -> LineChecks:
        """A line's checks, with remedies."""
        axle = axle_of(scene.build, line)
        points = (*(j.point for j in line.joints), *(p for p in (carried_at(axle) if axle else ()) if p))
        key = ("line", line.id, self._where(scene, points), scene.placement(axle.component) if axle else None)
        return self._at(key, lambda: _with_remedies(scene, line_checks(scene, line)))

    def _where(self, scene: Scene, points: tuple[str, ...]) -> tuple[Placed, ...]:
        return tuple(scene.placement(scene.root(scene.declared(p).on)) for p in points)

    def _at(self, key: object, make: Callable[[], T]) -> T:
        settled = self.found.get(key)
        if settled is None:
            settled = make()
            # Several people's pages are worked out at once.
            with _KEEPING:
                self.found[key] = settled
                while len(self.found) > self.most:
                    del self.found[next(iter(self.found))]
        return cast(T, settled)


_KEEPING = Lock()
ROUNDS_SETTLED = 4
"""How many whole evaluations' worth is kept; more only costs memory."""
T = TypeVar("T")
_SETTLED: Kept[dict[object, object]] = Kept(4)
_LOOKED_AT = tuple(f.name for f in fields(Build) if f.name not in ("options", "agreed", "rounds", "orders", "lengths"))


def placed_components(build: Build, option: Option) -> tuple[PlacedComponent, ...]:
    """Where everything sits in an option, without evaluating it."""
    return _placed(Scene(build, option))


def _placed(scene: Scene) -> tuple[PlacedComponent, ...]:
    return tuple(PlacedComponent(c.id, scene.placement(c.id)) for c in scene.build.components)


def _with_remedies(scene: Scene, line: LineChecks) -> LineChecks:
    """A line with remedies at its worst joint; the others wait for that one, since every move changes them all."""
    if line.state is None:
        return line
    failing = [c for c in line.checks if c.family == "joint" and c.verdict == "fails"]
    if not failing:
        return line
    worst = worst_first(failing)[0]
    joints = line.state.geometry.joints
    index = next(k for k, c in enumerate(line.checks) if c is worst)
    mending = line_remedies(scene, line.state.line, line.state.bands, index)
    waiting = (Remedy(words(f"Mend {joints[index].id} first; it is the worst of this line.")),)
    checks = tuple(replace(c, remedies=mending if c is worst else waiting) if c in failing else c for c in line.checks)
    return LineChecks(line.state, checks)
