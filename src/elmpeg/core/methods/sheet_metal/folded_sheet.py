"""A flat with bend lines, folded: where each of its flanges comes to lie, and the solid it makes.

The flat lies in its own plane, x and y in mm, its upper face towards whoever looks at
it. A bend line is the middle of its arc. A positive angle folds what lies beyond the
line up, towards the upper face, which is then the inside. Places are told on the upper
face; the sheet lies from there down by its thickness.
"""

from __future__ import annotations

import math
from typing import Annotated

from shapely.geometry import Point as Dot
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry
from shapely.ops import unary_union

from elmpeg.core.base.declared import NOT_NEGATIVE, Called, In
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, cross, scale, sub
from elmpeg.core.methods.sheet_metal.bends import Bend, arc_mm, k_by_rule

Flat = tuple[float, float]
MOST_BENDS = 60
LEAST_AREA_MM2 = 1e-3
TOUCHES_MM = 1e-6
BEYOND_MM = 1e5
LINE_ENDS_MM = 0.05
"""How far a bend line may end short of the outline and still cross it."""
ARC_STEP_DEG = 10.0
SAME_CORNER_MM = 1e-4
LARGEST_DEG = 179.0


@record
class BendLine:
    """One fold of a flat: its line, how far it turns from flat (up positive), its inside radius, and k where that is known."""

    id: str
    a_mm: Flat
    b_mm: Flat
    angle_deg: float
    radius_mm: Annotated[float, NOT_NEGATIVE]
    k: Annotated[float | None, In("ratio"), Called("K factor")] = None

    def arc_mm(self, thickness_mm: float) -> float:
        """How much of the flat goes round the bend."""
        k = self.k if self.k is not None else k_by_rule(self.radius_mm, thickness_mm)
        return arc_mm(Bend(self.angle_deg, self.radius_mm, self.k), thickness_mm, k)


@record
class Frame:
    """Where the flat's plane is: its origin and its x, y and upward directions in space."""

    origin: Vec3
    x: Vec3
    y: Vec3

    @property
    def up(self) -> Vec3:
        """Out of the upper face."""
        return cross(self.x, self.y)

    def at(self, place: Flat) -> Vec3:
        """A place of the flat on the upper face, in space."""
        return add(self.origin, add(scale(self.x, place[0]), scale(self.y, place[1])))


LYING = Frame((0.0, 0.0, 0.0), (1.0, 0.0, 0.0), (0.0, 1.0, 0.0))


@record
class PlacedFlange:
    """One flat part of a folded sheet: its region of the flat, and the frame that takes it to where it lies."""

    region: Polygon
    frame: Frame
    through: tuple[str, ...]
    """The bends between it and the base, in order."""


@record
class RolledBend:
    """The part of a sheet that goes round a bend: strips of the flat and the frame each lies in, for drawing and printing."""

    id: str
    strips: tuple[tuple[tuple[Flat, ...], tuple[Vec3, ...], Vec3], ...]
    """Corners in the flat, the same on the upper face in space, and out of the upper face there."""


@record
class FoldedSheet:
    """A sheet as folded."""

    flanges: tuple[PlacedFlange, ...]
    bends: tuple[RolledBend, ...]
    thickness_mm: float

    def place(self, place: Flat) -> tuple[Vec3, Vec3]:
        """A place of the flat on the upper face in space, and the direction out of it. Raises InputError in a bend or outside."""
        best = min(self.flanges, key=lambda f: f.region.distance(Dot(place)))
        if best.region.distance(Dot(place)) > TOUCHES_MM:
            raise InputError("holes", f"has one at {place[0]:.1f}, {place[1]:.1f} mm that lies in a bend or beyond the outline")
        return best.frame.at(place), best.frame.up


