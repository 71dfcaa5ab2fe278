"""The mounts that a bracket makes: each part's hole that it meets, on a seat that the bracket brings; and holes that are there already.

A seat on a bracket is a point of the vehicle where the part's hole is when the mounts
are made. It stays there when the part moves, as the metal does, until somebody brings
the mounts up to today.
"""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import new_id
from elmpeg.core.base.vectors import norm, sub
from elmpeg.core.build.document import Build
from elmpeg.core.build.hardware import Layer
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.pieces import Piece
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.methods.fastening.fasteners import bolt_through_mm
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape
from elmpeg.core.stages.mount.existing_holes import HoleSet, hole_sets

TOLERANCE_MM = 1.0
MOVED_MM = 0.01
NEAR_SETS = 4
USUAL_BOLT_SHARE = 0.9


def part_points(build: Build, piece: Piece) -> tuple[str, ...]:
    """The holes of parts that a piece meets, in the order of its faces."""
    on = {p.id: p.on for p in build.points}
    return tuple(dict.fromkeys(p for f in piece.faces for p in f.points if on.get(p, VEHICLE) != VEHICLE))


def vehicle_points(build: Build, piece: Piece) -> tuple[Point, ...]:
    """The vehicle's points that a piece meets."""
    known = {p.id: p for p in build.points}
    found = dict.fromkeys(p for f in piece.faces for p in f.points if p in known and known[p].on == VEHICLE)
    return tuple(known[p] for p in found)


def new_holes(build: Build, piece: Piece) -> tuple[Point, ...]:
    """Places on the vehicle that a piece is bolted to and that have no hole yet."""
    return tuple(p for p in vehicle_points(build, piece) if p.kind != "hole")


def mounts_of(build: Build, piece: Piece) -> tuple[Mount, ...]:
    """The mounts by which a piece holds parts: through it as a plate, or on the seats that it brings."""
    met, known = set(part_points(build, piece)), {p.id for p in build.points}
    brings = {seat_id for p in met if (seat_id := _seat_id(piece, p)) in known}
    return tuple(m for m in build.mounts if m.plate == piece.id or m.seat_point in brings)


def brings_mounts(build: Build, piece: Piece) -> bool:
    """Whether a piece holds a part to the vehicle."""
    return bool(part_points(build, piece)) and bool(vehicle_points(build, piece))


def with_mounts(build: Build, scene: Scene, piece_id: str) -> Build:
    """The build with a mount for each part's hole that a piece meets and that has none, and the seats of those it brought
    already where the parts are today.

    Raises InputError where the piece has no shape, or meets holes of the vehicle alone or of parts alone.
    """
    piece = build.piece(piece_id)
    feet, held = part_points(build, piece), vehicle_points(build, piece)
    if not brings_mounts(build, piece):
        raise InputError("mounts", f"{piece.name} joins no part to the vehicle; mounts come about where it does")
    shape = piece_shape(scene, piece)
    drills = {h.id: h.drill_mm for h in shape.holes}
    known, points, mounts = {p.id: p for p in build.points}, {p.id: p for p in build.points}, list(build.mounts)
    uses = tuple(p.id for p in held if p.kind == "hole")
    for foot_id in feet:
        foot, seat_id = known[foot_id], _seat_id(piece, foot_id)
        if seat_id in points:
            if norm(sub(points[seat_id].xyz_mm, scene.xyz(foot_id))) > MOVED_MM:
                points[seat_id] = replace(points[seat_id], xyz_mm=scene.xyz(foot_id), axis=scene.axis(foot_id))
            continue
        if any(m.component_point == foot_id for m in mounts):
            continue
        called = f"{foot.name} on {piece.name}"[:78]
        hole = drills.get(foot_id) or foot.hole_mm
        points[seat_id] = Point(
            seat_id, f"{called}: seat"[:80], VEHICLE, "hole", scene.xyz(foot_id), scene.axis(foot_id), hole, "drawing",
            note=f"where {piece.name} brings it, by its drawing",
        )  # fmt: skip
        name = next(n for n in (called, *(f"{called[:74]} {k}" for k in range(2, 999))) if all(m.name.lower() != n.lower() for m in mounts))
        bolt = bolt_through_mm(foot.hole_mm or hole or 0.0) or USUAL_BOLT_SHARE * (hole or 0.0)
        if bolt <= 0:
            raise InputError("mounts", f"{foot.name} has no hole size; say it at Measure first")
        layer = Layer("sheet", piece.name[:60], piece.thick_mm, "seat", piece.material)
        mounts.append(
            Mount(
                new_id(name, (m.id for m in mounts)), name, foot_id, seat_id, bolt, TOLERANCE_MM, "bracket", layers=(layer,), uses=uses
            )
        )  # fmt: skip
    return replace(build, points=tuple(points.values()), mounts=tuple(mounts))


def out_of_place_mm(scene: Scene, piece: Piece) -> float:
    """How far the seats that a piece brought lie from where its parts are today; 0 where it brought none."""
    known = {p.id: p for p in scene.build.points}
    pairs = [(known[s], p) for p in part_points(scene.build, piece) if (s := _seat_id(piece, p)) in known]
    return max((norm(sub(seat.xyz_mm, scene.xyz(foot))) for seat, foot in pairs), default=0.0)


def _seat_id(piece: Piece, foot_id: str) -> str:
    return f"{piece.id}-at-{foot_id}"[:80]


def holes_near(scene: Scene, piece: Piece) -> tuple[HoleSet, ...]:
    """The vehicle's own holes that could hold the parts a piece meets, best first, none that it meets already."""
    met = {p for f in piece.faces for p in f.points}
    for foot in part_points(scene.build, piece):
        if scene.axis(foot) is not None:
            return tuple(s for s in hole_sets(scene, foot) if not met.intersection(s.points))[:NEAR_SETS]
    return ()
