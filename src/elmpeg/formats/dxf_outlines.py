"""Closed outlines read from a DXF drawing, to be pulled into shapes."""

from __future__ import annotations

import io
import math

import ezdxf.filemanagement
from ezdxf import path as dxf_path
from ezdxf.lldxf.const import DXFError
from shapely.geometry import Point as Dot
from shapely.geometry import Polygon
from shapely.validation import explain_validity

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.methods.shapes.outlines import Outline as PieceOutline
from elmpeg.core.methods.shapes.outlines import with_arcs
from elmpeg.core.stages.place.mesh_placing import MM_PER
from elmpeg.formats.dxf import require_few_entities

LARGEST_BYTES = 20_000_000
MOST_OUTLINES = 200
MOST_CORNERS = 2000
FLAT = 0.1
"""How far a straight piece may lie from the arc it stands for, in the drawing's own unit."""
CLOSES = 1e-3
UNITS = {1: "in", 4: "mm", 5: "cm", 6: "m"}
"""What a drawing says its unit is, where it says one that is used in a shop."""
KINDS = ("LWPOLYLINE", "POLYLINE", "CIRCLE", "ELLIPSE", "SPLINE")
Outline = tuple[tuple[float, float], ...]


@record
class DrawnOutlines:
    """The closed outlines of a drawing, the largest first, and the unit that it says, empty where it says none."""

    outlines: tuple[Outline, ...]
    unit: str


def read(data: bytes) -> DrawnOutlines:
    """The closed outlines of a drawing. Raises InputError for what is no drawing or has none."""
    if len(data) > LARGEST_BYTES:
        raise InputError("file", f"is {len(data) / 1e6:.0f} MB; a drawing has at most {LARGEST_BYTES / 1e6:.0f} MB")
    require_few_entities(data)
    try:
        drawing = ezdxf.filemanagement.read(io.StringIO(data.decode("utf-8", "replace")))
    except (DXFError, OSError, ValueError, KeyError, IndexError, RecursionError):
        raise InputError("file", "cannot be read as DXF; it is broken or of another kind (binary DXF is not taken)") from None
    found = []
    for entity in drawing.modelspace():
        if entity.dxftype() not in KINDS:
            continue
        try:
            outline = _flat(dxf_path.make_path(entity))
        except (DXFError, TypeError, ValueError):
            continue
        if outline:
            found.append(outline)
        if len(found) >= MOST_OUTLINES:
            break
    if not found:
        raise InputError("file", "has no closed outline in it: draw it as one closed polyline, circle or spline")
    return DrawnOutlines(tuple(sorted(found, key=_area, reverse=True)), UNITS.get(drawing.units, ""))


def _flat(path: dxf_path.Path) -> Outline:
    """A closed path in straight pieces, without its last corner; empty for one that stays open."""
    corners = [(float(v.x), float(v.y)) for v in path.flattening(FLAT)]
    if len(corners) < 4 or len(corners) > MOST_CORNERS or not all(math.isfinite(v) for c in corners for v in c):
        return ()
    span = max(max(c[i] for c in corners) - min(c[i] for c in corners) for i in (0, 1))
    return tuple(corners[:-1]) if math.dist(corners[0], corners[-1]) <= CLOSES * max(span, 1e-9) else ()


def _area(outline: Outline) -> float:
    return abs(sum(a[0] * b[1] - b[0] * a[1] for a, b in zip(outline, (*outline[1:], outline[0]), strict=True))) / 2


@record
class DrawnContours:
    """A piece in a drawing: its outline, the openings within it, and its round holes as x, y and size, mm."""

    outline: PieceOutline
    cutouts: tuple[PieceOutline, ...]
    holes: tuple[tuple[float, float, float], ...]


LARGEST_HOLE_MM = 80.0
JOIN_MM = 0.05
CHORD_MM = 0.005


