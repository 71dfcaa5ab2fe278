"""A tube from the side with its ends as they are cut, its wraps unrolled, and a turned part in section: to true scale."""

from __future__ import annotations

import math

import numpy as np
from markupsafe import Markup

from elmpeg.core.build.pieces import Piece, TubeBody, TurnedBody
from elmpeg.core.stages.make.tube_shape import TubeShape
from elmpeg.core.stages.make.turned_shape import TurnedShape
from elmpeg.formats.wrap_print import wrap_box
from elmpeg.web.drawing import svg
from elmpeg.web.drawing.flat import FlatSheet
from elmpeg.web.showing import Show

TUBE_PX = (640.0, 240.0)
WRAP_PX = (440.0, 260.0)
STEPS = 24
P2 = tuple[float, float]


def tube_drawing(body: TubeBody, shape: TubeShape, show: Show, name: str) -> Markup:
    """A straight tube with its seam line up, its ends as they are cut; a bent one by its centre line, as flat as it lies."""
    return _bent(body, shape, show, name) if body.bends else _straight(body, shape, show, name)


def _straight(body: TubeBody, shape: TubeShape, show: Show, name: str) -> Markup:
    whole, r = shape.bent.straight_mm, (body.high_mm or body.across_mm) / 2
    near = _seen_edge(body, shape.start.outside)
    far = [(whole - x, y) for x, y in _seen_edge(body, shape.end.outside)]
    places = [*near, *reversed(far)]
    left, right = min(x for x, _ in places), max(x for x, _ in places)
    off = 0.05 * (right - left) + r
    flat = FlatSheet(show, [(left, -off * 1.6, 1.0), (right, r, 1.0)], TUBE_PX)
    flat.drawn.append(svg.polygon([flat.p.flat(p) for p in places], "plate-outline"))
    flat.line((left - 0.03 * (right - left), 0.0), (right + 0.03 * (right - left), 0.0), "centre")
    for one in shape.holes:
        if not one.far:
            turn = math.radians(one.hole.turn_deg)
            if math.cos(turn) > -0.99:
                y = r * math.cos(turn)
                flat.circle((one.hole.at_mm, y if abs(y) > 1e-6 else 0.0), one.hole.hole_mm, "hole", one.hole.id)
                flat.label((one.hole.at_mm, y), f"{one.hole.id} ⌀{show.entered(one.hole.hole_mm, 'mm')}")
    flat.line((left, -off), (right, -off), "dimension")
    flat.label(((left + right) / 2, -off), f"cut {show.value(shape.blank_mm, 'mm')}", "is-holds", 0)
    for cut, x in ((shape.start, left), (shape.end, right)):
        if cut.is_shaped:
            flat.label((x, r), f"{cut.end.cut} {cut.end.angle_deg:.1f}°", "is-holds", 1)
    return flat.markup(f"{name} from the side, {show.value(shape.blank_mm, 'mm')} to cut")


def _seen_edge(body: TubeBody, outside: tuple[P2, ...]) -> list[P2]:
    """An end's edge from the side, its seam line up: along, and up, by half a turn."""
    if body.section == "round":
        turns = [(x / (body.across_mm / 2), y) for x, y in outside]
        return [(y, body.across_mm / 2 * math.cos(t)) for t, y in turns if t <= math.pi + 1e-9]
    half = (body.high_mm or body.across_mm) / 2
    return [(outside[0][1], half), (outside[2][1], -half)]


def _bent(body: TubeBody, shape: TubeShape, show: Show, name: str) -> Markup:
    corners = np.array(shape.bent.corners_mm)
    centred = corners - corners.mean(axis=0)
    _, _, ways = np.linalg.svd(centred, full_matrices=False)
    flat_corners = centred @ ways[:2].T
    path = _rounded([(float(x), float(y)) for x, y in flat_corners], [b.radius_mm for b in body.bends])
    pad = body.across_mm
    reach = [(x, y, pad) for x, y in path]
    flat = FlatSheet(show, [*reach, (min(x for x, _ in path), min(y for _, y in path) - 2 * pad, 1.0)], TUBE_PX)
    width = body.across_mm * flat.p.px_per_mm
    points = svg.points([flat.p.flat(p) for p in path])
    flat.drawn.append(svg.element("polyline", points=points, class_="tube-run", stroke_width=width + 2))
    flat.drawn.append(svg.element("polyline", points=points, class_="tube-run is-inside", stroke_width=max(width - 2, 1.0)))
    flat.drawn.append(svg.element("polyline", points=points, class_="centre"))
    for k, (mark, p) in enumerate(zip(shape.bent.marks, flat_corners[1:-1], strict=True), 1):
        flat.label((float(p[0]), float(p[1])), f"bend {k}: {mark.angle_deg:.1f}°", "is-holds", 0)
    return flat.markup(f"{name}, bent; {show.value(shape.blank_mm, 'mm')} to cut")