def folded(
    outline: Polygon, bends: tuple[BendLine, ...], thickness_mm: float, base: Flat | None = None, lying: Frame = LYING
) -> FoldedSheet:
    """The sheet with all its bends made; the flange at ``base`` (or the largest) lies as ``lying`` says.

    Raises InputError for bends that meet, that do not cross the outline, or that leave a flange joined to nothing.
    """
    if len(bends) > MOST_BENDS:
        raise InputError("bends", f"are {len(bends)}; at most {MOST_BENDS} are folded")
    strips = [_strip(b, thickness_mm) for b in bends]
    rolled = [outline.intersection(s) for s in strips]
    for k, (bend, own) in enumerate(zip(bends, rolled, strict=True)):
        if abs(bend.angle_deg) > LARGEST_DEG:
            raise InputError("bends", f"has {bend.angle_deg:g}° at {bend.id}; a fold turns by less than 180°")
        if own.area < LEAST_AREA_MM2:
            raise InputError("bends", f"has {bend.id} outside the outline")
        for other, theirs in zip(bends[:k], rolled[:k], strict=True):
            if own.intersection(theirs).area > LEAST_AREA_MM2:
                raise InputError("bends", f"has {other.id} and {bend.id} running into each other; there is no flat between them")
    left = outline.difference(unary_union(strips)) if strips else outline
    regions = [p for p in _polygons(left) if p.area > LEAST_AREA_MM2]
    if not regions:
        raise InputError("bends", "leave nothing flat of the outline")
    start = min(regions, key=lambda r: r.distance(Dot(base)) if base is not None else -r.area)
    placed: dict[int, PlacedFlange] = {regions.index(start): PlacedFlange(start, lying, ())}
    waiting, made = list(placed), {}
    while waiting:
        here = placed[waiting.pop(0)]
        for k, (bend, strip) in enumerate(zip(bends, rolled, strict=True)):
            if bend.id in made or strip.distance(here.region) > TOUCHES_MM:
                continue
            across = _across(bend, here.region)
            made[bend.id] = _rolled(bend, strip, across, here.frame, thickness_mm)
            beyond = frame_beyond(bend, across, here.frame, thickness_mm)
            for n, region in enumerate(regions):
                if n in placed or region.distance(strips[k]) > TOUCHES_MM or region.distance(strip) > TOUCHES_MM:
                    continue
                if _side(bend, region, across) > 0:
                    placed[n] = PlacedFlange(region, beyond, (*here.through, bend.id))
                    waiting.append(n)
    if len(placed) < len(regions) or len(made) < len(bends) or len(regions) <= len(bends):
        raise InputError("bends", "leave a part of the outline joined to nothing; draw each bend line right across")
    return FoldedSheet(tuple(placed.values()), tuple(made.values()), thickness_mm)


def _polygons(shape: BaseGeometry) -> list[Polygon]:
    if isinstance(shape, Polygon):
        return [shape]
    return [p for p in getattr(shape, "geoms", ()) if isinstance(p, Polygon)]


def _unit(bend: BendLine) -> Flat:
    dx, dy = bend.b_mm[0] - bend.a_mm[0], bend.b_mm[1] - bend.a_mm[1]
    long = math.hypot(dx, dy)
    if long < TOUCHES_MM:
        raise InputError("bends", f"has {bend.id} without a length; give its line two different ends")
    return (dx / long, dy / long)


def _strip(bend: BendLine, thickness_mm: float) -> Polygon:
    """What goes round the bend, square to its line, only as long as the line itself."""
    u = _unit(bend)
    half = bend.arc_mm(thickness_mm) / 2
    w = (-u[1] * half, u[0] * half)
    a = (bend.a_mm[0] - u[0] * LINE_ENDS_MM, bend.a_mm[1] - u[1] * LINE_ENDS_MM)
    b = (bend.b_mm[0] + u[0] * LINE_ENDS_MM, bend.b_mm[1] + u[1] * LINE_ENDS_MM)
    corners = [(a[0] - w[0], a[1] - w[1]), (b[0] - w[0], b[1] - w[1]), (b[0] + w[0], b[1] + w[1]), (a[0] + w[0], a[1] + w[1])]
    return Polygon(corners)


