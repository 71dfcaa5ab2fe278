"""What must be true of points and of what was measured: taken from what is there, on the same part, and never in a ring."""

from __future__ import annotations

from collections.abc import Iterator

from elmpeg.core.base.vectors import SHORTEST_DIRECTION, norm
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.integrity.figures import far
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM

CORNERS = 4


def point_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Points whose figures cannot be."""
    for i, point in enumerate(build.points):
        yield from far(f"points.{i}.xyz_mm", point.xyz_mm)
        if point.axis is not None and norm(point.axis) < SHORTEST_DIRECTION:
            yield f"points.{i}.axis", "is zero; an axis needs a direction"
        if point.hole_mm is not None and point.hole_mm > LONGEST_MM:
            yield f"points.{i}.hole_mm", "is more than 100 m; check the unit"


def measured_problems(build: Build) -> Iterator[tuple[str, str]]:
    """What is measured from another part, from itself, or between one point and the same."""
    if any(max(tool.sd_mm, tool.sd_deg) <= 0 for tool in build.tools):
        yield "tools", "each needs a doubt above 0, in mm for lengths or degrees for angles"
    on = {p.id: p.on for p in build.points}
    for i, point in enumerate(build.points):
        for base in point.bases:
            if on.get(base, point.on) != point.on:
                yield f"points.{i}", f"is measured from “{base}”, which is on another part; measure from a point of the same part"
        if point.got == "middle" and len(set(point.between)) != 2:
            yield f"points.{i}.between", "needs two different points to lie between"
        if point.same_as and on.get(point.same_as, VEHICLE) == VEHICLE:
            yield f"points.{i}.same_as", f"“{point.same_as}” is not a point of a component"
        if any(r.axis == "tape" and (not r.held_at or r.value_mm <= 0) for r in point.readings):
            yield f"points.{i}.readings", "has a tape without the point it was held at, or without a length above 0"
    for ring in _rings({p.id: p.bases for p in build.points}):
        yield "points", f"“{ring}” is measured from itself in the end; one of the points must be measured from the datum"
        return
    for i, span in enumerate(build.spans):
        if span.a == span.b:
            yield f"spans.{i}.b", "is the first point again; choose another"
    for i, pair in enumerate(build.pairs):
        if pair.left == pair.right or on.get(pair.left) != on.get(pair.right):
            yield f"pairs.{i}", "needs two different points on the same part"
    for i, bay in enumerate(build.bays):
        if len(set(bay.corners)) != CORNERS or any(on.get(c) != VEHICLE for c in bay.corners):
            yield f"bays.{i}.corners", "needs four different points on the vehicle, in order around the bay"


def _rings(below: dict[str, tuple[str, ...]]) -> Iterator[str]:
    done: set[str] = set()
    for start in below:
        path: list[str] = []
        stack = [(start, False)]
        while stack:
            here, leaving = stack.pop()
            if leaving:
                path.pop()
                done.add(here)
            elif here in path:
                yield here
                return
            elif here not in done:
                path.append(here)
                stack.append((here, True))
                stack += [(b, False) for b in below.get(here, ())]
