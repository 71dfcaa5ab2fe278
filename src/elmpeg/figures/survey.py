"""A typed figure, how level it stands, a point from tapes and where a part sits."""

from __future__ import annotations

import math

from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.level import Level
from elmpeg.core.calculators.locate import Locate
from elmpeg.core.calculators.measure import Measure
from elmpeg.core.calculators.pose import PoseRequest
from elmpeg.core.calculators.sheet import Result
from elmpeg.figures.figure import Figure
from elmpeg.figures.said import angle, length, named, plain

INCH_MM = 25.4


def measure(request: Measure, result: Result | None) -> Figure:
    """The length against a rule in millimetres and one in inches; an angle as it stands; a sheet on edge."""
    figure = Figure()
    panel = figure.panel(f"“{request.text[:30]}”")
    if result is None:
        panel.note((0, 0), "cannot be read", "text", fails=True)
        return figure
    if "deg" in result:
        a = math.radians(result["deg"])
        panel.line([(0, 0), (100, 0)], "ghost")
        panel.line([(0, 0), (100 * math.cos(a), 100 * math.sin(a))], "path")
        panel.arc((0, 0), 40, 0, result["deg"], "thin")
        panel.note((40 * math.cos(a / 2), 40 * math.sin(a / 2)), angle(result["deg"]), "text")
        return figure
    long = abs(result["mm"])
    panel.measure((0, 0), (long, 0), length(result["mm"]), "text", 0.12 * long)
    panel.line([(0, 0), (long, 0)], "path")
    for unit, y, way in ((10.0, 0.0, -1.0), (INCH_MM, -0.16 * long, -1.0)):
        step = unit * max(1.0, 10 ** math.floor(math.log10(max(long / unit, 1.0))) / 5)
        n = int(long / step) + 1
        panel.line([(0, y), (n * step, y)], "thin")
        for k in range(n + 1):
            panel.line([(k * step, y), (k * step, y + way * 0.05 * long)], "thin")
    return figure


def level(request: Level, result: Result | None) -> Figure:
    """The points from the side and from behind with the plane through them, heights drawn as they are."""
    figure = Figure()
    for title, i, key in (("From the left", 0, "pitch_deg"), ("From behind", 1, "roll_deg")):
        panel = figure.panel(title)
        for k, p in enumerate(request.points_mm):
            panel.dot((p[i], p[2]), "part")
            panel.note((p[i], p[2]), named(str(k + 1), p[2]), f"points_mm.{k}.2" if i == 0 else "")
        ends = [min(p[i] for p in request.points_mm), max(p[i] for p in request.points_mm)] if request.points_mm else [0.0, 1.0]
        middle = sum(p[2] for p in request.points_mm) / max(len(request.points_mm), 1)
        panel.line([(e, middle) for e in ends], "ghost")
        if result is not None:
            slope = -math.tan(math.radians(result[key])) if i == 0 else math.tan(math.radians(result[key]))
            centre = sum(p[i] for p in request.points_mm) / len(request.points_mm)
            panel.line([(e, middle + slope * (e - centre)) for e in ends], "path")
            panel.note((centre, middle), named("tail down" if i == 0 else "right side up", result[key], "deg"))
    return figure


def locate(request: Locate, result: Result | None) -> Figure:
    """Known points and tapes from above and from the side, and the place that they give."""
    figure = Figure()
    places = {r.id: r.xyz_mm for r in request.from_}
    for title, i, j, sign in (("From above", 0, 1, -1.0), ("From the left", 0, 2, 1.0)):
        panel = figure.panel(title)
        for k, r in enumerate(request.from_):
            at = (r.xyz_mm[i], sign * r.xyz_mm[j])
            panel.dot(at, "part")
            panel.note(at, r.id, f"from.{k}.xyz_mm.0" if j == 1 else "")
        if result is None:
            for d in request.distances:
                if d.from_ in places:
                    panel.circle((places[d.from_][i], sign * places[d.from_][j]), d.mm, "ghost")
            continue
        found = result["xyz_mm"]
        at = (found[i], sign * found[j])
        for k, d in enumerate(request.distances):
            start = (places[d.from_][i], sign * places[d.from_][j])
            panel.line([start, at], "fails" if d.from_ == result["suspect"] else "thin")
            if j == 1:
                panel.note(((start[0] + at[0]) / 2, (start[1] + at[1]) / 2), named(d.from_, d.mm), f"distances.{k}.mm")
        panel.dot(at, "path")
        panel.note(at, words("here: {0}, {1}", mm(found[i]), mm(found[j])))
        if result["other_xyz_mm"] is not None:
            other = result["other_xyz_mm"]
            panel.dot((other[i], sign * other[j]), "ghost")
            panel.note((other[i], sign * other[j]), "or here")
    return figure


def pose(request: PoseRequest, result: Result | None) -> Figure:
    """The points as measured, and where the part's own come to lie."""
    figure = Figure()
    where = placed(Pose(**result["pose"])) if result is not None else None
    for title, i, j, sign in (("From the left", 0, 2, 1.0), ("From above", 0, 1, -1.0)):
        panel = figure.panel(title)
        fitted = []
        for k, p in enumerate(request.pairs):
            at = (p.measured_mm[i], sign * p.measured_mm[j])
            wrong = result is not None and result["suspect"] == p.id
            panel.dot(at, "fails" if wrong else "part")
            panel.note(at, p.id, f"pairs.{k}.measured_mm.0" if j == 2 else "", fails=wrong)
            if where is not None:
                q = where.point(p.local_mm)
                fitted.append((q[i], sign * q[j]))
        if fitted:
            panel.line(fitted, "path", closed=True)
        if result is not None and where is not None:
            o = where.origin_mm
            panel.dot((o[0 if i == 0 else i], sign * o[j]), "centre", title="the part's own origin")
            panel.note((o[i], sign * o[j]), plain("origin"))
    return figure