def _side(bend: BendLine, region: Polygon, across: Flat) -> float:
    """How far a region's middle lies beyond a bend's line."""
    near = region.representative_point()
    return float((near.x - bend.a_mm[0]) * across[0] + (near.y - bend.a_mm[1]) * across[1])


def _across(bend: BendLine, here: Polygon) -> Flat:
    """Square to the line, away from the flange that is already placed."""
    u = _unit(bend)
    w = (-u[1], u[0])
    return w if _side(bend, here, w) < 0 else (-w[0], -w[1])


def _round(bend: BendLine, across: Flat, frame: Frame, thickness_mm: float, share: float) -> tuple[Vec3, Vec3, Vec3]:
    """After a share of the bend: the place above the line's first end, the direction across, and out of the upper face."""
    arc = bend.arc_mm(thickness_mm)
    turn = math.radians(bend.angle_deg) * share
    w = sub(frame.at(across), frame.origin)
    start = frame.at((bend.a_mm[0] - across[0] * arc / 2, bend.a_mm[1] - across[1] * arc / 2))
    # Folded up, the upper face is the inside of the bend; folded down, it goes round the outside.
    radius = bend.radius_mm if bend.angle_deg > 0 else -(bend.radius_mm + thickness_mm)
    up = frame.up
    place = add(start, add(scale(w, radius * math.sin(turn)), scale(up, radius * (1.0 - math.cos(turn)))))
    forward = add(scale(w, math.cos(turn)), scale(up, math.sin(turn)))
    outward = add(scale(up, math.cos(turn)), scale(w, -math.sin(turn)))
    return place, forward, outward


def frame_beyond(bend: BendLine, across: Flat, frame: Frame, thickness_mm: float) -> Frame:
    """The frame of the flange behind a bend, from that of the flange before it; ``across`` points from that one over the line."""
    place, forward, _ = _round(bend, across, frame, thickness_mm, 1.0)
    u = _unit(bend)
    along = sub(frame.at(u), frame.origin)
    half = bend.arc_mm(thickness_mm) / 2
    far = (bend.a_mm[0] + across[0] * half, bend.a_mm[1] + across[1] * half)
    x = add(scale(along, u[0]), scale(forward, across[0]))
    y = add(scale(along, u[1]), scale(forward, across[1]))
    return Frame(sub(place, add(scale(x, far[0]), scale(y, far[1]))), x, y)


def _rolled(bend: BendLine, strip: BaseGeometry, across: Flat, frame: Frame, thickness_mm: float) -> RolledBend:
    arc = bend.arc_mm(thickness_mm)
    u = _unit(bend)
    along = sub(frame.at(u), frame.origin)
    steps = max(2, math.ceil(abs(bend.angle_deg) / ARC_STEP_DEG))
    found = []
    for k in range(steps):
        low, high = arc * (k / steps - 0.5), arc * ((k + 1) / steps - 0.5)
        corners = []
        for one, other in ((low, -BEYOND_MM), (low, BEYOND_MM), (high, BEYOND_MM), (high, -BEYOND_MM)):
            corners.append((bend.a_mm[0] + across[0] * one + u[0] * other, bend.a_mm[1] + across[1] * one + u[1] * other))
        for part in _polygons(strip.intersection(Polygon(corners))):
            flat = tuple((float(x), float(y)) for x, y in part.simplify(SAME_CORNER_MM).exterior.coords[:-1])
            space = []
            for x, y in flat:
                out = (x - bend.a_mm[0]) * across[0] + (y - bend.a_mm[1]) * across[1] + arc / 2
                place, _, _ = _round(bend, across, frame, thickness_mm, min(max(out / arc, 0.0), 1.0) if arc else 0.0)
                space.append(add(place, scale(along, (x - bend.a_mm[0]) * u[0] + (y - bend.a_mm[1]) * u[1])))
            middle = _round(bend, across, frame, thickness_mm, (k + 0.5) / steps)[2]
            found.append((flat, tuple(space), middle))
    return RolledBend(bend.id, tuple(found))
