"""A plate as an SVG at true size: groups ``cut``, ``drill`` and ``mark`` for whoever cuts it."""

from __future__ import annotations

from xml.sax.saxutils import escape

from elmpeg.core.build.pieces import Piece
from elmpeg.core.stages.mount.plates import PlateGeometry
from elmpeg.formats.dxf import TEXT_MM, marks_of

ROOM_MM = 10.0
CROSS_MM = 2.0


def written_plate(plate: Piece, made: PlateGeometry) -> bytes:
    """The plate in mm, y up as on the bench, with room below for its marks."""
    xs, ys = [x for x, _ in made.outline_mm], [y for _, y in made.outline_mm]
    marks = marks_of(plate)
    left, top = min(xs) - ROOM_MM, max(ys) + ROOM_MM
    wide = max(xs) - min(xs) + 2 * ROOM_MM
    tall = max(ys) - min(ys) + 2 * ROOM_MM + len(marks) * 1.8 * TEXT_MM

    def at(x: float, y: float) -> str:
        return f"{x - left:.4f},{top - y:.4f}"

    cut = f'<polygon points="{" ".join(at(x, y) for x, y in made.outline_mm)}"/>'
    drill, mark = [], []
    for hole in made.holes:
        x, y = hole.xy_mm[0] - left, top - hole.xy_mm[1]
        drill.append(f'<circle id="{escape(hole.id, {chr(34): "&quot;"})}" cx="{x:.4f}" cy="{y:.4f}" r="{hole.drill_mm / 2:.4f}"/>')
        if hole.sunk_mm:
            mark.append(f'<circle cx="{x:.4f}" cy="{y:.4f}" r="{hole.sunk_mm / 2:.4f}"/>')
        mark.append(f'<path d="M{x - CROSS_MM:.4f},{y:.4f}h{2 * CROSS_MM}M{x:.4f},{y - CROSS_MM:.4f}v{2 * CROSS_MM}"/>')
        mark.append(f'<text x="{x + hole.drill_mm / 2 + 1:.4f}" y="{y - 1:.4f}">{escape(hole.id)}</text>')
    for k, text in enumerate(marks):
        mark.append(
            f'<text x="{ROOM_MM}" y="{max(ys) - min(ys) + 2 * ROOM_MM + (k + 0.8) * 1.8 * TEXT_MM - ROOM_MM / 2:.4f}">{escape(text)}</text>'
        )
    return (
        f'<?xml version="1.0" encoding="UTF-8"?>\n<svg xmlns="http://www.w3.org/2000/svg" width="{wide:.4f}mm" height="{tall:.4f}mm" '
        f'viewBox="0 0 {wide:.4f} {tall:.4f}" fill="none" stroke-width="0.2">\n<title>{escape(plate.name)}</title>\n'
        f'<g id="cut" stroke="black">{cut}</g>\n<g id="drill" stroke="red">{"".join(drill)}</g>\n'
        f'<g id="mark" stroke="green" font-family="sans-serif" font-size="{TEXT_MM}">{"".join(mark)}</g>\n</svg>\n'
    ).encode()
