"""Drive, travel: a line from full droop to full bump, where it binds, and the slip that is left."""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from itertools import pairwise

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import capitalised
from elmpeg.core.base.vectors import norm
from elmpeg.core.build.drivelines import CarriedAxle, Driveline
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.methods.driveline.axle_travel import leaf_arm
from elmpeg.core.methods.driveline.joint_limits import judged_rpm
from elmpeg.core.methods.driveline.line_motion import driveline_motions
from elmpeg.core.scene.carried_axle import heights_mm, reach_of, suspension_of
from elmpeg.core.scene.in_state import in_states
from elmpeg.core.scene.line_in_scene import LineStep, axle_of, laid_line, steps_at
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import AT_REST, axle_at, risen
from elmpeg.core.stages.drive.line_checks import LineState
from elmpeg.core.stages.drive.travel_checks import CARRIED_WORDS, binding_deg, sliding_shafts
from elmpeg.web.desk import Desk
from elmpeg.web.downloads import named
from elmpeg.web.drawing.charts import Chart, Curve, Mark, lengths, plain
from elmpeg.web.drawing.drive import DrawnLine, draw_line
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.drive.drive_page import drive_page, render
from elmpeg.web.security import ReadDesk

router = APIRouter()
ROLLS = (("0", "both wheels"), ("1", "right wheel up"), ("-1", "left wheel up"))
TONES = ("ink", "moss", "elm", "near", "soft")


@dataclass(frozen=True, slots=True)
class Travelled:
    """A line through its travel at many heights, and where joints bind in it."""

    axle: CarriedAxle
    heights_mm: tuple[float, ...]
    steps: tuple[LineStep, ...]
    equivalent_deg: tuple[float, ...]
    binding_deg: tuple[float, ...]
    binds_mm: tuple[float | None, ...]


def travelled(scene: Scene, line: Driveline, axle: CarriedAxle, roll_deg: float) -> Travelled:
    """The line at 41 heights. Raises InputError out of reach."""
    heights = heights_mm(scene.build, axle)
    path = risen(axle.id, heights, roll_deg)
    rpm = judged_rpm(line.rpm, scene.build.limits.school, scene.build.limits.joints, line.use)
    motions = driveline_motions(rpm, tuple(laid_line(one, line) for one in in_states(scene, path)), line.phases_deg)
    steps = tuple(
        LineStep(state, tuple(j.angle_deg for j in m.joints), tuple(v.length_mm for v in m.members if v.length_mm is not None))
        for state, m in zip(path, motions, strict=True)
    )
    limits = binding_deg(scene, line)
    binds = tuple(_binds(heights, [s.angles_deg[k] for s in steps], limit) for k, limit in enumerate(limits))
    return Travelled(axle, heights, steps, tuple(m.equivalent_angle_deg for m in motions), limits, binds)


