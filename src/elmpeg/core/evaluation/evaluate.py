"""Everything that follows from a build's option, as one pure function.

What-if, comparison, frozen predictions, ghosts and remedies are all this same
evaluation of one document or another.
"""

from __future__ import annotations

from typing import TypeVar

from elmpeg.core.base.pose import Placed
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option
from elmpeg.core.evaluation.catalogue import LINES, MOUNTS, PIECES, ROOMS, RUNNERS, SLEEVES, STANDS, STRUCTURES, WELDMENTS, Runner
from elmpeg.core.evaluation.kept_findings import findings
from elmpeg.core.judging.checks import Check
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.line_checks import LineState
from elmpeg.core.stages.make.stand_shape import StandState
from elmpeg.core.stages.make.structure_checks import StructureState
from elmpeg.core.stages.make.tube_checks import PieceState
from elmpeg.core.stages.make.weld_checks import WeldState
from elmpeg.core.stages.mount.mount_checks import MountState
from elmpeg.core.stages.place.room_checks import RoomState

T = TypeVar("T")


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
    pieces: tuple[PieceState, ...]
    structures: tuple[StructureState, ...]
    stands: tuple[StandState, ...]
    weldments: tuple[WeldState, ...]
    checks: tuple[Check, ...]

    def check(self, code: str) -> Check | None:
        """The check of a code, if there is one."""
        return next((c for c in self.checks if c.code == code), None)

    def piece_states(self, build: Build) -> dict[str, PieceState]:
        """Every piece of the build with how it stands; one that could not be worked out has no shape."""
        found = {s.piece: s for s in self.pieces}
        return {p.id: found.get(p.id) or PieceState(p.id, None, "It could not be worked out.") for p in build.pieces}

    def count(self, verdict: Verdict) -> int:
        """How many checks have a verdict."""
        return sum(c.verdict == verdict for c in self.checks)


def evaluate(build: Build, option_id: str) -> Evaluation:
    """Evaluate one option of a build. Raises MissingError for an option or a reference that is not there.

    The answer depends on nothing but its arguments, and not on the order in
    which the build lists its points, components, mounts or lines.
    """
    scene = Scene(build, build.option(option_id))
    found = {runner: findings(runner, scene) for runner in RUNNERS}
    ranked = sorted((row for rows in found.values() for one in rows for row in one.checks), key=lambda row: row[0])

    def states(runner: Runner, of: type[T]) -> tuple[T, ...]:
        return tuple(one.state for one in found[runner] if isinstance(one.state, of))

    return Evaluation(
        option=option_id,
        components=_placed(scene),
        points=tuple(PlacedPoint(p.id, scene.xyz(p.id), max(scene.located(p.id).sd_mm)) for p in build.points),
        mounts=states(MOUNTS, MountState),
        lines=states(LINES, LineState),
        rooms=states(ROOMS, RoomState),
        pieces=(*states(PIECES, PieceState), *states(SLEEVES, PieceState)),
        structures=states(STRUCTURES, StructureState),
        stands=states(STANDS, StandState),
        weldments=states(WELDMENTS, WeldState),
        checks=tuple(check for _, check in ranked),
    )


def placed_components(build: Build, option: Option) -> tuple[PlacedComponent, ...]:
    """Where everything sits in an option, without evaluating it."""
    return _placed(Scene(build, option))


def _placed(scene: Scene) -> tuple[PlacedComponent, ...]:
    return tuple(PlacedComponent(c.id, scene.placement(c.id)) for c in scene.build.components)
