"""Adapter plates: where every hole comes, how much metal is left around it, what it weighs, and the wrong ways it could go on."""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache
from itertools import combinations

from shapely.geometry import Point as Dot
from shapely.geometry import Polygon
from shapely.ops import unary_union

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.hardware import DENSITY_KG_M3, Material
from elmpeg.core.build.pieces import HoleKind, Piece, PlateHole
from elmpeg.core.methods.fastening.bolt_length import ENGAGEMENT_DIAMETERS, Parent
from elmpeg.core.methods.fastening.fasteners import size_of, thread
from elmpeg.core.methods.fastening.pattern_fit import Flat, Hole, Stud, wrong_ways
from elmpeg.core.methods.shapes.hole_letters import letters
from elmpeg.core.methods.shapes.outlines import polygon_of
from elmpeg.core.stages.mount.patterns import laid

THINNEST_MM, THICKEST_MM = 0.5, 200.0
CIRCLE_STEPS = 32
NEARLY_MM = 4.0
"""A plate that goes on the wrong way but for this much will be tried so with a hammer."""
CORNER_MM = 0.05
CHORD_MM = 0.1
"""What the chords of a round outline take off it at the most."""


@record
class Drilled:
    """One hole of the plate as it is made: where, drilled to what, for which thread, and its distance to the plate's edge."""

    id: str
    pattern: str
    hole: str
    xy_mm: Flat
    kind: HoleKind
    thread: str
    drill_mm: float
    sunk_mm: float
    bolt_mm: float
    edge_mm: float
    letter: str = ""


@record
class WrongWay:
    """A way the plate could be fitted wrongly: turned or flipped, and by how much its worst hole falls short there."""

    how: str
    short_mm: float


@record
class PlateGeometry:
    """A plate worked out. ``narrowest_mm`` is the least metal between two holes, and between which."""

    outline_mm: tuple[Flat, ...]
    holes: tuple[Drilled, ...]
    area_mm2: float
    mass_kg: float
    narrowest_mm: float
    narrowest: tuple[str, str]
    wrong_ways: tuple[WrongWay, ...]

    @property
    def size_mm(self) -> Flat:
        """Length along x and y of the blank it is cut from."""
        xs, ys = [x for x, _ in self.outline_mm], [y for _, y in self.outline_mm]
        return (max(xs) - min(xs), max(ys) - min(ys))


def plate_geometry(build: Build, plate: Piece) -> PlateGeometry:
    """Everything about a plate. Raises InputError where a pattern is missing or an outline crosses itself."""
    holes = [*_placed(build, plate, "lower"), *_placed(build, plate, "upper")]
    if not holes:
        raise InputError("lower", "choose patterns with holes")
    outline = _outline(plate, holes)
    # Holes of its own count too: a hole has one letter, here and where the plate is made.
    called = letters([*(h.xy_mm for h in holes), *((h.x_mm, h.y_mm) for h in plate.own_holes)])
    drilled = tuple(replace(h, edge_mm=_edge_mm(h, outline), letter=letter) for h, letter in zip(holes, called, strict=False))
    area = outline.area - sum(math.pi * h.drill_mm**2 / 4 for h in drilled)
    gap, between = math.inf, ("", "")
    for a, b in combinations(drilled, 2):
        metal = math.dist(a.xy_mm, b.xy_mm) - (a.drill_mm + b.drill_mm) / 2
        if metal < gap:
            gap, between = metal, (a.letter, b.letter)
    mass = max(area, 0.0) * plate.thick_mm * 1e-9 * DENSITY_KG_M3[plate.material]
    corners = tuple((float(x), float(y)) for x, y in outline.exterior.coords[:-1])
    return PlateGeometry(corners, drilled, area, mass, gap, between, _wrong(drilled))


def _placed(build: Build, plate: Piece, which: str) -> list[Drilled]:
    pattern = build.pattern(plate.lower if which == "lower" else plate.upper)
    c, s = math.cos(math.radians(plate.turn_deg)), math.sin(math.radians(plate.turn_deg))
    made = {(h.pattern, h.hole): h for h in plate.holes}
    found = []
    for hole in laid(build, pattern).holes:
        x, y = hole.x_mm, hole.y_mm
        if which == "upper":
            x, y = c * x - s * y + plate.shift_mm[0], s * x + c * y + plate.shift_mm[1]
        said = made.get((which, hole.id), PlateHole(which, hole.id, "through"))
        drill, sunk, bolt = drilled(said, hole.hole_mm, pattern.bolt_mm)
        found.append(Drilled(f"{which[0].upper()}-{hole.id}", which, hole.id, (x, y), said.kind, said.thread, drill, sunk, bolt, 0.0))
    return found


