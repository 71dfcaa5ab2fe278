"""A mount as a section through its bolt, to scale: what a person takes to the bench."""

from __future__ import annotations

from dataclasses import dataclass

from markupsafe import Markup
from shapely.geometry import LineString, MultiLineString, Polygon

from elmpeg.core.stages.mount.bolt_section import Section, Thickness
from elmpeg.web.drawing import svg
from elmpeg.web.showing import Show

WIDTH_PX, HEIGHT_PX = 516.0, 430.0
CENTRE_PX = 188.0
HALF_PX = 100.0
"""Half of the width that the section itself may take."""
TOP_PX, BOTTOM_PX = 34.0, 40.0
LABEL_PX, ROW_PX = 308.0, 37.0
MOST_LETTERS = 22
LETTER_PX = 7.8
BOUGHT = ("stack", "plate", "head washer", "nut washer")
LAYER_WIDE = 4.4
"""Layers are drawn so many bolt diameters wide and broken off there."""
THREADED = 2.0
THREAD_MORE_MM = 6.0
MARKS_PX = 4.0
COLUMN_PX = 22.0
MOST_GROWN, SCALE_PX = 1.25, 30.0
"""By how much letters are grown to be read on a small sheet; how high the scale stands at its foot."""
COARSE_PX, FINE_PX = 9.0, 6.0
BLIND_FLOOR = 1.1
"""Metal drawn below a blind hole, over its radius."""


@dataclass(frozen=True, slots=True)
class _Frame:
    """Scale and where the underside of the head lies."""

    px_per_mm: float
    top_px: float

    def y(self, mm: float) -> float:
        return self.top_px + mm * self.px_per_mm

    def x(self, mm: float) -> float:
        return CENTRE_PX + mm * self.px_per_mm


def joint_drawing(joint: Section, show: Show, title: str, px_per_mm: float | None = None) -> Markup:
    """The section with its layers named, its lengths written, and its scale."""
    head_mm = joint.head.height_mm if joint.head is not None and not joint.sunk_mm else 0.0
    floor = BLIND_FLOOR * joint.thread.d_mm / 2 if joint.choice.max_length_mm is not None else 0.0
    deepest = floor + max([joint.length_mm or 0.0, joint.choice.grip_mm + joint.nut_mm, *(p.to_mm for p in joint.pieces)])
    tall = head_mm + deepest
    wide = max([LAYER_WIDE * joint.thread.d_mm, joint.nut_across_mm, *(p.wide_mm for p in joint.pieces)]) / 2
    scale = px_per_mm or min((HEIGHT_PX - TOP_PX - BOTTOM_PX) / max(tall, 1.0), HALF_PX / wide)
    frame = _Frame(scale, TOP_PX + head_mm * scale + ((HEIGHT_PX - TOP_PX - BOTTOM_PX) - tall * scale) / 2 * (px_per_mm is None))
    body = [*(s for p in joint.pieces for s in _piece(frame, joint, p, show)), *_bolt(frame, joint), *_nut(frame, joint)]
    body += [*_dimensions(frame, joint, show), *_labels(frame, joint, show), *_scale(frame, show)]
    return svg.sheet(WIDTH_PX, HEIGHT_PX, "view is-joint", f"Section through {title}", body, data_px_per_mm=f"{scale:.4f}")


