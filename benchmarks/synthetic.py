"""Builds far larger than a real one, for measuring: 60 components, 300 points, 80 mounts, 6 drivelines, 20 rooms; or 2,000 readings."""

from __future__ import annotations

import math
import random
from dataclasses import replace

from elmpeg.core.base.pose import Pose
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline, LineJoint
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Option, Position
from elmpeg.core.build.rooms import Room, SolidRef
from elmpeg.core.build.survey import VEHICLE, Datum, Point, Reading
from elmpeg.core.methods.shapes.solids import Box, Cylinder, Extrusion

READINGS = 2000
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
