"""What a piece's form says in its fields: outlines, holes and folds, one a line, read back as they were shown."""

from __future__ import annotations

from collections.abc import Iterable

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.pieces import Cutout, OnlyIn, OwnHole, Piece
from elmpeg.core.methods.shapes.outlines import Corner, Outline
from elmpeg.core.methods.sheet_metal.folded_sheet import BendLine
from elmpeg.web.showing import MINUS, Show

MOST_LINES = 2000
LONGEST_NAME, LONGEST_WHY = 40, 120
ONLY_IN: dict[str, OnlyIn] = {"": "", "both": "", "as drawn": "as drawn", "other hand": "other hand"}
"""Which hand of a pair has an opening, as it is written."""
STRAIGHT = 1e-9


def outline_text(outline: Outline, show: Show) -> str:
    """A corner a line: x, y, and how the way to the next one bulges where it does."""
    return "\n".join(_corner(c, show) for c in outline)


def _corner(c: Corner, show: Show) -> str:
    bulge = f" {c.bulge:.6f}" if abs(c.bulge) > STRAIGHT else ""
    return f"{show.entered_fine(c.x_mm)} {show.entered_fine(c.y_mm)}{bulge}"


def holes_text(holes: Iterable[OwnHole], show: Show) -> str:
    """A hole a line: name; x; y; size; length between a slot's ends; its turn; why."""
    found = []
    for h in holes:
        parts = [h.id, show.entered_fine(h.x_mm), show.entered_fine(h.y_mm), show.entered_fine(h.hole_mm)]
        if h.slot_mm or h.why:
            parts += [show.entered_fine(h.slot_mm) if h.slot_mm else "0", f"{h.turn_deg:g}"]
        found.append("; ".join([*parts, *([h.why] if h.why else [])]))
    return "\n".join(found)


def bends_text(bends: Iterable[BendLine], show: Show) -> str:
    """A fold a line: name; x and y of both ends; angle, up positive; inside radius."""
    return "\n".join(
        "; ".join([b.id, *(show.entered_fine(v) for v in (*b.a_mm, *b.b_mm)), f"{b.angle_deg:g}", show.entered_fine(b.radius_mm)])
        for b in bends
    )


def cutouts_text(cutouts: Iterable[Cutout], show: Show) -> str:
    """Openings with an empty line between: its name, which hand alone has it and why it is there, then a corner a line."""
    return "\n\n".join(f"{_opening_head(c)}\n{outline_text(c.corners, show)}" for c in cutouts)


def _opening_head(cutout: Cutout) -> str:
    said = [cutout.id.replace(";", ","), cutout.only or ("both" if cutout.why else ""), cutout.why.replace(";", ",")]
    while not said[-1]:
        said.pop()
    return "; ".join(said)


def _lines(text: str, field: str) -> list[tuple[int, str]]:
    rows = [(n, line.strip()) for n, line in enumerate(text.replace(MINUS, "-").splitlines(), 1) if line.strip()]
    if len(rows) > MOST_LINES:
        raise InputError(field, f"has {len(rows)} lines; at most {MOST_LINES} are read")
    return rows


def _number(text: str, field: str, n: int) -> float:
    try:
        value = float(text)
    except ValueError:
        raise InputError(field, f"line {n}: “{text[:30]}” is not a number") from None
    if not abs(value) < 1e6:
        raise InputError(field, f"line {n}: {text[:30]} is out of range")
    return value


def outline_from(text: str, field: str, show: Show) -> Outline:
    """The outline that a field says; empty for an empty field."""
    return tuple(_corner_from(line, field, n, show) for n, line in _lines(text, field))


def _corner_from(line: str, field: str, n: int, show: Show) -> Corner:
    parts = [p for p in line.replace(";", " ").split() if p]
    if len(parts) not in (2, 3):
        raise InputError(
            field, f"line {n} has {len(parts)} figures; write x and y of one corner a line, and the bulge of an arc behind them"
        )
    x, y = (show.read(p.rstrip(","), "mm", field) for p in parts[:2])
    return Corner(x, y, _number(parts[2], field, n) if len(parts) == 3 else 0.0)


def holes_from(text: str, show: Show) -> tuple[OwnHole, ...]:
    """The holes that a field says."""
    found = []
    for n, line in _lines(text, "own_holes"):
        parts = [p.strip() for p in line.split(";")]
        if not 4 <= len(parts) <= 7:
            raise InputError(
                "own_holes", f"line {n} has {len(parts)} parts; write name; x; y; hole, and for a slot its length and turn behind them"
            )
        x, y, hole = (show.read(p, "mm", "own_holes") for p in parts[1:4])
        slot = show.read(parts[4], "mm", "own_holes") if len(parts) > 4 and parts[4] not in ("", "0") else 0.0
        turn = _number(parts[5], "own_holes", n) if len(parts) > 5 and parts[5] else 0.0
        found.append(OwnHole(_name(parts[0], "own_holes", n), x, y, hole, slot, turn, parts[6][:120] if len(parts) > 6 else ""))
    return tuple(found)


def _name(text: str, field: str, n: int) -> str:
    if not text or len(text) > LONGEST_NAME:
        raise InputError(field, f"line {n} begins with no name, or with one of more than {LONGEST_NAME} letters")
    return text


def bends_from(text: str, show: Show, old: Piece) -> tuple[BendLine, ...]:
    """The folds that a field says; what is known of a fold's k stays with its name."""
    known = {b.id: b.k for b in old.bends}
    found = []
    for n, line in _lines(text, "bends"):
        parts = [p.strip() for p in line.split(";")]
        if len(parts) != 7:
            raise InputError("bends", f"line {n} has {len(parts)} parts; write name; x; y; x; y of its two ends; angle; radius")
        ax, ay, bx, by = (show.read(p, "mm", "bends") for p in parts[1:5])
        name = _name(parts[0], "bends", n)
        angle, radius = _number(parts[5].rstrip("°"), "bends", n), show.read(parts[6], "mm", "bends")
        found.append(BendLine(name, (ax, ay), (bx, by), angle, radius, known.get(name)))
    return tuple(found)


def cutouts_from(text: str, show: Show) -> tuple[Cutout, ...]:
    """The openings that a field says."""
    found: list[Cutout] = []
    head, corners = "", []
    for n, line in [*_lines(text, "cutouts"), (0, "")]:
        parts = line.replace(";", " ").split()
        is_corner = len(parts) in (2, 3) and all(_figure(p) for p in parts)
        if is_corner:
            corners.append(_corner_from(line, "cutouts", n, show))
            continue
        if head or corners:
            if len(corners) < 2:
                raise InputError(
                    "cutouts", f"“{head or 'the first opening'}” has {len(corners)} corners; write its name, then a corner a line"
                )
            found.append(_opening(head, tuple(corners)))
        head, corners = line, []
    return tuple(found)


def _opening(head: str, corners: Outline) -> Cutout:
    """An opening by its first line: name; which hand; why."""
    name, hand, why = ([part.strip() for part in head.split(";", 2)] + ["", ""])[:3]
    only = ONLY_IN.get(hand.lower())
    if only is None:
        raise InputError("cutouts", f"“{name[:30]}”: “{hand[:20]}” is no hand; write both, as drawn or other hand behind its name")
    return Cutout(name[:LONGEST_NAME] or "opening", corners, why[:LONGEST_WHY], only)


def _figure(text: str) -> bool:
    return text[:1] in "-.0123456789"
