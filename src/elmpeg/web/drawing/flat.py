"""Patterns and plates seen square on, to true scale, x to the right and y up."""

from __future__ import annotations

from markupsafe import Markup

from elmpeg.core.methods.fastening.pattern_fit import Hole, PatternFit, Stud
from elmpeg.core.stages.mount.plates import PlateGeometry
from elmpeg.figures.labels import HARD, SOFT, Label, Sheet
from elmpeg.figures.projection import Pixel, Projection, Window, fitted
from elmpeg.web.drawing import svg
from elmpeg.web.showing import Show

SHEET_PX = (640.0, 330.0)
LEAST_MM = 20.0
LEAST_CLEAR_PX = 11.0
"""No label comes nearer to a hole's middle."""


class FlatSheet:
    """One flat sheet being drawn."""

    def __init__(self, show: Show, reach: list[tuple[float, float, float]], size_px: Pixel = SHEET_PX) -> None:
        self.show = show
        # What has nothing in it yet is an empty sheet.
        reach = reach or [(0.0, 0.0, 0.0)]
        left, right = min(x - r for x, _, r in reach), max(x + r for x, _, r in reach)
        low, high = min(y - r for _, y, r in reach), max(y + r for _, y, r in reach)
        middle_x, middle_y = (left + right) / 2, (low + high) / 2
        half_x, half_y = max((right - left) / 2, LEAST_MM), max((high - low) / 2, LEAST_MM)
        window = Window(middle_x - half_x, middle_y - half_y, middle_x + half_x, middle_y + half_y).grown(0.16)
        self.p: Projection = fitted("plan", *size_px, window)
        self.sheet = Sheet(*size_px)
        self.drawn: list[str] = []
        self.labels: list[Label] = []

    def circle(self, xy: tuple[float, float], d_mm: float, class_: str, title: str = "") -> None:
        x, y = self.p.flat(xy)
        r = max(d_mm / 2 * self.p.px_per_mm, 1.0)
        self.drawn.append(svg.element("circle", svg.title(title) if title else "", cx=x, cy=y, r=r, class_=class_))
        r = max(r, LEAST_CLEAR_PX)
        self.sheet.cover([[(x - r, y - r), (x + r, y - r), (x + r, y + r), (x - r, y + r)]], HARD)

    def cross(self, xy: tuple[float, float], size_mm: float) -> None:
        x, y = self.p.flat(xy)
        r = size_mm / 2 * self.p.px_per_mm + 5.0
        self.drawn += [svg.line((x - r, y), (x + r, y), "centre"), svg.line((x, y - r), (x, y + r), "centre")]

    def line(self, a: tuple[float, float], b: tuple[float, float], class_: str) -> None:
        one, other = self.p.flat(a), self.p.flat(b)
        self.drawn.append(svg.line(one, other, class_))
        self.sheet.cover_line(one, other, SOFT)

    def label(self, xy: tuple[float, float], words: str, class_: str = "is-holds", gravity: int = 1) -> None:
        self.labels.append(Label(self.p.flat(xy), words[:34], f"label {class_}", f"{len(self.labels):03}", gravity))

    def markup(self, words: str) -> Markup:
        length, length_words = self.show.bar(100.0 / self.p.px_per_mm)
        px, y, right = length * self.p.px_per_mm, self.p.height_px - 10, self.p.width_px - 14
        self.sheet.cover([[(right - px - 6, y - 26), (right + 8, y - 26), (right + 8, y + 8), (right - px - 6, y + 8)]], HARD)
        body = [*self.drawn]
        body.append(
            svg.element(
                "polyline", points=svg.points([(right - px, y - 6), (right - px, y), (right, y), (right, y - 6)]), class_="scale-bar"
            )
        )
        body.append(svg.text((right - px / 2, y - 8), length_words, "note", text_anchor="middle"))
        for one in self.sheet.place(self.labels):
            body.append(svg.line(one.label.anchor, one.leader_end, f"leader {one.label.class_}"))
            box = svg.element("rect", x=one.left, y=one.top, width=one.width, height=one.height, rx=3.0)
            text = svg.text((one.left + one.width / 2, one.top + 16.5), one.label.words, "", text_anchor="middle")
            body.append(svg.element("g", box, text, class_=one.label.class_))
        scale = f"{self.p.px_per_mm:.4f}"
        return svg.sheet(self.p.width_px, self.p.height_px, "view is-survey is-flat", words, body, data_px_per_mm=scale)


