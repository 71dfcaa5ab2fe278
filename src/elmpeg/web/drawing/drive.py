"""A driveline alone, in side view and plan at true scale, and its speed over one revolution."""

from __future__ import annotations

from itertools import pairwise

from markupsafe import Markup

from elmpeg.core.driveline import speed_trace
from elmpeg.core.evaluate import Evaluation
from elmpeg.core.model import Build
from elmpeg.core.rules.lines import LineState
from elmpeg.core.solids import AXES_OF_VIEW, View, silhouette
from elmpeg.core.vectors import Vec3, add, scale, unit
from elmpeg.web.drawing import svg
from elmpeg.web.drawing.labels import HARD, SOFT, Label, Sheet
from elmpeg.web.drawing.projection import Pixel, Window, fitted, round_length
from elmpeg.web.showing import Show

SHEET_PX = (620.0, 210.0)
AXIS_SHARE = 0.22
"""How far an end's axis is drawn on beyond its joint, as a share of the line's length."""
CHART_PX = (620.0, 200.0)
LEFT_PX, RIGHT_PX, TOP_PX, BOTTOM_PX = 64.0, 14.0, 36.0, 30.0


def draw_line(build: Build, evaluation: Evaluation, state: LineState, view: View, show: Show) -> Markup:
    """One line in one view: shafts, the end axes drawn on, and each joint's angle as this view shows it and in truth."""
    i, j = AXES_OF_VIEW[view]
    joints = [joint.xyz_mm for joint in state.geometry.joints]
    length = max(sum(m.length_mm or 0.0 for m in state.motion.members), 100.0)
    before = add(joints[0], scale(unit(state.geometry.input_axis), -AXIS_SHARE * length))
    behind = add(joints[-1], scale(unit(state.geometry.output_axis), AXIS_SHARE * length))
    path: list[Vec3] = [before, *joints, behind]
    us, vs = [p[i] for p in path], [p[j] for p in path]
    p = fitted(view, *SHEET_PX, Window(min(us), min(vs), max(us), max(vs)).grown(0.06))
    sheet, body, labels = Sheet(*SHEET_PX), [], []
    where = {c.component: c.where for c in evaluation.components}
    for component in build.components:
        for solid in component.solids:
            body += [svg.polygon([p.flat(uv) for uv in o], "solid is-faint") for o in silhouette(solid, where[component.id], view)]
    flat: list[Pixel] = [p.of(q) for q in path]
    body.append(svg.line(flat[0], flat[1], "axis"))
    body.append(svg.line(flat[-2], flat[-1], "axis"))
    body.append(svg.element("polyline", points=svg.points(flat[1:-1]), class_="shaft"))
    for a, b in pairwise(flat):
        sheet.cover_line(a, b, SOFT)
    for k, (at, bent, verdict) in enumerate(zip(flat[1:-1], state.motion.joints, state.verdicts, strict=False)):
        # The arriving axis drawn straight on, so that the bend can be seen against it.
        onward = (at[0] + (at[0] - flat[k][0]) * 0.35, at[1] + (at[1] - flat[k][1]) * 0.35)
        body.append(svg.line(at, onward, "onward"))
        body.append(svg.element("circle", cx=at[0], cy=at[1], r=6.5, class_=f"joint is-{verdict}"))
        part = bent.side_deg if view == "side" else bent.plan_deg
        words = f"{bent.id} {show.value(abs(part), 'deg')} here, {show.value(bent.angle_deg, 'deg')} true"
        sheet.cover([[(at[0] - 9, at[1] - 9), (at[0] + 9, at[1] - 9), (at[0] + 9, at[1] + 9), (at[0] - 9, at[1] + 9)]], HARD)
        labels.append(Label(at, words, f"label label-joint is-{verdict}", f"line.{state.line.id}.{bent.id}", 0))
    bar = round_length(110 / p.px_per_mm)
    right, y = SHEET_PX[0] - 12, SHEET_PX[1] - 10
    left = right - bar * p.px_per_mm
    sheet.cover([[(left - 6, y - 26), (right + 8, y - 26), (right + 8, y + 8), (left - 6, y + 8)]], HARD)
    body.append(svg.element("polyline", points=svg.points([(left, y - 6), (left, y), (right, y), (right, y - 6)]), class_="scale-bar"))
    body.append(svg.text(((left + right) / 2, y - 9), f"{bar:g} mm", "note", text_anchor="middle"))
    for one in sheet.place(labels):
        body.append(svg.line(one.label.anchor, one.leader_end, f"leader {one.label.class_}"))
        box = svg.element("rect", x=one.left, y=one.top, width=one.width, height=one.height, rx=3.0)
        words = svg.text((one.left + one.width / 2, one.top + 16.5), one.label.words, "", text_anchor="middle")
        body.append(svg.element("g", box, words, class_=one.label.class_))
    name = "from the left" if view == "side" else "from above"
    return svg.sheet(*SHEET_PX, f"view line-view view-{view}", f"{state.line.name} {name}", body)


def draw_ripple(state: LineState) -> Markup:
    """Speed of the driven end over one revolution of the drive end, in percent of its speed."""
    g = state.geometry
    half = speed_trace(g.input_axis, g.output_axis, g.joints, state.line.phases_deg)[-1]
    percent = [(v - 1) * 100 for v in (*half, *half, half[0])]
    most = max(0.1, *(abs(v) for v in percent))
    top = next(t for t in (0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50, 100, 1000) if t >= most)
    width, height = CHART_PX[0] - LEFT_PX - RIGHT_PX, CHART_PX[1] - TOP_PX - BOTTOM_PX

    def at(turn_deg: float, value: float) -> Pixel:
        return (LEFT_PX + turn_deg / 360 * width, TOP_PX + (top - value) / (2 * top) * height)

    body = []
    for value in (-top, 0, top):
        body.append(svg.line(at(0, value), at(360, value), "chart-zero" if value == 0 else "grid"))
        sign = "+" if value > 0 else ""
        body.append(svg.text((LEFT_PX - 8, at(0, value)[1] + 4), f"{sign}{value:g} %".replace("-", "\u2212"), "note", text_anchor="end"))
    for turn in (0, 90, 180, 270, 360):
        x, y = at(turn, -top)
        body.append(svg.line((x, y), (x, y + 5), "chart-zero"))
        anchor = "start" if turn == 0 else "end" if turn == 360 else "middle"
        body.append(svg.text((x, y + 20), f"{turn}°", "note", text_anchor=anchor))
    curve = [at(k * 360 / (len(percent) - 1), v) for k, v in enumerate(percent)]
    body.append(svg.element("polyline", points=svg.points(curve), class_="trace"))
    return svg.sheet(*CHART_PX, "view chart", "Speed of the driven end over one revolution", body)
