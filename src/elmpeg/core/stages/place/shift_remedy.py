"""Remedies that are a plain shift of a part, in the trade's words and as a pose to try."""

from __future__ import annotations

from elmpeg.core.base.pose import Placed, Rotation, compose, pose_of, rotate
from elmpeg.core.base.quantities import Quantity, Words, mm, named, plain, words
from elmpeg.core.base.vectors import Vec3, add, cross, dot, scale, sub, unit
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.judging.checks import Remedy
from elmpeg.core.scene.scene import Scene, root_of

SLIGHT_MM = 0.05
"""Moves below this are not worth a word."""
SQUARE = 1e-6
"""Cosine below which two directions are square to each other, and either way is as short."""


def ways_said(shift_mm: Vec3) -> tuple[str, tuple[Quantity, ...]]:
    """A shift in the trade's words, the largest of its parts first, with places for their amounts."""
    names = (("back", "forward"), ("right", "left"), ("up", "down"))
    parts = sorted(((abs(v), names[i][v < 0]) for i, v in enumerate(shift_mm) if abs(v) >= SLIGHT_MM), reverse=True)
    return " and ".join(f"{{{i}}} {name}" for i, (_, name) in enumerate(parts)) or "a touch", tuple(mm(v) for v, _ in parts)


def shift_remedy(scene: Scene, on: str, shift_mm: Vec3) -> Remedy:
    """Move the assembly that a part belongs to by so much; without a pose to try where it is fixed to the vehicle."""
    way, figures = ways_said(shift_mm)
    root = None if on == VEHICLE else root_of(scene.build, on)
    said = words(f"Move {plain(named(root.name)) if root is not None else 'it'} {way}.", *figures)
    if root is None or not root.movable:
        return Remedy(said)
    where = scene.placement(root.id)
    return Remedy(said, root.id, pose_of(where).with_origin(add(where.origin_mm, shift_mm)))


def turn_remedy(scene: Scene, on: str, about_mm: Vec3, axis: Vec3, onto: Vec3, said: Words) -> Remedy:
    """Turn the assembly that a part belongs to about a place, the shortest way that brings one direction along another; without a pose
    to try where it is fixed to the vehicle, or where the two are square to each other."""
    a, b = unit(axis), unit(onto)
    b = b if dot(a, b) >= 0 else scale(b, -1.0)
    root = None if on == VEHICLE else root_of(scene.build, on)
    if root is None or not root.movable or dot(a, b) < SQUARE:
        return Remedy(said)
    turn = _turning(a, b)
    turned = compose(Placed(turn, sub(about_mm, rotate(turn, about_mm))), scene.placement(root.id))
    return Remedy(said, root.id, pose_of(turned))


def _turning(a: Vec3, b: Vec3) -> Rotation:
    """The rotation of the least angle that carries one unit vector onto another: 1 + K + K² / (1 + a·b), K being the product with a × b."""
    x, y, z = cross(a, b)
    k = 1.0 / (1.0 + dot(a, b))
    c = dot(a, b)
    return (
        (c + k * x * x, k * x * y - z, k * x * z + y),
        (k * x * y + z, c + k * y * y, k * y * z - x),
        (k * x * z - y, k * y * z + x, c + k * z * z),
    )
