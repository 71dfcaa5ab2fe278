"""DXF out and in: plates on layers to cut, to drill and to mark; patterns from a drawing's circles."""

from __future__ import annotations

import io
import re

from ezdxf import recover, units
from ezdxf.enums import TextEntityAlignment
from ezdxf.filemanagement import new as new_drawing
from ezdxf.lldxf.const import DXFError

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.hardware import PatternHole
from elmpeg.core.build.pieces import Piece
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH
from elmpeg.core.stages.mount.plates import PlateGeometry

CUT, DRILL, MARK = "CUT", "DRILL", "MARK"
LARGEST_BYTES = 5_000_000
MOST_HOLES = 100
MOST_ENTITIES = 30_000
ENTITY = re.compile(rb"\n *0 *\r?\n")
TEXT_MM = 4.0
SAME_MIDDLE_DIGITS = 2
SMALLEST_MM, LARGEST_MM = 0.5, 2000.0
_MM_PER_UNIT = {units.MM: 1.0, units.CM: 10.0, units.M: 1000.0, units.IN: float(MM_PER_INCH), units.FT: 12 * float(MM_PER_INCH)}


def written_plate(plate: Piece, made: PlateGeometry) -> bytes:
    """The plate in mm at 1:1: its outline on CUT, every hole at its drill on DRILL, countersinks, numbers and marks on MARK."""
    doc = new_drawing("R2010", units=units.MM)
    for name, colour in ((CUT, 7), (DRILL, 1), (MARK, 3)):
        doc.layers.add(name, color=colour)
    space = doc.modelspace()
    space.add_lwpolyline(made.outline_mm, close=True, dxfattribs={"layer": CUT})
    for hole in made.holes:
        space.add_circle(hole.xy_mm, hole.drill_mm / 2, dxfattribs={"layer": DRILL})
        if hole.sunk_mm:
            space.add_circle(hole.xy_mm, hole.sunk_mm / 2, dxfattribs={"layer": MARK})
        label = space.add_text(hole.id, height=TEXT_MM, dxfattribs={"layer": MARK})
        label.set_placement((hole.xy_mm[0] + hole.drill_mm / 2 + 1.0, hole.xy_mm[1] + 1.0), align=TextEntityAlignment.LEFT)
    left = min(x for x, _ in made.outline_mm)
    low = min(y for _, y in made.outline_mm)
    for k, text in enumerate(marks_of(plate)):
        space.add_text(text, height=TEXT_MM, dxfattribs={"layer": MARK}).set_placement((left, low - (k + 1.5) * 1.8 * TEXT_MM))
    out = io.StringIO()
    doc.write(out)
    return out.getvalue().encode("utf-8")


def marks_of(plate: Piece) -> list[str]:
    """What is written on a plate: its name, and which face and edge are which."""
    marks = [f"{plate.name}, {plate.thick_mm:g} mm {plate.material}"]
    if plate.up.strip():
        marks.append(f"THIS FACE: {plate.up}")
    if plate.forward.strip():
        marks.append(f"FORWARD: {plate.forward}")
    return marks


def require_few_entities(data: bytes) -> None:
    """Raise InputError for a drawing whose reading would hold everybody up; counted in the text, before it is read."""
    count = len(ENTITY.findall(data))
    if count > MOST_ENTITIES:
        said = f"has about {count:,} entities; at most {MOST_ENTITIES:,} are taken"
        raise InputError("file", f"{said}: save the part that is wanted as a drawing of its own")


def read_circles(data: bytes, unitless_mm: float | None = None) -> tuple[PatternHole, ...]:
    """The circles of a drawing as holes, named h1, h2 … from bottom left on, in mm; blocks are looked into, and of circles about
    one middle the smallest is the hole.

    A drawing without a unit is refused unless ``unitless_mm`` says what its unit is in mm.
    Raises InputError for what is no DXF, or has no circles.
    """
    if len(data) > LARGEST_BYTES:
        raise InputError("file", f"is {len(data) / 1e6:.1f} MB; a drawing here has at most {LARGEST_BYTES / 1e6:g} MB")
    require_few_entities(data)
    try:
        doc, _ = recover.read(io.BytesIO(data))
        entities = list(doc.modelspace())
        for insert in [e for e in entities if e.dxftype() == "INSERT"][:MOST_HOLES]:
            entities += list(insert.virtual_entities())  # type: ignore[attr-defined]
        circles = [(float(e.dxf.center.x), float(e.dxf.center.y), 2 * float(e.dxf.radius)) for e in entities if e.dxftype() == "CIRCLE"]
        unit = doc.units
    except (DXFError, OSError, ValueError, AttributeError, KeyError, IndexError, TypeError, RecursionError):
        raise InputError("file", "is not a readable DXF drawing") from None
    if not circles:
        raise InputError("file", "has no circles that could be holes; is it a DXF drawing?")
    scale = _MM_PER_UNIT.get(unit, unitless_mm)
    if scale is None:
        raise InputError("unit", "the drawing does not say its unit; choose it here")
    sized = [(round(x * scale, 6), round(y * scale, 6), round(d * scale, 6)) for x, y, d in circles]
    drilled: dict[tuple[float, float], tuple[float, float, float]] = {}
    for hole in sorted((h for h in sized if SMALLEST_MM <= h[2] <= LARGEST_MM), key=lambda h: h[2]):
        # Circles about one middle are one hole and its countersink or counterbore; what is drilled is the smallest.
        drilled.setdefault((round(hole[0], SAME_MIDDLE_DIGITS), round(hole[1], SAME_MIDDLE_DIGITS)), hole)
    holes = sorted(drilled.values(), key=lambda h: (h[1], h[0]))
    if not holes:
        raise InputError("file", "has no circles that could be holes")
    if len(holes) > MOST_HOLES:
        raise InputError("file", f"has {len(holes)} circles; at most {MOST_HOLES} make a pattern here")
    return tuple(PatternHole(f"h{n}", x, y, d) for n, (x, y, d) in enumerate(holes, 1))
