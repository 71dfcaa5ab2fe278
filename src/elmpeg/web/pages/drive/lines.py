"""Drive, lines: made, changed and taken out; joints at points, forks, the axle they follow, a carrier bearing between."""

from __future__ import annotations

from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.advice.free_joints import suggested_line
from elmpeg.core.advice.line_ways import trial_carrier_mm
from elmpeg.core.base.vectors import Vec3, add, scale, sub
from elmpeg.core.build.document import Build
from elmpeg.core.methods.driveline.fork_phasing import best_phases
from elmpeg.core.methods.driveline.joint_limits import LineUse
from elmpeg.core.methods.driveline.joint_motion import JointKind
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive import line_edits
from elmpeg.core.stages.drive.line_edits import SaidJoint, SaidLine
from elmpeg.web.answers import Act, answers
from elmpeg.web.desk import Desk
from elmpeg.web.forms import TURNS, Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.drive.drive_page import ARRANGEMENTS, drive_page, render
from elmpeg.web.security import ReadDesk

router = APIRouter()
USES: dict[LineUse, str] = {"propeller": "drives an axle", "power_take_off": "power take-off", "steering": "steering shaft"}
KINDS: tuple[JointKind, ...] = get_args(JointKind)
MOST_NEW = 6
STRAIGHT_PHASE = 0.0


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """A line as it is made up, or a form for a new one."""
    on = drive_page(desk, build_id, outcome)
    new = desk.text("new") == "1" or on.line is None
    line = None if new else on.line
    joints = list(line.joints) if line else []
    carriers: list[tuple[int, str, Vec3]] = []
    best: tuple[float, ...] = ()
    if line and on.state:
        best = best_phases(on.state.geometry, line.phases_deg).phases_deg if line.phases_deg else ()
        laid = on.state.geometry
        for k in range(len(joints) - 1):
            a, b = laid.joints[k].xyz_mm, laid.joints[k + 1].xyz_mm
            place = trial_carrier_mm(Scene(on.at.build, on.at.option), line) if len(joints) == 2 else add(a, scale(sub(b, a), 0.5))
            carriers.append((k, f"{joints[k].id}-{joints[k + 1].id}", place))
    suggested = suggested_line(on.at.build) if line is None else ()
    points = sorted(on.at.build.points, key=lambda p: (p.kind != "joint", p.name))
    return render(
        desk,
        "drive/lines.html",
        "lines",
        on,
        outcome,
        new=new,
        made=line,
        rows=max(len(joints) + 1, 2) if line else 3,
        suggested=suggested,
        usual_name=_usual_name(on.at.build, suggested),
        points=points,
        uses=USES,
        kinds=KINDS,
        arrangements=ARRANGEMENTS,
        carriers=carriers,
        best=best,
    )


def _usual_name(build: Build, suggested: tuple[str, ...]) -> str:
    """What a line is called where nobody says: after the part that it drives."""
    if not suggested:
        return ""
    name = f"Shaft to {build.component(build.point(suggested[-1]).on).name}"[:80]
    return "" if any(d.name.lower() == name.lower() for d in build.drivelines) else name


@router.get("/builds/{build_id}/drive/lines", name="drive_lines")
def show(build_id: str, desk: ReadDesk) -> Response:
    """A line as it is made up."""
    return page(desk, build_id)


def said_from(desk: Desk, form: Form, known: int = 0) -> SaidLine:
    """What the form says of a line that has so many joints. Raises InputError beside each field."""
    joints, phases = [], []
    for k in range(20):
        point = desk.text(f"joint_{k}_point")
        if not point:
            for told in ("max", "phase"):
                if k >= known and form.given(f"joint_{k}_{told}"):
                    form.refuse(
                        f"joint_{k}_point", "is not chosen, and something is said of its joint; choose the point, or empty the rest"
                    )
            continue
        most = form.angle_or_none(f"joint_{k}_max")
        kind = form.choice(f"joint_{k}_kind", KINDS, "cardan")
        joints.append(SaidJoint(point, kind, most))
        phase = form.angle(f"joint_{k}_phase", STRAIGHT_PHASE)
        phases.append(phase)
    rpm = form.number("rpm", 1, 20000, units=TURNS)
    form.require()
    return SaidLine(
        name=desk.text("name"),
        rpm=rpm,
        joints=tuple(joints),
        phases_deg=tuple(phases[1:]),
        use=form.choice("use", USES, "propeller"),
        arrangement=form.choice("arrangement", ARRANGEMENTS, ""),
        axle=desk.text("axle"),
    )


@router.post("/builds/{build_id}/drive/lines", name="keep_line")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Add a line, change it, put a carrier bearing into it, or take it out."""
    desk, form = act.desk, act.form
    build = act.build
    do = desk.text("do")
    if do == "new":
        said = said_from(desk, form)
        outcome = act.change(f"Added the driveline {said.name}", lambda b: line_edits.with_line(b, said))
        if outcome.saved:
            made = outcome.saved.head.build.drivelines[-1].id
            address = str(desk.request.app.url_path_for("drive_lines", build_id=act.build_id))
            return desk.go(f"{address}?{desk.query(option=desk.text('option'), line=made)}")
        return outcome
    line = build.driveline(desk.text("line"))
    if do == "remove":
        outcome = act.change(f"Took the driveline {line.name} out", lambda b: line_edits.without_line(b, line.id))
    elif do == "carrier":
        option_id = build.option(desk.text("option")).id
        place = form.point("carrier_x", "carrier_y", "carrier_z")
        form.require()
        after = desk.number("after", -1)
        outcome = act.change(
            f"Put a carrier bearing into {line.name}", lambda b: line_edits.with_carrier(b, option_id, line.id, after, place)
        )
    else:
        said = said_from(desk, form, len(line.joints))
        kept = SaidLine(
            said.name, said.rpm, said.joints, said.phases_deg, said.use, said.arrangement, said.axle, line.road, line.stations_mm
        )
        outcome = act.change(f"Changed the driveline {line.name}", lambda b: line_edits.with_line_changed(b, line.id, kept))
    return outcome
