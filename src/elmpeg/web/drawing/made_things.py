"""Structures in three views, stands drawn apart in their order, seams with their order and their pull: to true scale."""

from __future__ import annotations

import math

from markupsafe import Markup
from shapely.geometry import MultiPoint

from elmpeg.core.base.vectors import Vec3, add, cross, dot, norm, scale, sub, unit
from elmpeg.core.build.weldments import Weldment
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, View
from elmpeg.core.methods.stands.assembly_order import Item, StandPlate
from elmpeg.core.methods.tubes.frames import CutMember, FrameMember
from elmpeg.core.methods.welding.weld_runs import WeldPlan
from elmpeg.core.stages.make.stand_shape import StandState, exploded
from elmpeg.web.drawing import svg
from elmpeg.web.drawing.flat import FlatSheet
from elmpeg.web.showing import Show

VIEW_PX = (320.0, 220.0)
STAND_PX = (640.0, 460.0)
WELD_PX = (640.0, 360.0)
VIEWS: tuple[tuple[View, str], ...] = (("side", "from the left"), ("plan", "from above"), ("rear", "from the rear"))
RIGHT: Vec3 = unit((0.62, 0.78, 0.0))
UP: Vec3 = unit((-0.36, 0.29, 0.89))
"""How a stand is looked at: from the front left and above, no line foreshortened out of true by the drawing itself."""
PULL_SHARE = 0.22
P2 = tuple[float, float]


def structure_drawings(members: tuple[tuple[FrameMember, CutMember], ...], show: Show, name: str) -> list[tuple[str, Markup]]:
    """The members in three views, each as wide as its tube."""
    found = []
    for view, words in VIEWS:
        i, j = AXES_OF_VIEW[view]

        def seen(p: Vec3, i: int = i, j: int = j) -> P2:
            return (p[i], p[j])

        places = [(*seen(p), m.across_mm / 2) for m, _ in members for p in (m.start_mm, m.end_mm)]
        low = min(y for _, y, _ in places)
        flat = FlatSheet(show, [*places, (places[0][0], low - 0.15 * max(max(y for _, y, _ in places) - low, 100.0), 1.0)], VIEW_PX)
        for m, _ in sorted(members, key=lambda one: one[0].runs):
            a, b = seen(m.start_mm), seen(m.end_mm)
            width = m.across_mm * flat.p.px_per_mm
            pair = svg.points([flat.p.flat(a), flat.p.flat(b)])
            flat.drawn.append(svg.element("polyline", svg.title(m.id), points=pair, class_="tube-run", stroke_width=width + 2))
            flat.drawn.append(svg.element("polyline", points=pair, class_="tube-run is-inside", stroke_width=max(width - 2, 1.0)))
            flat.label(((a[0] + b[0]) / 2, (a[1] + b[1]) / 2), m.id)
        found.append((words, flat.markup(f"{name} {words}")))
    return found


def stand_drawing(state: StandState, show: Show, name: str) -> Markup:
    """The stand taken apart in its order, each thing drawn back along the way that it goes in, numbered."""
    order = state.order
    spread = [p for i in state.items for p in _corners(i)]
    size = max(max(p[k] for p in spread) - min(p[k] for p in spread) for k in range(3)) if spread else 100.0
    placed = (
        exploded(state.items, order, 0.16 * size)
        if order is not None and order.exists
        else tuple((i, (0.0, 0.0, 0.0)) for i in state.items)
    )
    away = cross(RIGHT, UP)
    outlines = []
    for number, (item, shift) in enumerate(placed, 1):
        faces = _faces(item, shift)
        depth = sum(dot(p, away) for f in faces for p in f) / max(sum(len(f) for f in faces), 1)
        outlines.append((depth, number, item, shift, faces))
    every = [_seen(p) for _, _, _, _, faces in outlines for f in faces for p in f]
    reach = [(x, y, 1.0) for x, y in every] or [(0.0, 0.0, 50.0)]
    low = min(y for _, y, _ in reach)
    flat = FlatSheet(show, [*reach, (reach[0][0], low - 0.08 * size, 1.0)], STAND_PX)
    for _, number, item, shift, faces in sorted(outlines, key=lambda o: o[0]):
        for k, face in enumerate(faces):
            class_ = "stand-plate" if isinstance(item, StandPlate) else "stand-bolt"
            holes = item.openings if isinstance(item, StandPlate) and k == len(faces) - 1 else ()
            flat.drawn.append(svg.polygon([flat.p.flat(_seen(p)) for p in face], class_))
            for hole in holes:
                ring = [flat.p.flat(_seen(add(item.frame.at(p), shift))) for p in hole] if isinstance(item, StandPlate) else []
                flat.drawn.append(svg.polygon(ring, "plate-opening"))
        middle = [sum(v) / len(faces[-1]) for v in zip(*faces[-1], strict=True)]
        flat.label(_seen((middle[0], middle[1], middle[2])), f"{number} {item.name}", "is-holds", 0)
    return flat.markup(f"{name}, drawn apart in the order that it goes together")


