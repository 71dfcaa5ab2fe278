"""Remedies that are a plain shift of a part, in the trade's words and as a pose to try."""

from __future__ import annotations

from elmpeg.core.base.pose import pose_of
from elmpeg.core.base.quantities import Quantity, mm, words
from elmpeg.core.base.vectors import Vec3, add
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.judging.checks import Remedy
from elmpeg.core.scene.scene import Scene, root_of

SLIGHT_MM = 0.05
"""Moves below this are not worth a word."""


def ways_said(shift_mm: Vec3) -> tuple[str, tuple[Quantity, ...]]:
    """A shift in the trade's words, the largest of its parts first, with places for their amounts."""
    names = (("back", "forward"), ("right", "left"), ("up", "down"))
    parts = sorted(((abs(v), names[i][v < 0]) for i, v in enumerate(shift_mm) if abs(v) >= SLIGHT_MM), reverse=True)
    return " and ".join(f"{{{i}}} {name}" for i, (_, name) in enumerate(parts)) or "a touch", tuple(mm(v) for v, _ in parts)


def shift_remedy(scene: Scene, on: str, shift_mm: Vec3) -> Remedy:
    """Move the assembly that a part belongs to by so much; without a pose to try where it is fixed to the vehicle."""
    way, figures = ways_said(shift_mm)
    said = words(f"Move it {way}.", *figures)
    root = None if on == VEHICLE else root_of(scene.build, on)
    if root is None or not root.movable:
        return Remedy(said)
    where = scene.placement(root.id)
    return Remedy(said, root.id, pose_of(where).with_origin(add(where.origin_mm, shift_mm)))
