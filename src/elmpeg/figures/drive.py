"""Drivelines, their travel, shaft tubes and wedges."""

from __future__ import annotations

import math
from itertools import pairwise

from elmpeg.core.base.quantities import Quantity, words
from elmpeg.core.base.vectors import Vec3, add, scale, unit
from elmpeg.core.calculators.driveline import Driveline
from elmpeg.core.calculators.shaft import Shaft
from elmpeg.core.calculators.sheet import Result
from elmpeg.core.calculators.travel import Travel
from elmpeg.core.calculators.wedge import Wedge
from elmpeg.figures.figure import Figure, Flat, Panel
from elmpeg.figures.said import angle, length, named

STUB_SHARE = 0.18


def driveline(request: Driveline, result: Result | None) -> Figure:
    """The line from the left and from above, with the true angle at each joint."""
    figure = Figure()
    for title, j, sign in (("From the left", 2, 1.0), ("From above", 1, -1.0)):
        _line(figure.panel(title), request, result, j, sign, "")
    return figure


def _line(panel: Panel, request: Driveline, result: Result | None, j: int, sign: float, at: str) -> None:
    def flat(p: Vec3) -> Flat:
        return (p[0], sign * p[j])

    places = [q.xyz_mm for q in request.joints]
    reach = max((math.dist(a, b) for a, b in pairwise(places)), default=500.0) * STUB_SHARE
    start = add(places[0], scale(unit(request.input_axis), -reach))
    end = add(places[-1], scale(unit(request.output_axis), reach))
    panel.line([flat(start), flat(places[0])], "other")
    panel.line([flat(p) for p in places], "path")
    panel.line([flat(places[-1]), flat(end)], "other")
    if j == 2:
        panel.note(flat(start), "drive end", f"{at}input_axis.down_deg")
        panel.note(flat(end), "driven end", f"{at}output_axis.down_deg")
    for k, joint in enumerate(request.joints):
        panel.dot(flat(joint.xyz_mm), "part")
        if result is None:
            panel.note(flat(joint.xyz_mm), joint.id, f"{at}joints.{k}.xyz_mm.0")
            continue
        row = result["joints"][k]
        shown = row["angle_deg"] if j == 2 else abs(row["plan_deg"])
        says = named(joint.id, shown, "deg") if j == 2 else named("in plan", shown, "deg")
        panel.note(flat(joint.xyz_mm), says, f"{at}joints.{k}.xyz_mm.{j}", fails=j == 2 and row["verdict"] == "fails")
    for a, b in pairwise(places):
        panel.measure(flat(a), flat(b), length(math.dist(a, b)), off_mm=-0.06 * math.dist(a, b))


def travel(request: Travel, result: Result | None) -> Figure:
    """The line from the left, and its last shaft at every height of the axle."""
    figure = Figure()
    panel = figure.panel("From the left")
    _line(panel, request.driveline, None, 2, 1.0, "driveline.")
    centre = request.travel.axle_centre_mm
    panel.circle((centre[0], centre[2]), 60.0, "other", title="axle")
    panel.note((centre[0], centre[2]), "axle", "travel.axle_centre_mm.0")
    if request.travel.pivot_mm is not None:
        panel.dot(request.travel.pivot_mm, "centre")
        panel.note(request.travel.pivot_mm, "pivot", "travel.pivot_mm.0")
        panel.line([request.travel.pivot_mm, (centre[0], centre[2])], "thin")
    for name in ("upper", "lower"):
        link = getattr(request.travel, name)
        if link is not None:
            panel.line([link.frame_mm, link.axle_mm], "thin")
            panel.note(link.frame_mm, f"{name} link", f"travel.{name}.frame_mm.0")
    if result is None:
        return figure
    course = figure.panel("Slip over the rise", to_scale=False, weight=0.6)
    steps = sorted((s["step_mm"], s["slip_mm"]) for s in result["steps"])
    tall = max(1.0, steps[-1][0] - steps[0][0])
    most = max(1e-6, *(abs(v) for _, v in steps))
    course.line([(0, steps[0][0]), (0, steps[-1][0])], "ghost")
    course.line([(v / most * tall * 0.4, r) for r, v in steps], "path")
    for r, v in steps:
        course.dot((v / most * tall * 0.4, r), "path")
        course.note((v / most * tall * 0.4, r), words("{0} at {1}", *(length(x).quantities[0] for x in (v, r))))
    for k, (r, _) in enumerate(steps):
        panel.circle((centre[0], centre[2] + r), 12.0, "ghost", title=f"step {k}")
    return figure


def shaft(request: Shaft, result: Result | None) -> Figure:
    """The tube in length, bent as it would whip, and its section."""
    figure = Figure()
    panel = figure.panel("The tube, and the way it would whip (dashed)")
    long, r = request.length_mm, request.od_mm / 2
    panel.box(0, -r, long, r, "path" if result else "fails")
    panel.line([(long * k / 40, 3 * r * math.sin(math.pi * k / 40)) for k in range(41)], "ghost")
    panel.measure((0, -r), (long, -r), length(long), "length_mm", -2 * r)
    if result is not None:
        panel.note((long / 2, 3 * r), words("whips at {0}", Quantity(result["critical_rpm"], "rpm")))
    section = figure.panel("Section", weight=0.4)
    section.circle((0, 0), r, "path")
    inner = r - request.wall_mm
    if inner > 0:
        section.circle((0, 0), inner, "thin")
    section.measure((-r, 0), (r, 0), length(request.od_mm), "od_mm", -1.4 * r)
    section.measure((inner, 0), (r, 0), named("wall", request.wall_mm), "wall_mm", 1.3 * r)
    return figure


def wedge(request: Wedge, result: Result | None) -> Figure:
    """The wedge itself, or the two pitches of what is raised."""
    figure = Figure()
    panel = figure.panel("The wedge" if request.kind == "perch" else "Pitch before (dashed) and after")
    if request.kind == "perch":
        long, turn = request.length_mm or 100.0, request.angle_deg or 0.0
        rise = long * math.tan(math.radians(turn))
        panel.line([(0, 0), (long, 0), (long, rise)], "path", closed=True)
        panel.measure((0, 0), (long, 0), length(long), "length_mm", -0.15 * long)
        panel.arc((0, 0), 0.4 * long, 0, turn, "thin")
        panel.note((0.4 * long, 0), angle(turn), "angle_deg")
        if result is not None:
            panel.measure((long, 0), (long, rise), length(result["rise_mm"]), off_mm=-0.08 * long)
        return figure
    span, before, after = request.span_mm or 1000.0, request.from_deg or 0.0, request.to_deg or 0.0
    ends = []
    for turn, field in ((before, "from_deg"), (after, "to_deg")):
        end = (span * math.cos(math.radians(turn)), -span * math.sin(math.radians(turn)))
        panel.line([(0, 0), end], "ghost" if field == "from_deg" else "path")
        panel.note(end, angle(turn), field)
        ends.append(end)
    panel.dot((0, 0), "part", title="front mounts")
    panel.measure((0, 0), ends[0], length(span), "span_mm", 0.1 * span)
    if result is not None:
        panel.measure(ends[0], (ends[0][0], ends[0][1] + result["rise_mm"]), length(result["rise_mm"]), off_mm=-0.1 * span)
    return figure
