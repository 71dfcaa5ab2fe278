"""A build as it stands in other frames: half a turn about the upright, or left for right."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from elmpeg.core.base.pose import Placed, placed, pose_of
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, Point


def half_turned(build: Build) -> Build:
    """Vehicle and parts together turned by half a turn: X and Y change sign. The parts' own figures stay."""
    return _flipped(build, (-1.0, -1.0, 1.0), parts=False)


def mirrored(build: Build) -> Build:
    """Left for right, the parts' own figures too."""
    return _flipped(build, (1.0, -1.0, 1.0), parts=True)


def _flipped(build: Build, signs: Vec3, parts: bool) -> Build:
    def point(p: Point) -> Point:
        if p.on != VEHICLE and not parts:
            return p
        readings = tuple(r if r.axis == "tape" else replace(r, value_mm=r.value_mm * signs["xyz".index(r.axis)]) for r in p.readings)
        return replace(
            p,
            xyz_mm=_by(p.xyz_mm, signs),
            axis=_by(p.axis, signs) if p.axis is not None else None,
            near_mm=_by(p.near_mm, signs) if p.near_mm is not None else None,
            readings=tuple(replace(r, edge={"near": "far", "far": "near"}.get(r.edge, "")) if signs["xyz".index(r.axis)] < 0 and r.edge else r for r in readings) if p.readings else (),
        )  # fmt: skip

    def pose(one, root: bool):
        where, flip = placed(one), np.diag(signs)
        rotation = flip @ np.array(where.rotation) @ (flip if parts else np.eye(3))
        origin = _by(where.origin_mm, signs)
        if not root and not parts:
            return one
        rows = tuple((float(r[0]), float(r[1]), float(r[2])) for r in rotation)
        return pose_of(Placed(rows, origin))

    components = tuple(replace(c, pose=pose(c.pose, c.parent is None)) for c in build.components)
    options = tuple(replace(o, positions=tuple(replace(p, pose=pose(p.pose, True)) for p in o.positions)) for o in build.options)
    lines = tuple(replace(n, phases_deg=tuple(-v for v in n.phases_deg)) for n in build.drivelines) if parts else build.drivelines
    points = tuple(point(p) for p in build.points)
    return replace(build, points=points, components=components, options=options, drivelines=lines)


def _by(v: Vec3, signs: Vec3) -> Vec3:
    return (v[0] * signs[0], v[1] * signs[1], v[2] * signs[2])
