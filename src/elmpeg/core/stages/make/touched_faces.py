"""The faces that a piece joins, from the points of their holes.

A face's plane goes through its holes; with one or two of them, or with holes nearly in
a line, their axes decide the rest. Its normal points to the side on which the metal
lies.
"""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, angle_deg, dot, mean, scale, sub, unit
from elmpeg.core.build.pieces import Piece, PieceFace
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.methods.fastening.fasteners import bolt_through_mm
from elmpeg.core.methods.sheet_metal.bracket_profile import TouchedFace, TouchedHole
from elmpeg.core.scene.scene import Scene

AXES_APART_DEG = 3.0
"""Holes whose axes differ by more are not on one face."""
LEAST_OFF_MM = 0.5
DOUBTS = 3.0
NEARLY_IN_LINE = 0.1
USUAL_HOLE_MM = 9.0
PLAY_SHARE = 0.9
"""Of a hole, the bolt that is taken to go through where nobody said."""


@record
class FaceFromPoints:
    """A face with the doubt of its holes, and what does not belong to it."""

    face: TouchedFace
    sd_mm: tuple[tuple[str, float], ...]
    off_mm: tuple[tuple[str, float], ...]
    split: tuple[str, ...]
    """Points that do not lie in the plane of the rest within their doubt, or whose axes point elsewhere."""


def touched_face(scene: Scene, face: PieceFace) -> FaceFromPoints:
    """A face of a piece. Raises InputError where its points tell no plane; MissingError for a point that is not there."""
    if not face.points:
        raise InputError("points", f"{face.name}: choose the points of its holes")
    places = [scene.xyz(p) for p in face.points]
    axes = [scene.axis(p) for p in face.points]
    normal = _normal(face, places, axes)
    normal = _towards_the_metal(scene, face, places, axes, normal)
    middle = mean(places)
    holes, off, split, doubts = [], [], [], []
    for point_id, xyz, axis in zip(face.points, places, axes, strict=True):
        point, located = scene.declared(point_id), scene.located(point_id)
        out = dot(sub(xyz, middle), normal)
        leans = min(angle_deg(axis, normal), angle_deg(axis, scale(normal, -1.0))) if axis is not None else 0.0
        if abs(out) > max(LEAST_OFF_MM, DOUBTS * max(located.among_sd_mm)) or leans > AXES_APART_DEG:
            split.append(point_id)
        hole = point.hole_mm or USUAL_HOLE_MM
        holes.append(TouchedHole(point_id, xyz, hole, bolt_through_mm(hole) or hole * PLAY_SHARE))
        off.append((point_id, out))
        doubts.append((point_id, max(located.among_sd_mm)))
    return FaceFromPoints(TouchedFace(face.id, normal, tuple(holes)), tuple(doubts), tuple(off), tuple(split))


def _normal(face: PieceFace, places: list[Vec3], axes: list[Vec3 | None]) -> Vec3:
    known = [unit(a) for a in axes if a is not None]
    if len(places) >= 3:
        flat = np.array(places) - np.mean(places, axis=0)
        _, sizes, ways = np.linalg.svd(flat, full_matrices=False)
        if sizes[1] > NEARLY_IN_LINE * max(sizes[0], 1.0):
            n = ways[2]
            return (float(n[0]), float(n[1]), float(n[2]))
    if not known:
        raise InputError("points", f"{face.name}: its holes lie in a line and none has an axis; give one of them its direction")
    # Axes that point opposite ways are of holes entered from either side; they agree on the plane.
    lined = [a if dot(a, known[0]) >= 0 else scale(a, -1.0) for a in known]
    axis = unit(mean(lined))
    if len(places) == 1:
        return axis
    along = unit(sub(places[-1], places[0]))
    level = sub(axis, scale(along, dot(axis, along)))
    if math.sqrt(dot(level, level)) < NEARLY_IN_LINE:
        raise InputError("points", f"{face.name}: the axes of its holes run along the line of the holes; one of the two is wrong")
    return unit(level)


def _towards_the_metal(scene: Scene, face: PieceFace, places: list[Vec3], axes: list[Vec3 | None], normal: Vec3) -> Vec3:
    """The normal on the metal's side: as said, or away from the middle of what the holes are in."""
    first = next((a for a in axes if a is not None), None)
    if face.side and first is not None:
        along = normal if dot(normal, first) >= 0 else scale(normal, -1.0)
        return along if face.side == "along" else scale(along, -1.0)
    on = scene.declared(face.points[0]).on
    if on != VEHICLE:
        others = [scene.xyz(p.id) for p in scene.build.points if p.on == on]
        away = sub(mean(places), mean(others))
        if abs(dot(away, normal)) > LEAST_OFF_MM:
            return normal if dot(away, normal) > 0 else scale(normal, -1.0)
    if first is not None:
        return normal if dot(normal, first) >= 0 else scale(normal, -1.0)
    return normal


def faces_of(scene: Scene, piece: Piece) -> tuple[FaceFromPoints, ...]:
    """All faces of a piece, with holes as large as it has them; raises as ``touched_face`` does."""
    said = {(h.pattern, h.hole): h.drill_mm for h in piece.holes if h.drill_mm}
    found = tuple(touched_face(scene, f) for f in piece.faces)
    return tuple(_drilled(one, f.id, said) for one, f in zip(found, piece.faces, strict=True)) if said else found


def _drilled(found: FaceFromPoints, face: str, said: dict[tuple[str, str], float]) -> FaceFromPoints:
    holes = tuple(replace(h, hole_mm=said.get((face, h.id), h.hole_mm)) for h in found.face.holes)
    return replace(found, face=replace(found.face, holes=holes))
