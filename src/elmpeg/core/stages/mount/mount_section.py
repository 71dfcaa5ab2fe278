"""A mount's joint through all that its bolt goes through, and what nobody said of it yet."""

from __future__ import annotations

from elmpeg.core.build.hardware import SIDES, Fastener, Side
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import stack_of
from elmpeg.core.methods.fastening.fasteners import (
    size_of,
    thread,
)
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount.bolt_section import Section, section
from elmpeg.core.stages.mount.mount_checks import MountState


def unsaid(mount: Mount) -> tuple[str, ...]:
    """What nobody has said and the bolt's length hangs on: the thickness of what it goes through, the depth of its thread.

    What the bolt is tapped or screwed into needs no thickness of its own, and a boxed rail has its walls.
    """
    told: set[Side] = {layer.side for layer in mount.layers}
    bolt = mount.fastener
    if mount.boxed is not None or (bolt is not None and bolt.end in ("tapped", "weld nut")):
        told.add("seat")
    missing = [f"the thickness of the {side} where the bolt goes through" for side in SIDES if side not in told]
    if bolt is not None and bolt.end == "tapped" and bolt.thread_depth_mm is None:
        missing.append("how deep the tapped thread is")
    return tuple(missing)


def section_of(scene: Scene, mount: Mount, fastener: Fastener, state: MountState) -> Section:
    """A mount's section as it stands in a scene."""
    return section_with(scene, mount, fastener, state.geometry.gap_mm)


def section_with(scene: Scene, mount: Mount, fastener: Fastener, gap_mm: float) -> Section:
    """A mount's section in a scene, its two sides so far apart."""
    holes = (scene.declared(p).hole_mm or fastener_hole(fastener) for p in (mount.component_point, mount.seat_point))
    foot, seat = holes
    plate = next((p for p in scene.build.pieces if p.id == mount.plate), None)
    return section(mount, fastener, stack_of(scene.option, mount.id), gap_mm, foot, seat, plate)


def fastener_hole(fastener: Fastener) -> float:
    """The normal clearance hole of a bolt, for sides whose hole nobody has measured."""
    return size_of(thread(fastener.thread)).normal_mm
