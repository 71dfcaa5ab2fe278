"""A view of the vehicle's or a part's shapes, with one of them in hand: its handles, and a photograph beneath."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from markupsafe import Markup

from elmpeg.core.base.pose import Placed
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.methods.shapes.solids import (
    AXES_OF_VIEW,
    FIXED,
    Box,
    Cylinder,
    Extrusion,
    Mesh,
    Solid,
    Tube,
    View,
    bounds_mm,
    crossing_mm,
    silhouette,
)
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.place.shape_edits import shapes_of
from elmpeg.figures.projection import Pixel, Projection, Window, fitted
from elmpeg.web.drawing import backdrop, svg
from elmpeg.web.drawing.bay import VIEW_NAMES, VIEW_WORDS
from elmpeg.web.showing import Show

LARGE_PX, SMALL_PX = (780.0, 430.0), (380.0, 170.0)
LEAST_MM = 400.0
"""A view shows at least so much, so that the first shape has somewhere to be drawn."""


@dataclass(frozen=True, slots=True)
class Beneath:
    """A photograph under a view: where its picture is got, what it covers (left, bottom, right, top, mm), and how strong it shows."""

    href: str
    covers_mm: tuple[float, float, float, float]
    strength: float


@dataclass(frozen=True, slots=True)
class ShapeScene:
    """What is drawn: the shapes of the vehicle or a part, the one in hand as it is typed, and what stands around it."""

    build: Build
    option: Option
    on: str
    in_hand: Solid | None
    beneath: Beneath | None = None
    window: Window | None = None
    crossed: Extrusion | None = None
    """An outline that crosses itself, which makes no shape: it is drawn as it was typed, with where it does."""


def handles(shape: Solid, view: View) -> tuple[Pixel, ...]:
    """The places a shape is taken hold of in a view, mm: a box's corners in turn, ends, or corners in their order.

    An outline pulled in another view than this one has its two depths.
    """
    i, j = AXES_OF_VIEW[view]
    if isinstance(shape, Box):
        low, high = bounds_mm(shape)
        return ((low[i], low[j]), (high[i], low[j]), (high[i], high[j]), (low[i], high[j]))
    if isinstance(shape, Cylinder):
        return ((shape.start_mm[i], shape.start_mm[j]), (shape.end_mm[i], shape.end_mm[j]))
    if isinstance(shape, Tube):
        return tuple((p[i], p[j]) for p in shape.path_mm)
    if isinstance(shape, Mesh):
        return ()
    return tuple((u, v) for u, v in shape.outline_mm) if shape.view == view else ()


def draw_shapes(scene: ShapeScene, view: View, show: Show, large: bool) -> Markup:
    """One view to scale."""
    build, placed = scene.build, Scene(scene.build, scene.option)
    own = [s for s in shapes_of(build, scene.on) if scene.in_hand is None or s.id != scene.in_hand.id]
    around = _around(build, placed) if scene.on == VEHICLE else []
    hand = [scene.in_hand] if scene.in_hand is not None else []
    width, height = LARGE_PX if large else SMALL_PX
    p = fitted(
        view, width, height, scene.window or _window(scene, view, [(s, FIXED) for s in [*own, *hand]] + [(s, at) for _, s, at in around])
    )
    body = [*backdrop.grid(p, show, 90.0), *_beneath(p, scene.beneath)]
    if scene.on == VEHICLE:
        body += [backdrop.wheel(p, w) for w in build.wheels]
    for part, solid, at in around:
        outlines = "".join(svg.polygon([p.flat(uv) for uv in o], "solid is-faint") for o in silhouette(solid, at, view))
        body.append(svg.element("g", svg.title(solid.name), outlines, data_on=part, data_shape=solid.id, class_="around"))
    for solid in own:
        outlines = "".join(
            svg.polygon([p.flat(uv) for uv in o], f"structure is-{solid.role or 'plain'}") for o in silhouette(solid, FIXED, view)
        )
        body.append(svg.element("g", svg.title(solid.name), outlines, data_on=scene.on, data_shape=solid.id, class_="shape"))
    for solid in hand:
        outlines = "".join(svg.polygon([p.flat(uv) for uv in o], "solid is-in-hand") for o in silhouette(solid, FIXED, view))
        body.append(svg.element("g", outlines, class_="in-hand"))
        if large:
            body += [
                svg.element("rect", x=x - 9, y=y - 9, width=18.0, height=18.0, rx=4.0, class_="handle", data_handle=str(k))
                for k, (x, y) in enumerate(p.flat(uv) for uv in handles(solid, view))
            ]
    if scene.crossed is not None and scene.crossed.view == view:
        body += _crossed(p, scene.crossed)
    body += [*backdrop.datum(p)[1], *backdrop.scale_bar(p, show)[1]]
    w = p.window
    return svg.sheet(
        width,
        height,
        f"view view-{view}" + (" is-large" if large else " is-small"),
        f"{VIEW_NAMES[view]} view, {VIEW_WORDS[view]}",
        body,
        data_view=view,
        data_px_per_mm=f"{p.px_per_mm:.6f}",
        data_window=f"{w.left_mm:.1f},{w.bottom_mm:.1f},{w.right_mm:.1f},{w.top_mm:.1f}",
    )


def _crossed(p: Projection, shape: Extrusion) -> list[str]:
    drawn = [svg.polygon([p.flat(uv) for uv in shape.outline_mm], "crossed")]
    drawn += [svg.element("rect", x=x - 9, y=y - 9, width=18.0, height=18.0, rx=4.0, class_="handle", data_handle=str(k)) for k, (x, y) in enumerate(p.flat(uv) for uv in shape.outline_mm)]  # fmt: skip
    where = crossing_mm(shape.outline_mm)
    if where is not None:
        x, y = p.flat(where)
        drawn += [svg.element("circle", cx=x, cy=y, r=13.0, class_="picked"), svg.text((x + 18, y - 8), "crosses here", "note is-fails")]
    return drawn


def _around(build: Build, scene: Scene) -> list[tuple[str, Solid, Placed]]:
    return [(c.id, s, scene.placement(c.id)) for c in build.components for s in c.solids]


def _window(scene: ShapeScene, view: View, solids: Sequence[tuple[Solid, Placed]]) -> Window:
    i, j = AXES_OF_VIEW[view]
    corners = [uv for s, at in solids for o in silhouette(s, at, view) for uv in o]
    if scene.on == VEHICLE:
        for w in scene.build.wheels:
            half = (w.diameter_mm / 2, w.width_mm / 2, w.diameter_mm / 2)
            corners += [(w.centre_mm[i] + sign * half[i], w.centre_mm[j] + sign * half[j]) for sign in (-1, 1)]
    if scene.beneath and not corners:
        left, bottom, right, top = scene.beneath.covers_mm
        corners += [(left, bottom), (right, top)]
    us, vs = [u for u, _ in corners] or [0.0], [v for _, v in corners] or [0.0]
    window = Window(min(us), min(vs), max(us), max(vs)).grown(0.08)
    lack = max(0.0, LEAST_MM - max(window.right_mm - window.left_mm, window.top_mm - window.bottom_mm)) / 2
    return Window(window.left_mm - lack, window.bottom_mm - lack, window.right_mm + lack, window.top_mm + lack)


def _beneath(p: Projection, beneath: Beneath | None) -> list[str]:
    if beneath is None:
        return []
    left, bottom, right, top = beneath.covers_mm
    x, y = p.flat((left, top))
    width, height = (right - left) * p.px_per_mm, (top - bottom) * p.px_per_mm
    return [
        svg.element(
            "image",
            href=beneath.href,
            x=x,
            y=y,
            width=width,
            height=height,
            opacity=beneath.strength,
            preserveAspectRatio="none",
            class_="beneath",
        )
    ]
