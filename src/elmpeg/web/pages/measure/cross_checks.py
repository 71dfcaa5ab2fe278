"""Cross-checks: what was measured held against itself, and the tapes, pairs and bays that are compared."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import noted
from elmpeg.core.build.survey import VEHICLE, Span
from elmpeg.core.evaluation.catalogue import KINDS
from elmpeg.core.stages.measure import point_edits
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk, now
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The cross-checks as they stand."""
    at = build_page(desk, build_id, "Measure", outcome)
    points = sorted(at.build.points, key=lambda p: (p.on != VEHICLE, p.on, p.name.lower()))
    return desk.render(
        "measure/cross_checks.html",
        outcome,
        page=at,
        checks=[c for c in at.evaluation.checks if KINDS[c.family].compared],
        all_points=points,
        vehicle_points=[p for p in points if p.on == VEHICLE],
        on={c.id: c.name for c in at.build.components},
        length_tools=[t for t in at.build.tools if t.sd_mm > 0],
        tab="cross",
    )


@router.get("/builds/{build_id}/measure/cross", name="cross")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The cross-checks."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/measure/cross/tape", name="add_span")
@answers(page)
def add_span(act: Act) -> Outcome | Response:
    """Keep a tape from one point to another."""
    desk = act.desk
    a, b, text = desk.text("span_a"), desk.text("span_b"), desk.text("span_text").strip()
    names = {p.id: p.name for p in act.build.points}
    if a not in names or b not in names:
        raise InputError("span_b", "choose two different points")
    value = desk.show.read(text.replace(MINUS, "-"), "mm", "span_text")
    span = Span("", a, b, text, value, desk.text("tool") or "tape", desk.person.name, now())
    outcome = act.change(f"Taped {names[a]} to {names[b]}: {noted(value, 'mm')}", lambda build: point_edits.with_span(build, span))
    return outcome


@router.post("/builds/{build_id}/measure/cross/drop-tape", name="drop_span")
@answers(page)
def drop_span(act: Act) -> Outcome | Response:
    """Set a tape aside with a reason, or count it again."""
    desk = act.desk
    span, reason = desk.text("span"), desk.text("reason").strip()
    if desk.text("do") == "drop" and not reason:
        return Outcome(errors=InputError("reason", "say in a few words why this tape does not count").errors)
    words = f"Set a tape aside: {reason}" if reason else "Counted a tape again"
    return act.change(words, lambda b: point_edits.with_span_dropped(b, span, reason))


@router.post("/builds/{build_id}/measure/cross/pair", name="add_pair")
@answers(page)
def add_pair(act: Act) -> Outcome | Response:
    """Compare a left point with a right one."""
    desk = act.desk
    left, right = desk.text("pair_left"), desk.text("pair_right")
    return act.change("Left and right compared", lambda b: point_edits.with_pair(b, left, right))


@router.post("/builds/{build_id}/measure/cross/bay", name="add_bay")
@answers(page)
def add_bay(act: Act) -> Outcome | Response:
    """Check the diagonals of a bay of the frame."""
    desk = act.desk
    name, corners = desk.text("bay_name"), tuple(desk.text(f"bay_{n}") for n in (1, 2, 3, 4))
    return act.change(f"Diagonals of {name} checked", lambda b: point_edits.with_bay(b, name, corners))


@router.post("/builds/{build_id}/measure/cross/drop", name="drop_cross")
@answers(page)
def drop_cross(act: Act) -> Outcome | Response:
    """Stop comparing a pair or a bay."""
    desk = act.desk
    cross = desk.text("cross")
    return act.change("Stopped comparing", lambda b: point_edits.without_cross(b, cross))