def _piece(frame: _Frame, joint: Section, piece: Thickness, show: Show) -> list[str]:
    half = (piece.wide_mm or LAYER_WIDE * joint.thread.d_mm) / 2
    hole = piece.hole_mm / 2
    top, bottom = frame.y(piece.from_mm), frame.y(piece.to_mm)
    if piece.kind == "tapped" and joint.choice.max_length_mm is not None:
        return _blind(frame, piece, half, hole, show)
    title = svg.title(f"{piece.name}, {_thick(piece, show)}")
    if piece.kind == "open":
        sides = [svg.line((frame.x(s * half), top), (frame.x(s * half), bottom), "open-gap") for s in (-1, 1)]
        return [
            *sides,
            svg.line((frame.x(-half), top), (frame.x(half), top), "open-gap"),
            svg.line((frame.x(-half), bottom), (frame.x(half), bottom), "open-gap"),
        ]
    if piece.kind == "sleeve" and not piece.wide_mm:
        return [
            svg.line(
                (frame.x(s * LAYER_WIDE * joint.thread.d_mm / 2), top), (frame.x(s * LAYER_WIDE * joint.thread.d_mm / 2), bottom), "cut"
            )
            for s in (-1, 1)
        ]
    class_ = f"cut is-{piece.material} kind-{piece.kind.replace(' ', '-')}"
    drawn = []
    for side in (-1, 1):
        near, far = frame.x(side * hole), frame.x(side * half)
        corners = [(near, top), (far, top), (far, bottom), (near, bottom)]
        if piece is _first_layer(joint) and joint.sunk_mm and joint.head is not None:
            sunk = frame.x(side * joint.head.across_mm / 2)
            corners = [(sunk, top), (far, top), (far, bottom), (near, bottom), (near, min(frame.y(joint.sunk_mm), bottom))]
        drawn.append(svg.element("polygon", title, points=svg.points(corners), class_=class_))
        drawn += _hatching(corners, piece.material)
    return drawn


def _blind(frame: _Frame, piece: Thickness, half: float, hole: float, show: Show) -> list[str]:
    """A block with a hole that ends inside it, at a drill's point."""
    top, bottom = frame.y(piece.from_mm), frame.y(piece.to_mm)
    floor = bottom + BLIND_FLOOR * hole * frame.px_per_mm
    corners = [
        (frame.x(-half), top),
        (frame.x(-hole), top),
        (frame.x(-hole), bottom),
        (frame.x(0.0), bottom + 0.5 * hole * frame.px_per_mm),
    ]
    corners += [(frame.x(hole), bottom), (frame.x(hole), top), (frame.x(half), top), (frame.x(half), floor), (frame.x(-half), floor)]
    title = svg.title(f"{piece.name}, thread {show.value(piece.mm, 'mm')} deep")
    return [
        svg.element("polygon", title, points=svg.points(corners), class_=f"cut is-{piece.material}"),
        *_hatching(corners, piece.material),
    ]


def _first_layer(joint: Section) -> Thickness | None:
    return next((p for p in joint.pieces if p.kind == "layer"), None)


def _hatching(corners: list[tuple[float, float]], material: str) -> list[str]:
    """Strokes at 45 degrees within the cut face; rubber and plastic go without."""
    face = Polygon(corners)
    if material in ("rubber", "plastic") or not face.is_valid or face.area <= 0:
        return []
    left, top, right, bottom = face.bounds
    gap = COARSE_PX if material in ("steel", "stainless") else FINE_PX
    strokes = []
    at = left - (bottom - top) + gap / 2
    while at < right:
        inside = face.intersection(LineString([(at, bottom), (at + (bottom - top), top)]))
        if isinstance(inside, LineString) and inside.length > 1.0:
            strokes.append(svg.line(inside.coords[0], inside.coords[-1], "hatch"))
        elif isinstance(inside, MultiLineString):
            strokes += [svg.line(part.coords[0], part.coords[-1], "hatch") for part in inside.geoms]
        at += gap
    return strokes


