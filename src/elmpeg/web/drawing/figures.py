"""A figure of a calculation as SVG."""

from __future__ import annotations

from markupsafe import Markup

from elmpeg.core.base.quantities import Words
from elmpeg.figures.figure import Figure
from elmpeg.figures.layout import NO_LETTERS, LaidPanel, Lettering, Ring, Stroke, laid_out
from elmpeg.figures.projection import Pixel
from elmpeg.web.drawing import svg
from elmpeg.web.showing import Show

BASELINE_PX = 16.5


def figure_svg(figure: Figure, size_px: Pixel, show: Show, letters: dict[str, str] | None = None, key: bool = False) -> Markup:
    """All panels of a figure in one drawing; with ``key`` the measures show their letters only."""

    def say(words: Words) -> str:
        return show.words(words).strip()

    panels = laid_out(figure, size_px, say, show.bar, letters or NO_LETTERS, key)
    body = [_panel(one, figure.frame) for one in panels]
    words = "; ".join(p.title for p in panels)
    return svg.sheet(*size_px, f"view is-figure{' is-key' if key else ''}", words, body, data_frames=len(figure.frames) or None)


def _panel(panel: LaidPanel, frame: int) -> str:
    drawn = []
    for mark in panel.marks:
        if isinstance(mark, Stroke):
            name = "polygon" if mark.closed else "polyline"
            title = svg.title(mark.title) if mark.title else ""
            drawn.append(
                svg.element(
                    name,
                    title,
                    points=svg.points(mark.places),
                    class_=_class(mark.class_, mark.frame, frame),
                    **_data(mark.field, mark.frame),
                )
            )
        elif isinstance(mark, Ring):
            title = svg.title(mark.title) if mark.title else ""
            class_ = _class(mark.class_, mark.frame, frame)
            drawn.append(svg.element("circle", title, cx=mark.at[0], cy=mark.at[1], r=mark.r_px, class_=class_, **_data("", mark.frame)))
        else:
            drawn.append(_lettering(mark, frame))
    return svg.element(
        "g",
        *drawn,
        transform=f"translate({svg.number(panel.at_px[0])} {svg.number(panel.at_px[1])})",
        data_px_per_mm=f"{panel.px_per_mm:.5f}" if panel.to_scale else None,
    )


def _lettering(mark: Lettering, frame: int) -> str:
    middle = mark.left + mark.width / 2
    if mark.anchor is None or mark.leader_end is None:
        at = (4.0, 14.0) if mark.class_ == "title" else (middle, mark.top + 12)
        anchor = "start" if mark.class_ == "title" else "middle"
        return svg.text(at, mark.text, mark.class_, text_anchor=anchor)
    leader = svg.line(mark.anchor, mark.leader_end, "leader")
    box = svg.element("rect", x=mark.left, y=mark.top, width=mark.width, height=mark.height, rx=3.0)
    words = svg.text((middle, mark.top + BASELINE_PX), mark.text, "", text_anchor="middle")
    class_ = _class(f"tag is-{mark.class_}", mark.frame, frame)
    return svg.element("g", leader, box, words, class_=class_, **_data(mark.field, mark.frame))


def _class(name: str, frame: int | None, shown: int) -> str:
    return f"f-{name}{' is-off' if frame is not None and frame != shown else ''}"


def _data(field: str, frame: int | None) -> dict[str, object]:
    return {"data_field": field or None, "data_frame": frame}
