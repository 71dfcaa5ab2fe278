"""Figures that look as if their unit had slipped: asked about, never corrected silently."""

from __future__ import annotations

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, Along, Point
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH
from elmpeg.core.methods.shapes.solids import bounds_mm
from elmpeg.core.scene.located_points import surveyed

INCH = float(MM_PER_INCH)
ROOM_SHARE, ROOM_MM = 0.25, 250.0
"""How far beyond everything else on its part a point may lie before somebody is asked."""
ALIKE = 0.04
"""Two figures whose ratio is 25.4 to within this share are taken for one figure in two units."""
FEWEST_NEIGHBOURS = 3
SMALL_MM = 20.0
"""Below this a ratio says nothing."""


@record
class Box3:
    """The least and the largest coordinates of some things."""

    low: Vec3
    high: Vec3


@record
class Slip:
    """A figure that looks like another unit: what it would be, and why somebody is asked."""

    meant_mm: float
    unit: str
    why: str


def reach_of(build: Build, on: str, but: Vec3 | None = None) -> Box3 | None:
    """The space that everything on a part takes up, in its frame; None where there is too little to tell.

    Where the part has no shapes its points stand in for them, all but the one at ``but``.
    """
    solids = build.solids if on == VEHICLE else build.component(on).solids
    corners: list[Vec3] = [c for s in solids for c in bounds_mm(s)]
    if on == VEHICLE:
        for w in build.wheels:
            half = w.diameter_mm / 2
            corners += [(w.centre_mm[0] + k * half, w.centre_mm[1] + k * w.width_mm / 2, w.centre_mm[2] + k * half) for k in (-1, 1)]
    if not corners:
        survey = surveyed(build)
        corners = [survey.points[p.id].xyz_mm for p in build.points if p.on == on]
        if but in corners:
            corners.remove(but)
        if len(corners) < FEWEST_NEIGHBOURS:
            return None
    low, high = (tuple(f(c[i] for c in corners) for i in range(3)) for f in (min, max))
    return Box3((low[0], low[1], low[2]), (high[0], high[1], high[2]))


def within(box: Box3, i: int, value: float) -> bool:
    """Whether a coordinate lies in or near a space."""
    room = max(ROOM_MM, ROOM_SHARE * (box.high[i] - box.low[i]))
    return box.low[i] - room <= value <= box.high[i] + room


def slip_of(build: Build, point: Point, along: Along, value_mm: float) -> Slip | None:
    """Whether a figure read for a point looks like inches taken for millimetres, or the other way about.

    It is held against what is known of the same figure, else against the space that
    its neighbours take up. ``value_mm`` counts from where the point's offsets start.
    """
    known = [r.value_mm for r in point.readings if r.axis == along and not r.dropped and along != "tape"]
    if not known and along != "tape" and point.got == "offsets" and any(point.xyz_mm):
        known = [point.xyz_mm["xyz".index(along)] - (_start(build, point)["xyz".index(along)])]
    for before in known:
        if abs(before) > SMALL_MM and abs(value_mm) > SMALL_MM / INCH:
            if abs(value_mm / before / INCH - 1) < ALIKE:
                return Slip(value_mm / INCH, "mm", "is 25.4 times what was read before")
            if abs(value_mm / before * INCH - 1) < ALIKE:
                return Slip(value_mm * INCH, "in", "is what was read before, divided by 25.4")
    box = reach_of(build, point.on, surveyed(build).points[point.id].xyz_mm)
    if box is None:
        return None
    if along == "tape":
        across = max(h - low for low, h in zip(box.low, box.high, strict=True)) + ROOM_MM
        if value_mm > 2 * across and value_mm / INCH <= across:
            return Slip(value_mm / INCH, "mm", "is a tape far longer than everything around")
        return None
    i = "xyz".index(along)
    start = _start(build, point)[i]
    if not within(box, i, start + value_mm) and within(box, i, start + value_mm / INCH):
        return Slip(value_mm / INCH, "mm", "is about 25 times further than anything near it")
    return None


def _start(build: Build, point: Point) -> Vec3:
    return surveyed(build).points[point.start].xyz_mm if point.start else (0.0, 0.0, 0.0)


def beyond(box: Box3, xyz_mm: Vec3) -> Slip | None:
    """The first axis along which a place lies far outside a space, with what it would be in the other unit."""
    for i, axis in enumerate("XYZ"):
        if not within(box, i, xyz_mm[i]):
            meant = xyz_mm[i] / INCH
            return Slip(meant, axis, "fits" if within(box, i, meant) else "")
    return None