def _bolt(frame: _Frame, joint: Section) -> list[str]:
    d = joint.thread.d_mm
    length = joint.length_mm or joint.choice.min_length_mm
    missing = " is-missing" if joint.length_mm is None else ""
    left, right, end = frame.x(-d / 2), frame.x(d / 2), frame.y(length)
    body = [
        svg.element(
            "rect",
            svg.title(f"{joint.thread.name} bolt"),
            x=left,
            y=frame.y(0.0),
            width=right - left,
            height=end - frame.y(0.0),
            class_=f"bolt{missing}",
        )
    ]
    minor = (d - 1.2 * joint.thread.pitch_mm) / 2
    start = frame.y(max(length - THREADED * d - THREAD_MORE_MM, 0.0))
    body += [svg.line((frame.x(s * minor), start), (frame.x(s * minor), end), "thread") for s in (-1, 1)]
    body.append(svg.line((left, start), (right, start), "thread"))
    head = joint.head
    if head is None:
        return body
    wide = head.across_mm / 2
    if head.kind == "countersunk":
        corners = [
            (frame.x(-wide), frame.y(0.0)),
            (frame.x(wide), frame.y(0.0)),
            (right, frame.y(head.height_mm)),
            (left, frame.y(head.height_mm)),
        ]
        body.append(svg.polygon(corners, "bolt"))
        return body
    top = frame.y(-head.height_mm)
    body.append(
        svg.element("rect", x=frame.x(-wide), y=top, width=frame.x(wide) - frame.x(-wide), height=frame.y(0.0) - top, rx=2.0, class_="bolt")
    )
    if head.kind == "socket":
        body.append(
            svg.element(
                "rect", x=frame.x(-d / 4), y=top, width=d / 2 * frame.px_per_mm, height=head.height_mm * 0.5 * frame.px_per_mm, class_="key"
            )
        )
    else:
        body += [svg.line((frame.x(s * wide / 2), top), (frame.x(s * wide / 2), frame.y(0.0)), "thread") for s in (-1, 1)]
    return body


def _nut(frame: _Frame, joint: Section) -> list[str]:
    if not joint.nut_mm:
        return []
    at, wide = joint.choice.grip_mm, joint.nut_across_mm / 2
    d = joint.thread.d_mm / 2
    drawn = []
    for side in (-1, 1):
        near, far = sorted((frame.x(side * d), frame.x(side * wide)))
        drawn.append(
            svg.element(
                "rect",
                svg.title("nut"),
                x=near,
                y=frame.y(at),
                width=far - near,
                height=joint.nut_mm * frame.px_per_mm,
                rx=2.0,
                class_="nut",
            )
        )
    return drawn


def _dimensions(frame: _Frame, joint: Section, show: Show) -> list[str]:
    """Grip, bolt length and what stands proud, on the left, each with its ends."""
    choice = joint.choice
    wanted = [("grip", 0.0, choice.grip_mm, "")]
    if choice.length_mm is not None:
        wanted.append(("bolt", 0.0, choice.length_mm, ""))
    if choice.protrusion_mm is not None and choice.protrusion_mm > 0 and choice.length_mm is not None:
        wanted.append(("proud", choice.length_mm - choice.protrusion_mm, choice.length_mm, ""))
    if choice.engagement_mm:
        wanted.append(("held", choice.grip_mm, choice.grip_mm + choice.engagement_mm, ""))
    drawn = []
    taken: list[list[tuple[float, float]]] = []
    for name, start, end, _ in wanted:
        top, bottom = frame.y(start), frame.y(end)
        words = f"{name} {show.value(end - start, 'mm')}"
        # Lengthwise beside its line, on the sheet; across, it would lie over the drawing.
        half = MOST_GROWN * LETTER_PX * len(words) / 2
        middle = min(max((top + bottom) / 2, half + 4.0), HEIGHT_PX - half - SCALE_PX)
        span = (min(top, middle - half) - MARKS_PX, max(bottom, middle + half) + MARKS_PX)
        # As near to the bolt as those before it leave room: far out it would leave the sheet where letters are grown to be read.
        column = next((k for k, spans in enumerate(taken) if all(span[1] < low or span[0] > high for low, high in spans)), len(taken))
        if column == len(taken):
            taken.append([])
        taken[column].append(span)
        x = CENTRE_PX - HALF_PX - 14.0 - COLUMN_PX * column
        drawn.append(svg.line((x, top), (x, bottom), "dimension"))
        drawn += [svg.line((x - MARKS_PX, y), (x + MARKS_PX, y), "dimension") for y in (top, bottom)]
        turned = f"rotate(-90 {x - 5.0:.1f} {middle:.1f})"
        drawn.append(svg.text((x - 5.0, middle), words, "dimension-text", text_anchor="middle", transform=turned))
    return drawn


