"""One view to pick a structure's centre lines in: what stands there, the build's points, the nodes, and the line in hand."""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Literal

from markupsafe import Markup

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.structures import Structure
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, View, silhouette
from elmpeg.core.scene.bodies import shapes
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.structure_members import node_places, part_id
from elmpeg.figures.projection import Pixel, Projection, Window, fitted
from elmpeg.web.drawing import backdrop, svg
from elmpeg.web.drawing.bay import VIEW_NAMES, VIEW_WORDS
from elmpeg.web.showing import Show

Zoom = Literal["whole", "round", "close"]
SHEET_PX = (780.0, 460.0)
LEAST_MM, CLOSE_MM = 500.0, 350.0
"""The least that a view shows, and what it shows to each side of what was picked last."""
SNAP_PX, TOGETHER_PX = 4.0, 22.0
FINEST_MM, FINEST_INCH_MM = 1.0, 25.4 / 16
NEAREST: dict[View, tuple[int, float]] = {"side": (1, -1.0), "plan": (2, 1.0), "rear": (0, 1.0)}
"""Along which coordinate a view is looked at, and to which side its eye is."""
Partial = tuple[float | None, float | None, float | None]


@dataclass(frozen=True, slots=True)
class LineInHand:
    """The two ends as they are chosen so far; a coordinate that nobody has said is None."""

    start: Partial = (None, None, None)
    end: Partial = (None, None, None)
    last: Literal["start", "end"] = "start"
    """Which of them was picked last."""


@dataclass(frozen=True, slots=True)
class PickScene:
    """What is drawn, and of which structure."""

    scene: Scene
    structure: Structure
    zoom: Zoom
    line: LineInHand = field(default_factory=LineInHand)


def pick_drawing(seen: PickScene, view: View, show: Show) -> Markup:
    """The view to scale, with what can be picked: nodes over points over places."""
    scene, structure = seen.scene, seen.structure
    places = node_places(scene, structure)
    i, j = AXES_OF_VIEW[view]
    p = fitted(view, *SHEET_PX, _window(seen, view, places))
    body = [*backdrop.grid(p, show, 90.0), *(backdrop.wheel(p, w) for w in scene.build.wheels)]
    for one in shapes(scene.build, scene.placement):
        if one.on == part_id(structure):
            continue
        look = "solid is-faint" if one.kind == "part" else f"structure is-{one.solid.role or 'plain'}"
        drawn = "".join(svg.polygon([p.flat(uv) for uv in o], look) for o in silhouette(one.solid, one.where, view))
        body.append(svg.element("g", svg.title(one.solid.name), drawn))
    body += [_tube(p, places[m.start], places[m.end], m.across_mm, m.id) for m in structure.members if {m.start, m.end} <= set(places)]
    body += _points(p, scene, {n.point for n in structure.nodes}, view)
    body += _nodes(p, places, view)
    body += _in_hand(p, seen.line, (i, j))
    body += [*backdrop.datum(p)[1], *backdrop.scale_bar(p, show)[1]]
    w = p.window
    return svg.sheet(
        *SHEET_PX, f"view view-{view} is-line-pick", f"{VIEW_NAMES[view]} view, {VIEW_WORDS[view]}: pick the ends of a centre line", body,
        data_axes="xyz"[i] + "xyz"[j], data_px_per_mm=f"{p.px_per_mm:.6f}", data_snap=f"{snap_mm(p.px_per_mm, show):.6f}",
        data_unit="1" if show.length_unit == "mm" else "25.4",
        data_window=f"{w.left_mm:.3f},{w.bottom_mm:.3f},{w.right_mm:.3f},{w.top_mm:.3f}",
        data_start=_data(seen.line.start), data_end=_data(seen.line.end),
    )  # fmt: skip


def snap_mm(px_per_mm: float, show: Show) -> float:
    """A round length that a hand can hit at a scale: places are picked in steps of it."""
    return max(show.bar(SNAP_PX / px_per_mm)[0], FINEST_MM if show.length_unit == "mm" else FINEST_INCH_MM)


def _data(end: Partial) -> str:
    return ",".join("" if v is None else f"{v:.4f}" for v in end)


