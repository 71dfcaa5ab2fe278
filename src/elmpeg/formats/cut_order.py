"""A slip that goes with a piece to whoever cuts it: as PDF for people and as JSON for their programs."""

from __future__ import annotations

import io
import json
import math

from reportlab.lib.styles import ParagraphStyle
from reportlab.platypus import BaseDocTemplate, Frame, PageTemplate, Paragraph, Spacer, Table

from elmpeg.core.build.pieces import Piece, Sending
from elmpeg.core.judging.checks import Check
from elmpeg.core.stages.make.counted_from import zero_of
from elmpeg.core.stages.make.piece_marks import engraved
from elmpeg.core.stages.make.piece_shape import PieceShape
from elmpeg.formats.paper import BOLD, INK, LINE, PLAIN, Head, canvas_maker, fonts, printed, room_pt
from elmpeg.formats.piece_print import Say

FORMAT = "elm-peg cut order"
VERSION = 1


def as_json(piece: Piece, sending: Sending, shape: PieceShape) -> bytes:
    """Lengths mm. Holes as in the drawing: their size is what is cut, a tapped hole's its tap size."""
    number = max((r.number for r in piece.revisions), default=0)
    said = {
        "format": FORMAT,
        "version": VERSION,
        "piece": {"name": piece.name, "revision": number, "material": piece.material, "thick_mm": piece.thick_mm, "mass_kg": round(shape.mass_kg, 4)},
        "order": {
            "to": sending.to, "process": sending.process, "count": sending.count, "state": sending.state, "price": sending.price, "days": sending.days,
            "drafted_by": sending.by, "checked_by": sending.checked_by, "at": sending.at, "note": sending.note,
        },
        "marks": engraved(piece),
        "size_mm": [round(v, 3) for v in shape.size_mm],
        "cut_mm": round(shape.cut_mm, 1),
        "holes": [
            {"id": h.id, "letter": h.letter, "x_mm": round(h.xy_mm[0], 4), "y_mm": round(h.xy_mm[1], 4), "d_mm": h.drill_mm, "kind": h.kind, "thread": h.thread}
            for h in shape.holes
        ],
        "bends": [{"id": b.id, "from_mm": b.a_mm, "to_mm": b.b_mm, "angle_deg": b.angle_deg, "radius_mm": b.radius_mm} for b in shape.bends],
        "layers": {"CUT": "through", "MARK": "not cut", "BEND": "bend lines", "ENGRAVE": "text on the upper face"},
    }  # fmt: skip
    return json.dumps(said, indent=1, ensure_ascii=False).encode()


def as_pdf(piece: Piece, sending: Sending, shape: PieceShape, checks: tuple[Check, ...], head: Head, say: Say) -> bytes:
    """One sheet with every check, the price and the days."""
    fonts()
    text = ParagraphStyle("text", fontName=PLAIN, fontSize=9.5, leading=13, textColor=INK)
    strong = ParagraphStyle("strong", parent=text, fontName=BOLD)
    out = io.BytesIO()
    document = BaseDocTemplate(out, pagesize=head.size_pt, invariant=1)
    left, bottom, width, height = room_pt(head)
    document.addPageTemplates(PageTemplate("one", [Frame(left, bottom, width, height, 0, 0, 0, 0)]))

    def line(words: str, style: ParagraphStyle = text) -> Paragraph:
        escaped = printed(words).replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")
        return Paragraph(escaped, style)

    wide, high = shape.size_mm
    facts = [
        ("Cut for", f"{head.of}"), ("To", sending.to), ("Process", sending.process or "as they like"), ("How many", f"{sending.count}"),
        ("Sheet", f"{piece.thick_mm:g} mm {piece.material}"), ("Flat", f"{wide:.1f} by {high:.1f} mm, {shape.mass_kg:.2f} kg each"),
        ("Cut length", f"{shape.cut_mm:.0f} mm"), ("Price", sending.price or "to be said"),
        ("Days", "to be said" if sending.days is None else f"{sending.days:g}"), ("State", sending.state),
        ("Drafted by", sending.by), ("Checked by", f"{sending.checked_by or 'nobody yet'}{f', alone, gone over again {sending.alone}' if sending.alone else ''}"), ("Note", sending.note or "none"),
    ]  # fmt: skip
    story = [
        Table(
            [[line(a, strong), line(b)] for a, b in facts],
            colWidths=[80, width - 80],
            style=[("VALIGN", (0, 0), (-1, -1), "TOP"), ("LINEBELOW", (0, 0), (-1, -1), 0.3, LINE)],
        )
    ]
    story += [Spacer(1, 8), line("On the piece, engraved on the upper face", strong), *(line(t) for t in engraved(piece))]
    zero = zero_of(piece, shape)
    story += [Spacer(1, 8), line(f"Holes, counted from {zero.called}", strong)]
    rows = [
        [
            line(h.letter),
            line("x {:.2f}, y {:.2f} mm".format(*(round(v, 2) + 0.0 for v in zero.counted(h.xy_mm)))),
            line(f"{h.drill_mm:.4g} mm {h.kind} {h.thread}".strip()),
        ]
        for h in shape.holes
    ]
    if rows:
        story.append(Table(rows, colWidths=[width * 0.3, width * 0.35, width * 0.35]))
    if shape.bends:
        story += [Spacer(1, 8), line("Folds", strong)]
        story += [
            line(
                f"{b.id}: {abs(b.angle_deg):.1f}° {'up' if b.angle_deg > 0 else 'down'}, inside radius {b.radius_mm:g} mm, line {math.dist(b.a_mm, b.b_mm):.1f} mm"
            )
            for b in shape.bends
        ]
    story += [Spacer(1, 8), line("What was checked", strong)]
    story += [line(f"{c.name.split(': ')[-1]}: {c.verdict}. {say(c.why)}") for c in checks]
    story += [
        Spacer(1, 8),
        line("Shapes only: this is no certificate of strength, and what carries people or loads is for a qualified person to judge."),
    ]
    document.build(story, canvasmaker=canvas_maker(head))
    return out.getvalue()