def _rounded(corners: list[P2], radii: list[float]) -> list[P2]:
    """A path with its corners rounded, as seen: of a bend that is turned away from the sheet it is a likeness."""
    found = [corners[0]]
    for k, radius in enumerate(radii, 1):
        a, b, c = (np.array(corners[k + s]) for s in (-1, 0, 1))
        u, v = (a - b) / max(np.linalg.norm(a - b), 1e-9), (c - b) / max(np.linalg.norm(c - b), 1e-9)
        half = math.acos(max(-1.0, min(1.0, float(u @ v)))) / 2
        reach = min(radius / max(math.tan(half), 1e-6), 0.49 * np.linalg.norm(a - b), 0.49 * np.linalg.norm(c - b))
        for s in np.linspace(0, 1, STEPS):
            p = (1 - s) ** 2 * (b + u * reach) + 2 * s * (1 - s) * b + s**2 * (b + v * reach)
            found.append((float(p[0]), float(p[1])))
    return [*found, corners[-1]]


def wrap_drawing(shape: TubeShape, at_start: bool, show: Show, name: str) -> Markup:
    """One end unrolled: its edge outside whole and inside dashed, the quarters, and the seam on both sides."""
    cut = shape.start if at_start else shape.end
    whole = shape.bent.straight_mm
    _, low, _, high = wrap_box(shape, at_start)

    def along(y: float) -> float:
        return y if at_start else whole - y

    far = high if at_start else low
    flat = FlatSheet(show, [(0.0, low - 0.12 * (high - low), 1.0), (shape.girth_mm, high, 1.0)], WRAP_PX)
    edge = [(x, along(y)) for x, y in cut.outside]
    flat.drawn.append(svg.polygon([flat.p.flat(p) for p in [(0.0, far), *edge, (shape.girth_mm, far)]], "plate-outline"))
    if cut.inside:
        inner = svg.points([flat.p.flat((x, along(y))) for x, y in cut.inside])
        flat.drawn.append(svg.element("polyline", points=inner, class_="wrap-inside"))
    for k in (1, 2, 3):
        flat.line((shape.girth_mm * k / 4, along(cut.farthest_mm)), (shape.girth_mm * k / 4, far), "centre")
    for one in shape.holes:
        places = [p for p in one.edge if low <= p[1] <= high]
        if len(places) == len(one.edge):
            flat.drawn.append(svg.polygon([flat.p.flat(p) for p in one.edge], "hole"))
    flat.label((0.0, (far + along(cut.farthest_mm)) / 2), "seam")
    flat.label((shape.girth_mm / 2, edge[len(edge) // 2][1]), f"{show.value(cut.deepest_mm, 'mm')} deep", "is-holds", 0)
    return flat.markup(f"{name}, unrolled")


def turned_drawing(piece: Piece, body: TurnedBody, shape: TurnedShape, show: Show) -> Markup:
    """A turned part from the side: its outside whole, its bores dashed, its axis in dots."""
    r = shape.widest_mm / 2
    off = 0.08 * shape.long_mm + 0.3 * r
    flat = FlatSheet(show, [(0.0, -r - 2 * off, 1.0), (shape.long_mm, r, 1.0)], TUBE_PX)
    at = 0.0
    for step in body.steps:
        half = step.outside_mm / 2
        flat.drawn.append(
            svg.polygon(
                [flat.p.flat(p) for p in ((at, -half), (at + step.long_mm, -half), (at + step.long_mm, half), (at, half))], "plate-outline"
            )
        )
        words = f"⌀{show.entered(step.outside_mm, 'mm')} {step.thread or step.fit}".strip()
        flat.label((at + step.long_mm / 2, half), words)
        at += step.long_mm
    for zone in shape.zones:
        if zone.bore_mm:
            for side in (1, -1):
                flat.line((zone.from_mm, side * zone.bore_mm / 2), (zone.to_mm, side * zone.bore_mm / 2), "wrap-inside")
    flat.line((-0.04 * shape.long_mm, 0.0), (1.04 * shape.long_mm, 0.0), "centre")
    flat.line((0.0, -r - off), (shape.long_mm, -r - off), "dimension")
    flat.label((shape.long_mm / 2, -r - off), str(show.value(shape.long_mm, "mm")), "is-holds", 0)
    return flat.markup(f"{piece.name}, turned, {show.value(shape.long_mm, 'mm')} long")
