"""Drive, mend: single moves that bring a line inside with what they do elsewhere, and the search for the smallest set of them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.advice.single_mends import Effect, Mend, effects_of, mends_of
from elmpeg.core.advice.smallest_change import Freedom, NoSolution, Progress, Solution, freedoms_of, solve
from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.memo import Kept
from elmpeg.core.base.quantities import Words, noted
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Position
from elmpeg.core.evaluation.evaluate import evaluate
from elmpeg.core.methods.driveline.fork_phasing import Phasing, best_phases, ripple_with
from elmpeg.core.scene.line_in_scene import axle_of
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive import line_edits
from elmpeg.core.stages.drive.pinion_turn import means_of
from elmpeg.core.stages.place import option_edits
from elmpeg.web.answers import Act, answers
from elmpeg.web.desk import Desk
from elmpeg.web.forms import Form
from elmpeg.web.jobs import Job
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.drive.drive_page import DrivePage, drive_page, render
from elmpeg.web.security import ReadDesk

router = APIRouter()
_MENDS: Kept[tuple[Mend, ...]] = Kept(12)
MOST_EFFECTS = 6


def page(desk: Desk, build_id: str, outcome: Outcome | None = None, job: Job | None = None) -> HTMLResponse:
    """The ways to mend a line as they stand."""
    on = drive_page(desk, build_id, outcome)
    freedoms = freedoms_of(on.at.build, on.at.option, on.line) if on.line and on.state else ()
    job = job or desk.shop.jobs.of(desk.text("job"), desk.person.id)
    failing = [c for c in on.checks if c.verdict == "fails"]
    return render(desk, "drive/mend.html", "mend", on, outcome, freedoms=freedoms, failing=failing, forks=_forks(on), **_told(job))


@dataclass(frozen=True, slots=True)
class Forks:
    """Forks set otherwise: what stays uneven now and then."""

    best: Phasing
    now_pct: float


def _forks(on: DrivePage) -> Forks | None:
    """How the line's forks would undo more of its unevenness; None where they do as well as they can."""
    if on.line is None or on.state is None or not on.line.phases_deg:
        return None
    best = best_phases(on.state.geometry, on.line.phases_deg)
    return Forks(best, ripple_with(on.state.geometry, on.line.phases_deg)) if best.phases_deg != on.line.phases_deg else None


@router.post("/builds/{build_id}/drive/mend/forks", name="set_forks")
@answers(page)
def set_forks(act: Act) -> Outcome | Response:
    """Set a line's forks as they undo most; they are the line's own, in every option."""
    desk = act.desk
    forks, line = _forks(drive_page(desk, act.build_id)), act.build.driveline(desk.text("line"))
    if forks is None:
        return Outcome(errors=(FieldError("forks", "are set as well as they can be already"),))
    turned = ", ".join(noted(p, "deg") for p in forks.best.phases_deg)
    words = f"Set the forks of {line.name} to {turned}"
    return act.change(words, lambda b: line_edits.with_phases(b, line.id, forks.best.phases_deg))


def _told(job: Job | None) -> dict[str, object]:
    """What the panel of a search shows."""
    # Asked before its result: one that ends in between is shown as running and looked at once more.
    running = job is not None and not job.done.is_set()
    solution = job.result if job and isinstance(job.result, Solution) else None
    stopped = job.result if job and isinstance(job.result, NoSolution) else None
    effects: tuple[Effect, ...] = ()
    how: tuple[Words, ...] = ()
    if job and solution:
        line = job.build.driveline(job.line)
        effects = effects_of(evaluate(job.build, job.option), solution.evaluation, line)
        axle = axle_of(job.build, line)
        pinion = next((c for c in solution.changes if c.freedom.kind == "pinion"), None)
        if axle and pinion and pinion.freedom.component == axle.component:
            how = tuple(m.words for m in means_of(Scene(job.build, job.build.option(job.option)), axle, pinion.amount)[:1])
    told = [c for c in solution.evaluation.checks if job and c.concerns("drivelines", job.line)] if solution else []
    return {"job": job, "running": running, "solution": solution, "no_solution": stopped, "told": told, "effects": effects, "how": how}


