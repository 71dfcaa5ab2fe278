"""What a piece would run into where it lies, and whether its bolts can be put in and turned."""

from __future__ import annotations

from collections.abc import Iterator

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import add, scale
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import CarriedAxle
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.methods.fastening.fasteners import THREADS, size_of, socket_outside_mm
from elmpeg.core.methods.shapes.clearance import Body, room_between, room_of
from elmpeg.core.methods.shapes.solids import FIXED, Cylinder, Mesh, Solid
from elmpeg.core.scene.carried_axle import heights_mm
from elmpeg.core.scene.in_state import in_states
from elmpeg.core.scene.scene import Scene, assembly_of
from elmpeg.core.scene.states import AT_REST, State, risen
from elmpeg.core.stages.make.piece_shape import PieceHole, PieceShape

TOUCHES_MM = 1.0
"""Metal that lies on a face touches the shape behind it; shapes are blocked in, so that this much is no foul."""
TOOL_LONG_MM = 60.0
ENDS = 3
"""Heights of an axle that are looked at: as low as it goes, as it stands, as high as it goes."""


@record
class Foul:
    """A shape that the piece, or the tool for one of its bolts, runs into, and by how much."""

    name: str
    mm: float
    hole: str = ""
    """The hole whose tool does not reach; empty for the metal itself."""
    when: str = ""
    """What moves so far that it happens; empty where everything stands as it is."""


def fouls(scene: Scene, shape: PieceShape) -> tuple[Foul, ...]:
    """Everything in the way of a piece, worst first, as things stand and, at rest, with each axle at the ends of its travel too.

    Nothing for a piece that lies nowhere, or where nothing has a shape.
    """
    if shape.lying is None:
        return ()
    own = Body(solids_of(shape), FIXED)
    tools = _tools(scene, shape)
    found = [f for on, solid in _shapes(scene) for f in _met(scene, own, tools, on, solid, "")]
    for moved, on_it, when in _in_travel(scene, shape):
        found += [f for on, solid in _shapes(scene) if on in on_it for f in _met(moved, own, [], on, solid, when)]
    return tuple(sorted(found, key=lambda f: -f.mm))


def _shapes(scene: Scene) -> list[tuple[str, Solid]]:
    return [(VEHICLE, s) for s in scene.build.solids] + [(c.id, s) for c in scene.build.components for s in c.solids]


def _met(scene: Scene, own: Body, tools: list[tuple[PieceHole, Cylinder]], on: str, solid: Solid, when: str) -> Iterator[Foul]:
    where = scene.placement(on)
    called = solid.name if on == VEHICLE else f"{solid.name} of {scene.build.component(on).name}"
    room = room_between(own, Body((solid,), where)).distance_mm
    if room < -TOUCHES_MM:
        yield Foul(called, -room, "", when)
    for hole, tool in tools:
        reach = room_of(tool, FIXED, solid, where).distance_mm
        if reach < -TOUCHES_MM:
            yield Foul(called, -reach, hole.named, when)


def ends_of_travel(build: Build) -> tuple[tuple[CarriedAxle, tuple[State, ...]], ...]:
    """Each axle as low and as high as it goes."""
    return tuple((axle, risen(axle.id, (h for h in heights_mm(build, axle, ENDS) if h))) for axle in build.axles)


def _in_travel(scene: Scene, shape: PieceShape) -> Iterator[tuple[Scene, set[str], str]]:
    """The scene with each axle up and down as far as it goes, what goes with it, and how that is said. A piece on an axle goes too."""
    if scene.state != AT_REST:
        return
    holds = {scene.declared(h.id).on for f in shape.faces for h in f.face.holes}
    for axle, ends in ends_of_travel(scene.build):
        on_it = {c.id for c in assembly_of(scene.build, axle.component)}
        if on_it & holds:
            continue
        try:
            moved = in_states(scene, ends)
        except InputError:
            continue
        for there, end in zip(moved, ends, strict=True):
            yield there, on_it, f"{axle.name} {'up' if end.axle(axle.id).rise_mm > 0 else 'down'} as far as it goes"


def _tools(scene: Scene, shape: PieceShape) -> list[tuple[PieceHole, Cylinder]]:
    """For each bolt a socket as it stands on its head, on the side of the metal that looks away from the face."""
    normals = {f.face.name: f.face.normal for f in shape.faces}
    found = []
    for hole in shape.holes:
        normal = normals.get(hole.face)
        if normal is None or hole.bolt_mm <= 0:
            continue
        size = next((size_of(t) for t in THREADS.values() if abs(t.d_mm - hole.bolt_mm) < 1e-6), None)
        if size is None:
            continue
        foot = add(scene.xyz(hole.id), scale(normal, shape.thick_mm + TOUCHES_MM))
        found.append((hole, Cylinder(hole.id, "tool", foot, add(foot, scale(normal, TOOL_LONG_MM)), socket_outside_mm(size.hex.across_mm))))
    return found


def solids_of(shape: PieceShape) -> tuple[Mesh, ...]:
    """The flanges of a piece as it lies in the vehicle, one closed body each, for distances to what stands near."""
    if shape.lying is None:
        return ()
    found = []
    for n, flange in enumerate(shape.folded().flanges):
        ring = [(float(x), float(y)) for x, y in flange.region.convex_hull.exterior.coords[:-1]]
        top = [flange.frame.at(p) for p in ring]
        up = flange.frame.up
        low = [(p[0] - up[0] * shape.thick_mm, p[1] - up[1] * shape.thick_mm, p[2] - up[2] * shape.thick_mm) for p in top]
        count = len(ring)
        sides = [t for k in range(count) for t in ((k, k + count, (k + 1) % count), ((k + 1) % count, k + count, (k + 1) % count + count))]
        caps = [t for k in range(1, count - 1) for t in ((0, k, k + 1), (count, count + k + 1, count + k))]
        found.append(Mesh(f"flange-{n}", "flange", (*top, *low), (*caps, *sides)))
    return tuple(found)
