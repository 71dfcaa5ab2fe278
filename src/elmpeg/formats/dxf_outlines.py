"""Closed outlines read from a DXF drawing, to be pulled into shapes."""

from __future__ import annotations

import io
import math

import ezdxf.filemanagement
from ezdxf import path as dxf_path
from ezdxf.lldxf.const import DXFError

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
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
