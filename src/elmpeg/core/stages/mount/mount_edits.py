"""Mounts made, told what they are made of, and taken out."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.hardware import Around, Boxed, Bush, Fastener, Hanger, Hold, Layer
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.survey import VEHICLE, Point, Reading
from elmpeg.core.methods.fastening.fasteners import size_of, thread
from elmpeg.core.scene.scene import Scene


@record
class Made:
    """What a mount is made of besides its layers, as somebody says it."""

    hold: Hold
    tolerance_mm: float
    fastener: Fastener | None = None
    around: Around | None = None
    bush: Bush | None = None
    boxed: Boxed | None = None
    hanger: Hanger | None = None
    plate: str = ""


def with_mount(
    build: Build,
    name: str,
    component_point: str,
    seat_point: str,
    bolt_mm: float,
    tolerance_mm: float,
    hold: Hold,
    short_id: bool = False,
) -> Build:
    """The build with a new mount, last. Its id is made from its name, or is short where nobody chose the name."""
    points = {p.id: p for p in build.points}
    tidy = cleaned_name(name)
    if component_point not in points or points[component_point].on == VEHICLE:
        raise InputError("component_point", "choose a component's point")
    if seat_point not in points or points[seat_point].on == points[component_point].on:
        raise InputError("seat_point", "choose a point of the vehicle, or of another part")
    if bolt_mm <= 0:
        raise InputError("bolt", "must be above 0")
    if any(m.name.lower() == tidy.lower() for m in build.mounts):
        raise InputError("name", f"another mount is called “{tidy}” already")
    made = Mount(
        new_id(tidy, (m.id for m in build.mounts)) if not short_id else _short_id(build),
        tidy,
        component_point,
        seat_point,
        bolt_mm,
        tolerance_mm,
        hold,
    )
    return replace(build, mounts=(*build.mounts, made))


@record
class TapedCoordinate:
    """One coordinate of a seat, as typed and as understood."""

    text: str
    value_mm: float
    unit: Literal["mm", "in"]


@record
class TapedSeat:
    """A seat that is made with its mount: each coordinate as it was taped, None where nobody did, and the hole there."""

    coordinates: tuple[TapedCoordinate | None, TapedCoordinate | None, TapedCoordinate | None]
    hole_mm: float | None
    person: str
    taken_at: str


def _short_id(build: Build) -> str:
    """An id that is short, for a mount whose name nobody chose: ids stand in drawings."""
    taken = {m.id for m in build.mounts}
    return next(f"M{n}" for n in range(1, len(taken) + 2) if f"M{n}" not in taken)


def with_seat(build: Build, option_id: str, component_point: str, seat: TapedSeat) -> tuple[Build, str]:
    """The build with a seat on the vehicle for a part's point, and the seat's id.

    What was not taped is assumed to lie where the part's point is in an option, and is as
    doubtful as anything assumed; the seat's axis, and its hole where nobody says, are those of the part's point.
    """
    points = {p.id: p for p in build.points}
    if component_point not in points or points[component_point].on == VEHICLE:
        raise InputError("component_point", "choose a component's point")
    scene = Scene(build, build.option(option_id))
    at, foot = scene.xyz(component_point), points[component_point]
    xyz = [c.value_mm if c is not None else at[i] for i, c in enumerate(seat.coordinates)]
    readings = tuple(
        Reading(f"r{i + 1}", "xyz"[i], c.text, c.value_mm, "tape", seat.person, seat.taken_at, unit=c.unit)  # type: ignore[arg-type]
        for i, c in enumerate(seat.coordinates)
        if c is not None
    )
    name = f"{foot.name}: seat"[:80]
    names = {p.name.lower() for p in build.points if p.on == VEHICLE}
    name = next(n for n in (name, *(f"{name[:76]} {k}" for k in range(2, 999))) if n.lower() not in names)
    point = Point(
        new_id(f"{component_point}-seat", points),
        name,
        VEHICLE,
        "hole",
        (xyz[0], xyz[1], xyz[2]),
        scene.axis(component_point),
        seat.hole_mm if seat.hole_mm is not None else foot.hole_mm,
        "measured" if len(readings) == 3 else "assumed",
        readings=readings,
    )
    return replace(build, points=(*build.points, point)), point.id


def without_mount(build: Build, mount_id: str) -> Build:
    """The build without a mount and the stacks that were in it. Refused while a chain of dimensions counts one of its layers."""
    made: Build = taken_out(build, "mounts", mount_id)
    return made


def with_made(build: Build, mount_id: str, made: Made) -> Build:
    """The build with what a mount is made of said anew. Raises InputError beside the field that makes no sense."""
    mount = build.mount(mount_id)
    if made.tolerance_mm < 0:
        raise InputError("tolerance", "must be 0 or more")
    bolt_mm = mount.bolt_mm
    if made.fastener is not None:
        found = thread(made.fastener.thread, "thread")
        if size_of(found).head(made.fastener.head) is None:
            raise InputError("head", f"no standard has a {made.fastener.head} head for {found.size}")
        for field, value in (("length", made.fastener.length_mm), ("thread_depth", made.fastener.thread_depth_mm)):
            if value is not None and value <= 0:
                raise InputError(field, "must be above 0")
        if min(made.fastener.head_washer_mm, made.fastener.nut_washer_mm) < 0:
            raise InputError("head_washer", "a washer is 0 mm or thicker")
        if made.fastener.end == "tapped" and made.fastener.thread_depth_mm is None:
            raise InputError("thread_depth", "say how deep the thread goes")
        bolt_mm = found.d_mm
    if made.boxed is not None and not 0 < 2 * made.boxed.wall_mm < made.boxed.depth_mm:
        raise InputError("wall", "two walls must be thinner than the rail is deep")
    if made.bush is not None and not 0 < made.bush.loaded_mm <= made.bush.free_mm:
        raise InputError("loaded", "under load a bush is no higher than free, and above 0")
    if made.plate and all(p.id != made.plate for p in build.pieces):
        raise InputError("plate", "choose one of the build's pieces")
    changed = replace(
        mount,
        hold=made.hold,
        tolerance_mm=made.tolerance_mm,
        bolt_mm=bolt_mm,
        fastener=made.fastener,
        around=made.around,
        bush=made.bush,
        boxed=made.boxed,
        hanger=made.hanger,
        plate=made.plate,
    )
    return replace(build, mounts=with_item(build.mounts, changed))


def with_layer(build: Build, mount_id: str, layer: Layer) -> Build:
    """The build with a layer added to a mount, next to its fellows on that side, or changed."""
    mount = build.mount(mount_id)
    tidy = cleaned_name(layer.name, "layer_name")
    if layer.mm <= 0:
        raise InputError("layer_mm", "must be above 0")
    if min(layer.plus_mm, layer.minus_mm) < 0:
        raise InputError("layer_mm", "a tolerance is 0 or more")
    if any(v is not None and v <= 0 for v in (layer.edge_mm, layer.wall_mm)):
        raise InputError("layer_edge", "must be above 0")
    made = replace(layer, id=layer.id or new_id(tidy, (x.id for x in mount.layers)), name=tidy)
    if any(x.id == made.id for x in mount.layers):
        layers = tuple(made if x.id == made.id else x for x in mount.layers)
    else:
        layers = (*(x for x in mount.layers if x.side == "foot"), *(x for x in mount.layers if x.side == "seat"))
        at = sum(x.side == "foot" for x in layers) if made.side == "foot" else len(layers)
        layers = (*layers[:at], made, *layers[at:])
    return replace(build, mounts=with_item(build.mounts, replace(mount, layers=layers)))


def without_layer(build: Build, mount_id: str, layer_id: str) -> Build:
    """The build with a layer taken out of a mount; refused while a chain of dimensions counts it."""
    mount = build.mount(mount_id)
    users = [c.name for c in build.chains if any(k.mount == mount_id and k.layer == layer_id for k in c.links)]
    if users:
        raise InputError("layer_mm", f"counts in {', '.join(users)}; take it out there first")
    return replace(build, mounts=with_item(build.mounts, replace(mount, layers=tuple(x for x in mount.layers if x.id != layer_id))))
