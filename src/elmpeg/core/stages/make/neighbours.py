"""What a piece would run into where it lies, and whether its bolts can be put in and turned."""

from __future__ import annotations

from collections.abc import Iterator

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import add, scale
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import CarriedAxle
from elmpeg.core.methods.fastening.fasteners import THREADS, size_of, socket_outside_mm
from elmpeg.core.methods.shapes.clearance import Body, room_between, room_of
from elmpeg.core.methods.shapes.solids import FIXED, Cylinder
from elmpeg.core.scene.bodies import Bodies, around, box_of, vehicle_bodies
from elmpeg.core.scene.carried_axle import heights_mm
from elmpeg.core.scene.in_state import in_states
from elmpeg.core.scene.scene import Scene, assembly_of
from elmpeg.core.scene.states import AT_REST, State, risen
from elmpeg.core.stages.drive.shaft_bodies import shaft_bodies
from elmpeg.core.stages.make.piece_bodies import solids_of
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
    found = list(_met(standing_about(scene), own, tools, ""))
    for moved, on_it, when in _in_travel(scene, shape):
        there = standing_about(moved)
        found += _met(Bodies(b for b in there if b.on in on_it or b.kind == "shaft"), own, [], when)
    return tuple(sorted(found, key=lambda f: -f.mm))


def standing_about(scene: Scene) -> Bodies:
    """What a piece may run into: the vehicle, its parts and wheels, and the shafts that turn between them."""
    return Bodies((*vehicle_bodies(scene), *shaft_bodies(scene)))


def _met(bodies: Bodies, own: Body, tools: list[tuple[PieceHole, Cylinder]], when: str) -> Iterator[Foul]:
    for body in bodies.near(around(box_of(s, FIXED) for s in own.solids)):
        room = room_between(own, Body((body.solid,), body.where)).distance_mm
        if room < -TOUCHES_MM:
            yield Foul(body.called, -room, "", when)
    for hole, tool in tools:
        for body in bodies.near(box_of(tool, FIXED)):
            reach = room_of(tool, FIXED, body.solid, body.where).distance_mm
            if reach < -TOUCHES_MM:
                yield Foul(body.called, -reach, hole.named, when)


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
        found.append((hole, Cylinder(hole.id, "tool", foot, add(foot, scale(normal, TOOL_LONG_MM)), socket_outside_mm(size.hex.flats_mm))))
    return found
