"""An order for shafts as a page to send: PDF, and the same figures as JSON.

Lengths stand in mm with inches beside them, since shaft makers work in both. A
sheet that is not final says so across its head, and says why.
"""

from __future__ import annotations

import io
import json
from itertools import zip_longest
from typing import Any
from xml.sax.saxutils import escape

from reportlab.lib import colors
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm as MM  # noqa: N812 - the library's name for a length
from reportlab.platypus import Flowable, KeepInFrame, PageTemplate, Paragraph, Spacer, Table, TableStyle
from reportlab.platypus.doctemplate import BaseDocTemplate
from reportlab.platypus.frames import Frame

from elmpeg.core.base.days import day_said
from elmpeg.core.build.document import Build
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH
from elmpeg.core.stages.drive.gauge_angles import member_name
from elmpeg.core.stages.drive.shaft_order import OrderSheet, SheetLine
from elmpeg.figures.shaft_order import shaft_order
from elmpeg.formats.figure_pdf import Bar, DrawnFigure, Say
from elmpeg.formats.paper import BOLD, FAILS, INK, LINE, PLAIN, SOFT, Head, canvas_maker, fonts, printed, room_pt

FORMAT, VERSION = "elm-peg shaft order", 1
DRAWING_HIGH = 76 * MM
_INCH = float(MM_PER_INCH)
_INK, _SOFT, _LINE, _FAILS = INK, SOFT, LINE, FAILS
_UNITS = {"mm": "mm", "deg": "°", "rpm": "rpm"}


def as_json(build: Build, sheet: OrderSheet) -> bytes:
    """The order as JSON: lengths mm, angles deg, speeds rpm, each figure with its doubt and where it comes from."""
    order = sheet.order
    plain = {
        "format": FORMAT,
        "version": VERSION,
        "build": {"id": build.id, "name": build.name, "vehicle": build.vehicle},
        "line": sheet.line.name,
        "option": sheet.option_name,
        "maker": order.maker,
        "lead_days": order.lead_days,
        "due": sheet.due or None,
        "state": order.state,
        "steps": [{"state": s.state, "person": s.person, "at": s.taken_at, "note": s.note} for s in order.steps],
        "final": bool(order.final),
        "final_by": {"person": order.final.person, "at": order.final.taken_at} if order.final else None,
        "not_final_because": list(sheet.blockers),
        "changed_since_final": list(sheet.since_final),
        "measured_how": order.measured_how,
        "ride_height": order.height,
        "ride_heights": list(sheet.heights),
        "photographs": list(sheet.photos),
        "note": order.note,
        "shafts": [
            {
                "member": shaft.member,
                "figures": [
                    {"name": f.name, "value": f.value, "unit": f.unit, "sd": f.sd, "from": f.basis, "lacking": list(f.lacking)}
                    for f in shaft.figures
                ],
                "chosen": dict(shaft.chosen),
                "not_chosen": list(shaft.lacking),
                "tapes": [
                    {
                        "text": r.text,
                        "mm": r.value_mm,
                        "tool": r.tool,
                        "person": r.person,
                        "at": r.taken_at,
                        "stood": r.stance,
                        "set_aside": r.dropped,
                    }
                    for r in shaft.readings
                ],
            }
            for shaft in sheet.shafts
        ],
        "slopes": [
            {
                "part": member_name((r.near, r.far)),
                "text": r.text,
                "deg": r.value_deg,
                "zeroed_on": r.zero,
                "tool": r.tool,
                "person": r.person,
                "at": r.taken_at,
                "stood": r.stance,
                "set_aside": r.dropped,
            }
            for r in sheet.slopes
        ],
        "ordered_figures": [{"name": f.name, "value": f.value, "unit": f.unit, "sd": f.sd} for f in order.figures],
    }
    return json.dumps(plain, indent=1, ensure_ascii=False).encode()


def as_pdf(build: Build, sheet: OrderSheet, head: Head, say: Say, bar: Bar) -> bytes:
    """The order as one page of the shop's paper, with the line drawn to scale; what does not fit at full size is set smaller,
    never cut."""
    fonts()
    out = io.BytesIO()
    left, bottom, width, height = room_pt(head)
    document = BaseDocTemplate(out, pagesize=head.size_pt, title=head.title, author="Elm Peg")
    document.addPageTemplates(PageTemplate("one", [Frame(left, bottom, width, height, 0, 0, 0, 0)]))
    drawing = DrawnFigure(shaft_order(build, sheet.order), (width, DRAWING_HIGH), say, bar)
    document.build([KeepInFrame(width, height, _story(build, sheet, drawing, width), mode="shrink")], canvasmaker=canvas_maker(head))
    return out.getvalue()


def _style(size: float, bold: bool = False, colour: colors.Color = _INK) -> ParagraphStyle:
    return ParagraphStyle("s", fontName=BOLD if bold else PLAIN, fontSize=size, leading=size * 1.3, textColor=colour)


