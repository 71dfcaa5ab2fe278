"""Drive, ways: one piece, two pieces or a double joint side by side, and which was decided."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.advice.line_ways import WAYS, WayRow, best_way, way_now, ways_of
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.memo import Kept
from elmpeg.core.build.drivelines import Way
from elmpeg.core.stages.drive import line_edits
from elmpeg.web.answers import Act, answers
from elmpeg.web.desk import Desk, now
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.drive.drive_page import drive_page, render
from elmpeg.web.security import LeadDesk, ReadDesk

router = APIRouter()
WAY_WORDS: dict[Way, str] = {"one_piece": "One piece", "two_piece": "Two pieces", "double_joint": "Double joint"}
_WAYS: Kept[tuple[WayRow, ...]] = Kept(12)


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The three ways as they stand."""
    on = drive_page(desk, build_id, outcome)
    rows: tuple[WayRow, ...] = ()
    if on.line and on.state and on.line.use != "steering":
        line, build, option = on.line, on.at.build, on.at.option
        try:
            rows = _WAYS.get((build, option, line), lambda: ways_of(build, option.id, line))
        except InputError:
            rows = ()
    best = best_way(rows)
    return render(
        desk,
        "drive/ways.html",
        "ways",
        on,
        outcome,
        ways=rows,
        way_words=WAY_WORDS,
        way_here=way_now(on.line) if on.line else None,
        best=best.way if best else None,
    )


@router.get("/builds/{build_id}/drive/ways", name="drive_ways")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The three ways side by side."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/drive/ways", name="decide_way")
@answers(page, LeadDesk)
def decide(act: Act) -> Outcome | Response:
    """Decide which way a line is built, and why."""
    desk = act.desk
    build = act.build
    line = build.driveline(desk.text("line"))
    way = act.form.choice("way", WAYS)
    act.form.require()
    outcome = act.change(
        f"Decided for {line.name}: {WAY_WORDS[way].lower()}",
        lambda b: line_edits.with_decision(b, line.id, way, desk.text("reason"), desk.person.name, now()),
    )
    return outcome