def pattern_drawing(holes: tuple[Hole, ...], show: Show, name: str) -> Markup:
    """A pattern with its holes named and sized."""
    flat = FlatSheet(show, [(*h.xy_mm, max(h.hole_mm, 4.0)) for h in holes])
    for h in holes:
        flat.circle(h.xy_mm, h.hole_mm or 4.0, "hole", h.id)
        flat.cross(h.xy_mm, h.hole_mm or 4.0)
        flat.label(h.xy_mm, f"{h.id}  ⌀{show.entered(h.hole_mm, 'mm')}" if h.hole_mm else h.id)
    return flat.markup(f"Pattern {name}")


def overlay(holes: tuple[Hole, ...], studs: tuple[Stud, ...], fit: PatternFit, magnify: float, show: Show) -> Markup:
    """A plate over its studs at its best: where each hole misses, drawn larger by a factor, with the miss written on it."""
    by_stud = {s.id: s for s in studs}
    by_hole = {h.id: h for h in holes}
    reach = [(*s.xy_mm, 12.0) for s in studs] + [(*fit.moved(h.xy_mm), 12.0) for h in holes]
    flat = FlatSheet(show, reach)
    for stud in studs:
        flat.circle(stud.xy_mm, stud.bolt_mm, "stud", f"stud {stud.id}")
    for pair in fit.pairs:
        stud, hole = by_stud[pair.stud], by_hole[pair.hole]
        at = (stud.xy_mm[0] + magnify * pair.miss_vector_mm[0], stud.xy_mm[1] + magnify * pair.miss_vector_mm[1])
        tight = pair.miss_mm > pair.float_mm
        flat.circle(at, hole.hole_mm, f"hole{' is-fails' if tight else ''}", f"hole {hole.id}")
        if pair.miss_mm * magnify > 0.5:
            flat.line(stud.xy_mm, at, "miss")
        words = f"{hole.id} {show.value(pair.miss_mm, 'mm')}"
        flat.label(at, words, "is-fails" if tight else "is-holds", 0 if tight else 1)
    return flat.markup(f"Plate over its studs, misses drawn {magnify:g} times as large")


def plate_drawing(made: PlateGeometry, show: Show, name: str) -> Markup:
    """An adapter plate with its outline, holes, countersinks, and overall lengths."""
    wide, tall = made.size_mm
    left, low = min(x for x, _ in made.outline_mm), min(y for _, y in made.outline_mm)
    off = 0.06 * max(wide, tall)
    flat = FlatSheet(show, [(x, y, 1.0) for x, y in made.outline_mm] + [(left - 2 * off, low - 2 * off, 1.0)])
    flat.drawn.append(svg.polygon([flat.p.flat(c) for c in made.outline_mm], "plate-outline"))
    for h in made.holes:
        flat.circle(h.xy_mm, h.drill_mm, "hole", f"{h.letter}: {h.kind} {h.thread}")
        if h.sunk_mm:
            flat.circle(h.xy_mm, h.sunk_mm, "sunk")
        flat.cross(h.xy_mm, h.drill_mm)
        flat.label(
            h.xy_mm, f"{h.letter} ⌀{show.entered(h.drill_mm, 'mm')}" + {"tapped": f" {h.thread}", "countersunk": " sunk"}.get(h.kind, "")
        )
    for a, b, length in (((left, low - off), (left + wide, low - off), wide), ((left - off, low), (left - off, low + tall), tall)):
        flat.line(a, b, "dimension")
        flat.label(((a[0] + b[0]) / 2, (a[1] + b[1]) / 2), str(show.value(length, "mm")), "is-holds", 0)
    flat.drawn += [
        svg.line((x - 8, y), (x + 8, y), "datum") + svg.line((x, y - 8), (x, y + 8), "datum") for x, y in (flat.p.flat((0.0, 0.0)),)
    ]
    return flat.markup(f"Plate {name}, {show.value(wide, 'mm', None, 0)} by {show.value(tall, 'mm', None, 0)}")
