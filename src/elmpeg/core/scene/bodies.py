"""Everything in a scene that has a shape and a place: one list, that whatever asks for shapes goes through.

The shapes of the vehicle and of its parts, and its wheels, are here; what a stage makes of its own (shafts, fasteners, pieces) its
``STAGE`` adds. All stand where the scene's state has them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import lru_cache
from typing import Literal, overload

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.pose import Placed
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.methods.shapes.solids import FIXED, Cylinder, Solid, Tube, corners_of
from elmpeg.core.scene.scene import Scene

Array = NDArray[np.float64]
BodyKind = Literal["structure", "part", "wheel", "shaft", "piece", "fastener", "tool"]
ROUND_SHORT = 0.0022
"""A circle's corners lie on it; between them it reaches farther by less than this share of its radius."""


@record
class SceneBody:
    """One shape in its place: what it is in the build (a list and an id), the part it goes with, and what it is called.

    ``solid`` is in the frame that ``where`` places; its role and how well it is known stand with it.
    """

    kind: BodyKind
    of: str
    id: str
    on: str
    name: str
    solid: Solid
    where: Placed

    @property
    def called(self) -> str:
        """The shape by itself and whose it is."""
        return self.solid.name if self.kind != "part" else f"{self.solid.name} of {self.name}"

    @property
    def box_mm(self) -> tuple[Vec3, Vec3]:
        """The least and the largest coordinates in the vehicle frame; nothing of it lies outside."""
        return box_of(self.solid, self.where)


@lru_cache(maxsize=8192)
def box_of(solid: Solid, where: Placed) -> tuple[Vec3, Vec3]:
    """The box square to the vehicle that a placed solid lies in, mm."""
    corners = corners_of(solid) @ np.array(where.rotation).T + np.array(where.origin_mm)
    more = ROUND_SHORT * solid.diameter_mm / 2 if isinstance(solid, Cylinder | Tube) else 0.0
    low, high = (corners.min(axis=0) - more).tolist(), (corners.max(axis=0) + more).tolist()
    return (low[0], low[1], low[2]), (high[0], high[1], high[2])


def around(boxes: Iterable[tuple[Vec3, Vec3]]) -> tuple[Vec3, Vec3]:
    """The box around some boxes, at least one."""
    lows, highs = zip(*boxes, strict=True)
    low, high = np.min(lows, axis=0).tolist(), np.max(highs, axis=0).tolist()
    return (low[0], low[1], low[2]), (high[0], high[1], high[2])


class Bodies(Sequence[SceneBody]):
    """Bodies in order, and quickly those that may come near something."""

    def __init__(self, bodies: Iterable[SceneBody]) -> None:
        self._all = tuple(bodies)
        self._boxes: tuple[Array, Array] | None = None

    @overload
    def __getitem__(self, index: int) -> SceneBody: ...

    @overload
    def __getitem__(self, index: slice) -> tuple[SceneBody, ...]: ...

    def __getitem__(self, index: int | slice) -> SceneBody | tuple[SceneBody, ...]:
        return self._all[index]

    def __len__(self) -> int:
        return len(self._all)

    def near(self, box_mm: tuple[Vec3, Vec3], within_mm: float = 0.0) -> tuple[SceneBody, ...]:
        """Those whose boxes come within a distance of a box along every axis, in order: no other body comes so near."""
        if not self._all:
            return ()
        if self._boxes is None:
            boxes = [one.box_mm for one in self._all]
            self._boxes = np.array([low for low, _ in boxes]), np.array([high for _, high in boxes])
        lows, highs = self._boxes
        apart = np.maximum(lows - np.array(box_mm[1]), np.array(box_mm[0]) - highs).max(axis=1)
        return tuple(self._all[k] for k in np.nonzero(apart <= within_mm)[0].tolist())


def shapes(build: Build, placement: Callable[[str], Placed]) -> Iterator[SceneBody]:
    """The vehicle's own shapes, and those of each part where ``placement`` has it."""
    for solid in build.solids:
        yield SceneBody("structure", "solids", solid.id, VEHICLE, solid.name, solid, FIXED)
    for component in build.components:
        for solid in component.solids:
            yield SceneBody("part", "components", component.id, component.id, component.name, solid, placement(component.id))


def wheels(scene: Scene) -> Iterator[SceneBody]:
    """Each wheel as a disc, its axle line across the vehicle and turned with what carries it."""
    rest = scene.at_rest
    for wheel in scene.wheels:
        on = wheel.on or VEHICLE
        half: Vec3 = (0.0, wheel.width_mm / 2, 0.0)
        # The build says of a wheel where its centre is at rest; how it is turned since then its axle says.
        turned = scene.placement(on).rotation if on != VEHICLE else FIXED.rotation
        was = rest.placement(on).rotation if on != VEHICLE else FIXED.rotation
        way = np.array(turned) @ np.array(was).T @ np.array(half)
        ends = [tuple(float(c + s * w) for c, w in zip(wheel.centre_mm, way, strict=True)) for s in (-1, 1)]
        called = f"{wheel.id.replace('-', ' ')} wheel"
        disc = Cylinder(wheel.id, called, ends[0], ends[1], wheel.diameter_mm, sd_mm=0.0)  # type: ignore[arg-type]
        yield SceneBody("wheel", "wheels", wheel.id, on, called, disc, FIXED)


def vehicle_bodies(scene: Scene) -> Bodies:
    """What stands in a scene by itself: the vehicle, its parts and its wheels."""
    return Bodies((*shapes(scene.build, scene.placement), *wheels(scene)))