def drilled(said: PlateHole, hole_mm: float, bolt_mm: float) -> tuple[float, float, float]:
    """Drill, width of the countersink, and bolt of a hole."""
    if not said.thread:
        return (said.drill_mm or hole_mm or bolt_mm + 1.0, 0.0, bolt_mm)
    found = thread(said.thread, "holes")
    size = size_of(found)
    if said.kind == "tapped":
        return (found.tap_drill_mm, 0.0, found.d_mm)
    sunk = size.countersunk.across_mm if said.kind == "countersunk" and size.countersunk is not None else 0.0
    usual = max(hole_mm, size.close_mm) if hole_mm else size.normal_mm
    return (said.drill_mm or usual, sunk, found.d_mm)


def _outline(plate: Piece, holes: list[Drilled]) -> Polygon:
    if plate.outline:
        return polygon_of(plate.outline)
    around = unary_union([Dot(h.xy_mm).buffer(h.drill_mm / 2 + plate.margin_mm, quad_segs=CIRCLE_STEPS // 4) for h in holes])
    hull = around.convex_hull
    if not isinstance(hull, Polygon):
        raise InputError("margin", "leaves no plate; make it larger")
    return Polygon(hull.simplify(CORNER_MM))


def _edge_mm(hole: Drilled, outline: Polygon) -> float:
    dot = Dot(hole.xy_mm)
    return float(outline.exterior.distance(dot) * (1 if outline.contains(dot) else -1))


@lru_cache(maxsize=256)
def _wrong(holes: tuple[Drilled, ...]) -> tuple[WrongWay, ...]:
    """Ways in which the lower holes nearly go over their own studs without lying as drawn."""
    lower = [h for h in holes if h.pattern == "lower"]
    if not 2 <= len(lower) <= 12:
        return ()
    as_holes = tuple(Hole(h.hole, h.xy_mm, h.drill_mm) for h in lower)
    as_studs = tuple(Stud(h.hole, h.xy_mm, min(h.bolt_mm, h.drill_mm)) for h in lower)
    return tuple(
        WrongWay("turned over" if fit.mirrored else f"turned {abs(fit.rotation_deg):.0f}°", fit.worst_short_mm)
        for fit in wrong_ways(as_holes, as_studs, NEARLY_MM)
    )


def tapped_depth_needed_mm(plate: Piece, hole: Drilled) -> float:
    """Piece thickness that a tapped hole needs for its thread to hold."""
    parent: Parent = "aluminium" if plate.material == "aluminium" else "cast_iron" if plate.material == "cast_iron" else "steel"
    return ENGAGEMENT_DIAMETERS[parent] * hole.bolt_mm


def countersink_needed_mm(hole: Drilled) -> float:
    """Piece thickness that a countersunk head needs to lie flush."""
    head = size_of(thread(hole.thread, "holes")).countersunk if hole.thread else None
    return head.height_mm if head is not None else 0.0


MATERIALS: tuple[Material, ...] = ("steel", "stainless", "aluminium")


def require_plate(plate: Piece) -> None:
    """Raise InputError for a plate whose figures make no sense."""
    if not THINNEST_MM <= plate.thick_mm <= THICKEST_MM:
        raise InputError("thick", f"must be {THINNEST_MM:g} to {THICKEST_MM:g} mm")
    if plate.margin_mm <= 0 and not plate.outline:
        raise InputError("margin", "must be above 0, or give the outline")
    for hole in plate.holes:
        if hole.kind != "through" and not hole.thread:
            raise InputError("holes", f"hole {hole.hole} needs a thread to be {hole.kind}")
        if hole.thread and hole.kind == "countersunk" and size_of(thread(hole.thread, "holes")).countersunk is None:
            raise InputError("holes", f"no standard has a countersunk head for {hole.thread}")


def without_plate(build: Build, plate_id: str) -> Build:
    """The build without a plate; refused while a mount uses it."""
    made: Build = taken_out(build, "pieces", plate_id)
    return made


def with_plate(build: Build, plate: Piece) -> Build:
    """The build with an adapter plate added or changed."""
    require_plate(plate)
    plate_geometry(build, plate)
    if any(p.id == plate.id for p in build.pieces):
        return replace(build, pieces=tuple(plate if p.id == plate.id else p for p in build.pieces))
    return replace(build, pieces=(*build.pieces, plate))
