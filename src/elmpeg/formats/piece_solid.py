"""A piece as a solid, folded or flat, for a trial print: STL and 3MF through the mesh library."""

from __future__ import annotations

import io
from typing import Literal

import numpy as np
import trimesh
from shapely import set_precision
from shapely.geometry import Polygon

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import Vec3, scale, sub
from elmpeg.core.stages.make.piece_shape import PieceShape

SolidKind = Literal["stl", "3mf"]
OVERLAP_MM = 1e-3
GRID_MM = 1e-5
"""Corners closer than this are one: slivers between them would leave a body open."""
"""By how much parts of one sheet reach into each other, so that they are one body."""


def solid(shape: PieceShape, fold: bool = True) -> trimesh.Trimesh:
    """The piece as one closed body, mm; folded it lies with its base flange flat. Raises InputError where it cannot be folded.

    Bends are of straight strips ten degrees wide; holes that a bend runs through are left out of its strips.
    """
    metal = shape.metal
    if not fold or not shape.bends:
        flat: trimesh.Trimesh = trimesh.creation.extrude_polygon(metal, shape.thick_mm)
        return flat
    sheet = shape.folded()
    base = sheet.flanges[0].frame
    bodies = []
    for flange in sheet.flanges:
        region = set_precision(flange.region.buffer(OVERLAP_MM, join_style="mitre").intersection(metal), GRID_MM)
        for part in getattr(region, "geoms", [region]):
            if isinstance(part, Polygon) and part.area > OVERLAP_MM:
                body = trimesh.creation.extrude_polygon(part, shape.thick_mm)
                frame = np.eye(4)
                frame[:3, 0], frame[:3, 1], frame[:3, 2] = flange.frame.x, flange.frame.y, flange.frame.up
                frame[:3, 3] = sub(flange.frame.origin, scale(flange.frame.up, shape.thick_mm))
                bodies.append(body.apply_transform(frame))
    for bend in sheet.bends:
        bodies += [_strip(corners, outward, shape.thick_mm) for _, corners, outward in bend.strips]
    try:
        whole = trimesh.boolean.union(bodies, engine="manifold")
    except (ValueError, RuntimeError) as failed:
        raise InputError("piece", f"cannot be made one body: {failed}") from None
    turned = np.eye(4)
    turned[:3, :3] = np.array([base.x, base.y, base.up])
    turned[:3, 3] = -turned[:3, :3] @ np.array(base.origin)
    placed: trimesh.Trimesh = whole.apply_transform(turned)
    return placed


def _strip(corners: tuple[Vec3, ...], outward: Vec3, thick_mm: float) -> trimesh.Trimesh:
    """A strip of a bend: the hull of its upper face and of that a thickness below, grown into its neighbours by very little."""
    top = np.array(corners)
    middle = top.mean(axis=0)
    grown = middle + (top - middle) * (1.0 + 2 * OVERLAP_MM)
    low = grown - np.array(outward) * thick_mm
    hull: trimesh.Trimesh = trimesh.convex.convex_hull(np.vstack([grown, low]))
    return hull


def written(body: trimesh.Trimesh, kind: SolidKind) -> bytes:
    """The body as a file, mm."""
    out = io.BytesIO()
    scene = trimesh.Scene(body) if kind == "3mf" else body
    scene.export(out, file_type=kind)
    return out.getvalue()


def mirrored(body: trimesh.Trimesh) -> trimesh.Trimesh:
    """The other hand."""
    flip = np.diag([-1.0, 1.0, 1.0, 1.0])
    return body.copy().apply_transform(flip)