def _window(seen: PickScene, view: View, places: dict[str, Vec3]) -> Window:
    i, j = AXES_OF_VIEW[view]
    ends = [(e[i], e[j]) for e in (seen.line.start, seen.line.end)]
    known = [(u, v) for u, v in ends if u is not None and v is not None]
    if seen.zoom == "close":
        last = ends[0] if seen.line.last == "start" else ends[1]
        u, v = (last[0], last[1]) if last[0] is not None and last[1] is not None else (known or [_middle(places, i, j)])[-1]
        return Window(u - CLOSE_MM, v - CLOSE_MM, u + CLOSE_MM, v + CLOSE_MM)
    around = [(q[i], q[j]) for q in places.values()] + known
    if seen.zoom == "whole" or len(around) < 2:
        there = shapes(seen.scene.build, seen.scene.placement)
        around += [uv for b in there for o in silhouette(b.solid, b.where, view) for uv in o]
        around += [(w.centre_mm[i], w.centre_mm[j]) for w in seen.scene.build.wheels]
    us, vs = [u for u, _ in around] or [0.0], [v for _, v in around] or [0.0]
    window = Window(min(us), min(vs), max(us), max(vs)).grown(0.12 if seen.zoom == "whole" else 0.3)
    lack_u, lack_v = (max(0.0, LEAST_MM - (b - a)) / 2 for a, b in ((window.left_mm, window.right_mm), (window.bottom_mm, window.top_mm)))
    return Window(window.left_mm - lack_u, window.bottom_mm - lack_v, window.right_mm + lack_u, window.top_mm + lack_v)


def _middle(places: dict[str, Vec3], i: int, j: int) -> tuple[float, float]:
    if not places:
        return (0.0, 0.0)
    return (sum(q[i] for q in places.values()) / len(places), sum(q[j] for q in places.values()) / len(places))


def _tube(p: Projection, a: Vec3, b: Vec3, across_mm: float, name: str) -> str:
    line, width = svg.points([p.of(a), p.of(b)]), across_mm * p.px_per_mm
    outside = svg.element("polyline", points=line, class_="tube-run", stroke_width=width + 2)
    return svg.element(
        "g", svg.title(name), outside, svg.element("polyline", points=line, class_="tube-run is-inside", stroke_width=max(width - 2, 1.0))
    )


def _points(p: Projection, scene: Scene, with_nodes: set[str], view: View) -> list[str]:
    """The build's points, the nearest to the eye last, which lies on top where several fall together."""
    axis, side = NEAREST[view]
    places = sorted(((q, scene.xyz(q.id)) for q in scene.build.points if q.id not in with_nodes), key=lambda one: side * one[1][axis])
    found = []
    for point, at in places:
        x, y = p.of(at)
        if 0 <= x <= p.width_px and 0 <= y <= p.height_px:
            ring = svg.element("circle", cx=x, cy=y, r=10.0, class_="pick-reach")
            dot = svg.element(
                "rect", x=x - 3.5, y=y - 3.5, width=7.0, height=7.0, class_="pick-point", transform=f"rotate(45 {x:.1f} {y:.1f})"
            )
            found.append(svg.element("g", svg.title(point.name), ring, dot, data_point=point.id))
    return found


def _nodes(p: Projection, places: dict[str, Vec3], view: View) -> list[str]:
    """The nodes as rings, the nearest to the eye on top; names of those that fall together stand in one line."""
    axis, side = NEAREST[view]
    found: list[str] = []
    said: list[tuple[Pixel, list[str]]] = []
    for name, at in sorted(places.items(), key=lambda one: side * one[1][axis]):
        x, y = p.of(at)
        if not (0 <= x <= p.width_px and 0 <= y <= p.height_px):
            continue
        ring = svg.element("circle", svg.title(f"node {name}"), cx=x, cy=y, r=9.0, class_="pick-node")
        found.append(svg.element("g", ring, data_node=name))
        near = next((names for at_px, names in said if math.dist(at_px, (x, y)) < TOGETHER_PX), None)
        if near is None:
            said.append(((x, y), [name[:12]]))
        else:
            near.insert(0, name[:12])
    return found + [svg.text((x, y - 13), ", ".join(names)[:30], "note", text_anchor="middle") for (x, y), names in said]


def _in_hand(p: Projection, line: LineInHand, axes: tuple[int, int]) -> list[str]:
    """The two ends as far as this view can show them, and the line between."""
    at = {}
    for name, end in (("start", line.start), ("end", line.end)):
        u, v = end[axes[0]], end[axes[1]]
        if u is not None and v is not None:
            at[name] = p.flat((u, v))
    found = [svg.line(at["start"], at["end"], "line-in-hand")] if len(at) == 2 else []
    for name, (x, y) in at.items():
        mark = svg.element("circle", cx=x, cy=y, r=13.0, class_="picked")
        found.append(svg.element("g", mark, svg.text((x + 17, y + 5), name, "note is-picked"), data_mark=name))
    return found
