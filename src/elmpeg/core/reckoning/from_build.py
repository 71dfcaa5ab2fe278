"""Figures of a build that a calculation can be filled from, and what they are now.

A source is written as ``distance:P1:P2`` and kept beside what was filled in, so that it can be said when the build has
changed since.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any, Literal

from pydantic import TypeAdapter

from elmpeg.core.base.errors import MissingError
from elmpeg.core.base.pose import pose_of
from elmpeg.core.base.vectors import Vec3, norm, sub
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.evaluation.evaluate import Evaluation
from elmpeg.core.methods.shapes.solids import Solid
from elmpeg.core.scene.carried_axle import reach_of
from elmpeg.core.scene.line_in_scene import lengths_of
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.line_checks import LineState

Kind = Literal["point", "distance", "offset", "angle", "length", "shapes", "wheels", "figure"]
SAME = 0.05
"""A figure of a build that differs by less, mm or deg, counts as unchanged."""
_SOLIDS: TypeAdapter[tuple[Solid, ...]] = TypeAdapter(tuple[Solid, ...])
_AXES = {"x": 0, "y": 1, "z": 2}


@dataclass(frozen=True, slots=True)
class Offered:
    """Something of a build that can be taken: how it is written, what it is called, and what kind of figure it is."""

    source: str
    label: str
    kind: Kind


@dataclass(frozen=True, slots=True)
class Taken:
    """What a source is now: one figure, three coordinates, or whole parts of a request; with its doubt where it has one."""

    label: str
    kind: Kind
    value: Any
    sd: float = 0.0


class FromBuild:
    """An option of a build as a place to take figures from."""

    def __init__(self, build: Build, evaluation: Evaluation) -> None:
        self.build, self.evaluation = build, evaluation
        self.scene = Scene(build, build.option(evaluation.option))

    def offered(self) -> tuple[Offered, ...]:
        """Everything but distances, which are between any two points."""
        return tuple(self._offered())

    def _offered(self) -> Iterator[Offered]:
        for p in self.build.points:
            yield Offered(f"point:{p.id}", f"{p.name} (point)", "point")
        for line in self.evaluation.of(LineState):
            for k, joint in enumerate(line.motion.joints):
                yield Offered(f"joint:{line.line.id}:{k}", f"{line.line.name}, {joint.id}: true angle", "angle")
            for k in range(len(lengths_of(line.geometry))):
                yield Offered(f"shaft:{line.line.id}:{k}", f"{line.line.name}, shaft {k + 1}: length", "length")
                yield Offered(f"slope:{line.line.id}:{k}", f"{line.line.name}, shaft {k + 1}: slope", "angle")
        for axle in self.build.axles:
            yield Offered(f"bump:{axle.id}", f"{axle.name}: bump travel", "length")
            yield Offered(f"droop:{axle.id}", f"{axle.name}: droop travel", "length")
        for f in self.build.sheet:
            for when, noted in (("before", f.before), ("after", f.after)):
                if noted is not None and f.unit in ("mm", "deg"):
                    yield Offered(f"sheet:{f.id}:{when}", f"{f.name}, {when}", "length" if f.unit == "mm" else "angle")
        for c in self.build.components:
            if c.solids:
                yield Offered(f"shapes:{c.id}", f"{c.name}: its shapes", "shapes")
        if self.build.solids:
            yield Offered(f"shapes:{VEHICLE}", "the vehicle: its shapes", "shapes")
        if self.build.wheels:
            yield Offered("wheels:", "the wheels' places and weights", "wheels")

    def now(self, source: str) -> Taken | None:
        """What a source is now; None where the build no longer has it."""
        kind, *parts = source.split(":")
        try:
            return self._now(kind, parts)
        except (MissingError, KeyError, IndexError, ValueError, StopIteration):
            return None

    def _now(self, kind: str, parts: list[str]) -> Taken | None:
        if kind == "point":
            name = self.build.point(parts[0]).name
            if len(parts) > 1:
                return Taken(f"{name}, {parts[1].upper()}", "offset", self.scene.xyz(parts[0])[_AXES[parts[1]]], self._sd(parts[0]))
            return Taken(name, "point", self.scene.xyz(parts[0]), self._sd(parts[0]))
        if kind == "distance":
            a, b = (self.scene.xyz(p) for p in parts[:2])
            names = f"{self.build.point(parts[0]).name} to {self.build.point(parts[1]).name}"
            sd = (self._sd(parts[0]) ** 2 + self._sd(parts[1]) ** 2) ** 0.5
            if len(parts) > 2:
                return Taken(f"{names}, along {parts[2].upper()}", "offset", sub(b, a)[_AXES[parts[2]]], sd)
            return Taken(names, "distance", norm(sub(b, a)), sd)
        if kind in ("joint", "shaft", "slope"):
            line = next(one for one in self.evaluation.of(LineState) if one.line.id == parts[0])
            k = int(parts[1])
            if kind == "joint":
                return Taken(f"{line.line.name}, {line.motion.joints[k].id}", "angle", line.motion.joints[k].angle_deg)
            if kind == "slope":
                return Taken(f"{line.line.name}, shaft {k + 1}, slope", "angle", line.motion.members[k].slope_deg)
            return Taken(f"{line.line.name}, shaft {k + 1}", "length", lengths_of(line.geometry)[k])
        if kind in ("bump", "droop"):
            axle = next(a for a in self.build.axles if a.id == parts[0])
            reach = reach_of(self.build, axle)
            return Taken(f"{axle.name}, {kind}", "length", reach.bump_mm if kind == "bump" else reach.droop_mm)
        if kind == "sheet":
            noted = next(f for f in self.build.sheet if f.id == parts[0])
            one = noted.before if parts[1] == "before" else noted.after
            return None if one is None else Taken(f"{noted.name}, {parts[1]}", "length" if noted.unit == "mm" else "angle", one.value)
        if kind == "shapes":
            return self._shapes(parts[0])
        if kind == "wheel":
            wheel = next(w for w in self.build.wheels if w.id == parts[0])
            value = wheel.kg if parts[1] == "kg" else wheel.centre_mm[_AXES[parts[1]]]
            return None if value is None else Taken(f"{wheel.id}, {parts[1]}", "figure" if parts[1] == "kg" else "offset", value)
        if kind == "wheels":
            return Taken("the wheels", "wheels", [_wheel(w.id, w.centre_mm, w.kg) for w in self.build.wheels])
        return None

    def _sd(self, point_id: str) -> float:
        return next((p.sd_mm for p in self.evaluation.points if p.point == point_id), 0.0)

    def _shapes(self, on: str) -> Taken:
        solids = self.build.solids if on == VEHICLE else self.build.component(on).solids
        name = "the vehicle" if on == VEHICLE else self.build.component(on).name
        plain: list[dict[str, Any]] = _SOLIDS.dump_python(solids, mode="json")
        value: dict[str, Any] = {"solids": plain}
        if on != VEHICLE:
            value["pose"] = _pose(self.scene, on)
        return Taken(name, "shapes", value)


def _wheel(wheel_id: str, centre: Vec3, kg: float | None) -> dict[str, Any]:
    return {"id": wheel_id, "x_mm": centre[0], "y_mm": centre[1], "kg": kg}


def _pose(scene: Scene, on: str) -> dict[str, float]:
    where = pose_of(scene.placement(on))
    names = ("x_mm", "y_mm", "z_mm", "roll_deg", "pitch_deg", "yaw_deg")
    return {name: getattr(where, name) for name in names}


def changed(then: float, now: float) -> bool:
    """Whether a figure of a build is another by now."""
    return abs(then - now) > SAME
