"""Builds far larger than a real one, for measuring: 60 components, 300 points, 80 mounts, 6 drivelines, 20 rooms; or 2,000 readings."""

from __future__ import annotations

import math
import random
from dataclasses import replace

import numpy as np
import trimesh

from elmpeg.core.base.pose import Pose
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline, LineJoint
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Option, Position
from elmpeg.core.build.rooms import Room, SolidRef
from elmpeg.core.build.survey import VEHICLE, Datum, Point, Reading
from elmpeg.core.calculators import CALCULATORS
from elmpeg.core.methods.shapes.clearance import Body
from elmpeg.core.methods.shapes.solids import FIXED, Box, Cylinder, Extrusion, Mesh, Solid
from elmpeg.formats.mesh_reading import simplified

READINGS = 2000
SHAPES, MESHES, LISTED = 300, 10, 500
COMPONENTS, POINTS, MOUNTS, LINES, ROOMS = 60, 300, 80, 6, 20


def build() -> Build:
    """The same build every time."""
    rng = random.Random(11)
    components = []
    for k in range(COMPONENTS):
        parent = f"c{k - 1}" if k % 3 else None
        pose = Pose(400, 0, 0) if parent else Pose(60.0 * k, rng.uniform(-400, 400), 500, 0, 2, 0)
        solids = (
            Box("a", "a", (150, 0, 0), (300, 200, 200)),
            Cylinder("b", "b", (0, 0, 100), (300, 0, 100), 120),
            Extrusion("e", "e", "side", ((0, -100), (300, -100), (300, -180), (150, -140), (0, -180)), -80, 80),
        )
        components.append(Component(f"c{k}", f"Part {k}", pose, solids, parent))
    points: list[Point] = []
    mounts = []
    for k in range(MOUNTS):
        on = f"c{k % COMPONENTS}"
        points.append(Point(f"f{k}", f"foot {k}", on, "hole", (100, rng.uniform(-90, 90), -90), (0, 0, 1), 13))
        points.append(Point(f"s{k}", f"seat {k}", VEHICLE, "hole", (60.0 * k, 0, 380), (0, 0, 1), 14))
        mounts.append(Mount(f"m{k}", f"Mount {k}", f"f{k}", f"s{k}", 12))
    lines = []
    for k in range(LINES):
        for end, on in (("a", f"c{3 * k}"), ("b", f"c{3 * k + 30}")):
            points.append(Point(f"j{k}{end}", f"joint {k}{end}", on, "joint", (300, 0, 0), (1, 0, 0.05)))
        points.append(Point(f"j{k}m", f"carrier {k}", VEHICLE, "joint", (180.0 * k + 900, 0, 480), (1, 0, 0)))
        joints = (LineJoint("J1", f"j{k}a"), LineJoint("J2", f"j{k}m"), LineJoint("J3", f"j{k}b"))
        lines.append(Driveline(f"l{k}", f"Line {k}", 2600, joints, (0.0, 90.0)))
    while len(points) < POINTS:
        k = len(points)
        points.append(Point(f"p{k}", f"point {k}", f"c{k % COMPONENTS}", "corner", (rng.uniform(0, 300), 0, 0)))
    rooms = tuple(Room(f"r{k}", f"Room {k}", SolidRef(f"c{k}", "e"), SolidRef(f"c{k + 30}", "a"), 10.0) for k in range(ROOMS))
    return Build(
        id="synthetic",
        name="Synthetic",
        vehicle="none",
        datum=Datum("zero", "level"),
        components=tuple(components),
        points=tuple(points),
        mounts=tuple(mounts),
        drivelines=tuple(lines),
        rooms=rooms,
        options=(Option("o", "Only", (Position("c0", components[0].pose),)),),
    )


