"""Fit: test-fit rounds, predicted against measured, findings and decisions."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from functools import partial, reduce
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.advice import round_start
from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.build.rounds import Decision, FindingKind, Material, Measured, MeasuredPoint, PredictedPoint, Prediction
from elmpeg.core.stages.fit import rounds
from elmpeg.core.stages.place import position_edits
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import MINUS, room_mm_of

router = APIRouter()

MATERIALS: tuple[Material, ...] = get_args(Material)
KINDS: tuple[FindingKind, ...] = get_args(FindingKind)
DECISIONS: tuple[Decision, ...] = ("again", "change", "go on")
LONGEST_WORDS = 280
"""What the history says of one save."""
MOST_TOLD = 4
"""Rows named in the history of those that one save kept."""
DEFAULT_SD = {"mm": 1.0, "deg": 0.1}
"""Doubt of what is read at the part: a steel tape, an angle gauge."""


def _now() -> str:
    return datetime.now().replace(microsecond=0).isoformat()


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The Fit page as it stands."""
    at = build_page(desk, build_id, "Fit", outcome)
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
        in_column=desk.show.column(_lengths(report)) if report else desk.show,
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


def _lengths(report: rounds.RoundReport) -> list[tuple[float, float | None, float | None]]:
    """Every length among a round's predictions, with its doubt and its room, and what was measured of it."""
    found: list[tuple[float, float | None, float | None]] = []
    for row in report.values:
        p = row.prediction
        if p.unit == "mm":
            found.append((p.value, p.sd, room_mm_of(p.value, p.low, p.high)))
            found += [(v, None, None) for v in (p.low, p.high, row.difference) if v is not None]
            found += [(row.measured.value, row.measured.sd, None)] if row.measured else []
    return found


@router.get("/builds/{build_id}/fit", name="fit")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The Fit page."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/fit/start", name="start_round")
@answers(page)
def start(act: Act) -> Outcome:
    """Start a round from the option being looked at; its predictions are frozen now."""
    option_id, material, when = act.text("option"), act.form.choice("material", MATERIALS), _now()
    by = act.desk.person.name
    known = {r.id for r in act.build.rounds}

    def begun_by_others() -> Outcome | None:
        """The round that somebody else began while this page was looked at: it is this one too."""
        here = next((r for r in act.desk.shop.builds.head(act.build_id).build.rounds if not r.closed and r.id not in known), None)
        told = f"Round {here.number} was begun meanwhile by {here.by}, from “{here.option_name}”; it is the one to fill in." if here else ""
        return Outcome(notice=told) if here else None

    already = begun_by_others()
    if already is not None:
        return already

    def words(build: Build) -> str:
        return f"Started round {len(build.rounds) + 1} ({material}) from “{build.option(option_id).name}”"

    outcome = act.change(words, lambda b: round_start.with_round(b, option_id, material, by, when))
    return outcome if outcome.saved else begun_by_others() or outcome


@router.post("/builds/{build_id}/fit/{round_id}/measured", name="measured")
@answers(page)
def measured(act: Act) -> Outcome:
    """Keep every row that was written in, whole or one coordinate alone; what was emptied is taken out, the rest stays as it is."""
    round_id, now = act.path("round_id"), _now()
    one = act.build.round(round_id)
    before = {m.code: m for m in one.measured} | {m.point: m for m in one.measured_points}
    steps: list[Callable[[Build], Build]] = []
    told: list[str] = []
    for point in one.points:
        fields = {axis: f"{point.point}_{axis}" for axis in "xyz"}
        if not any(act.desk.has(field) for field in fields.values()):
            continue
        known = before.get(point.point)
        found = _point_read(act, point, fields, known if isinstance(known, MeasuredPoint) else None, now)
        if isinstance(found, MeasuredPoint):
            steps.append(partial(rounds.with_measured_point, round_id=round_id, measured=found))
            told.append(point.name)
        elif found is None and known is not None:
            steps.append(partial(rounds.without_measured, round_id=round_id, code=point.point))
            told.append(f"{point.name} taken out")
    for prediction in one.predictions:
        text, known = act.form.text(prediction.code), before.get(prediction.code)
        if not act.desk.has(prediction.code) or text == (known.text if known else ""):
            continue
        if not text:
            steps.append(partial(rounds.without_measured, round_id=round_id, code=prediction.code))
            told.append(f"{prediction.name} taken out")
            continue
        value = act.form.angle(prediction.code) if prediction.unit == "deg" else _value_read(act, prediction)
        entry = Measured(prediction.code, text, value, DEFAULT_SD.get(prediction.unit, 0.0), act.desk.person.name, now)
        steps.append(partial(rounds.with_measured, round_id=round_id, measured=entry))
        told.append(f"{prediction.name} {text}")
    act.form.require()
    if not steps:
        raise InputError("measured", "write what was measured in a row first")
    words = f"Measured in round {one.number}: {'; '.join(told[:MOST_TOLD])}" + (
        f" and {len(told) - MOST_TOLD} more" if told[MOST_TOLD:] else ""
    )
    return act.change(words[:LONGEST_WORDS], lambda b: reduce(lambda so_far, step: step(so_far), steps, b))


def _value_read(act: Act, prediction: Prediction) -> float:
    try:
        return act.desk.show.read(act.text(prediction.code).strip().replace(MINUS, "-"), prediction.unit, prediction.code)
    except InputError as refused:
        act.form.refuse(prediction.code, refused.errors[0].message)
        return 0.0


def _point_read(
    act: Act, point: PredictedPoint, fields: dict[str, str], known: MeasuredPoint | None, now: str
) -> MeasuredPoint | bool | None:
    """What a point's row says: a reading, None for an empty row, or False where it still says what is kept."""
    form, show = act.form, act.desk.show
    axes = "".join(axis for axis, field in fields.items() if form.given(field))
    shown = {a: show.entered(v, "mm") for a, v in zip("xyz", known.xyz_mm, strict=True) if a in known.axes} if known else {}
    if {a: form.text(f) for a, f in fields.items() if form.given(f)} == shown:
        return False if known else None
    if not axes:
        return None
    now_mm = known.xyz_mm if known else point.xyz_mm
    x, y, z = (
        form.length(fields[a], now=v if a in shown else None) if a in axes else p
        for a, v, p in zip("xyz", now_mm, point.xyz_mm, strict=True)
    )
    if known and (known.axes, known.xyz_mm) == (axes, (x, y, z)):
        return False
    text = ", ".join(f"{a.upper()} {form.text(fields[a])}" if len(axes) < 3 else form.text(fields[a]) for a in axes)
    return MeasuredPoint(point.point, text, (x, y, z), DEFAULT_SD["mm"], act.desk.person.name, now, axes)


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