def _seen(p: Vec3) -> P2:
    return (dot(p, RIGHT), dot(p, UP))


def _corners(item: Item) -> list[Vec3]:
    if isinstance(item, StandPlate):
        return [item.frame.at(p) for p in item.edge]
    return [item.at_mm, sub(item.at_mm, scale(unit(item.out), item.long_mm))]


def _faces(item: Item, shift: Vec3) -> list[list[Vec3]]:
    """What is drawn of a thing, the nearest face last: a plate's two faces, a bolt's hull."""
    if isinstance(item, StandPlate):
        top = [add(item.frame.at(p), shift) for p in item.edge]
        low = [sub(p, scale(item.frame.up, item.thick_mm)) for p in top]
        return [low, top] if dot(item.frame.up, cross(RIGHT, UP)) > 0 else [top, low]
    out = unit(item.out)
    x = RIGHT if abs(dot(RIGHT, out)) < 0.8 else UP
    u = unit(cross(out, x))
    v = cross(out, u)
    end = add(sub(item.at_mm, scale(out, item.long_mm)), shift)
    head = add(item.at_mm, shift)
    ring = [(math.cos(t * math.pi / 8), math.sin(t * math.pi / 8)) for t in range(16)]

    def around(at: Vec3, d_mm: float) -> list[Vec3]:
        return [add(at, add(scale(u, c * d_mm / 2), scale(v, s * d_mm / 2))) for c, s in ring]

    shank = _hull([*around(end, item.d_mm), *around(head, item.d_mm)])
    cap = _hull([*around(head, item.head_mm), *around(add(head, scale(out, 0.6 * item.d_mm)), item.head_mm)])
    return [shank, cap]


def _hull(places: list[Vec3]) -> list[Vec3]:
    """The outline of a heap of places as it is looked at, as places of the heap."""
    by_seen = {(round(_seen(p)[0], 6), round(_seen(p)[1], 6)): p for p in places}
    hull = MultiPoint(list(by_seen)).convex_hull
    return [by_seen[(round(float(x), 6), round(float(y), 6))] for x, y in list(hull.exterior.coords)[:-1]]


def weld_drawing(weldment: Weldment, plan: WeldPlan, show: Show) -> Markup:
    """The seams from above left, each run an arrow with its number, tacks as dots, what heat would harm as crosses."""
    ends = [p for s in weldment.seams for p in (s.a_mm, s.b_mm)] + [h.at_mm for h in weldment.heated]
    seen = [_seen(p) for p in ends]
    low, high = min(y for _, y in seen), max(y for _, y in seen)
    size = max(high - low, max(x for x, _ in seen) - min(x for x, _ in seen), 50.0)
    flat = FlatSheet(show, [*((x, y, 1.0) for x, y in seen), (seen[0][0], low - 0.12 * size, 1.0)], WELD_PX)
    for number, run in enumerate(plan.runs, 1):
        a, b = _seen(run.from_mm), _seen(run.to_mm)
        flat.line(a, b, "seam-run")
        one, other = flat.p.flat(a), flat.p.flat(b)
        long = math.dist(one, other)
        if long > 1e-6:
            ux, uy = (other[0] - one[0]) / long, (other[1] - one[1]) / long
            tip = (other[0], other[1])
            barbs = [(tip[0] - 10 * ux + s * 5 * uy, tip[1] - 10 * uy - s * 5 * ux) for s in (1, -1)]
            flat.drawn.append(svg.polygon([tip, *barbs], "seam-tip"))
        flat.label(((a[0] + b[0]) / 2, (a[1] + b[1]) / 2), f"{number}", "is-holds", 0)
    over = plan.left_over_mm2
    if norm(over) > 1.0:
        # How strongly cannot be told in millimetres; to which side can.
        middle = (sum(x for x, _ in seen) / len(seen), sum(y for _, y in seen) / len(seen))
        way = _seen(unit(over))
        tip = (middle[0] + way[0] * PULL_SHARE * size, middle[1] + way[1] * PULL_SHARE * size)
        flat.line(middle, tip, "seam-pull")
        flat.circle(tip, 0.02 * size, "tack")
        flat.label(tip, "all pull to here", "is-near", 1)
    for tack in plan.tacks:
        x, y = flat.p.flat(_seen(tack.at_mm))
        flat.drawn.append(svg.element("circle", svg.title(tack.id), cx=x, cy=y, r=4.0, class_="tack"))
    for thing in weldment.heated:
        flat.cross(_seen(thing.at_mm), 12.0)
        flat.label(_seen(thing.at_mm), thing.name, "is-fails" if not thing.out else "is-holds")
    return flat.markup(f"Seams of {weldment.name} in the order of welding")
