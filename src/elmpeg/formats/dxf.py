"""DXF in: patterns from a drawing's circles."""

from __future__ import annotations

import io

from ezdxf import recover, units
from ezdxf.lldxf.const import DXFError

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.hardware import PatternHole
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH

LARGEST_BYTES = 5_000_000
MOST_HOLES = 100
MOST_ENTITIES = 30_000
LONGEST_GROUP = 6
FIGURES = range(10, 60)
"""The groups that hold coordinates, sizes and angles."""
DRAWN = (b"ENTITIES", b"BLOCKS")
"""The sections whose figures are drawn; the head's extents of an empty drawing are beyond anything."""
FARTHEST = 1e9
SAME_MIDDLE_DIGITS = 2
SMALLEST_MM, LARGEST_MM = 0.5, 2000.0
_MM_PER_UNIT = {units.MM: 1.0, units.CM: 10.0, units.M: 1000.0, units.IN: float(MM_PER_INCH), units.FT: 12 * float(MM_PER_INCH)}


def require_few_entities(data: bytes) -> None:
    """Raise InputError for a drawing whose reading would hold everybody up, or that has figures which are none; looked for in the text,
    pair by pair, before it is read."""
    lines = data.split(b"\n")
    count, section, begins = 0, b"", False
    for code, value in zip(lines[::2], lines[1::2], strict=False):
        group = code.strip()
        if not group.isdigit() or len(group) > LONGEST_GROUP:
            continue
        what = int(group)
        if what == 0:
            count += 1
            begins = value.strip() == b"SECTION"
        elif what == 2 and begins:
            section, begins = value.strip(), False
        elif what in FIGURES and section in DRAWN:
            _require_figure(value)
    if count > MOST_ENTITIES:
        said = f"has about {count:,} entities; at most {MOST_ENTITIES:,} are taken"
        raise InputError("file", f"{said}: save the part that is wanted as a drawing of its own")


def _require_figure(value: bytes) -> None:
    try:
        figure = float(value)
    except ValueError:
        # What reads it says what it is.
        return
    if not abs(figure) <= FARTHEST:
        raise InputError("file", f"has a figure in it that no drawing has: {value.strip()[:20].decode('ascii', 'replace')}; it is broken")


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
