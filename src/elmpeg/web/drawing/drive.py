"""A driveline alone, in side view and plan: true to scale, or with its bends drawn larger than they are."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

from markupsafe import Markup

from elmpeg.core.base.vectors import Vec3, add, scale, unit
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.evaluation.evaluate import Evaluation
from elmpeg.core.methods.driveline.line_motion import DrivelineMotion, LaidLine, traces
from elmpeg.core.methods.shapes.solids import AXES_OF_VIEW, View, silhouette
from elmpeg.core.scene.bodies import shapes
from elmpeg.figures.labels import HARD, SOFT, Label, Sheet
from elmpeg.figures.projection import Pixel, Projection, Window, fitted
from elmpeg.web.drawing import svg
from elmpeg.web.drawing.charts import Chart, Curve, plain
from elmpeg.web.showing import Show

SHEET_PX = (700.0, 200.0)
AXIS_SHARE = 0.2
"""How far an end's axis is drawn on beyond its joint, as a share of the line's length."""
ONWARD_SHARE = 0.35
CAPTION_PX = 24.0
ABOVE_SHARE = 0.3
"""Of the height from the ground to the line: what is left above it, where the caption stands."""
STRETCHES = (1, 3, 6)
"""True to scale, and how many times larger bends are drawn on request."""


@dataclass(frozen=True, slots=True)
class DrawnLine:
    """What is drawn of a line: where it runs, what its joints show, and how they are judged."""

    line: Driveline
    laid: LaidLine
    motion: DrivelineMotion
    verdicts: tuple[Verdict, ...]


def draw_line(build: Build, evaluation: Evaluation, drawn: DrawnLine, view: View, show: Show, stretch: int = 1) -> Markup:
    """One line in one view: tubes, end axes drawn on, each joint's angle as this view shows it and in truth, the ground.

    With ``stretch`` all that runs across the line is drawn so many times larger, about the first joint.
    """
    i, j = AXES_OF_VIEW[view]
    joints = [joint.xyz_mm for joint in drawn.laid.joints]
    length = max(sum(m.length_mm or 0.0 for m in drawn.motion.members), 100.0)
    before = add(joints[0], scale(unit(drawn.laid.input_axis), -AXIS_SHARE * length))
    behind = add(joints[-1], scale(unit(drawn.laid.output_axis), AXIS_SHARE * length))
    zero = joints[0][j]

    def flat_mm(point: Vec3) -> Pixel:
        return (point[i], zero + (point[j] - zero) * stretch)

    path = [flat_mm(q) for q in (before, *joints, behind)]
    grounded = view == "side" and stretch == 1 and drawn.line.use != "steering"
    window = _window(path, build.datum.ground_z_mm if grounded else None)
    p = fitted(view, *SHEET_PX, window)
    sheet, body, labels = Sheet(*SHEET_PX), [], []
    sheet.cover([[(0, 0), (SHEET_PX[0] * 0.6, 0), (SHEET_PX[0] * 0.6, CAPTION_PX), (0, CAPTION_PX)]], HARD)
    if grounded:
        y = p.flat((0.0, build.datum.ground_z_mm))[1]
        if y < SHEET_PX[1]:
            body.append(svg.element("rect", x=-SHEET_PX[0], y=y, width=3 * SHEET_PX[0], height=3 * SHEET_PX[1], class_="ground"))
            body.append(svg.text((8, y - 5), "ground", "note"))
    if stretch == 1:
        body += _solids(build, evaluation, view, p)
    flat = [p.flat(q) for q in path]
    body.append(svg.line(flat[0], flat[1], "axis"))
    body.append(svg.line(flat[-2], flat[-1], "axis"))
    for k, (a, b) in enumerate(pairwise(flat[1:-1])):
        shaft = drawn.line.shaft(k)
        if shaft and stretch == 1:
            body.append(_tube(a, b, shaft.od_mm * p.px_per_mm / 2))
        body.append(svg.line(a, b, "shaft"))
    for a, b in pairwise(flat):
        sheet.cover_line(a, b, SOFT)
    for k, (at, bent, verdict) in enumerate(zip(flat[1:-1], drawn.motion.joints, drawn.verdicts, strict=False)):
        # The arriving axis drawn straight on, so that the bend can be seen against it.
        onward = (at[0] + (at[0] - flat[k][0]) * ONWARD_SHARE, at[1] + (at[1] - flat[k][1]) * ONWARD_SHARE)
        body.append(svg.line(at, onward, "onward"))
        body.append(svg.element("circle", cx=at[0], cy=at[1], r=6.5, class_=f"joint is-{verdict}"))
        part = bent.side_deg if view == "side" else bent.plan_deg
        words = f"{bent.id} {view} {show.value(part, 'deg')}, true {show.value(bent.angle_deg, 'deg')}"
        sheet.cover([[(at[0] - 9, at[1] - 9), (at[0] + 9, at[1] - 9), (at[0] + 9, at[1] + 9), (at[0] - 9, at[1] + 9)]], HARD)
        labels.append(Label(at, words, f"label label-joint is-{verdict}", f"line.{drawn.line.id}.{bent.id}", 0))
    body += _scale_bars(sheet, show, p.px_per_mm, stretch)
    for one in sheet.place(labels):
        body.append(svg.line(one.label.anchor, one.leader_end, f"leader {one.label.class_}"))
        box = svg.element("rect", x=one.left, y=one.top, width=one.width, height=one.height, rx=3.0)
        words = svg.text((one.left + one.width / 2, one.top + 16.5), one.label.words, "", text_anchor="middle")
        body.append(svg.element("g", box, words, class_=one.label.class_))
    name = "from the left" if view == "side" else "from above"
    return svg.sheet(*SHEET_PX, f"view line-view view-{view}", f"{drawn.line.name} {name}", body)


def _window(path: list[Pixel], ground_mm: float | None) -> Window:
    """What the line takes up, down to the ground where one is given."""
    us, vs = [q[0] for q in path], [q[1] for q in path]
    plain_ = Window(min(us), min(vs), max(us), max(vs)).grown(0.06)
    if ground_mm is None:
        return plain_
    high = plain_.top_mm - ground_mm
    return Window(plain_.left_mm, ground_mm - 0.08 * high, plain_.right_mm, plain_.top_mm + ABOVE_SHARE * high)


def _solids(build: Build, evaluation: Evaluation, view: View, p: Projection) -> list[str]:
    where = {c.component: c.where for c in evaluation.components}
    drawn = []
    for body in shapes(build, where.__getitem__):
        if body.kind == "part" or body.solid.role == "frame":
            look = "solid is-faint" if body.kind == "part" else "structure is-rail"
            drawn += [svg.polygon([p.flat(uv) for uv in o], look) for o in silhouette(body.solid, body.where, view)]
    return drawn


def _tube(a: Pixel, b: Pixel, half_px: float) -> str:
    dx, dy = b[0] - a[0], b[1] - a[1]
    long = max((dx * dx + dy * dy) ** 0.5, 1e-6)
    off = (-dy / long * half_px, dx / long * half_px)
    return svg.polygon(
        [(a[0] + off[0], a[1] + off[1]), (b[0] + off[0], b[1] + off[1]), (b[0] - off[0], b[1] - off[1]), (a[0] - off[0], a[1] - off[1])],
        "tube",
    )


def _scale_bars(sheet: Sheet, show: Show, px_per_mm: float, stretch: int) -> list[str]:
    """The scale along the line, and the other one across it where that is stretched."""
    bar, bar_words = show.bar(110 / px_per_mm)
    right, y = SHEET_PX[0] - 12, SHEET_PX[1] - 10
    left = right - bar * px_per_mm
    sheet.cover([[(left - 6, y - 26), (right + 8, y - 26), (right + 8, y + 8), (left - 6, y + 8)]], HARD)
    drawn = [
        svg.element("polyline", points=svg.points([(left, y - 6), (left, y), (right, y), (right, y - 6)]), class_="scale-bar"),
        svg.text(((left + right) / 2, y - 9), bar_words, "note", text_anchor="middle"),
    ]
    if stretch > 1:
        up, up_words = show.bar(60 / (px_per_mm * stretch))
        top = y - up * px_per_mm * stretch
        x = left - 16
        sheet.cover([[(x - 62, top - 6), (x + 8, top - 6), (x + 8, y + 8), (x - 62, y + 8)]], HARD)
        drawn.append(svg.element("polyline", points=svg.points([(x - 6, top), (x, top), (x, y), (x - 6, y)]), class_="scale-bar"))
        drawn.append(svg.text((x - 10, (top + y) / 2 + 4), up_words, "note", text_anchor="end"))
    return drawn


def turning_chart(line: Driveline, laid: dict[str, LaidLine], rpm: float, member: int, quantity: str) -> Chart:
    """One member's speed or acceleration over one revolution of the drive end, in each state of load given."""
    curves = []
    tones = {"at rest": ("ink", False), "drive": ("moss", False), "coast": ("elm", True)}
    for name, where in laid.items():
        trace = traces(rpm, where, line.phases_deg)[member]
        half = [(v - 1) * 100 for v in trace.speeds] if quantity == "speed" else list(trace.accels_rad_s2)
        turn = (*half, *half, half[0])
        tone, dashed = tones[name]
        curves.append(Curve(name, plain(turn[::3]), tone, dashed))  # type: ignore[arg-type]
    steps = len(curves[0].values)
    unit_ = "%" if quantity == "speed" else "rad/s²"
    y_name = "faster or slower than the drive end" if quantity == "speed" else "acceleration"
    return Chart(
        "over one revolution of the drive end",
        "turn",
        "°",
        plain([k * 360 / (steps - 1) for k in range(steps)]),
        y_name,
        unit_,
        tuple(curves),
    )
