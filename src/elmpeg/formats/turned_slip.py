"""The slip that goes to the turner with a turned part: its drawing, every figure with its limits, and what was measured how."""

from __future__ import annotations

import io
import json

from reportlab.lib.units import mm as MM  # noqa: N812 - the library's name for a length
from reportlab.pdfgen.canvas import Canvas

from elmpeg.core.build.pieces import Piece, TurnedBody
from elmpeg.core.stages.make.turned_shape import HOW, FitLimits, TurnedShape
from elmpeg.formats.paper import ELM, INK, Head, canvas_maker, fonts, room_pt, written

DRAWN_PT = (420.0, 200.0)


def said_fit(one: FitLimits) -> str:
    """A class with its limits: Ø 25 h6, +0 −13 µm, 24.987 to 25.000 mm."""
    low, high = one.limits.lower_um, one.limits.upper_um
    return f"{one.of} {one.fit}: {high:+.0f} {low:+.0f} µm, {one.limits.low_mm:.3f} to {one.limits.high_mm:.3f} mm"


def lines_of(piece: Piece, shape: TurnedShape) -> tuple[str, ...]:
    """The slip in words, line by line."""
    body = piece.turned
    assert body is not None
    found = [
        f"{piece.name}: {piece.count} off, {piece.material}, {shape.long_mm:g} mm long, from bar {shape.bar_mm:g} mm or larger, "
        f"{shape.bar_long_mm:g} mm of it each",
        HOW[body.made_as],
    ]
    for k, s in enumerate(body.steps, 1):
        more = [f"fit {s.fit}"] * bool(s.fit) + [s.thread] * bool(s.thread) + [f"chamfer {s.chamfer_mm:g} x 45°"] * bool(s.chamfer_mm)
        more += [f"keyway {s.keyway}"] * bool(s.keyway)
        found.append(f"Step {k} from the left: Ø {s.outside_mm:g}, {s.long_mm:g} long{''.join(f', {m}' for m in more)}")
    for k, b in enumerate(body.bores, 1):
        deep = f"{b.deep_mm:g} deep" if b.deep_mm else "through"
        more = [f"fit {b.fit}"] * bool(b.fit) + [b.thread] * bool(b.thread) + [f"chamfer {b.chamfer_mm:g} x 45°"] * bool(b.chamfer_mm)
        found.append(f"Bore {k} from the {b.side}: Ø {b.bore_mm:g}, {deep}{''.join(f', {m}' for m in more)}")
    found += [said_fit(f) for f in shape.fits]
    if shape.thinnest.bore_mm:
        found.append(
            f"Thinnest wall {shape.thinnest.wall_mm:.2f} mm, {shape.thinnest.from_mm:g} to {shape.thinnest.to_mm:g} mm from the left"
        )
    if body.measured:
        found.append(f"Measured: {body.measured}")
    return tuple(found)


def as_json(piece: Piece, shape: TurnedShape) -> str:
    """The same for a program."""
    body = piece.turned
    assert body is not None
    told = {
        "piece": piece.id, "name": piece.name, "count": piece.count, "material": piece.material, "made_as": body.made_as,
        "long_mm": shape.long_mm, "bar_mm": shape.bar_mm, "bar_long_mm": shape.bar_long_mm, "mass_kg": round(shape.mass_kg, 4),
        "steps": [{"long_mm": s.long_mm, "outside_mm": s.outside_mm, "fit": s.fit, "thread": s.thread, "chamfer_mm": s.chamfer_mm, "keyway": s.keyway} for s in body.steps],
        "bores": [{"side": b.side, "bore_mm": b.bore_mm, "deep_mm": b.deep_mm, "fit": b.fit, "thread": b.thread, "chamfer_mm": b.chamfer_mm} for b in body.bores],
        "fits": [{"of": f.of, "fit": f.fit, "low_mm": f.limits.low_mm, "high_mm": f.limits.high_mm} for f in shape.fits],
        "thinnest_wall_mm": shape.thinnest.wall_mm, "measured": body.measured,
    }  # fmt: skip
    return json.dumps(told, indent=2, ensure_ascii=False)


def as_pdf(piece: Piece, shape: TurnedShape, head: Head) -> bytes:
    """One sheet: the part in section, half and half, then the words."""
    fonts()
    out = io.BytesIO()
    canvas = canvas_maker(head)(out, invariant=1)
    left, bottom, width, height = room_pt(head)
    scale = min(DRAWN_PT[0] / shape.long_mm, DRAWN_PT[1] / shape.widest_mm, 4 * MM)
    canvas.saveState()
    canvas.translate(left + (width - shape.long_mm * scale) / 2, bottom + height - 30 - shape.widest_mm * scale / 2)
    _drawn(canvas, shape, scale, piece.turned)
    canvas.restoreState()
    y = bottom + height - 70 - shape.widest_mm * scale
    general = "All sizes in mm. All edges broken. Sizes without a class: ± 0.2 mm on length, ± 0.1 mm on diameter."
    written(canvas, head, (*lines_of(piece, shape), general), y)
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _drawn(canvas: Canvas, shape: TurnedShape, scale: float, body: TurnedBody | None) -> None:
    """Outside whole, bores dashed, the axis in dots."""
    canvas.setStrokeColor(INK)
    canvas.setLineWidth(1.0)
    at = 0.0
    for step in body.steps if body else ():
        r = step.outside_mm / 2
        canvas.rect(at * scale, -r * scale, step.long_mm * scale, 2 * r * scale)
        if step.thread:
            canvas.setLineWidth(0.4)
            for side in (1, -1):
                canvas.line(at * scale, side * (r - 0.6) * scale, (at + step.long_mm) * scale, side * (r - 0.6) * scale)
            canvas.setLineWidth(1.0)
        at += step.long_mm
    canvas.setDash([4, 2])
    for zone in shape.zones:
        if zone.bore_mm:
            for side in (1, -1):
                canvas.line(zone.from_mm * scale, side * zone.bore_mm / 2 * scale, zone.to_mm * scale, side * zone.bore_mm / 2 * scale)
    canvas.setStrokeColor(ELM)
    canvas.setDash([8, 2, 1, 2])
    canvas.line(-12, 0, shape.long_mm * scale + 12, 0)
    canvas.setDash()