def read_contours(data: bytes, unit_mm: float | None = None) -> DrawnContours:
    """The largest closed contour of a drawing and what lies within it; lines, arcs and splines that meet end to end count as one.

    Circles become holes, arcs stay arcs, splines become chords a few thousandths off. Raises InputError for what is no
    drawing, has no closed contour, or says no unit where ``unit_mm`` does not either.
    """
    if len(data) > LARGEST_BYTES:
        raise InputError("file", f"is {len(data) / 1e6:.0f} MB; a drawing has at most {LARGEST_BYTES / 1e6:.0f} MB")
    require_few_entities(data)
    try:
        drawing = ezdxf.filemanagement.read(io.StringIO(data.decode("utf-8", "replace")))
        entities = list(drawing.modelspace())
    except (DXFError, OSError, ValueError, KeyError, IndexError, RecursionError):
        raise InputError("file", "cannot be read as DXF; it is broken or of another kind (binary DXF is not taken)") from None
    known = UNITS.get(drawing.units, "")
    scale = unit_mm or MM_PER.get(known)
    if scale is None:
        raise InputError("unit", "the drawing does not say its unit; choose it here")
    holes: list[tuple[float, float, float]] = []
    loops: list[list[tuple[float, float]]] = []
    open_ones: list[list[tuple[float, float]]] = []
    for entity in entities:
        if str(entity.dxf.get("layer", "")).upper() in ("MARK", "BEND", "ENGRAVE", "DIMENSION", "DEFPOINTS"):
            continue
        if entity.dxftype() == "CIRCLE":
            c = entity.dxf.center
            holes.append((float(c.x) * scale, float(c.y) * scale, 2 * float(entity.dxf.radius) * scale))
            continue
        if entity.dxftype() not in (*KINDS, "LINE", "ARC"):
            continue
        try:
            places = [(float(v.x) * scale, float(v.y) * scale) for v in dxf_path.make_path(entity).flattening(CHORD_MM / scale)]
        except (DXFError, TypeError, ValueError):
            continue
        if len(places) < 2 or not all(math.isfinite(v) for p in places for v in p):
            continue
        (loops if math.dist(places[0], places[-1]) <= JOIN_MM and len(places) > 3 else open_ones).append(places)
        if len(loops) + len(open_ones) > MOST_CORNERS:
            raise InputError("file", f"has more than {MOST_CORNERS} separate lines; save the piece that is wanted by itself")
    loops += _joined(open_ones)
    if not loops:
        raise InputError("file", "has no closed contour: draw the outline so that each line ends where the next begins")
    shapes = sorted((Polygon(p) for p in loops), key=lambda s: -s.area)
    for shape in shapes:
        if not shape.is_valid:
            raise InputError("file", f"has a contour that crosses itself ({explain_validity(shape)})")
    outside = shapes[0]
    inside = [s for s in shapes[1:] if outside.contains(s)]
    rounds = [h for h in holes if outside.contains(Dot(h[0], h[1]))]
    small = tuple(h for h in rounds if h[2] <= LARGEST_HOLE_MM)
    large = [Dot(h[0], h[1]).buffer(h[2] / 2, quad_segs=64) for h in rounds if h[2] > LARGEST_HOLE_MM]
    cutouts = tuple(with_arcs([(float(x), float(y)) for x, y in s.exterior.coords], 2 * CHORD_MM) for s in (*inside, *large))
    return DrawnContours(with_arcs([(float(x), float(y)) for x, y in outside.exterior.coords], 2 * CHORD_MM), cutouts, small)


def _joined(open_ones: list[list[tuple[float, float]]]) -> list[list[tuple[float, float]]]:
    """Lines that meet end to end, as the loops that they make."""
    left, loops = list(open_ones), []
    while left:
        chain = left.pop()
        while math.dist(chain[0], chain[-1]) > JOIN_MM:
            near = next((k for k, p in enumerate(left) if min(math.dist(chain[-1], p[0]), math.dist(chain[-1], p[-1])) <= JOIN_MM), None)
            if near is None:
                break
            piece = left.pop(near)
            chain = chain + (piece[1:] if math.dist(chain[-1], piece[0]) <= JOIN_MM else piece[-2::-1])
        if len(chain) > 3 and math.dist(chain[0], chain[-1]) <= JOIN_MM:
            loops.append(chain)
    return loops
