"""How long each leg of a folded sheet is across its folds: the flat between arcs, to the inside corner, and over all outside."""

from __future__ import annotations

import math

from shapely import get_coordinates
from shapely.geometry import LineString, Polygon

from elmpeg.core.base.record import record
from elmpeg.core.methods.sheet_metal.folded_sheet import BendLine, FoldedSheet

MOST_FOLD_DEG = 150.0
"""A fold closer to shut than this has its corners too far away to measure to; it is measured to the outside of its arc."""
PARALLEL = 1e-6
TOUCHES_MM = 1e-3


@record
class LegLength:
    """One leg across one direction of its folds. ``folds`` are those it ends in."""

    folds: tuple[str, ...]
    flat_mm: float
    inside_mm: float
    outside_mm: float
    middle_mm: tuple[float, float]
    """Of the leg in the flat, to say which one is meant."""


def leg_lengths(sheet: FoldedSheet, bends: tuple[BendLine, ...]) -> tuple[LegLength, ...]:
    """Every leg in the order of the sheet's flanges.

    The corner that a rule is held to lies r tan(A/2) beyond where the arc begins on the inside of a fold by A, and
    (r + t) tan(A/2) on its outside (sheet-metal handbooks: inside and outside setback).
    """
    strips = {b.id: b for b in bends}
    found = []
    for flange in sheet.flanges:
        own = [b for b in strips.values() if _ends_at(flange.region, b, sheet.thickness_mm)]
        done: list[tuple[float, float]] = []
        for bend in own:
            w = _across(bend)
            if any(abs(w[0] * d[1] - w[1] * d[0]) < PARALLEL for d in done):
                continue
            done.append(w)
            along = get_coordinates(flange.region) @ w
            flat = float(along.max() - along.min())
            ends = [b for b in own if abs(w[0] * _across(b)[1] - w[1] * _across(b)[0]) < PARALLEL]
            middle = flange.region.representative_point()
            found.append(
                LegLength(
                    tuple(b.id for b in ends),
                    flat,
                    flat + sum(_setback_mm(b, b.radius_mm) for b in ends),
                    flat + sum(_setback_mm(b, b.radius_mm + sheet.thickness_mm) for b in ends),
                    (float(middle.x), float(middle.y)),
                )
            )
    return tuple(found)


def _across(bend: BendLine) -> tuple[float, float]:
    dx, dy = bend.b_mm[0] - bend.a_mm[0], bend.b_mm[1] - bend.a_mm[1]
    long = math.hypot(dx, dy)
    return (-dy / long, dx / long)


def _ends_at(region: Polygon, bend: BendLine, thickness_mm: float) -> bool:
    """Whether a region's edge is where the bend's arc begins, somewhere along its line."""
    w, half = _across(bend), bend.arc_mm(thickness_mm) / 2
    for side in (1.0, -1.0):
        shift = (w[0] * half * side, w[1] * half * side)
        a, b = ((p[0] + shift[0], p[1] + shift[1]) for p in (bend.a_mm, bend.b_mm))
        edge = LineString([a, b]).buffer(TOUCHES_MM, cap_style="flat")
        if region.boundary.intersection(edge).length > 2 * TOUCHES_MM:
            return True
    return False


def _setback_mm(bend: BendLine, radius_mm: float) -> float:
    turn = abs(bend.angle_deg)
    return radius_mm * (math.tan(math.radians(turn) / 2) if turn <= MOST_FOLD_DEG else 1.0)
