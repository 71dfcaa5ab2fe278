"""What must be true of a build before it is kept: names lead somewhere, figures are possible."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import fields, is_dataclass

from shapely.geometry import Polygon

from elmpeg.core.base.errors import ElmPegError, FieldError, InputError
from elmpeg.core.base.memo import Kept
from elmpeg.core.base.naming import ID
from elmpeg.core.base.vectors import SHORTEST_DIRECTION, Vec3, norm, sub
from elmpeg.core.build.document import Build
from elmpeg.core.build.rooms import SolidRef
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.integrity.lines import line_problems
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM
from elmpeg.core.methods.shapes.solids import Box, Cylinder, Solid
from elmpeg.core.scene.located_points import bases_of
from elmpeg.core.scene.scene import root_of

LONGEST_NAME = 200
LARGEST_FIGURE = 1e6
"""Above every length in mm, angle, speed and acceleration that a build can hold."""
THINNEST_MM = 0.01
"""Thinner shapes have no inside to compute with."""
CORNERS = 4
STEEPEST_DEG = 20.0
"""No vehicle is measured standing steeper than this."""
MOST = {
    "patterns": 500,
    "matches": 500,
    "plates": 200,
    "chains": 200,
    "spans": 5000,
    "pairs": 1000,
    "bays": 200,
    "levellings": 500,
    "sheet": 1000,
    "witness_marks": 500,
    "photos": 1000,
    "components": 500,
    "points": 5000,
    "mounts": 1000,
    "drivelines": 100,
    "rooms": 1000,
    "options": 200,
    "rounds": 500,
    "axles": 50,
    "series": 100,
    "lengths": 2000,
    "slopes": 2000,
    "orders": 500,
}
"""Largest numbers kept in one build; far above a real job, low enough to evaluate."""


_SETTLED = tuple(f.name for f in fields(Build) if f.name != "options")
_SANE: Kept[bool] = Kept(4)
"""What a move leaves alone is not looked through again at every save."""


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
    yield from _id("id", build.id)
    settled = tuple(getattr(build, name) for name in _SETTLED)
    if not (_SANE.get(settled, lambda: all(map(_all_sane, settled))) and _all_sane(build.options)):
        yield from _figures("", build)
    for field, value in (
        *((f"limits.joints.{f.name}", getattr(build.limits.joints, f.name)) for f in fields(build.limits.joints)),
        ("limits.mount_tilt_deg", build.limits.mount_tilt_deg),
    ):
        if value <= 0:
            yield field, "must be above 0"
    for name in ("points", "rooms"):
        for i, item in enumerate(getattr(build, name)):
            if (item.sd_mm or 0) < 0 or (getattr(item, "axis_sd_deg", 0) or 0) < 0:
                yield f"{name}.{i}", "has a doubt below 0"
    yield from _names(build)
    for name in (
        "components",
        "points",
        "mounts",
        "drivelines",
        "rooms",
        "options",
        "rounds",
        "tools",
        "solids",
        "wheels",
        "spans",
        "pairs",
        "bays",
        "levellings",
        "sheet",
        "witness_marks",
        "photos",
        "patterns",
        "matches",
        "plates",
        "chains",
        "axles",
        "series",
        "lengths",
        "slopes",
        "orders",
    ):
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
        if point.hole_mm is not None and not 0 < point.hole_mm <= LONGEST_MM:
            yield f"points.{i}.hole_mm", "must be above 0"
        yield from _doubles(f"points.{i}.readings", (r.id for r in point.readings))
        yield from _doubles(f"points.{i}.leans", (r.id for r in point.leans))
    for i, mount in enumerate(build.mounts):
        for field in ("component_point", "seat_point"):
            if getattr(mount, field) not in points:
                yield f"mounts.{i}.{field}", f"“{getattr(mount, field)}” is not a point"
        if not 0 < mount.bolt_mm <= LONGEST_MM or not 0 <= mount.tolerance_mm <= LONGEST_MM:
            yield f"mounts.{i}", "needs a bolt above 0 mm and a tolerance of 0 mm or more"
    for i, line in enumerate(build.drivelines):
        yield from _doubles(f"drivelines.{i}.joints", (j.id for j in line.joints))
    yield from line_problems(build)
    for i, room in enumerate(build.rooms):
        for side, ref in (("a", room.a), ("b", room.b)):
            if not _solid_there(build, ref):
                yield f"rooms.{i}.{side}", f"“{ref.on}” has no solid “{ref.solid}”"
    for i, option in enumerate(build.options):
        yield from _doubles(f"options.{i}.positions", (p.component for p in option.positions))
        yield from _doubles(f"options.{i}.stacks", (s.mount for s in option.stacks))
        for k, position in enumerate(option.positions):
            if position.component not in components or build.component(position.component).parent is not None:
                yield f"options.{i}.positions.{k}", f"“{position.component}” is not a driving component"
            yield from _far(f"options.{i}.positions.{k}", position.pose.origin_mm)
        for k, stack in enumerate(option.stacks):
            if stack.mount not in mounts:
                yield f"options.{i}.stacks.{k}", f"“{stack.mount}” is not a mount"
            if any(p.count < 1 or p.mm <= 0 for p in stack.pieces):
                yield f"options.{i}.stacks.{k}", "has a piece with no thickness or no count"
    if any(min(tool.sd_mm, tool.sd_deg) < 0 or max(tool.sd_mm, tool.sd_deg) <= 0 for tool in build.tools):
        yield "tools", "each needs a doubt above 0, in mm for lengths or degrees for angles"
    yield from _measured(build)
    yield from _made(build)


def _made(build: Build) -> Iterator[tuple[str, str]]:
    """What holds the parts refers to what is there, in figures that a bench can make."""
    points, patterns, plates = {p.id for p in build.points}, {p.id for p in build.patterns}, {p.id for p in build.plates}
    layers = {(m.id, x.id) for m in build.mounts for x in m.layers}
    for i, mount in enumerate(build.mounts):
        yield from _doubles(f"mounts.{i}.layers", (x.id for x in mount.layers))
        if any(x.mm <= 0 or x.mm > LONGEST_MM or min(x.plus_mm, x.minus_mm) < 0 for x in mount.layers):
            yield f"mounts.{i}.layers", "each needs a thickness above 0 and tolerances of 0 or more"
        if mount.plate and mount.plate not in plates:
            yield f"mounts.{i}.plate", f"“{mount.plate}” is not an adapter plate"
        if any(u not in points for u in mount.uses):
            yield f"mounts.{i}.uses", "names a hole that is not a point"
        if mount.boxed is not None and not 0 < 2 * mount.boxed.wall_mm < mount.boxed.depth_mm:
            yield f"mounts.{i}.boxed", "needs walls thinner than half its depth"
        if mount.bush is not None and not 0 < mount.bush.loaded_mm <= mount.bush.free_mm:
            yield f"mounts.{i}.bush", "is no higher under load than free, and above 0"
    for i, pattern in enumerate(build.patterns):
        yield from _doubles(f"patterns.{i}.holes", (h.id for h in pattern.holes))
        if any(p not in points for p in pattern.points) or pattern.bolt_mm <= 0:
            yield f"patterns.{i}", "needs points that are there and a bolt above 0"
        if pattern.got == "points" and len(pattern.points) < 2:
            yield f"patterns.{i}.points", "needs at least two points"
        if any(not 0 <= h.hole_mm <= LONGEST_MM or max(abs(h.x_mm), abs(h.y_mm)) > LONGEST_MM for h in pattern.holes):
            yield f"patterns.{i}.holes", "has a hole larger or further than 100 m"
    for i, match in enumerate(build.matches):
        if match.holes not in patterns or match.studs not in patterns:
            yield f"matches.{i}", "needs two patterns of this build"
    for i, plate in enumerate(build.plates):
        if plate.lower not in patterns or plate.upper not in patterns:
            yield f"plates.{i}", "needs two patterns of this build"
        if not 0 < plate.thick_mm <= LONGEST_MM or plate.margin_mm < 0:
            yield f"plates.{i}", "needs a thickness above 0"
    for i, chain in enumerate(build.chains):
        yield from _doubles(f"chains.{i}.links", (k.id for k in chain.links))
        for k, link in enumerate(chain.links):
            if {link.from_point, link.to_point} - {""} - points or (link.mount and (link.mount, link.layer) not in layers):
                yield f"chains.{i}.links.{k}", "counts a point or a layer that is not there"
            if link.plus_mm < 0 or link.minus_mm < 0:
                yield f"chains.{i}.links.{k}", "has a tolerance below 0"


def _measured(build: Build) -> Iterator[tuple[str, str]]:
    """What is measured refers to what is there: points from points on the same part and never in a ring, pairs, bays and tapes."""
    on = {p.id: p.on for p in build.points}
    for i, point in enumerate(build.points):
        for base in bases_of(point):
            if base not in on:
                yield f"points.{i}", f"is measured from “{base}”, which is not a point"
            elif on[base] != point.on:
                yield f"points.{i}", f"is measured from “{base}”, which is on another part; measure from a point of the same part"
        if point.got == "middle" and len(set(point.between)) != 2:
            yield f"points.{i}.between", "needs two different points to lie between"
        if point.same_as and on.get(point.same_as, VEHICLE) == VEHICLE:
            yield f"points.{i}.same_as", f"“{point.same_as}” is not a point of a component"
        if any(r.axis == "tape" and (not r.held_at or r.value_mm <= 0) for r in point.readings):
            yield f"points.{i}.readings", "has a tape without the point it was held at, or without a length above 0"
    for ring in _rings({p.id: bases_of(p) for p in build.points}):
        yield "points", f"“{ring}” is measured from itself in the end; one of the points must be measured from the datum"
        return
    for i, span in enumerate(build.spans):
        if span.a not in on or span.b not in on or span.a == span.b or span.value_mm <= 0:
            yield f"spans.{i}", "needs two different points of this build and a length above 0"
    for i, pair in enumerate(build.pairs):
        if pair.left not in on or pair.right not in on or pair.left == pair.right or on[pair.left] != on[pair.right]:
            yield f"pairs.{i}", "needs two different points on the same part"
    for i, bay in enumerate(build.bays):
        if len(set(bay.corners)) != CORNERS or any(on.get(c) != VEHICLE for c in bay.corners):
            yield f"bays.{i}.corners", "needs four different points on the vehicle, in order around the bay"
    photos = {p.id for p in build.photos}
    for i, mark in enumerate(build.witness_marks):
        if mark.photo and mark.photo not in photos:
            yield f"witness_marks.{i}.photo", f"“{mark.photo}” is not one of the photographs"
    for i, one in enumerate(build.levellings):
        if max(abs(one.pitch_deg), abs(one.roll_deg)) > STEEPEST_DEG or one.sd_deg < 0:
            yield f"levellings.{i}", f"is more than {STEEPEST_DEG:g}° off level; check the figures"


def _rings(below: dict[str, tuple[str, ...]]) -> Iterator[str]:
    done: set[str] = set()
    for start in below:
        path: list[str] = []
        stack = [(start, False)]
        while stack:
            here, leaving = stack.pop()
            if leaving:
                path.pop()
                done.add(here)
            elif here in path:
                yield here
                return
            elif here not in done:
                path.append(here)
                stack.append((here, True))
                stack += [(b, False) for b in below.get(here, ())]


def _all_sane(value: object) -> bool:
    """Whether no figure is larger than any workshop has; quick, since every save asks."""
    if isinstance(value, float | int):
        return -LARGEST_FIGURE <= value <= LARGEST_FIGURE
    if isinstance(value, tuple):
        return all(map(_all_sane, value))
    names = getattr(value, "__slots__", None)
    return names is None or all(_all_sane(getattr(value, name)) for name in names)


def _figures(path: str, value: object) -> Iterator[tuple[str, str]]:
    """Each figure no workshop has, and where it stands in the document."""
    if isinstance(value, int | float) and not isinstance(value, bool):
        if abs(value) > LARGEST_FIGURE:
            yield path, f"is {value:g}, larger than anything in a workshop; check the figure"
    elif isinstance(value, tuple):
        for i, item in enumerate(value):
            yield from _figures(f"{path}.{i}", item)
    elif is_dataclass(value):
        for f in fields(value):
            yield from _figures(f"{path}.{f.name}".lstrip("."), getattr(value, f.name))


def _doubles(field: str, ids: Iterable[str]) -> Iterator[tuple[str, str]]:
    for item, count in Counter(ids).items():
        if count > 1:
            yield field, f"has “{item}” {count} times; each needs an id of its own"
        yield from _id(field, item)


def _id(field: str, item: str) -> Iterator[tuple[str, str]]:
    if not ID.fullmatch(item):
        yield field, f"has the id “{item[:40]}”; an id has 1 to 80 letters, digits, spaces, dots, hyphens or underscores"


def _names(build: Build) -> Iterator[tuple[str, str]]:
    groups: tuple[str, ...] = ("components", "points", "mounts", "drivelines", "rooms", "options", "tools", "solids", "bays", "sheet")
    groups += ("patterns", "matches", "plates", "chains", "axles", "series")
    for field, name in [("name", build.name), *((g, item.name) for g in groups for item in getattr(build, g))]:
        if not name.strip() or len(name) > LONGEST_NAME:
            yield field, f"has a name that is empty or over {LONGEST_NAME} characters"


def _far(field: str, xyz_mm: Vec3) -> Iterator[tuple[str, str]]:
    if any(abs(v) > LONGEST_MM for v in xyz_mm):
        yield field, "is more than 100 m away; check the unit"


def _solid_there(build: Build, ref: SolidRef) -> bool:
    if ref.on == VEHICLE:
        return any(s.id == ref.solid for s in build.solids)
    return any(c.id == ref.on and any(s.id == ref.solid for s in c.solids) for c in build.components)


def _solid(field: str, solid: Solid) -> Iterator[tuple[str, str]]:
    if isinstance(solid, Box):
        yield from _far(field, solid.centre_mm)
        if not THINNEST_MM <= min(solid.size_mm) <= max(solid.size_mm) <= LONGEST_MM:
            yield field, f"needs sides of {THINNEST_MM:g} mm to 100 m"
    elif isinstance(solid, Cylinder):
        yield from _far(field, solid.start_mm)
        yield from _far(field, solid.end_mm)
        if not (THINNEST_MM <= solid.diameter_mm <= LONGEST_MM and norm(sub(solid.end_mm, solid.start_mm)) >= THINNEST_MM):
            yield field, f"needs a diameter and a length of at least {THINNEST_MM:g} mm"
    else:
        figures = [solid.from_mm, solid.to_mm, *(v for corner in solid.outline_mm for v in corner)]
        sound = (
            len(solid.outline_mm) >= 3 and max(abs(v) for v in figures) <= LONGEST_MM and abs(solid.to_mm - solid.from_mm) >= THINNEST_MM
        )
        outline = Polygon(solid.outline_mm) if sound else None
        if outline is None or not outline.is_valid or outline.area < THINNEST_MM * outline.length:
            yield field, f"needs an outline of at least three corners that does not cross itself, and a thickness of {THINNEST_MM:g} mm"
