"""A calculation as a slip of one page to take to the bench or send to the turner, and the same as JSON."""

from __future__ import annotations

import io
from dataclasses import dataclass
from xml.sax.saxutils import escape

from reportlab.lib import colors
from reportlab.lib.styles import ParagraphStyle
from reportlab.lib.units import mm as MM  # noqa: N812 - the library's name for a length
from reportlab.pdfgen.canvas import Canvas
from reportlab.platypus import Flowable, KeepInFrame, Paragraph, Spacer, Table, TableStyle

from elmpeg.figures.figure import Figure, Panel
from elmpeg.formats.figure_pdf import Bar, DrawnFigure, Say, true_size_pages
from elmpeg.formats.paper import BOLD, ELM, FAILS, INK, MOSS, PLAIN, SOFT, Head, canvas_maker, printed, room_pt

FORMAT, VERSION = "elm-peg reckoning", 1
DRAWING_HIGH = 74 * MM


@dataclass(frozen=True, slots=True)
class Slip:
    """Everything on the slip, in words as this person reads them."""

    heading: str
    title: str
    by: str
    main_label: str
    main_value: str
    doubt: str
    typed: tuple[tuple[str, str], ...]
    rest: tuple[tuple[str, str], ...]
    checks: tuple[tuple[str, str, str], ...]
    """Verdict, what is held, and its figure against its limit with what would mend it."""
    how: str
    source: str
    not_told: str
    caution: str = ""
    warning: str = ""
    """Said across the head: figures that are still an example's, or no answer."""


def as_pdf(slip: Slip, head: Head, figure: Figure, say: Say, bar: Bar) -> bytes:
    """The slip, always one page: what would run over is set smaller."""
    out = io.BytesIO()
    canvas = canvas_maker(head)(out)
    canvas.setTitle(f"{slip.heading}: {slip.title}")
    left, bottom, wide, high = room_pt(head)
    plain = ParagraphStyle("plain", fontName=PLAIN, fontSize=8.5, leading=11, textColor=INK)
    small = ParagraphStyle("small", parent=plain, fontSize=7.5, leading=10, textColor=SOFT)
    large = ParagraphStyle("large", parent=plain, fontName=BOLD, fontSize=24, leading=29, textColor=MOSS)
    warn = ParagraphStyle("warn", parent=plain, fontName=BOLD, textColor=FAILS)
    parts: list[Flowable] = [Paragraph(_said(slip.title), small)]
    if slip.warning:
        parts.append(Paragraph(_said(slip.warning), warn))
    parts += [Spacer(1, 3 * MM), Paragraph(_said(slip.main_label), plain), Paragraph(_said(slip.main_value), large)]
    parts += [
        Paragraph(_said(slip.doubt), small),
        Spacer(1, 2 * MM),
        DrawnFigure(figure, (wide, DRAWING_HIGH), say, bar),
        Spacer(1, 2 * MM),
    ]
    parts.append(_two_columns(slip, plain, small))
    if slip.checks:
        parts += [Spacer(1, 2 * MM), _table([(v, n, f) for v, n, f in slip.checks], (18 * MM, 60 * MM, 102 * MM), plain)]
    parts += [
        Spacer(1, 2 * MM),
        Paragraph(f"<b>How</b> {_said(slip.how)}", small),
        Paragraph(f"<b>Source</b> {_said(slip.source)}", small),
    ]
    parts.append(Paragraph(f"<b>It does not tell</b> {_said(slip.not_told)} It computes; it certifies nothing.", small))
    if slip.caution:
        parts += [
            Spacer(1, 1 * MM),
            Paragraph(
                _said(slip.caution),
                ParagraphStyle("caution", parent=small, textColor=ELM, borderWidth=0.5, borderColor=ELM, borderPadding=3),
            ),
        ]
    frame = KeepInFrame(wide, high, parts, mode="shrink")
    _, height = frame.wrapOn(canvas, wide, high)
    frame.drawOn(canvas, left, bottom + high - height)
    canvas.showPage()
    canvas.save()
    return out.getvalue()


def _said(text: str) -> str:
    return escape(printed(text))


def _two_columns(slip: Slip, plain: ParagraphStyle, small: ParagraphStyle) -> Table:
    sides = []
    for title, rows in (("As typed", slip.typed), ("And", slip.rest)):
        inner = [Paragraph(f"<b>{title}</b>", small)]
        inner.append(_table([(n, v) for n, v in rows] or [("", "")], (48 * MM, 40 * MM), plain))
        sides.append(inner)
    table = Table([sides], colWidths=(90 * MM, 90 * MM))
    table.setStyle(TableStyle([("VALIGN", (0, 0), (-1, -1), "TOP"), ("LEFTPADDING", (0, 0), (-1, -1), 0)]))
    return table


def _table(rows: list[tuple[str, ...]], widths: tuple[float, ...], style: ParagraphStyle) -> Table:
    table = Table([[Paragraph(_said(cell), style) for cell in row] for row in rows], colWidths=widths)
    lines = [("LINEBELOW", (0, 0), (-1, -1), 0.3, colors.HexColor("#d9d2c1")), ("LEFTPADDING", (0, 0), (-1, -1), 0)]
    table.setStyle(
        TableStyle(
            [*lines, ("TOPPADDING", (0, 0), (-1, -1), 1), ("BOTTOMPADDING", (0, 0), (-1, -1), 1), ("VALIGN", (0, 0), (-1, -1), "TOP")]
        )
    )
    return table


def true_size_pdf(panel: Panel, heading: str, say: Say, paper_mm: tuple[float, float]) -> bytes:
    """A panel at true size over sheets of paper. Raises ValueError where it takes too many."""
    out = io.BytesIO()
    canvas = Canvas(out, pagesize=(paper_mm[0] * MM, paper_mm[1] * MM))
    canvas.setTitle(f"{heading}, true size")
    true_size_pages(canvas, panel, heading, say, paper_mm)
    canvas.save()
    return out.getvalue()
