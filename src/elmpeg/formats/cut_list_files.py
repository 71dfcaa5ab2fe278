"""A cut list as CSV and as PDF: what is cut from what, what is bought, what remains."""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping

from elmpeg.core.stages.make.cut_list import CutList
from elmpeg.formats.paper import BOLD, INK, PLAIN, SOFT, Head, canvas_maker, fitted, fonts, printed, room_pt

COLUMNS = ("what", "from", "from_long_mm", "bought", "piece", "cut_mm", "left_mm")
ROW = 13.0
DRAWN_PT = 150.0

NAMELESS: Mapping[str, str] = {}
"""What the shelf calls its things, where nobody says."""


def as_csv(found: CutList, stock: Mapping[str, str] = NAMELESS) -> bytes:
    """One line a cut; lengths in mm. Names that a spreadsheet would take for a formula are set off by an apostrophe."""
    out = io.StringIO()
    write = csv.writer(out)
    write.writerow(COLUMNS)
    for bars in found.bars:
        named = {i: (name, long) for i, name, long in bars.names}
        for bar in bars.cuts.bars:
            for cut in bar.cuts:
                name, long = named[cut]
                write.writerow(
                    [
                        _safe(bars.of.called),
                        _safe(stock.get(bar.bar, bar.bar)),
                        f"{bar.mm:g}",
                        "yes" if bar.buy else "",
                        _safe(name),
                        f"{long:.1f}",
                        f"{bar.left_mm:.1f}",
                    ]
                )
        for cut in bars.cuts.missing:
            name, long = named[cut]
            write.writerow([_safe(bars.of.called), "MISSING", "", "", _safe(name), f"{long:.1f}", ""])
    for sheets in found.sheets:
        names = dict(sheets.names)
        for sheet in sheets.cuts.sheets:
            for p in sheet.plates:
                size = f"{p.wide_mm:.1f} x {p.high_mm:.1f} at {p.x_mm:.1f}, {p.y_mm:.1f}"
                left = f"{sheet.left_mm[0]:.0f} x {sheet.left_mm[1]:.0f}"
                of = f"{sheet.wide_mm:g} x {sheet.high_mm:g}"
                write.writerow(
                    [
                        _safe(sheets.of.called),
                        _safe(stock.get(sheet.sheet, sheet.sheet)),
                        of,
                        "yes" if sheet.buy else "",
                        _safe(names[p.id]),
                        size,
                        left,
                    ]
                )
        for one in sheets.cuts.missing:
            write.writerow([_safe(sheets.of.called), "MISSING", "", "", _safe(names[one]), "", ""])
    for one_kind in found.fasteners:
        write.writerow(
            [
                one_kind.called,
                "shelf",
                "",
                str(one_kind.short) if one_kind.short else "",
                f"{one_kind.wanted} wanted",
                "",
                str(one_kind.there),
            ]
        )
    return out.getvalue().encode("utf-8-sig")


def _safe(text: str) -> str:
    return f"'{text}" if text[:1] in "=+-@\t" else text


def as_pdf(found: CutList, head: Head, stock: Mapping[str, str] = NAMELESS) -> bytes:
    """The same to take to the saw: each bar drawn with its cuts, each sheet with its plates."""
    fonts()
    out = io.BytesIO()
    canvas = canvas_maker(head)(out, invariant=1)
    left, bottom, width, height = room_pt(head)
    y = bottom + height - 14

    def room(wanted: float) -> None:
        nonlocal y
        if y - wanted < bottom:
            canvas.showPage()
            y = bottom + height - 14

    def line(text: str, face: str = PLAIN, size: float = 9.5, indent: float = 0.0) -> None:
        nonlocal y
        room(ROW)
        canvas.setFont(face, size)
        canvas.setFillColor(INK)
        canvas.drawString(left + indent, y, fitted(canvas, printed(text), face, size, width - indent))
        y -= ROW

    line("To buy", BOLD, 11)
    for called, count in found.to_buy:
        line(f"{count} x {called}", indent=10)
    if not found.to_buy:
        line("Nothing: the shelf has it all.", indent=10)
    for bars in found.bars:
        named = {i: (name, long) for i, name, long in bars.names}
        y -= 4
        line(bars.of.called, BOLD, 11)
        for bar in bars.cuts.bars:
            room(3 * ROW)
            line(f"{'NEW' if bar.buy else stock.get(bar.bar, bar.bar)}, {bar.mm:g} mm; {bar.left_mm:.0f} mm left", indent=10)
            at = left + 10
            scale = (width - 20) / bar.mm
            canvas.setLineWidth(0.6)
            canvas.setStrokeColor(INK)
            canvas.rect(at, y - 8, width - 20, 12)
            for cut in bar.cuts:
                name, long = named[cut]
                canvas.rect(at, y - 8, long * scale, 12)
                canvas.setFont(PLAIN, 6.5)
                canvas.drawString(at + 2, y - 4.5, fitted(canvas, printed(f"{long:.1f}  {name}"), PLAIN, 6.5, long * scale - 3))
                at += long * scale
            y -= 24
            for cut in bar.cuts:
                name, long = named[cut]
                line(f"{long:.1f} mm  {name}", size=8.5, indent=20)
        for cut in bars.cuts.missing:
            name, long = named[cut]
            line(f"MISSING: {long:.1f} mm for {name}", BOLD, indent=10)
    for sheets in found.sheets:
        names = dict(sheets.names)
        y -= 4
        line(sheets.of.called, BOLD, 11)
        for sheet in sheets.cuts.sheets:
            line(
                f"{'NEW' if sheet.buy else stock.get(sheet.sheet, sheet.sheet)}, {sheet.wide_mm:g} by {sheet.high_mm:g} mm; {100 * sheet.used_share:.0f} % used",
                indent=10,
            )
            scale = min((width - 20) / sheet.wide_mm, DRAWN_PT / sheet.high_mm)
            room(sheet.high_mm * scale + 8)
            foot = y - sheet.high_mm * scale
            canvas.rect(left + 10, foot, sheet.wide_mm * scale, sheet.high_mm * scale)
            for k, p in enumerate(sheet.plates, 1):
                canvas.rect(left + 10 + p.x_mm * scale, foot + p.y_mm * scale, p.wide_mm * scale, p.high_mm * scale)
                canvas.setFont(PLAIN, 6.5)
                canvas.drawString(left + 12 + p.x_mm * scale, foot + p.y_mm * scale + 3, str(k))
            y = foot - 12
            for k, p in enumerate(sheet.plates, 1):
                line(f"{k}: {names[p.id]}, {p.wide_mm:.1f} by {p.high_mm:.1f} mm at {p.x_mm:.1f}, {p.y_mm:.1f}", size=8.5, indent=20)
        for one in sheets.cuts.missing:
            line(f"MISSING: {names[one]}", BOLD, indent=10)
    if found.fasteners:
        y -= 4
        line("Bolts and nuts", BOLD, 11)
        for f in found.fasteners:
            line(f"{f.wanted} x {f.called}, {f.there} on the shelf" + (f", {f.short} to buy" if f.short else ""), indent=10)
    canvas.setFillColor(SOFT)
    line("Mark centre lines on both parts before the cut: afterwards nothing is left to measure from.", size=8.5)
    canvas.showPage()
    canvas.save()
    return out.getvalue()
