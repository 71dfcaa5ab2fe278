"""The bolts of a build's mounts as bodies: head, shank and nut, and the room of the socket that turns the head.

A bolt stands in its seat's hole, square to the seat: its head beyond the foot and what lies on that, its nut beyond what the
seat is through. One whose length follows from nothing yet has no body.
"""

from __future__ import annotations

from collections.abc import Iterator

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import of_whole
from elmpeg.core.base.vectors import Vec3, add, scale, unit
from elmpeg.core.build.mounts import Mount
from elmpeg.core.methods.fastening.fasteners import socket_outside_mm
from elmpeg.core.methods.shapes.solids import FIXED, Cylinder
from elmpeg.core.scene.bodies import BodyKind, SceneBody
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount.mount_checks import geometry_of
from elmpeg.core.stages.mount.mount_section import section_with

TOOL_LONG_MM = 60.0
"""Of a socket, from the head's top."""


def fastener_bodies(scene: Scene) -> Iterator[SceneBody]:
    """The bolts whose mounts say enough to have one."""
    for mount in scene.build.mounts:
        yield from _bolt(scene, mount)


def _bolt(scene: Scene, mount: Mount) -> Iterator[SceneBody]:
    axis = scene.axis(mount.seat_point)
    if mount.fastener is None or axis is None:
        return
    try:
        gap_mm = max(geometry_of(scene, mount).gap_mm, 0.0)
        joint = section_with(scene, mount, mount.fastener, gap_mm)
    except (InputError, ValueError):
        return
    if joint.length_mm is None:
        return
    way, on = unit(axis), scene.declared(mount.seat_point).on
    under_head_mm = gap_mm + sum(p.mm for p in joint.pieces if p.kind == "head washer" or p.side == "foot")

    def at(along_mm: float) -> Vec3:
        """A place on the bolt's middle line, so far from under its head."""
        return add(scene.xyz(mount.seat_point), scale(way, under_head_mm - along_mm))

    def body(kind: BodyKind, name: str, from_mm: float, to_mm: float, wide_mm: float) -> SceneBody:
        called = of_whole(mount.name, name)
        return SceneBody(
            kind, "mounts", mount.id, on, called, Cylinder(f"{mount.id}.{name}", called, at(from_mm), at(to_mm), wide_mm), FIXED
        )

    yield body("fastener", "bolt", 0.0, joint.length_mm, joint.thread.d_mm)
    head = joint.head
    if head is not None and head.kind != "countersunk":
        yield body("fastener", "bolt head", -head.height_mm, 0.0, head.across_mm)
        if head.flats_mm > 0:
            yield body("tool", "socket", -head.height_mm - TOOL_LONG_MM, -head.height_mm, socket_outside_mm(head.flats_mm))
    if joint.nut_mm > 0:
        stands = sum(p.mm for p in joint.pieces)
        yield body("fastener", "nut", stands, stands + joint.nut_mm, joint.nut_across_mm)
