"""What must be true of a build before it is kept: names lead somewhere, figures are possible."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator

from shapely.geometry import Polygon

from elmpeg.core.errors import ElmPegError, FieldError, InputError
from elmpeg.core.measuring import LONGEST_MM
from elmpeg.core.model import VEHICLE, Build, SolidRef
from elmpeg.core.scene import root_of
from elmpeg.core.solids import Box, Cylinder, Extrusion, Solid
from elmpeg.core.vectors import SHORTEST_DIRECTION, Vec3, norm, sub

MOST = {"components": 500, "points": 5000, "mounts": 1000, "drivelines": 100, "rooms": 1000, "options": 200, "rounds": 500}
"""Largest numbers kept in one build; far above a real job, low enough to evaluate."""


def problems(build: Build) -> tuple[FieldError, ...]:
    """Everything that keeps a build from being evaluated; empty for a sound one."""
    return tuple(FieldError(field, message) for field, message in _problems(build))


def require_sound(build: Build) -> None:
    """Raise InputError with every problem of a build, and do nothing for a sound one."""
    found = problems(build)
    if found:
        raise InputError(found[0].field, found[0].message, *found[1:20])


def _problems(build: Build) -> Iterator[tuple[str, str]]:
    for name, most in MOST.items():
        if len(getattr(build, name)) > most:
            yield name, f"has {len(getattr(build, name))} entries; at most {most} are kept in one build"
            return
    for name in ("components", "points", "mounts", "drivelines", "rooms", "options", "rounds", "tools", "solids", "wheels"):
        yield from _doubles(name, (item.id for item in getattr(build, name)))
    components, points, mounts = {c.id for c in build.components}, {p.id for p in build.points}, {m.id for m in build.mounts}
    places, options = components | {VEHICLE}, {o.id for o in build.options}
    if VEHICLE in components:
        yield "components", f"“{VEHICLE}” is the vehicle itself; give the component another id"
    if not build.options:
        yield "options", "is empty; a build has at least one option"
    if build.agreed is not None and build.agreed not in options:
        yield "agreed", f"“{build.agreed}” is not one of the options"
    for i, component in enumerate(build.components):
        if component.parent is not None and component.parent not in components:
            yield f"components.{i}.parent", f"“{component.parent}” is not a component"
            return
    for i, component in enumerate(build.components):
        try:
            root_of(build, component.id)
        except ElmPegError as ring:
            yield f"components.{i}.parent", str(ring)
            return
        for k, solid in enumerate(component.solids):
            yield from _solid(f"components.{i}.solids.{k}", solid)
    for k, solid in enumerate(build.solids):
        yield from _solid(f"solids.{k}", solid)
    for i, point in enumerate(build.points):
        if point.on not in places:
            yield f"points.{i}.on", f"“{point.on}” is neither a component nor “{VEHICLE}”"
        yield from _far(f"points.{i}.xyz_mm", point.xyz_mm)
        if point.axis is not None and norm(point.axis) < SHORTEST_DIRECTION:
            yield f"points.{i}.axis", "is zero; an axis needs a direction"
        if point.hole_mm is not None and point.hole_mm <= 0:
            yield f"points.{i}.hole_mm", "must be above 0"
        yield from _doubles(f"points.{i}.readings", (r.id for r in point.readings))
    for i, mount in enumerate(build.mounts):
        for field in ("component_point", "seat_point"):
            if getattr(mount, field) not in points:
                yield f"mounts.{i}.{field}", f"“{getattr(mount, field)}” is not a point"
        if mount.bolt_mm <= 0 or mount.tolerance_mm < 0:
            yield f"mounts.{i}", "needs a bolt above 0 mm and a tolerance of 0 mm or more"
    for i, line in enumerate(build.drivelines):
        if not line.joints or len(line.phases_deg) != len(line.joints) - 1 or line.rpm <= 0:
            yield f"drivelines.{i}", "needs joints, one phase a shaft, and a speed above 0"
        for k, joint in enumerate(line.joints):
            if joint.point not in points:
                yield f"drivelines.{i}.joints.{k}.point", f"“{joint.point}” is not a point"
    for i, room in enumerate(build.rooms):
        for side, ref in (("a", room.a), ("b", room.b)):
            if not _solid_there(build, ref):
                yield f"rooms.{i}.{side}", f"“{ref.on}” has no solid “{ref.solid}”"
    for i, option in enumerate(build.options):
        for k, position in enumerate(option.positions):
            if position.component not in components or build.component(position.component).parent is not None:
                yield f"options.{i}.positions.{k}", f"“{position.component}” is not a driving component"
            yield from _far(f"options.{i}.positions.{k}", position.pose.origin_mm)
        for k, stack in enumerate(option.stacks):
            if stack.mount not in mounts:
                yield f"options.{i}.stacks.{k}", f"“{stack.mount}” is not a mount"
            if any(p.count < 1 or p.mm <= 0 for p in stack.pieces):
                yield f"options.{i}.stacks.{k}", "has a piece with no thickness or no count"
    if any(tool.sd_mm <= 0 for tool in build.tools):
        yield "tools", "each needs a doubt above 0 mm"


def _doubles(field: str, ids: Iterable[str]) -> Iterator[tuple[str, str]]:
    for item, count in Counter(ids).items():
        if count > 1:
            yield field, f"has “{item}” {count} times; each needs an id of its own"
        if not item or len(item) > 80:
            yield field, "has an id that is empty or over 80 characters"


def _far(field: str, xyz_mm: Vec3) -> Iterator[tuple[str, str]]:
    if any(abs(v) > LONGEST_MM for v in xyz_mm):
        yield field, "is more than 100 m away; check the unit"


def _solid_there(build: Build, ref: SolidRef) -> bool:
    if ref.on == VEHICLE:
        return any(s.id == ref.solid for s in build.solids)
    return any(c.id == ref.on and any(s.id == ref.solid for s in c.solids) for c in build.components)


def _solid(field: str, solid: Solid) -> Iterator[tuple[str, str]]:
    if isinstance(solid, Box) and min(solid.size_mm) <= 0:
        yield field, "has a side of 0 mm or less"
    if isinstance(solid, Cylinder) and (solid.diameter_mm <= 0 or norm(sub(solid.end_mm, solid.start_mm)) < SHORTEST_DIRECTION):
        yield field, "needs a diameter and a length above 0 mm"
    if isinstance(solid, Extrusion) and (
        len(solid.outline_mm) < 3 or solid.from_mm == solid.to_mm or not Polygon(solid.outline_mm).is_valid
    ):
        yield field, "needs an outline of at least three corners that does not cross itself, and a thickness"
