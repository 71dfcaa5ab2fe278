"""Drive, rules: which school a build's joints follow, the limits behind it, wind-up, and sizes of joints."""

from __future__ import annotations

from dataclasses import dataclass, fields, replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import Unit
from elmpeg.core.build.drivelines import JointSeries
from elmpeg.core.methods.driveline.joint_limits import JointLimits, School, joint_bands, judged_rpm, speed_cap_deg
from elmpeg.core.scene.line_in_scene import laid_line
from elmpeg.core.stages.drive import rule_edits
from elmpeg.web.answers import Act, answers
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.drive.drive_page import ARRANGEMENTS, drive_page, render
from elmpeg.web.security import LeadDesk, ReadDesk

router = APIRouter()

SCHOOLS: dict[School, tuple[str, str]] = {
    "three_degree": (
        "Flat cap",
        "Every cardan within one band, usually 0.5° to 3°, whatever the speed. Simple, and kind to joints that run fast.",
    ),
    "speed_limited": (
        "Speed-based cap",
        "The slower the shaft turns, the more it may bend: up to where its unevenness shakes. For those who know their rpm.",
    ),
    "low_speed_crawler": (
        "Low-speed crawler",
        "Geared low, the shaft seldom turns fast, so it is judged at a crawling speed, up to a cap of its own. On the road it is slow, or it shakes.",
    ),
}


@dataclass(frozen=True, slots=True)
class LimitField:
    """One limit on the form."""

    name: str
    words: str
    unit: Unit | str
    why: str


LIMITS: tuple[tuple[str, tuple[LimitField, ...]], ...] = (
    (
        "Joints",
        (
            LimitField("flat_cap_deg", "Flat cap", "deg", "common shop practice"),
            LimitField("least_deg", "At least", "deg", "so that needles roll"),
            LimitField("crawler_rpm", "Crawler judged at", "rpm", "the speed it works at"),
            LimitField("crawler_cap_deg", "Crawler's cap", "deg", "beyond it joints wear fast"),
            LimitField("lone_cardan_deg", "Pinion off a double joint", "deg", "nothing undoes its motion"),
            LimitField("maker_default_deg", "Joint bends to, if nobody says", "deg", "usual for propeller shafts"),
        ),
    ),
    (
        "Unevenness",
        (
            LimitField("shaft_accel_rad_s2", "Shaft's peak", "rad_s2", "common design limit"),
            LimitField("driven_accel_rad_s2", "Driven end's peak", "rad_s2", "common design limit"),
            LimitField("equal_within_deg", "Equal angles within", "deg", "equal and opposite"),
            LimitField("carrier_first_deg", "First shaft to a carrier", "deg", "nothing undoes it"),
            LimitField("steering_cap_deg", "Steering joint", "deg", "stiff and lumpy beyond"),
            LimitField("steering_ripple_pct", "Lumpiness at the wheel", "pct", "what hands feel"),
        ),
    ),
    (
        "Wind-up under drive",
        (
            LimitField("windup_leaf_deg", "Leaf springs", "deg", "the pinion rises"),
            LimitField("windup_four_link_deg", "Links", "deg", "bushes give"),
            LimitField("windup_swing_deg", "Arm about a pivot", "deg", "stiff"),
            LimitField("windup_parallel_deg", "Straight up and down", "deg", "bolted to the frame"),
            LimitField("coast_share", "Dips on the overrun by", "share", "share of the rise"),
        ),
    ),
    (
        "Travel and tubes",
        (
            LimitField("bind_spare_deg", "Short of binding", "deg", "kept spare in travel"),
            LimitField("slip_spare_mm", "Slip left", "mm", "kept spare each way"),
            LimitField("ground_mm", "Above the ground", "mm", "at ride height"),
            LimitField("speed_share", "Of bending speed", "share", "used at most"),
            LimitField("near_margin_deg", "Near the limit within", "deg", "told as near"),
        ),
    ),
)


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The rules of a build as they stand."""
    on = drive_page(desk, build_id, outcome)
    limits = on.at.build.limits.joints
    caps = {}
    if on.line:
        line = on.line
        try:
            joints = laid_line(on.scene, line).joints
            for school in SCHOOLS:
                bands = joint_bands(joints, line.rpm, school, limits, line.use)
                caps[school] = (bands, judged_rpm(line.rpm, school, limits, line.use))
        except InputError:
            caps = {}
    return render(
        desk,
        "drive/rules.html",
        "rules",
        on,
        outcome,
        schools=SCHOOLS,
        arrangements=ARRANGEMENTS,
        caps=caps,
        groups=LIMITS,
        limits=limits,
        speed_cap=speed_cap_deg(on.line.rpm, limits) if on.line else None,
    )


@router.get("/builds/{build_id}/drive/rules", name="drive_rules")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The rules of a build."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/drive/school", name="school")
@answers(page, LeadDesk)
def school(act: Act) -> Outcome | Response:
    """Hold the build's joints to another school."""
    wanted = act.form.choice("school", SCHOOLS)
    return act.change(f"Joint angles held to: {SCHOOLS[wanted][0]}", lambda b: rule_edits.with_school(b, wanted))


@router.post("/builds/{build_id}/drive/limits", name="keep_joint_limits")
@answers(page, LeadDesk)
def keep_joint_limits(act: Act) -> Outcome | Response:
    """Change the limits that lines are held to."""
    desk, form = act.desk, act.form
    before = act.build.limits.joints
    if desk.text("do") == "usual":
        outcome = act.change("Limits of lines back to the usual ones", lambda b: rule_edits.with_limits(b, JointLimits()))
        return outcome
    values = {f.name: getattr(before, f.name) for f in fields(before)}
    for _, group in LIMITS:
        for field in group:
            if field.name not in desk.form:
                continue
            if field.unit == "deg":
                values[field.name] = form.angle(field.name, now=values[field.name])
            elif field.unit == "mm":
                values[field.name] = form.length(field.name, now=values[field.name])
            else:
                values[field.name] = form.number(field.name, 0.001, 1e5)
    form.require()
    changed = replace(before, **values)
    outcome = act.change("Changed the limits of lines", lambda b: rule_edits.with_limits(b, changed))
    return outcome


@router.post("/builds/{build_id}/drive/series", name="keep_series")
@answers(page, LeadDesk)
def keep_series(act: Act) -> Outcome | Response:
    """Add a joint size, or change its figures."""
    desk, form = act.desk, act.form
    was = next((s for s in act.build.series if s.id == desk.text("series")), None)
    most = form.angle("series_angle", now=was.max_angle_deg if was else None)
    swing = form.length("series_swing", now=was.swing_mm if was else None)
    form.require()
    one = JointSeries(desk.text("series"), desk.text("series_name"), most, swing)
    outcome = act.change(f"Joint size {one.name}", lambda b: rule_edits.with_series(b, one))
    return outcome
