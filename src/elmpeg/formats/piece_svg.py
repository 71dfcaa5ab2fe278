"""A piece as an SVG at true size: groups ``cut``, ``mark``, ``bend`` and ``engrave`` for whoever cuts it."""

from __future__ import annotations

from xml.sax.saxutils import escape

from elmpeg.core.build.pieces import Piece
from elmpeg.core.methods.shapes.outlines import Outline, arc_of
from elmpeg.core.stages.make.piece_marks import engraving
from elmpeg.core.stages.make.piece_shape import PieceShape
from elmpeg.formats.piece_dxf import TEXT_MM

ROOM_MM = 10.0
CROSS_MM = 2.0


def written_piece(piece: Piece, shape: PieceShape) -> bytes:
    """The flat in mm, y up as on the bench, arcs as arcs, with room below for its marks."""
    left, low, right, high = shape.box_mm
    x0, top = left - ROOM_MM, high + ROOM_MM
    wide, tall = right - left + 2 * ROOM_MM, high - low + 2 * ROOM_MM

    def at(p: tuple[float, float]) -> str:
        return f"{p[0] - x0:.4f} {top - p[1]:.4f}"

    def way(outline: Outline) -> str:
        parts = [f"M{at(outline[0].xy_mm)}"]
        for a, b in zip(outline, (*outline[1:], outline[0]), strict=True):
            arc = arc_of(a, b)
            if arc is None:
                parts.append(f"L{at(b.xy_mm)}")
                continue
            # The page counts downwards, so what bulges to the left bulges to the page's other side.
            parts.append(f"A{arc[1]:.4f} {arc[1]:.4f} 0 {int(abs(a.bulge) > 1)} {int(a.bulge < 0)} {at(b.xy_mm)}")
        return f'<path d="{"".join(parts)}Z"/>'

    cut = [way(o) for o in (shape.outline, *shape.cutouts)]
    mark, bends = [], []
    for hole in shape.holes:
        x, y = hole.xy_mm[0] - x0, top - hole.xy_mm[1]
        if hole.slot_mm:
            places = " ".join(at((float(px), float(py))).replace(" ", ",") for px, py in hole.opening.exterior.coords[:-1])
            cut.append(f'<polygon points="{places}"/>')
        else:
            cut.append(f'<circle id="{escape(hole.id, {chr(34): "&quot;"})}" cx="{x:.4f}" cy="{y:.4f}" r="{hole.drill_mm / 2:.4f}"/>')
        if hole.sunk_mm:
            mark.append(f'<circle cx="{x:.4f}" cy="{y:.4f}" r="{hole.sunk_mm / 2:.4f}"/>')
        mark.append(f'<path d="M{x - CROSS_MM:.4f},{y:.4f}h{2 * CROSS_MM}M{x:.4f},{y - CROSS_MM:.4f}v{2 * CROSS_MM}"/>')
        mark.append(f'<text x="{x + hole.drill_mm / 2 + 1:.4f}" y="{y - 1:.4f}">{escape(hole.letter)}</text>')
    bends += [f'<path d="M{at(bend.a_mm)}L{at(bend.b_mm)}" stroke-dasharray="4 2"/>' for bend in shape.bends]
    words = [
        f'<text x="{m.x_mm - x0:.4f}" y="{top - m.y_mm:.4f}" text-anchor="middle" font-size="{m.high_mm:.3f}">{escape(m.text)}</text>'
        for m in engraving(piece, shape)
    ]
    lettered = f'font-family="sans-serif" font-size="{TEXT_MM}"'
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.4f}mm" height="{tall:.4f}mm" '
        f'viewBox="0 0 {wide:.4f} {tall:.4f}" fill="none" stroke-width="0.2">\n<title>{escape(piece.name)}</title>\n'
        f'<g id="cut" stroke="black">{"".join(cut)}</g>\n<g id="mark" stroke="green" {lettered}>{"".join(mark)}</g>\n'
        f'<g id="bend" stroke="blue">{"".join(bends)}</g>\n<g id="engrave" stroke="red" {lettered}>{"".join(words)}</g>\n</svg>\n'
    ).encode()
