"""Drive: each driveline's angles, how evenly it runs, and what would bring it inside."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core import edits
from elmpeg.core.checks import Check
from elmpeg.core.errors import FieldError
from elmpeg.core.joint_limits import School, speed_cap_deg
from elmpeg.core.line_parts import Driveline
from elmpeg.web.desk import Desk, Outcome, build_page
from elmpeg.web.drawing.drive import draw_line, draw_ripple
from elmpeg.web.security import LeadDesk, ReadDesk

router = APIRouter()

SCHOOLS: dict[School, tuple[str, str]] = {
    "three_degree": ("Flat cap", "Every cardan between 0.5° and 3°, whatever the speed. Simple, and kind to joints that run fast."),
    "speed_limited": ("Speed-based cap", "The slower the shaft turns, the more it may bend. For crawlers and power take-offs."),
}


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The Drive page as it stands."""
    at = build_page(desk, build_id, "Drive", outcome.saved.head if outcome and outcome.saved else None)
    lines = at.build.drivelines
    wanted = desk.text("line")
    line = next((one for one in lines if one.id == wanted), None) or _worst_line(at.evaluation.checks, lines)
    state = next((s for s in at.evaluation.lines if line and s.line.id == line.id), None)
    checks = [c for c in at.evaluation.checks if line and c.code.startswith(f"line.{line.id}.")]
    return desk.render(
        "drive.html",
        outcome,
        page=at,
        line=line,
        state=state,
        checks=checks,
        by_code={c.code: c for c in checks},
        side=draw_line(at.build, at.evaluation, state, "side", desk.show) if state else None,
        plan=draw_line(at.build, at.evaluation, state, "plan", desk.show) if state else None,
        ripple=draw_ripple(state) if state else None,
        schools=SCHOOLS,
        speed_cap=speed_cap_deg(line.rpm, at.build.limits.joints) if line else None,
    )


def _worst_line(checks: tuple[Check, ...], lines: tuple[Driveline, ...]) -> Driveline | None:
    for check in checks:
        for line in lines:
            if check.code.startswith(f"line.{line.id}."):
                return line
    return lines[0] if lines else None


@router.get("/builds/{build_id}/drive", name="drive")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The Drive page."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/drive/school", name="school")
def school(build_id: str, desk: LeadDesk) -> Response:
    """Hold the build's joints to another school."""
    wanted = next((known for known in SCHOOLS if known == desk.text("school")), None)
    if wanted is None:
        return page(desk, build_id, Outcome(errors=(FieldError("school", "Choose one of the schools listed."),)))
    outcome = desk.change(build_id, f"Joint angles held to: {SCHOOLS[wanted][0]}", lambda b: edits.with_school(b, wanted))
    return page(desk, build_id, outcome)