def _thick(piece: Thickness, show: Show) -> str:
    """How thick a piece is: what is bought, as it is sold; what is somebody's part, as it was measured."""
    return str(show.bought(piece.mm) if piece.kind in BOUGHT else show.value(piece.mm, "mm"))


def _labels(frame: _Frame, joint: Section, show: Show) -> list[str]:
    """Each thickness by name on the right, pushed apart so that none covers another."""
    rows: list[tuple[float, float, str, str, str]] = []
    head = joint.head
    length = joint.choice.length_mm
    name = f"{joint.thread.name} {head.kind if head else ''} bolt"
    rows.append(
        (
            frame.y(-(head.height_mm / 2 if head and not joint.sunk_mm else 0.0)),
            (head.across_mm if head else joint.thread.d_mm) / 2,
            name,
            str(show.bought(length, not joint.thread.name.startswith("M"))) + " long" if length is not None else "no length fits",
            "is-bolt",
        )
    )
    for piece in joint.pieces:
        half = (piece.wide_mm or LAYER_WIDE * joint.thread.d_mm) / 2
        middle = frame.y((piece.from_mm + piece.to_mm) / 2)
        rows.append(
            (
                middle,
                half,
                piece.name,
                f"{_thick(piece, show)} {piece.material if piece.kind not in ('open', 'head washer', 'nut washer') else ''}".strip(),
                f"kind-{piece.kind.replace(' ', '-')}",
            )
        )
    if joint.nut_mm:
        rows.append(
            (frame.y(joint.choice.grip_mm + joint.nut_mm / 2), joint.nut_across_mm / 2, "nut", f"{show.value(joint.nut_mm, 'mm')} high", "")
        )
    places = _spread([r[0] for r in rows])
    drawn = []
    for (y, half, words, figures, class_), at in zip(rows, places, strict=True):
        drawn.append(
            svg.element(
                "polyline", points=svg.points([(frame.x(half), y), (LABEL_PX - 16.0, at), (LABEL_PX - 5.0, at)]), class_="leader-line"
            )
        )
        short = words if len(words) <= MOST_LETTERS else f"{words[: MOST_LETTERS - 1]}…"
        drawn.append(svg.text((LABEL_PX, at - 1.0), short, f"joint-name {class_}"))
        drawn.append(svg.text((LABEL_PX, at + 14.0), figures, "joint-figure"))
    return drawn


def _spread(wanted: list[float]) -> list[float]:
    """Heights at least a row apart, in order, as near as may be to what is wanted and within the sheet."""
    row = min(ROW_PX, (HEIGHT_PX - 30.0) / max(len(wanted), 1))
    placed: list[float] = []
    for y in wanted:
        placed.append(max(y, placed[-1] + row if placed else 18.0))
    over = placed[-1] - (HEIGHT_PX - 18.0) if placed else 0.0
    if over > 0:
        placed[-1] -= over
        for k in range(len(placed) - 2, -1, -1):
            placed[k] = min(placed[k], placed[k + 1] - row)
    return placed


def _scale(frame: _Frame, show: Show) -> list[str]:
    length, length_words = show.bar(90.0 / frame.px_per_mm)
    px, y = length * frame.px_per_mm, HEIGHT_PX - 12.0
    bar = svg.element("polyline", points=svg.points([(14.0, y - 6), (14.0, y), (14.0 + px, y), (14.0 + px, y - 6)]), class_="scale-bar")
    return [bar, svg.text((22.0 + px, y), length_words, "note")]


def printed_scale(joint: Section) -> float:
    """Scale for the printed sheet: the largest of 2:1, 1:1 and 1:2 that fits half a page; as a number."""
    tall = max([joint.length_mm or 0.0, joint.choice.grip_mm + joint.nut_mm, *(p.to_mm for p in joint.pieces)]) + 20.0
    return next((s for s in (2.0, 1.0, 0.5) if tall * s <= 150.0), 0.5)
