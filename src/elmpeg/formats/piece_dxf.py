"""A piece as a DXF drawing for a cutter: layers to cut, mark, bend and engrave, each contour closed and once, arcs as arcs."""

from __future__ import annotations

import io
import math

from ezdxf import units
from ezdxf.enums import TextEntityAlignment
from ezdxf.filemanagement import new as new_drawing
from ezdxf.layouts.layout import Modelspace

from elmpeg.core.build.pieces import Piece
from elmpeg.core.methods.shapes.outlines import Outline
from elmpeg.core.stages.make.counted_from import Zero, zero_of
from elmpeg.core.stages.make.piece_marks import engraving
from elmpeg.core.stages.make.piece_shape import PieceHole, PieceShape, too_small

CUT, MARK, BEND, ENGRAVE = "CUT", "MARK", "BEND", "ENGRAVE"
TEXT_MM = 4.0
SMALLEST_STEP_MM = 0.05
CROSS_MM = 2.0
ZERO_ARM_MM = 8.0
COUNTED_MM = 2.0
"""How high the figures beside a hole are written."""


def written_piece(piece: Piece, shape: PieceShape, mirrored: bool = False) -> bytes:
    """The flat of a piece in mm at 1:1, seen from its upper face, with where its hole table counts from; ``mirrored`` is the other hand, seen from its upper face too.

    Tapped holes are cut at their tap size and countersunk ones at their through hole, with the thread or the sink
    marked. Where a hole or slot is smaller than the process makes cleanly it is on MARK with a cross, to be drilled.
    """
    doc = new_drawing("R2010", units=units.MM)
    for name, colour in ((CUT, 7), (MARK, 3), (BEND, 5), (ENGRAVE, 1)):
        doc.layers.add(name, color=colour)
    space = doc.modelspace()
    flip = -1.0 if mirrored else 1.0
    for outline in (shape.outline, *shape.cutouts):
        _contour(space, outline, flip)
    zero = zero_of(piece, shape, mirrored)
    for hole in shape.holes:
        _hole(space, piece, hole, flip)
        _counted(space, hole, zero, flip)
    for bend in shape.bends:
        space.add_line((flip * bend.a_mm[0], bend.a_mm[1]), (flip * bend.b_mm[0], bend.b_mm[1]), dxfattribs={"layer": BEND})
        way = "UP" if bend.angle_deg > 0 else "DOWN"
        middle = (flip * (bend.a_mm[0] + bend.b_mm[0]) / 2, (bend.a_mm[1] + bend.b_mm[1]) / 2)
        note = space.add_text(f"{way} {abs(bend.angle_deg):.1f} R{bend.radius_mm:g}", height=TEXT_MM, dxfattribs={"layer": MARK})
        note.set_placement((middle[0], middle[1] + 1.0), align=TextEntityAlignment.BOTTOM_CENTER)
    _words(space, piece, shape, mirrored)
    for tip, axis in (((ZERO_ARM_MM, 0.0), "x"), ((0.0, ZERO_ARM_MM), "y")):
        end = (zero.x_mm + tip[0], zero.y_mm + tip[1])
        space.add_line((zero.x_mm, zero.y_mm), end, dxfattribs={"layer": MARK})
        space.add_text(axis, height=TEXT_MM, dxfattribs={"layer": MARK}).set_placement(end, align=TextEntityAlignment.LEFT)
    # Read back it lies where it lay; who opens it counts from where the table does.
    doc.ucs.new("ZERO", dxfattribs={"origin": (zero.x_mm, zero.y_mm, 0.0), "xaxis": (1, 0, 0), "yaxis": (0, 1, 0)})
    doc.header["$UCSORG"] = (zero.x_mm, zero.y_mm, 0.0)
    doc.header["$UCSNAME"] = "ZERO"
    out = io.StringIO()
    doc.write(out)
    return out.getvalue().encode("utf-8")


def _contour(space: Modelspace, outline: Outline, flip: float) -> None:
    """One closed polyline with its arcs, without steps too small for a machine."""
    kept = [
        c for k, c in enumerate(outline) if math.dist(c.xy_mm, outline[k - 1].xy_mm) >= SMALLEST_STEP_MM or abs(outline[k - 1].bulge) > 1e-6
    ]
    points = [(flip * c.x_mm, c.y_mm, flip * c.bulge) for c in kept]
    space.add_lwpolyline(points, format="xyb", close=True, dxfattribs={"layer": CUT})


def _hole(space: Modelspace, piece: Piece, hole: PieceHole, flip: float) -> None:
    x, y = flip * hole.xy_mm[0], hole.xy_mm[1]
    layer = MARK if too_small(piece, hole) else CUT
    if hole.slot_mm:
        turn = math.radians(hole.turn_deg if flip > 0 else 180.0 - hole.turn_deg)
        ux, uy, half, r = math.cos(turn), math.sin(turn), hole.slot_mm / 2, hole.drill_mm / 2
        a, b = (x - ux * half + uy * r, y - uy * half - ux * r), (x + ux * half + uy * r, y + uy * half - ux * r)
        c, d = (x + ux * half - uy * r, y + uy * half + ux * r), (x - ux * half - uy * r, y - uy * half + ux * r)
        space.add_lwpolyline([(*a, 0.0), (*b, 1.0), (*c, 0.0), (*d, 1.0)], format="xyb", close=True, dxfattribs={"layer": layer})
    else:
        space.add_circle((x, y), hole.drill_mm / 2, dxfattribs={"layer": layer})
    if layer == MARK:
        space.add_line((x - CROSS_MM, y), (x + CROSS_MM, y), dxfattribs={"layer": MARK})
        space.add_line((x, y - CROSS_MM), (x, y + CROSS_MM), dxfattribs={"layer": MARK})
    if hole.sunk_mm:
        space.add_circle((x, y), hole.sunk_mm / 2, dxfattribs={"layer": MARK})
    words = f"{hole.letter} {hole.thread}".strip() if hole.kind != "through" else hole.letter
    label = space.add_text(words, height=TEXT_MM, dxfattribs={"layer": MARK})
    label.set_placement((x + hole.drill_mm / 2 + 1.0, y + 1.0), align=TextEntityAlignment.LEFT)


def _counted(space: Modelspace, hole: PieceHole, zero: Zero, flip: float) -> None:
    """Under a hole's letter, where it lies as the hole table counts."""
    x, y = flip * hole.xy_mm[0], hole.xy_mm[1]
    across, up = zero.counted((x, y))
    said = space.add_text(f"X{across:.2f} Y{up:.2f}", height=COUNTED_MM, dxfattribs={"layer": MARK})
    said.set_placement((x + hole.drill_mm / 2 + 1.0, y + 1.0 - 1.5 * COUNTED_MM), align=TextEntityAlignment.LEFT)


def _words(space: Modelspace, piece: Piece, shape: PieceShape, mirrored: bool) -> None:
    """What is engraved on the piece: its name, revision, hand, face and forward edge."""
    for line in engraving(piece, shape, mirrored):
        space.add_text(line.text, height=line.high_mm, dxfattribs={"layer": ENGRAVE}).set_placement(
            (line.x_mm, line.y_mm), align=TextEntityAlignment.BOTTOM_CENTER
        )
