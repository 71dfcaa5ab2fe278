"""What a shaft order shows: the line from the left and from above, to scale, with its joints, flanges and lengths."""

from __future__ import annotations

import math
from itertools import pairwise

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import ShaftOrder
from elmpeg.core.scene.scene import Scene
from elmpeg.figures.figure import Figure, Flat, Panel

USUAL_TUBE_MM = 60.0
"""How thick a shaft is drawn whose tube is not chosen yet."""


def shaft_order(build: Build, order: ShaftOrder) -> Figure:
    """The ordered line as it sits in its option. Lengths are from joint centre to joint centre."""
    line, scene = build.driveline(order.line), Scene(build, build.option(order.option))
    places = [scene.xyz(j.point) for j in line.joints]
    tubes = [line.shafts[k].od_mm if k < len(line.shafts) else USUAL_TUBE_MM for k in range(len(places) - 1)]
    figure = Figure(rows=2)
    for title, axis, sign in (("From the left, front to the left", 2, 1.0), ("From above, front to the left", 1, -1.0)):
        panel = figure.panel(title)
        flat = [(p[0], sign * p[axis]) for p in places]
        for k, (a, b) in enumerate(pairwise(flat)):
            _tube(panel, a, b, tubes[k])
            size = math.dist(places[k], places[k + 1])
            panel.line((a, b), "centre")
            if axis == 2:
                panel.measure(a, b, words("{0}", mm(size)), off_mm=-max(2.2 * tubes[k], 0.07 * size))
        for k, (joint, at) in enumerate(zip(line.joints, flat, strict=True)):
            panel.circle(at, 0.45 * max(tubes, default=USUAL_TUBE_MM), "path")
            ends = [line.shafts[k - 1].driven_flange] if 0 < k <= len(line.shafts) else []
            ends += [line.shafts[k].drive_flange] if k < len(line.shafts) else []
            flanges = "".join(f"; {f}" for f in dict.fromkeys(ends) if f) if axis == 2 else ""
            panel.note(at, f"{joint.id}, {joint.kind.replace('_', ' ')}{flanges}")
    return figure


def _tube(panel: Panel, a: Flat, b: Flat, od_mm: float) -> None:
    dx, dy = b[0] - a[0], b[1] - a[1]
    size = math.hypot(dx, dy) or 1.0
    along, across = (dx / size, dy / size), (-dy / size * od_mm / 2, dx / size * od_mm / 2)
    inset = min(0.9 * od_mm, 0.2 * size)
    p, q = (a[0] + along[0] * inset, a[1] + along[1] * inset), (b[0] - along[0] * inset, b[1] - along[1] * inset)
    corners = [(p[0] + across[0], p[1] + across[1]), (q[0] + across[0], q[1] + across[1]), (q[0] - across[0], q[1] - across[1])]
    panel.line([*corners, (p[0] - across[0], p[1] - across[1])], "part", closed=True)
