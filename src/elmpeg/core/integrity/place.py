"""What must be true of parts, the shapes they are blocked in with, where options put them, and the room between them."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from shapely.geometry import Polygon

from elmpeg.core.base.errors import ElmPegError, InputError
from elmpeg.core.base.vectors import norm, sub
from elmpeg.core.build.document import Build
from elmpeg.core.build.rooms import SolidRef
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.integrity.figures import far
from elmpeg.core.integrity.names import doubles
from elmpeg.core.methods.measuring.plane_projection import plane_projection
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM
from elmpeg.core.methods.shapes.solids import Box, Cylinder, Mesh, Solid, Tube, crossing_mm
from elmpeg.core.scene.scene import root_of

THINNEST_MM = 0.01
"""Thinner shapes have no inside to compute with."""
MOST_KINDS, MOST_PIECES = 40, 100
"""What one stack is made of at most."""
MOST_LEGS = 60
MOST_MARKS = 40
MOST_TRIANGLES = 4000
"""A mesh is simplified before it is kept; more would make every move wait."""


def component_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Parts bolted to each other in a ring, and shapes that have no inside."""
    if any(c.id == VEHICLE for c in build.components):
        yield "components", f"“{VEHICLE}” is the vehicle itself; give the component another id"
    for i, component in enumerate(build.components):
        try:
            root_of(build, component.id)
        except ElmPegError as ring:
            yield f"components.{i}.parent", str(ring)
            return
        for k, solid in enumerate(component.solids):
            yield from _solid(f"components.{i}.solids.{k}", solid)
        yield from doubles(f"components.{i}.solids", (s.id for s in component.solids))
    for k, solid in enumerate(build.solids):
        yield from _solid(f"solids.{k}", solid)


def underlay_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Photographs under a view whose marks fix no picture."""
    for i, underlay in enumerate(build.underlays):
        if len(underlay.marks) > MOST_MARKS:
            yield f"underlays.{i}.marks", f"has {len(underlay.marks)} marks; at most {MOST_MARKS} are kept"
            continue
        try:
            plane_projection(underlay.marks)
        except InputError as refused:
            yield f"underlays.{i}.marks", refused.message


def room_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Room between solids that are not there."""
    for i, room in enumerate(build.rooms):
        for side, ref in (("a", room.a), ("b", room.b)):
            if not _solid_there(build, ref):
                yield f"rooms.{i}.{side}", f"“{ref.on}” has no solid “{ref.solid}”"


def option_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Positions and stacks that make no sense."""
    driving = {c.id for c in build.components if c.parent is None}
    if not build.options:
        yield "options", "is empty; a build has at least one option"
    if build.agreed is not None and all(o.id != build.agreed for o in build.options):
        yield "agreed", f"“{build.agreed}” is not one of the options"
    for i, option in enumerate(build.options):
        yield from doubles(f"options.{i}.positions", (p.component for p in option.positions))
        yield from doubles(f"options.{i}.stacks", (s.mount for s in option.stacks))
        for k, position in enumerate(option.positions):
            if position.component not in driving:
                yield f"options.{i}.positions.{k}", f"“{position.component}” is not a driving component"
            yield from far(f"options.{i}.positions.{k}", position.pose.origin_mm)
        for k, stack in enumerate(option.stacks):
            if len(stack.pieces) > MOST_KINDS or sum(p.count for p in stack.pieces) > MOST_PIECES:
                yield f"options.{i}.stacks.{k}", f"has more than {MOST_KINDS} kinds or {MOST_PIECES} pieces"
            if any(p.reserved > p.count for p in stack.pieces):
                yield f"options.{i}.stacks.{k}", "has more pieces reserved than it is made of"


def _solid_there(build: Build, ref: SolidRef) -> bool:
    if ref.on == VEHICLE:
        return any(s.id == ref.solid for s in build.solids)
    return any(c.id == ref.on and any(s.id == ref.solid for s in c.solids) for c in build.components)


def _solid(field: str, solid: Solid) -> Iterator[tuple[str, str]]:
    if solid.sd_mm > LONGEST_MM:
        yield f"{field}.sd_mm", f"must be below {LONGEST_MM:g} mm"
    if isinstance(solid, Box):
        yield from far(field, solid.centre_mm)
        if not THINNEST_MM <= min(solid.size_mm) <= max(solid.size_mm) <= LONGEST_MM:
            yield field, f"needs sides of {THINNEST_MM:g} mm to 100 m"
    elif isinstance(solid, Cylinder):
        yield from far(field, solid.start_mm)
        yield from far(field, solid.end_mm)
        if not (THINNEST_MM <= solid.diameter_mm <= LONGEST_MM and norm(sub(solid.end_mm, solid.start_mm)) >= THINNEST_MM):
            yield field, f"needs a diameter and a length of at least {THINNEST_MM:g} mm"
    elif isinstance(solid, Mesh):
        yield from _mesh(field, solid)
    elif isinstance(solid, Tube):
        for corner in solid.path_mm:
            yield from far(field, corner)
        steps = [norm(sub(b, a)) for a, b in pairwise(solid.path_mm)]
        if not steps or min(steps) < THINNEST_MM or not THINNEST_MM <= solid.diameter_mm <= LONGEST_MM:
            yield field, f"needs a path of at least two different places, and a diameter of at least {THINNEST_MM:g} mm"
        elif len(steps) > MOST_LEGS:
            yield field, f"has {len(steps)} straight pieces; at most {MOST_LEGS} are kept in one tube"
    else:
        figures = [solid.from_mm, solid.to_mm, *(v for corner in solid.outline_mm for v in corner)]
        sound = (
            len(solid.outline_mm) >= 3 and max(abs(v) for v in figures) <= LONGEST_MM and abs(solid.to_mm - solid.from_mm) >= THINNEST_MM
        )
        outline = Polygon(solid.outline_mm) if sound else None
        where = crossing_mm(solid.outline_mm) if outline is not None and not outline.is_valid else None
        if where is not None:
            yield field, f"crosses itself at {where[0]:.0f}, {where[1]:.0f} mm of its view; draw its corners in order around it"
        elif outline is None or not outline.is_valid or outline.area < THINNEST_MM * outline.length:
            yield field, f"needs an outline of at least three corners that does not cross itself, and a thickness of {THINNEST_MM:g} mm"


def _mesh(field: str, mesh: Mesh) -> Iterator[tuple[str, str]]:
    if not 4 <= len(mesh.triangles) <= MOST_TRIANGLES:
        yield field, f"has {len(mesh.triangles)} triangles; a mesh is kept with 4 to {MOST_TRIANGLES}"
        return
    figures = [v for vertex in mesh.vertices_mm for v in vertex]
    if max(map(abs, figures), default=0.0) > LONGEST_MM:
        yield field, "has a corner more than 100 m from its own zero; check the unit"
    named = [n for triangle in mesh.triangles for n in triangle]
    if min(named) < 0 or max(named) >= len(mesh.vertices_mm):
        yield field, "has a triangle with a corner that is not there"
    spans = [max(v[i] for v in mesh.vertices_mm) - min(v[i] for v in mesh.vertices_mm) for i in range(3)] if mesh.vertices_mm else [0.0]
    if sorted(spans)[-2:][0] < THINNEST_MM:
        yield field, f"needs to be {THINNEST_MM:g} mm across at least two ways"
    if not 0 <= mesh.off_mm <= LONGEST_MM or mesh.triangles_in_file < 0:
        yield field, "says it is off by less than nothing"
