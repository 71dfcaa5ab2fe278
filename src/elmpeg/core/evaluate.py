"""Everything that follows from a build's option, as one pure function.

What-if, comparison, frozen predictions, ghosts and remedies are all this same
evaluation of one document or another.
"""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.checks import Check, Remedy, worst_first
from elmpeg.core.model import Build, Option
from elmpeg.core.pose import Placed
from elmpeg.core.priorities import measured_again
from elmpeg.core.quantities import words
from elmpeg.core.record import record
from elmpeg.core.remedies import line_remedies
from elmpeg.core.rules.crosschecks import cross_checks
from elmpeg.core.rules.hardware import hardware_checks
from elmpeg.core.rules.lines import LineChecks, LineState, line_checks
from elmpeg.core.rules.mounts import MountState, mount_checks
from elmpeg.core.rules.plates import plate_checks
from elmpeg.core.rules.readings import reading_checks
from elmpeg.core.rules.rooms import RoomState, room_check
from elmpeg.core.scene import Scene
from elmpeg.core.vectors import Vec3
from elmpeg.core.verdicts import Verdict


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
    mounts = [mount_checks(scene, m) for m in build.mounts]
    hardware = [c for m, found in zip(build.mounts, mounts, strict=True) for c in hardware_checks(scene, m, found.state)]
    lines = [_with_remedies(scene, line_checks(scene, line)) for line in build.drivelines]
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
