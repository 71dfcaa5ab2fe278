"""Existing holes first: which of the vehicle's own holes could hold a part's point."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import capitalised
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount import existing_holes
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.mount.mounts import TABS
from elmpeg.web.security import ReadDesk

router = APIRouter()


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The sets of holes for the chosen point."""
    at = build_page(desk, build_id, "Mount", outcome)
    held = {m.component_point for m in at.build.mounts}
    points = [p for p in at.build.points if p.on != VEHICLE and p.axis is not None]
    free = [p for p in points if p.id not in held]
    chosen = next((p for p in points if p.id == desk.text("point")), next((p for p in free if p.hole_mm), next(iter(free or points), None)))
    sets: tuple[existing_holes.HoleSet, ...] = ()
    why = ""
    if chosen is not None:
        try:
            sets = existing_holes.hole_sets(Scene(at.build, at.option), chosen.id)
        except InputError as refused:
            why = f"{capitalised(refused.message)}."
    names = {p.id: p.name for p in at.build.points}
    return desk.render(
        "mount/existing_holes.html",
        outcome,
        page=at,
        points=points,
        held=held,
        chosen=chosen,
        sets=sets,
        why=why,
        names=names,
        reach=existing_holes.REACH_MM,
        tab="holes",
        tabs=TABS,
    )


@router.get("/builds/{build_id}/mounts/holes", name="reuse")
def show(build_id: str, desk: ReadDesk) -> Response:
    """Existing holes for a point."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/mounts/holes", name="use_holes")
@answers(page)
def use_holes(act: Act) -> Outcome | Response:
    """Make a set of holes the seats of a new mount."""
    desk = act.desk
    point = desk.text("point")
    holes = tuple(h for h in desk.text("holes").split("|") if h)
    name = desk.text("name")
    outcome = act.change(f"{name} on existing holes", lambda b: existing_holes.with_seats(b, point, holes, name))
    if outcome.saved is None:
        return outcome
    address = str(desk.request.app.url_path_for("mounts", build_id=act.build_id))
    return desk.go(f"{address}?{desk.query(option=desk.text('option'), mount=outcome.saved.head.build.mounts[-1].id)}")
