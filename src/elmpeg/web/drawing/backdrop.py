"""What several drawings of the vehicle have alike: its wheels, the grid, the datum's cross, and the scale."""

from __future__ import annotations

from elmpeg.core.build.components import Wheel
from elmpeg.figures.projection import Pixel, Projection
from elmpeg.web.drawing import svg
from elmpeg.web.showing import Show

WIDEST_BAR_PX = 130.0


def wheel(p: Projection, one: Wheel) -> str:
    """A wheel: a circle from the side, else its outline."""
    x, y = p.of(one.centre_mm)
    if p.view == "side":
        return svg.element("circle", cx=x, cy=y, r=one.diameter_mm / 2 * p.px_per_mm, class_="wheel")
    sizes = (one.diameter_mm, one.width_mm) if p.view == "plan" else (one.width_mm, one.diameter_mm)
    w, h = (s * p.px_per_mm for s in sizes)
    return svg.element("rect", x=x - w / 2, y=y - h / 2, width=w, height=h, rx=w / 8, class_="wheel")


def grid(p: Projection, show: Show, apart_px: float, beyond: float = 0.0) -> list[str]:
    """Faint lines at round distances, so many pixels apart at most, drawn on beyond the sheet by so many of its sizes."""
    (step, _), w = show.bar(apart_px / p.px_per_mm), p.window.grown(beyond)
    wide, high = beyond * p.width_px, beyond * p.height_px
    lines = []
    for k in range(int(w.left_mm // step) + 1, int(w.right_mm // step) + 1):
        x = p.flat((k * step, 0.0))[0]
        lines.append(svg.line((x, -high), (x, p.height_px + high), "grid"))
    for k in range(int(w.bottom_mm // step) + 1, int(w.top_mm // step) + 1):
        y = p.flat((0.0, k * step))[1]
        lines.append(svg.line((-wide, y), (p.width_px + wide, y), "grid"))
    return lines


def datum(p: Projection) -> tuple[Pixel, list[str]]:
    """Where the datum is on the sheet, and its cross."""
    x, y = p.flat((0.0, 0.0))
    return (x, y), [svg.line((x - 9, y), (x + 9, y), "datum"), svg.line((x, y - 9), (x, y + 9), "datum")]


def scale_bar(p: Projection, show: Show) -> tuple[list[Pixel], list[str]]:
    """The scale in the lower right corner: the corners of what it takes up, and the bar with its length."""
    length, words = show.bar(min(WIDEST_BAR_PX, p.width_px / 3) / p.px_per_mm)
    right, y = p.width_px - 14, p.height_px - 12
    left = right - length * p.px_per_mm
    taken = [(left - 6, y - 28), (right + 10, y - 28), (right + 10, y + 10), (left - 6, y + 10)]
    path = [(left, y - 6), (left, y), (right, y), (right, y - 6)]
    return taken, [
        svg.element("polyline", points=svg.points(path), class_="scale-bar"),
        svg.text(((left + right) / 2, y - 9), words, "note", text_anchor="middle"),
    ]