def shaped(meshes: int, seed: int = 3) -> Build:
    """A vehicle of 300 shapes, so many of them meshes simplified from 50,000 triangles; six parts, room watched to thirty."""
    rng = random.Random(seed)
    boxes = [
        Box(
            f"s{k}", f"shape {k}", (30.0 * k, rng.uniform(-700, 700), rng.uniform(300, 1200)), tuple(rng.uniform(20, 200) for _ in range(3))
        )  # type: ignore[arg-type]
        for k in range(SHAPES)
    ]
    solids: list[Solid] = [
        _mesh(box) if k % (SHAPES // MESHES) == 0 and k // (SHAPES // MESHES) < meshes else box for k, box in enumerate(boxes)
    ]
    own = SHAPES // 6
    parts = tuple(
        Component(f"c{n}", f"Part {n}", Pose(0.0, 0.0, 5.0 * n, 0.0, 2.0, 0.0), tuple(solids[n * own : (n + 1) * own])) for n in range(5)
    )
    rooms = tuple(
        Room(f"r{k}", f"Room {k}", SolidRef("c0", solids[k].id), SolidRef(VEHICLE, solids[5 * own + k].id), 10.0) for k in range(ROOMS + 10)
    )
    datum = Datum("zero", "level")
    return Build(
        "shaped", "Shaped", "none", datum, solids=tuple(solids[5 * own :]), components=parts, rooms=rooms, options=(Option("o", "o"),)
    )


def _mesh(box: Box) -> Mesh:
    """A ball of about the same size, as it is kept of a scan of 50,000 triangles."""
    ball = trimesh.creation.icosphere(subdivisions=6, radius=max(box.size_mm) / 2)
    vertices, triangles, closed = simplified(ball.vertices[ball.faces[:50_000].ravel()], np.arange(150_000).reshape(-1, 3))
    placed = tuple(tuple(float(v) + c for v, c in zip(row, box.centre_mm, strict=True)) for row in vertices)
    return Mesh(box.id, box.name, placed, tuple(map(tuple, triangles.tolist())), closed)  # type: ignore[arg-type]


def listed() -> Build:
    """Five hundred of each thing that a shop lists most."""
    made = shaped(0)
    base = made.components[0]
    boxes = tuple(Box(f"x{k}", f"more {k}", (20.0 * k, 0, 800), (10, 10, 10)) for k in range(LISTED))
    return replace(
        made,
        id="listed",
        name="Listed",
        solids=(*made.solids, *boxes)[:LISTED],
        components=(*made.components, *(replace(base, id=f"d{k}", name=f"Bracket {k}", solids=boxes[k : k + 1]) for k in range(LISTED)))[
            :LISTED
        ],
        points=tuple(Point(f"p{k}", f"point {k}", VEHICLE, "hole", (10.0 * k, 0, 500), (0, 0, 1), 13) for k in range(LISTED)),
        rooms=tuple(Room(f"r{k}", f"Room {k}", SolidRef("c0", "s1"), SolidRef(f"d{k % 400}", f"x{k % 400}"), 10.0) for k in range(LISTED)),
    )


def measured() -> Build:
    """The same build with 2,000 readings: 250 points on the vehicle by offsets, every fifth by five tapes."""
    rng = random.Random(12)
    points: list[Point] = []
    known = [Point(f"k{k}", f"known {k}", VEHICLE, "hole", (700.0 * k, (-400.0, 400.0)[k % 2], 600.0 + 30 * k)) for k in range(6)]
    taken = 0
    while taken < READINGS:
        k = len(points)
        true = (rng.uniform(0, 4000), rng.uniform(-700, 700), rng.uniform(200, 1200))
        if k % 5:
            axes = ("x", "y", "z")
            readings = tuple(
                Reading(f"r{n}", axes[n % 3], f"{true[n % 3]:.1f}", true[n % 3] + rng.gauss(0, 0.5), "tape", "Pip", "2026-11-20T09:00:00")
                for n in range(9)
            )
            points.append(Point(f"n{k}", f"noted {k}", VEHICLE, "hole", true, (0, 0, 1), 10, readings=readings))
        else:
            readings = tuple(
                Reading(
                    f"r{n}", "tape", "x", math.dist(true, o.xyz_mm) + rng.gauss(0, 0.7), "tape", "Pip", "2026-11-20T09:00:00", held_at=o.id
                )
                for n, o in enumerate(known[:5])
            )
            points.append(Point(f"n{k}", f"noted {k}", VEHICLE, "hole", true, (0, 0, 1), 10, got="tapes", readings=readings, near_mm=true))
        taken += len(readings)
    made = build()
    return replace(made, id="measured", name="Measured", points=(*made.points, *known, *points))


def bodies(count: int) -> tuple[Body, Body]:
    """Two bodies of boxes and cylinders beside each other, for the room between them."""
    rng = random.Random(3)

    def shape(k: int, x: float) -> Solid:
        at = (x + rng.uniform(-300, 300), rng.uniform(-300, 300), rng.uniform(-300, 300))
        if k % 2:
            return Box(f"b{k}", "", at, (rng.uniform(40, 160), rng.uniform(40, 160), rng.uniform(40, 160)))
        return Cylinder(f"c{k}", "", at, (at[0] + 80, at[1] + 30, at[2]), rng.uniform(20, 80))

    one, other = (tuple(shape(k, x) for k in range(count)) for x in (0.0, 1000.0))
    return Body(one, FIXED), Body(other, FIXED)


def unknown_holes(count: int) -> dict[str, object]:
    """Holes over studs that each are a little off and that nobody has named."""
    rng = random.Random(3)
    holes = [{"id": f"h{k}", "x_mm": rng.uniform(0, 400), "y_mm": rng.uniform(0, 300), "hole_mm": 9.0} for k in range(count)]
    studs = [
        {"id": f"s{k}", "x_mm": 60 - h["y_mm"] + rng.uniform(-0.3, 0.3), "y_mm": 20 + h["x_mm"] + rng.uniform(-0.3, 0.3), "bolt_mm": 8.0}
        for k, h in enumerate(holes)
    ]
    return {"holes": holes, "studs": studs, "allow_rotation": True, "allow_mirror": True}


def many_changes() -> dict[str, object]:
    """A vehicle with fifty things put in."""
    changes = [{"id": f"c{k}", "kg": 10.0 + k, "xyz_mm": [100.0 + k, 20.0, 300.0 + k]} for k in range(50)]
    return {**CALCULATORS["weight"].example, "changes": changes}


def swinging(count: int) -> dict[str, object]:
    """Two bodies of so many boxes and cylinders each, one of which swings."""
    rng = random.Random(3)

    def solids(x: float) -> list[dict[str, object]]:
        found: list[dict[str, object]] = []
        for k in range(count):
            at = [x + rng.uniform(-300, 300), rng.uniform(-300, 300), rng.uniform(-300, 300)]
            if k % 2:
                found.append({"id": f"b{k}", "kind": "box", "centre_mm": at, "size_mm": [rng.uniform(40, 160) for _ in range(3)]})
            else:
                end = [at[0] + 80, at[1] + 30, at[2]]
                found.append({"id": f"c{k}", "kind": "cylinder", "start_mm": at, "end_mm": end, "diameter_mm": rng.uniform(40, 160)})
        return found

    motion = {"of": "a", "kind": "swing", "about_mm": [0, 0, -600], "axis": [0, 1, 0], "from_deg": -60, "to_deg": 40}
    return {"a": {"solids": solids(0)}, "b": {"solids": solids(1000)}, "motion": motion}
