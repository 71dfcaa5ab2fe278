"""Everything that follows from a build's option, as one pure function.

What-if, comparison, frozen predictions, ghosts and remedies are all this same
evaluation of one document or another.
"""

from __future__ import annotations

from typing import Any, TypeVar

from elmpeg.core.base.pose import Placed
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.components import Wheel
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option
from elmpeg.core.evaluation.catalogue import RUNNERS
from elmpeg.core.evaluation.kept_findings import findings
from elmpeg.core.judging.checks import Check
from elmpeg.core.scene.in_state import in_state
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import AT_REST, State

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
    """A build at one option in a state: where everything sits, what is found of it, and every check, worst first."""

    option: str
    components: tuple[PlacedComponent, ...]
    points: tuple[PlacedPoint, ...]
    states: tuple[tuple[str, tuple[Any, ...]], ...]
    checks: tuple[Check, ...]
    wheels: tuple[Wheel, ...] = ()
    state: State = AT_REST

    def check(self, code: str) -> Check | None:
        """The check of a code, if there is one."""
        return next((c for c in self.checks if c.code == code), None)

    def of(self, kind: type[T]) -> tuple[T, ...]:
        """Every state of a kind that the stages have found, such as that of each mount."""
        return tuple(one for _, found in self.states for one in found if isinstance(one, kind))

    def count(self, verdict: Verdict) -> int:
        """How many checks have a verdict."""
        return sum(c.verdict == verdict for c in self.checks)


def evaluate(build: Build, option_id: str, state: State = AT_REST) -> Evaluation:
    """Evaluate one option of a build, at rest or in any other state. Raises MissingError for an option or a reference that is not
    there, InputError for a state that cannot be.

    The answer depends on nothing but its arguments, and not on the order in
    which the build lists its points, components, mounts or lines.
    """
    scene = Scene(build, build.option(option_id))
    if state != AT_REST:
        scene = in_state(scene, state)
    found = {runner: findings(runner, scene) for runner in RUNNERS}
    ranked = sorted((row for rows in found.values() for one in rows for row in one.checks), key=lambda row: row[0])

    states: dict[str, list[Any]] = {runner.states: [] for runner in RUNNERS if runner.states}
    for runner in RUNNERS:
        if runner.states:
            states[runner.states] += [one.state for one in found[runner] if one.state is not None]
    return Evaluation(
        option=option_id,
        components=_placed(scene),
        points=tuple(PlacedPoint(p.id, scene.xyz(p.id), max(scene.located(p.id).sd_mm)) for p in build.points),
        states=tuple((name, tuple(of)) for name, of in states.items()),
        checks=tuple(check for _, check in ranked),
        wheels=scene.wheels,
        state=state,
    )


def placed_components(build: Build, option: Option) -> tuple[PlacedComponent, ...]:
    """Where everything sits in an option, without evaluating it."""
    return _placed(Scene(build, option))


def _placed(scene: Scene) -> tuple[PlacedComponent, ...]:
    return tuple(PlacedComponent(c.id, scene.placement(c.id)) for c in scene.build.components)
