"""Fit: test-fit rounds, predicted against measured, findings and decisions."""

from __future__ import annotations

from datetime import datetime
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.advice import round_start
from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.build.rounds import Decision, FindingKind, Material, Measured, MeasuredPoint
from elmpeg.core.stages.fit import rounds
from elmpeg.core.stages.place import position_edits
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()

MATERIALS: tuple[Material, ...] = get_args(Material)
KINDS: tuple[FindingKind, ...] = get_args(FindingKind)
DECISIONS: tuple[Decision, ...] = ("again", "change", "go on")
DEFAULT_SD = {"mm": 1.0, "deg": 0.1}
"""Doubt of what is read at the part: a steel tape, an angle gauge."""


def _now() -> str:
    return datetime.now().replace(microsecond=0).isoformat()


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The Fit page as it stands."""
    at = build_page(desk, build_id, "Fit", outcome.saved.head if outcome and outcome.saved else None)
    all_rounds = at.build.rounds
    wanted = desk.text("round")
    one = next((r for r in all_rounds if r.id == wanted), all_rounds[-1] if all_rounds else None)
    report = rounds.report(one) if one else None
    shrink = rounds.shrinking(all_rounds)
    largest = max((v for _, v in shrink if v), default=0.0)
    places = [(m.id, m.name) for m in at.build.mounts] + [(p.id, p.name) for p in at.build.points]
    return desk.render(
        "fit/rounds.html",
        outcome,
        page=at,
        one=one,
        report=report,
        shrink=shrink,
        largest=largest,
        place=rounds.measured_place(at.build, one) if one else None,
        materials=MATERIALS,
        kinds=KINDS,
        decisions=DECISIONS,
        places=places,
        place_names=dict(places),
        people=[p.name for p in desk.shop.accounts.people()],
        still_open=next((r for r in all_rounds if not r.closed), None),
        component_names={c.id: c.name for c in at.build.components},
    )


@router.get("/builds/{build_id}/fit", name="fit")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The Fit page."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/fit/start", name="start_round")
@answers(page)
def start(act: Act) -> Outcome:
    """Start a round from the option being looked at; its predictions are frozen now."""
    option_id, material, when = act.text("option"), act.form.choice("material", MATERIALS), _now()
    by = act.text("by") or act.desk.person.name

    def words(build: Build) -> str:
        return f"Started round {len(build.rounds) + 1} ({material}) from “{build.option(option_id).name}”"

    return act.change(words, lambda b: round_start.with_round(b, option_id, material, by, when))


@router.post("/builds/{build_id}/fit/{round_id}/measured", name="measured")
@answers(page)
def measured(act: Act) -> Outcome:
    """Enter, replace or take out what was measured against one prediction or at one point."""
    round_id, code, form, person = act.path("round_id"), act.text("code"), act.form, act.desk.person.name
    one = act.build.round(round_id)
    point = next((p for p in one.points if p.point == code), None)
    typed = [f"{code}_{axis}" for axis in "xyz"] if point is not None else ["text"]
    if not any(form.given(field) for field in typed):
        return act.change(f"Took out a measured value in round {one.number}", lambda b: rounds.without_measured(b, round_id, code))
    if point is not None:
        place = form.point(f"{code}_x", f"{code}_y", f"{code}_z")
        found = MeasuredPoint(code, ", ".join(form.text(f) for f in typed), place, DEFAULT_SD["mm"], person, _now())
        words = f"Measured {point.name} in round {one.number}"
        return act.change(words, lambda b: rounds.with_measured_point(b, round_id, found))
    prediction = next((p for p in one.predictions if p.code == code), None)
    if prediction is None:
        raise InputError(code, "is not among this round's predictions")
    text = act.text("text").strip()
    value = act.desk.show.read(text.replace(MINUS, "-"), prediction.unit, code)
    entry = Measured(code, text, value, DEFAULT_SD.get(prediction.unit, 0.0), person, _now())
    return act.change(f"Measured {prediction.name} in round {one.number}: {text}", lambda b: rounds.with_measured(b, round_id, entry))


@router.post("/builds/{build_id}/fit/{round_id}/place", name="place_from_round")
@answers(page)
def place_from_round(act: Act) -> Outcome:
    """Put the part, in the option being looked at, where this round found it."""
    option_id, round_id = act.text("option"), act.path("round_id")

    def edit(build: Build) -> Build:
        found = rounds.measured_place(build, build.round(round_id))
        if found is None:
            raise InputError("place", "Measure at least three points on the part first, not all in a line.")
        return position_edits.placed_at(build, option_id, found.component, found.pose)

    def words(build: Build) -> str:
        return f"Put “{build.option(option_id).name}” where round {build.round(round_id).number} found the part"

    return act.change(words, edit)


@router.post("/builds/{build_id}/fit/{round_id}/finding", name="finding")
@answers(page)
def finding(act: Act) -> Outcome:
    """Add a finding, or mark one done or open."""
    round_id, which, form = act.path("round_id"), act.text("finding"), act.form
    if which:
        done = form.tick("done")
        words = f"Marked a finding {'done' if done else 'open'}"
        return act.change(words, lambda b: rounds.with_finding_done(b, round_id, which, done))
    kind = form.choice("kind", KINDS)
    text, place, owner = act.text("words"), act.text("place"), act.text("owner") or act.desk.person.name
    return act.change(f"Found: {text}", lambda b: rounds.with_finding(b, round_id, kind, place, text, owner))


@router.post("/builds/{build_id}/fit/{round_id}/close", name="close_round")
@answers(page)
def close(act: Act) -> Outcome:
    """Decide and close a round."""
    round_id, text, when = act.path("round_id"), act.text("decision_words"), _now()
    decision = act.form.choice("decision", DECISIONS, "")

    def words(build: Build) -> str:
        return f"Closed round {build.round(round_id).number}: {decision}"

    return act.change(words, lambda b: rounds.with_decision(b, round_id, decision, text, when))
