"""Shapes of the vehicle and of parts: added, changed, copied, mirrored, taken out."""

from __future__ import annotations

import re
from dataclasses import replace

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.vectors import Vec3, add
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.build.thing_edits import with_entry
from elmpeg.core.methods.shapes.solids import Box, Cylinder, Extrusion, Mesh, Solid, Tube

LEFT_RIGHT = {"left": "right", "right": "left", "Left": "Right", "Right": "Left"}


def shapes_of(build: Build, on: str) -> tuple[Solid, ...]:
    """The shapes of the vehicle, or of a part. Raises MissingError."""
    return build.solids if on == VEHICLE else build.component(on).solids


def shape_of(build: Build, on: str, shape_id: str) -> Solid:
    """One shape; raises MissingError."""
    for solid in shapes_of(build, on):
        if solid.id == shape_id:
            return solid
    raise MissingError(f"there is no shape “{shape_id}” on “{on}”")


def _with_shapes(build: Build, on: str, solids: tuple[Solid, ...]) -> Build:
    if on == VEHICLE:
        return replace(build, solids=solids)
    return replace(build, components=with_item(build.components, replace(build.component(on), solids=solids)))


def with_shape(build: Build, on: str, shape: Solid) -> Build:
    """The build with a shape added last (no id), or changed in its place. Raises InputError for a name that is empty or another's."""
    if shape.id:
        shape_of(build, on, shape.id)
    return _with_shapes(build, on, with_entry(shapes_of(build, on), shape, "shape there"))


def rooms_at(build: Build, on: str, shape_id: str) -> tuple[str, ...]:
    """The names of the rooms that are watched to a shape."""
    return tuple(r.name for r in build.rooms if any(ref.on == on and ref.solid == shape_id for ref in (r.a, r.b)))


def without_shape(build: Build, on: str, shape_id: str, with_rooms: bool = False) -> Build:
    """The build without a shape. Raises InputError while room to it is watched, unless that goes too."""
    shape = shape_of(build, on, shape_id)
    watched = rooms_at(build, on, shape_id)
    if watched and not with_rooms:
        raise InputError("shape", f"room to {shape.name} is watched: {', '.join(watched[:4])}; take that out too, or leave the shape")
    rooms = tuple(r for r in build.rooms if all(ref.on != on or ref.solid != shape_id for ref in (r.a, r.b)))
    return _with_shapes(replace(build, rooms=rooms), on, tuple(s for s in shapes_of(build, on) if s.id != shape_id))


def with_copy(build: Build, on: str, shape_id: str, by_mm: Vec3) -> Build:
    """The build with a copy of a shape, last, shifted."""
    shape = shape_of(build, on, shape_id)
    return with_shape(build, on, replace(shifted(shape, by_mm), id="", name=_free_name(build, on, shape.name)))


def with_mirrored(build: Build, on: str, shape_id: str) -> Build:
    """The build with a shape's mirror image across the middle plane, last; left becomes right in its name."""
    shape = shape_of(build, on, shape_id)
    name = re.sub("|".join(LEFT_RIGHT), lambda m: LEFT_RIGHT[m[0]], shape.name)
    return with_shape(build, on, replace(mirrored(shape), id="", name=_free_name(build, on, name)))


def _free_name(build: Build, on: str, name: str) -> str:
    taken = {s.name.lower() for s in shapes_of(build, on)}
    return next(n for n in (name, *(f"{name[:74]} {k}" for k in range(2, 3000))) if n.lower() not in taken)


def shifted(shape: Solid, by_mm: Vec3) -> Solid:
    """A shape moved without turning."""
    x, y, z = by_mm
    if isinstance(shape, Box):
        return replace(shape, centre_mm=add(shape.centre_mm, by_mm))
    if isinstance(shape, Cylinder):
        return replace(shape, start_mm=add(shape.start_mm, by_mm), end_mm=add(shape.end_mm, by_mm))
    if isinstance(shape, Tube):
        return replace(shape, path_mm=tuple(add(p, by_mm) for p in shape.path_mm))
    if isinstance(shape, Mesh):
        return replace(shape, vertices_mm=tuple(add(p, by_mm) for p in shape.vertices_mm))
    du, dv, depth = {"side": (x, z, y), "plan": (x, y, z), "rear": (y, z, x)}[shape.view]
    outline = tuple((u + du, v + dv) for u, v in shape.outline_mm)
    return replace(shape, outline_mm=outline, from_mm=shape.from_mm + depth, to_mm=shape.to_mm + depth)


def mirrored(shape: Solid) -> Solid:
    """A shape's mirror image across the middle plane, Y to −Y."""
    if isinstance(shape, Box):
        return replace(shape, centre_mm=_across(shape.centre_mm))
    if isinstance(shape, Cylinder):
        return replace(shape, start_mm=_across(shape.start_mm), end_mm=_across(shape.end_mm))
    if isinstance(shape, Tube):
        return replace(shape, path_mm=tuple(_across(p) for p in shape.path_mm))
    if isinstance(shape, Mesh):
        # Mirrored, a triangle turns the other way round; so its corners are told the other way round.
        turned = tuple((a, c, b) for a, b, c in shape.triangles)
        return replace(shape, vertices_mm=tuple(_across(p) for p in shape.vertices_mm), triangles=turned)
    return _mirrored_outline(shape)


def _mirrored_outline(shape: Extrusion) -> Extrusion:
    if shape.view == "side":
        return replace(shape, from_mm=-shape.to_mm, to_mm=-shape.from_mm)
    if shape.view == "plan":
        return replace(shape, outline_mm=tuple((u, -v) for u, v in reversed(shape.outline_mm)))
    return replace(shape, outline_mm=tuple((-u, v) for u, v in reversed(shape.outline_mm)))


def _across(p: Vec3) -> Vec3:
    return (p[0], -p[1], p[2])