def _p(text: str, size: float = 8.5, bold: bool = False, colour: colors.Color = _INK) -> Paragraph:
    return Paragraph(escape(printed(text)), _style(size, bold, colour))


def _story(build: Build, sheet: OrderSheet, drawing: Flowable, width: float) -> list[object]:
    order = sheet.order
    story: list[object] = [_p(build.vehicle, 10)] if build.vehicle else []
    if order.final:
        story.append(_p(f"Final: called so by {order.final.person}, {day_said(order.final.taken_at)}", 10, True))
    else:
        story.append(_p("NOT FINAL. Do not cut to these figures.", 12, True, _FAILS))
        story += [_p(f"- {why}", 7.5, False, _FAILS) for why in sheet.blockers]
    story += [_p(f"Changed since: {why}", 8, True, _FAILS) for why in sheet.since_final]
    story.append(Spacer(1, 2 * MM))
    facts = [
        ("for", order.maker),
        ("back in", f"{order.lead_days} days{f', by {day_said(sheet.due)}' if sheet.due else ''}"),
        ("position", f"“{sheet.option_name}”"),
        ("measured", order.measured_how or "not written down"),
        ("at", order.height or "not written down"),
        ("state", "; ".join(f"{s.state} {day_said(s.taken_at)} by {s.person}" for s in order.steps)),
    ]
    if sheet.heights:
        facts.append(("ride heights", "; ".join(sheet.heights)))
    if sheet.photos:
        facts.append(("photographs", ", ".join(sheet.photos)))
    if order.note:
        facts.append(("note", order.note))
    story.append(_table([[_p(k, 8, False, _SOFT), _p(v)] for k, v in facts], (26 * MM, width - 26 * MM)))
    story += [Spacer(1, 2 * MM), drawing]
    for shaft in sheet.shafts:
        story += [Spacer(1, 3 * MM), _p(f"Shaft {shaft.member}", 12, True), Spacer(1, 1 * MM)]
        rows = [[_p(h, 7.5, False, _SOFT) for h in ("figure", "value", "doubt", "comes from")]]
        rows += [[_p(f.name, 9, f.unit == "mm"), _p(_value(f), 10, True), _p(_doubt(f)), _p(f.basis, 7.5)] for f in shaft.figures]
        story.append(_table(rows, (43 * MM, 54 * MM, 18 * MM, width - 115 * MM), lined=True))
        story.append(Spacer(1, 1 * MM))
        chosen = [[_p(k, 8, False, _SOFT), _p(v)] for k, v in shaft.chosen]
        half = (len(chosen) + 1) // 2
        beside = [left + right for left, right in zip_longest(chosen[:half], chosen[half:], fillvalue=[_p(""), _p("")])]
        story.append(_table(beside, (24 * MM, width / 2 - 24 * MM) * 2))
        tapes = "; ".join(
            f"{r.text} ({r.person}, {day_said(r.taken_at)}, {'at ride height' if r.stance == 'ride' else 'on stands'}{', set aside' if r.dropped else ''})"
            for r in shaft.readings
        )
        if tapes:
            story.append(_p(f"Tapes: {tapes}", 7.5, False, _SOFT))
    if sheet.slopes:
        read = "; ".join(
            f"{member_name((r.near, r.far))} {abs(r.value_deg):.1f}° {'up' if r.value_deg < 0 else 'down'} to the rear from {r.zero} "
            f"({r.person}, {day_said(r.taken_at)}, {'at ride height' if r.stance == 'ride' else 'on stands'}{', set aside' if r.dropped else ''})"
            for r in sheet.slopes
        )
        story += [Spacer(1, 2 * MM), _p(f"Gauge: {read}", 7.5, False, _SOFT)]
    story += [
        Spacer(1, 3 * MM),
        _p(
            "Lengths are from joint centre to joint centre. Driveshafts and steering shafts can kill when they fail: have them made, balanced and "
            "fitted by qualified people, to the codes that hold where the vehicle is used.",
            7.5,
            False,
            _SOFT,
        ),
    ]
    return story


def _table(rows: list[list[Paragraph]], widths: tuple[float, ...], lined: bool = False) -> Table:
    style: list[tuple[Any, ...]] = [
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("LEFTPADDING", (0, 0), (-1, -1), 0),
        ("TOPPADDING", (0, 0), (-1, -1), 1.2),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 1.2),
    ]
    if lined:
        style.append(("LINEBELOW", (0, 0), (-1, -1), 0.4, _LINE))
    return Table(rows, colWidths=widths, style=TableStyle(style), hAlign="LEFT")


def _value(line: SheetLine) -> str:
    if line.unit == "mm":
        return f"{line.value:.1f} mm ({line.value / _INCH:.3f} in)"
    return f"{line.value:.0f} rpm" if line.unit == "rpm" else f"{line.value:.1f}°"


def _doubt(line: SheetLine) -> str:
    if line.sd is None:
        return ""
    return f"± {max(line.sd, 0.1):.1f}{' mm' if line.unit == 'mm' else '°'}"
