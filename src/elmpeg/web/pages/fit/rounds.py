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
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ChangeDesk, ReadDesk
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
def start(build_id: str, desk: ChangeDesk) -> Response:
    """Start a round from the option being looked at; its predictions are frozen now."""
    option_id, material = desk.text("option"), desk.text("material")
    known = next((m for m in MATERIALS if m == material), None)
    if known is None:
        return page(desk, build_id, Outcome(errors=InputError("material", "Choose what the part is made of this time.").errors))

    def words(build: Build) -> str:
        return f"Started round {len(build.rounds) + 1} ({known}) from “{build.option(option_id).name}”"

    when = _now()
    outcome = desk.change(build_id, words, lambda b: round_start.with_round(b, option_id, known, desk.text("by") or desk.person.name, when))
    return page(desk, build_id, outcome)


@router.post("/builds/{build_id}/fit/{round_id}/measured", name="measured")
def measured(build_id: str, round_id: str, desk: ChangeDesk) -> Response:
    """Enter, replace or take out what was measured against one prediction or at one point."""
    build = desk.shop.builds.head(build_id).build
    one = build.round(round_id)
    code = desk.text("code")
    try:
        point = next((p for p in one.points if p.point == code), None)
        if point is not None:
            texts = [desk.text(f"{code}_{axis}").strip() for axis in "xyz"]
            field = code
        else:
            texts, field = [desk.text("text").strip()], code
        if not any(texts):
            outcome = desk.change(
                build_id, f"Took out a measured value in round {one.number}", lambda b: rounds.without_measured(b, round_id, code)
            )
            return page(desk, build_id, outcome)
        if point is not None:
            x, y, z = (desk.show.read(t.replace(MINUS, "-"), "mm", f"{code}_{axis}") for t, axis in zip(texts, "xyz", strict=True))
            found = MeasuredPoint(code, ", ".join(texts), (x, y, z), DEFAULT_SD["mm"], desk.person.name, _now())
            words = f"Measured {point.name} in round {one.number}"
            outcome = desk.change(build_id, words, lambda b: rounds.with_measured_point(b, round_id, found))
        else:
            prediction = next((p for p in one.predictions if p.code == code), None)
            if prediction is None:
                raise InputError(code, "is not among this round's predictions")
            value = desk.show.read(texts[0].replace(MINUS, "-"), prediction.unit, field)
            entry = Measured(code, texts[0], value, DEFAULT_SD.get(prediction.unit, 0.0), desk.person.name, _now())
            words = f"Measured {prediction.name} in round {one.number}: {texts[0]}"
            outcome = desk.change(build_id, words, lambda b: rounds.with_measured(b, round_id, entry))
    except InputError as refused:
        outcome = Outcome(errors=refused.errors)
    return page(desk, build_id, outcome)


@router.post("/builds/{build_id}/fit/{round_id}/place", name="place_from_round")
def place_from_round(build_id: str, round_id: str, desk: ChangeDesk) -> Response:
    """Put the part, in the option being looked at, where this round found it."""
    option_id = desk.text("option")

    def edit(build: Build) -> Build:
        found = rounds.measured_place(build, build.round(round_id))
        if found is None:
            raise InputError("place", "Measure at least three points on the part first, not all in a line.")
        return position_edits.placed_at(build, option_id, found.component, found.pose)

    def words(build: Build) -> str:
        return f"Put “{build.option(option_id).name}” where round {build.round(round_id).number} found the part"

    return page(desk, build_id, desk.change(build_id, words, edit))


@router.post("/builds/{build_id}/fit/{round_id}/finding", name="finding")
def finding(build_id: str, round_id: str, desk: ChangeDesk) -> Response:
    """Add a finding, or mark one done or open."""
    which = desk.text("finding")
    if which:
        done = desk.text("done") == "1"
        words = f"Marked a finding {'done' if done else 'open'}"
        return page(desk, build_id, desk.change(build_id, words, lambda b: rounds.with_finding_done(b, round_id, which, done)))
    kind = next((k for k in KINDS if k == desk.text("kind")), None)
    if kind is None:
        return page(desk, build_id, Outcome(errors=InputError("kind", "Choose what kind of finding it is.").errors))
    text, place, owner = desk.text("words"), desk.text("place"), desk.text("owner") or desk.person.name
    outcome = desk.change(build_id, f"Found: {text}", lambda b: rounds.with_finding(b, round_id, kind, place, text, owner))
    return page(desk, build_id, outcome)


@router.post("/builds/{build_id}/fit/{round_id}/close", name="close_round")
def close(build_id: str, round_id: str, desk: ChangeDesk) -> Response:
    """Decide and close a round."""
    decision = next((d for d in DECISIONS if d == desk.text("decision")), "")
    text, when = desk.text("decision_words"), _now()

    def words(build: Build) -> str:
        return f"Closed round {build.round(round_id).number}: {decision}"

    return page(desk, build_id, desk.change(build_id, words, lambda b: rounds.with_decision(b, round_id, decision, text, when)))