def _binds(heights: tuple[float, ...], angles: list[float], limit: float) -> float | None:
    """The height nearest to ride at which a joint passes its limit, told between the steps; None where it does not."""
    found = []
    for (h0, a0), (h1, a1) in zip(zip(heights, angles, strict=True), zip(heights[1:], angles[1:], strict=True), strict=False):
        if (a0 - limit) * (a1 - limit) < 0:
            found.append(h0 + (h1 - h0) * (limit - a0) / (a1 - a0))
    if not found and angles[len(angles) // 2] > limit:
        return 0.0
    return min(found, key=abs, default=None)


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """A line through travel as it stands."""
    on = drive_page(desk, build_id, outcome)
    line, state = on.line, on.state
    axle = axle_of(on.at.build, line) if line else None
    if line is None or state is None or axle is None:
        return render(desk, "drive/travel.html", "travel", on, outcome, axle=axle, through=None, trouble="")
    build, reach = on.at.build, reach_of(on.at.build, axle)
    roll = next((r for r in ROLLS if r[0] == desk.text("roll")), ROLLS[0])
    roll_deg = float(roll[0]) * axle.roll_deg
    rise = min(max(_number(desk.text("rise")), -reach.droop_mm), reach.bump_mm)
    try:
        through = travelled(on.scene, line, axle, roll_deg)
        stands = axle_at(axle.id, rise, roll_deg)
        there = evaluate(build, on.at.option.id, stands)
    except InputError as refused:
        return render(desk, "drive/travel.html", "travel", on, outcome, axle=axle, through=None, trouble=capitalised(refused.message))
    now = next((s for s in there.of(LineState) if s.line.id == line.id), None)
    here = steps_at(on.scene, line, axle, (stands, AT_REST))
    drawing = None
    if now is not None:
        drawn = DrawnLine(line, now.geometry, now.motion, now.verdicts)
        drawing = draw_line(build, there, drawn, "side", desk.show)
    spring = suspension_of(on.scene, axle).leaf
    arm = norm((leaf_arm(spring)[0] - spring.seat_mm[0], 0.0, leaf_arm(spring)[1] - spring.seat_mm[1])) if spring else None
    return render(
        desk,
        "drive/travel.html",
        "travel",
        on,
        outcome,
        axle=axle,
        reach=reach,
        through=through,
        trouble="",
        angles=_angles(desk, line, through, rise),
        sliding=sliding_shafts(line, on.state.travel) if on.state and on.state.travel else (),
        slips=_slips(desk, line, through, here[1], rise),
        rise=rise,
        roll=roll,
        roll_deg=roll_deg,
        rolls=ROLLS if axle.roll_deg else ROLLS[:1],
        here=here[0],
        rest=here[1],
        drawing=drawing,
        carried=CARRIED_WORDS[axle.kind],
        arm=arm,
        told=[c for c in on.checks if c.family in ("travel", "slip")],
        equivalent=now.motion.equivalent_angle_deg if now else None,
    )


def _number(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        return 0.0
    return value if abs(value) < 1e6 else 0.0


def _angles(desk: Desk, line: Driveline, through: Travelled, rise: float) -> Chart:
    curves = [
        Curve(joint.id, plain([s.angles_deg[k] for s in through.steps]), TONES[k % len(TONES)], k % 2 == 1)  # type: ignore[arg-type]
        for k, joint in enumerate(line.joints)
    ]
    curves.append(Curve("as uneven as one joint at", plain(through.equivalent_deg), "soft", True))
    highest = max(max(s.angles_deg) for s in through.steps)
    marks = {
        limit: Mark(f"{'all joints' if len(set(through.binding_deg)) == 1 else line.joints[k].id} at most", round(limit, 2))
        for k, limit in enumerate(through.binding_deg)
        if limit < 2.5 * highest
    }
    x = lengths(desk.show, through.heights_mm)
    at = lengths(desk.show, (rise,))[0]
    return Chart(
        "from full droop to full bump", "axle at", desk.show.length_unit, x, "angle", "°", tuple(curves), tuple(marks.values()), at
    )


def _slips(desk: Desk, line: Driveline, through: Travelled, rest: LineStep, rise: float) -> Chart:
    curves = []
    marks: list[Mark] = []
    for k in range(len(line.joints) - 1):
        change = [s.lengths_mm[k] - rest.lengths_mm[k] for s in through.steps]
        if max(abs(v) for v in change) < 1e-6 and len(line.joints) > 2:
            continue
        curves.append(Curve(f"{line.joints[k].id}-{line.joints[k + 1].id}", lengths(desk.show, change), TONES[k % len(TONES)]))  # type: ignore[arg-type]
        shaft, most = line.shaft(k), max(abs(v) for v in change)
        if shaft and shaft.slip_in_mm is not None and shaft.slip_in_mm < 4 * most:
            marks.append(Mark("slip closed", lengths(desk.show, (-shaft.slip_in_mm,))[0]))
        if shaft and shaft.slip_out_mm is not None and shaft.slip_out_mm < 4 * most:
            marks.append(Mark("slip out of its splines", lengths(desk.show, (shaft.slip_out_mm,))[0]))
    x = lengths(desk.show, through.heights_mm)
    at = lengths(desk.show, (rise,))[0]
    unit = desk.show.length_unit
    return Chart("shorter and longer than at ride height", "axle at", unit, x, "length", unit, tuple(curves), tuple(marks), at)


@router.get("/builds/{build_id}/drive/travel", name="drive_travel")
def show(build_id: str, desk: ReadDesk) -> Response:
    """A line through travel."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/drive/travel.csv", name="travel_csv")
def table(build_id: str, desk: ReadDesk) -> Response:
    """A line through travel as a table: mm and deg."""
    on = drive_page(desk, build_id)
    axle = axle_of(on.at.build, on.line) if on.line else None
    if on.line is None or axle is None:
        raise InputError("axle", "say first how the line's axle is carried")
    roll_deg = float(next((r for r in ROLLS if r[0] == desk.text("roll")), ROLLS[0])[0]) * axle.roll_deg
    through = travelled(on.scene, on.line, axle, roll_deg)
    rest = steps_at(on.scene, on.line, axle, (AT_REST,))[0]
    shafts = [f"{a.id}-{b.id}" for a, b in pairwise(on.line.joints)]
    out = io.StringIO()
    rows = csv.writer(out, lineterminator="\r\n")
    angles = [f"{j.id}_deg" for j in on.line.joints]
    rows.writerow(["rise_mm", "roll_deg", *angles, *(f"{s}_mm" for s in shafts), *(f"{s}_slip_mm" for s in shafts), "equivalent_deg"])
    for step, equivalent in zip(through.steps, through.equivalent_deg, strict=True):
        at = step.state.axle(axle.id)
        slips = [now - then for now, then in zip(step.lengths_mm, rest.lengths_mm, strict=True)]
        rows.writerow(f"{round(v, 4) + 0.0:.4f}" for v in (at.rise_mm, at.roll_deg, *step.angles_deg, *step.lengths_mm, *slips, equivalent))
    headers = {**named(f"{on.line.id}-travel.csv"), "Cache-Control": "no-store"}
    return Response(out.getvalue(), media_type="text/csv; charset=utf-8", headers=headers)