@router.get("/builds/{build_id}/drive/mend", name="drive_mend")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The ways to mend a line."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/drive/mend/single", name="drive_mend_single")
def single(build_id: str, desk: ReadDesk) -> Response:
    """Single moves that mend the line, worked out when the page asks for them."""
    on = drive_page(desk, build_id)
    mends: tuple[Mend, ...] = ()
    if on.line and on.state:
        line = on.line
        build, option = on.at.build, on.at.option
        mends = _MENDS.get((build, option, line), lambda: mends_of(build, option.id, line))
    return render(desk, "drive/_mends.html", "mend", on, None, mends=mends, most=MOST_EFFECTS)


@router.post("/builds/{build_id}/drive/mend/solve", name="drive_solve")
@answers(page)
def begin(act: Act) -> Outcome | Response:
    """Begin the search for the smallest set of changes, or stop one."""
    desk = act.desk
    if desk.text("do") == "stop":
        job = desk.shop.jobs.of(desk.text("job"), desk.person.id)
        if job:
            job.stop.set()
            job.done.wait(2.0)
        return page(desk, act.build_id, job=job)
    on = drive_page(desk, act.build_id)
    if on.line is None:
        return Outcome(errors=(FieldError("line", "Choose a line first."),))
    chosen = _chosen(desk, act.form, on)
    build, option, line = on.at.build, on.at.option.id, on.line.id

    def search(told: Callable[[Progress], None], stop: Callable[[], bool]) -> Solution | NoSolution:
        return solve(build, option, line, chosen, told, stop)

    job = desk.shop.jobs.start(desk.person.id, build, option, line, search)
    # Most searches are done before a second look is needed.
    job.done.wait(0.4)
    return page(desk, act.build_id, job=job)


def _chosen(desk: Desk, form: Form, on: DrivePage) -> tuple[Freedom, ...]:
    assert on.line is not None
    chosen = []
    for freedom in freedoms_of(on.at.build, on.at.option, on.line):
        if desk.text(f"may_{freedom.id}") != "1":
            continue
        read = form.angle if freedom.unit == "deg" else form.length
        low, high = read(f"low_{freedom.id}"), read(f"high_{freedom.id}")
        if not low <= 0 <= high or low == high:
            form.refuse(f"low_{freedom.id}", "needs room to move: from 0 or below to 0 or above")
        chosen.append(replace(freedom, low=low, high=high))
    form.require()
    if not chosen:
        raise InputError("freedoms", "choose at least one thing that may move")
    return tuple(chosen)


@router.get("/builds/{build_id}/drive/mend/solve", name="drive_solving")
def solving(build_id: str, desk: ReadDesk) -> Response:
    """How far a search is, or what came of it."""
    on = drive_page(desk, build_id)
    return render(desk, "drive/_solve.html", "mend", on, None, **_told(desk.shop.jobs.of(desk.text("job"), desk.person.id)))


@router.post("/builds/{build_id}/drive/mend/keep", name="keep_trial")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Keep what a search or a single move gives as a new option; nothing else changes."""
    desk = act.desk
    on = drive_page(desk, act.build_id)
    name = desk.text("name")
    positions, note = _positions(desk, on)
    option_id = on.at.option.id
    outcome = act.change(
        lambda b: f"Kept a trial to mend {on.line.name if on.line else 'the line'} as “{name}”, from “{b.option(option_id).name}”",
        lambda b: option_edits.with_trial(b, option_id, name, positions, note),
    )
    if not outcome.saved:
        return outcome
    made = outcome.saved.head.build.options[-1]
    address = str(desk.request.app.url_path_for("drive", build_id=act.build_id))
    return desk.go(f"{address}?{desk.query(option=made.id, line=desk.text('line'))}")


def _positions(desk: Desk, on: DrivePage) -> tuple[tuple[Position, ...], str]:
    """Positions of the search or of the single move that is asked for, worked out from what the page showed, and a note."""
    job = desk.shop.jobs.of(desk.text("job"), desk.person.id)
    if job is not None and isinstance(job.result, Solution):
        return job.result.positions, " ".join(desk.show.words(c.words) for c in job.result.changes)
    seen: Build = desk.shop.builds.at(on.at.build.id, desk.number("base") or on.at.head.number)
    line = next((d for d in seen.drivelines if d.id == desk.text("line")), None)
    mends = mends_of(seen, on.at.option.id, line) if line else ()
    mend = next((m for m in mends if m.freedom == desk.text("freedom")), None)
    if mend is None:
        raise InputError("trial", "that change is no longer there; look again")
    return mend.positions, desk.show.words(mend.words)
