"""Drive, angles: each joint of a line, its drawing, how evenly it runs, and what its checks say."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.vectors import wrapped_deg
from elmpeg.core.base.verdicts import verdict_within
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.methods.driveline.joint_limits import judged_rpm
from elmpeg.core.methods.driveline.line_motion import DrivelineMotion, LaidLine
from elmpeg.core.scene.line_in_scene import laid_under_load, motions_under_load
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.gauge_angles import GaugedJoint, gauged_joint
from elmpeg.core.stages.drive.line_checks import LineState
from elmpeg.web.desk import Desk
from elmpeg.web.drawing.drive import STRETCHES, DrawnLine, draw_line, turning_chart
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.drive.drive_page import ARRANGEMENTS, DrivePage, drive_page, render
from elmpeg.web.security import ReadDesk

router = APIRouter()
LOADS = {"rest": "at rest", "drive": "under drive", "coast": "on the overrun"}
QUANTITIES = {"speed": "speed", "acceleration": "acceleration"}


@dataclass(frozen=True, slots=True)
class Slope:
    """A member's slope against the frame, and against level as the vehicle stands; None where nobody has levelled it."""

    frame_deg: float
    level_deg: float | None
    plan_deg: float


def laid_under(scene: Scene, line: Driveline) -> dict[str, LaidLine]:
    """Where a line runs at rest, and with its axle wound up and on the overrun where one is named."""
    rest, drive, coast = laid_under_load(scene, line)
    return {"at rest": rest, "drive": drive, "coast": coast} if line.axle else {"at rest": rest}


def _slopes(on: DrivePage, motion: DrivelineMotion) -> list[Slope]:
    newest = on.at.build.levellings[-1] if on.at.build.levellings else None
    pitch = newest.pitch_deg if newest and newest.applied == "corrected" else 0.0 if newest else None
    found = []
    for member in motion.members:
        frame, plan = _as_laid(member.slope_deg), _as_laid(member.plan_deg)
        found.append(Slope(frame, None if pitch is None else frame + pitch, plan))
    return found


def _gauged(on: DrivePage, line: Driveline, state: LineState) -> list[GaugedJoint | None]:
    """What the gauge says of each joint, in the option that the vehicle stands in: the agreed one."""
    if not on.at.agreed:
        return [None] * len(line.joints)
    sds = {c.code: c.sd for c in on.checks}
    return [gauged_joint(on.at.build, line, state.geometry, k, sds.get(f"line.{line.id}.{j.id}") or 0.0) for k, j in enumerate(line.joints)]


def _as_laid(direction_deg: float) -> float:
    """The slope of a line, whichever way along it the drive runs: as a gauge laid on it reads."""
    return wrapped_deg(direction_deg - 180.0) if abs(direction_deg) > 90.0 else direction_deg


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The angles of a line as they stand."""
    on = drive_page(desk, build_id, outcome)
    line, state = on.line, on.state
    if line is None or state is None:
        return render(desk, "drive/angles.html", "angles", on, outcome, side=None)
    build = on.at.build
    load = next((k for k in LOADS if k == desk.text("load")), "rest")
    stretch = next((s for s in STRETCHES if str(s) == desk.text("stretch")), 1)
    quantity = next((k for k in QUANTITIES if k == desk.text("quantity")), "speed")
    member = min(max(desk.number("member", len(state.motion.members) - 1), 0), len(state.motion.members) - 1)
    laid = laid_under(on.scene, line)
    motion = dict(zip(LOADS, motions_under_load(on.scene, line), strict=True))[load]
    where = laid.get({"rest": "at rest"}.get(load, load), laid["at rest"])
    margin = build.limits.joints.near_margin_deg
    verdicts = state.verdicts
    if load != "rest":
        verdicts = tuple(
            verdict_within(j.angle_deg, b.low_deg, b.high_deg, margin) for j, b in zip(motion.joints, state.bands, strict=True)
        )
    drawn = DrawnLine(line, where, motion, verdicts)
    rpm = judged_rpm(line.rpm, build.limits.school, build.limits.joints, line.use)
    return render(
        desk,
        "drive/angles.html",
        "angles",
        on,
        outcome,
        side=draw_line(build, on.at.evaluation, drawn, "side", desk.show, stretch),
        plan=draw_line(build, on.at.evaluation, drawn, "plan", desk.show, stretch),
        chart=turning_chart(line, laid, rpm, member, quantity),
        motion=motion,
        slopes=_slopes(on, motion),
        gauged=_gauged(on, line, state),
        load=load,
        loads=LOADS if line.axle else {"rest": LOADS["rest"]},
        stretch=stretch,
        stretches=STRETCHES,
        quantity=quantity,
        quantities=QUANTITIES,
        member=member,
        rpm=rpm,
        arrangement=ARRANGEMENTS[line.arrangement],
        more=[c for c in on.checks if c.family not in ("joint", "shaft")],
        windup=build.limits.joints.windup_deg(build.axle(line.axle).kind) if line.axle else None,
    )


@router.get("/builds/{build_id}/drive", name="drive")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The angles of a line."""
    return page(desk, build_id)
