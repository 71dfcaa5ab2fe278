"""Bay: place the part and see at once what follows."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from markupsafe import Markup

from elmpeg.core.advice.made_remedy import newly_out
from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.pose import FREEDOMS, Freedom, Pose
from elmpeg.core.base.quantities import Unit, noted
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option
from elmpeg.core.evaluation.evaluate import Evaluation, evaluate, placed_components
from elmpeg.core.evaluation.kept_findings import by_hand_first
from elmpeg.core.judging.checks import Check
from elmpeg.core.methods.shapes.solids import View
from elmpeg.core.scene.carried_axle import reach_of
from elmpeg.core.scene.scene import assembly_of, pose_in, root_of
from elmpeg.core.scene.states import AT_REST, State, axle_at
from elmpeg.core.stages.drive.line_checks import LineState
from elmpeg.core.stages.place import position_edits
from elmpeg.figures.projection import Window
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import BuildPage, build_page
from elmpeg.web.check_rows import Listed, Row, against
from elmpeg.web.desk import Desk
from elmpeg.web.drawing.bay import VIEW_NAMES, VIEW_WORDS, BayScene, Ghost, draw
from elmpeg.web.outcome import Outcome
from elmpeg.web.remedies import tried
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import MINUS, Show

router = APIRouter()
PUT_IN = "+"
"""Stands among the parts for one that is not there yet."""
COSTS_NAMED = 3
"""Checks named of those that a remedy newly puts out."""

STEPS: dict[str, tuple[str, ...]] = {
    "mm": ("0.5 mm", "1 mm", "5 mm", "20 mm"),
    "in": ("1/32 in", "1/16 in", "1/4 in", "1 in"),
}
TURNS: tuple[str, ...] = ("0.1°", "0.5°", "2°")
FREEDOM_WORDS: dict[Freedom, tuple[str, str, str]] = {
    "x": ("X", "forward", "back"),
    "y": ("Y", "left", "right"),
    "z": ("Z", "down", "up"),
    "pitch": ("pitch", "tail up", "tail down"),
    "roll": ("roll", "right down", "right up"),
    "yaw": ("yaw", "tail left", "tail right"),
}
ORDERS = {"worst": "worst first", "hand": "by hand first"}
VIEWS: tuple[View, ...] = ("side", "plan", "rear")


@dataclass(frozen=True, slots=True)
class Knob:
    """One of the six freedoms on the move panel."""

    freedom: Freedom
    name: str
    minus: str
    plus: str
    value: str
    unit: str
    full: str
    was: str


@dataclass(frozen=True, slots=True)
class About:
    """One choice of what the part turns about."""

    id: str
    name: str


@dataclass(frozen=True, slots=True)
class BayState:
    """What this person has chosen in the Bay; travels with every request."""

    part: str
    view: View
    about: str
    step: str
    turn: str
    check: str
    holds: bool
    """Whether the checks that hold are unfolded."""
    order: str
    """Worst first, or what is put right with what is in the hand."""
    window: str
    axle: str
    rise: float
    roll: float

    @property
    def stands(self) -> State:
        """Where everything movable is shown; at rest where no axle is away from ride height."""
        return axle_at(self.axle, self.rise, self.roll) if self.axle else AT_REST


def _figure(text: str, low: float, high: float) -> float:
    """A figure of the page's own within its bounds; 0 for anything else."""
    try:
        value = float(text)
    except ValueError:
        return 0.0
    return min(max(value, low), high) if math.isfinite(value) else 0.0


def _state(desk: Desk, page: BuildPage) -> BayState:
    build = page.build
    movable = [c for c in build.components if c.parent is None and c.movable]
    part = desk.text("part")
    if part not in {c.id for c in build.components}:
        part = movable[0].id if movable else ""
    view = desk.text("view", "side")
    steps = STEPS[desk.show.length_unit]
    step, turn = desk.text("step"), desk.text("turn")
    abouts = {a.id for a in _abouts(build, page.option, part)}
    about = desk.text("about", position_edits.FRONT)
    axle = next((a for a in build.axles if a.id == desk.text("axle")), build.axles[0] if build.axles else None)
    reach = reach_of(build, axle) if axle else None
    return BayState(
        part=part,
        view=view if view in VIEWS else "side",
        about=about if about in abouts else position_edits.ORIGIN,
        step=step if step in steps else steps[1],
        turn=turn if turn in TURNS else TURNS[1],
        check=desk.text("check"),
        holds=desk.text("holds") == "1",
        order=desk.text("order") if desk.text("order") in ORDERS else "worst",
        window=desk.text("window"),
        axle=axle.id if axle else "",
        rise=_figure(desk.text("rise"), -reach.droop_mm, reach.bump_mm) if reach else 0.0,
        roll=_figure(desk.text("roll"), -axle.roll_deg, axle.roll_deg) if axle else 0.0,
    )


def _abouts(build: Build, option: Option, part: str) -> list[About]:
    if not part:
        return []
    choices = [About(position_edits.ORIGIN, "own origin")]
    for about, name in ((position_edits.FRONT, "front mounts"), (position_edits.REAR, "rear mount")):
        try:
            position_edits.pivot_local_mm(build, option.id, part, about)
        except InputError:
            continue
        choices.append(About(about, name))
    members = {c.id for c in assembly_of(build, part)}
    return choices + [About(p.id, p.name) for p in build.points if p.on in members]


def _knobs(pose: Pose, agreed: Pose | None, show: Show) -> list[Knob]:
    knobs = []
    for freedom in FREEDOMS:
        name, minus, plus = FREEDOM_WORDS[freedom]
        value = pose.value(freedom)
        unit: Unit = "deg" if freedom in ("roll", "pitch", "yaw") else "mm"
        moved = 0.0 if agreed is None else value - agreed.value(freedom)
        was = "" if math.isclose(moved, 0.0, abs_tol=1e-6) else show.change(value, value - moved, unit)
        shown = show.entered(value, unit).replace("-", MINUS)
        full = show.value(value, unit).full
        knobs.append(Knob(freedom, name, minus, plus, shown, "°" if unit == "deg" else show.length_unit, full, was))
    return knobs


def _window(text: str) -> Window | None:
    try:
        left, bottom, right, top = (float(v) for v in text.split(","))
    except ValueError:
        return None
    sane = all(abs(v) < 1e6 for v in (left, bottom, right, top)) and right - left > 1 and top - bottom > 1
    return Window(left, bottom, right, top) if sane else None


def views(desk: Desk, page: BuildPage, state: BayState, ghosts: tuple[Ghost, ...], there: Evaluation | None) -> dict[View, Markup]:
    """The three drawings, the chosen one large; with an axle away from ride height where that is asked for."""
    scene = BayScene(page.build, page.evaluation, state.part, ghosts, state.check)
    if there is not None:
        at_ride = Ghost(page.evaluation.components, "is-ride")
        scene = BayScene(page.build, there, state.part, (*ghosts, at_ride), state.check, scene)
    return {v: draw(scene, v, desk.show, v == state.view, _window(state.window) if v == state.view else None) for v in VIEWS}


def _ghosts(desk: Desk, page: BuildPage) -> tuple[Ghost, ...]:
    ghosts = []
    if page.build.agreed and not page.agreed:
        ghosts.append(Ghost(desk.shop.evaluated(page.head, page.build.agreed).components, "is-agreed"))
    if page.build.rounds:
        last = page.build.rounds[-1]
        roots = {c.id for c in page.build.components if c.parent is None}
        there = tuple(p for p in last.positions if p.component in roots)
        if {p.component: p.pose for p in there} != {c: pose_in(page.build, page.option, c) for c in (p.component for p in there)}:
            ghosts.append(Ghost(placed_components(page.build, replace(page.option, positions=there)), "is-last-round"))
    return tuple(ghosts)


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The Bay as it stands."""
    at = build_page(desk, build_id, "Place", outcome)
    state = _state(desk, at)
    agreed = desk.shop.evaluated(at.head, at.build.agreed) if at.build.agreed and not at.agreed else None
    root = root_of(at.build, state.part) if state.part else None
    agreed_pose = pose_in(at.build, at.build.option(at.build.agreed), root.id) if root and at.build.agreed and not at.agreed else None
    ghosts = _ghosts(desk, at)
    there, reach_words = None, ""
    if state.stands != AT_REST:
        try:
            there = evaluate(at.build, at.option.id, state.stands)
        except InputError as refused:
            reach_words = refused.message
    may_move = desk.may_change and not at.agreed and root is not None and root.movable
    return desk.render(
        "place/bay.html",
        outcome,
        put_in_word=PUT_IN,
        page=at,
        state=state,
        views=views(desk, at, state, ghosts, there),
        there=there,
        lines_there=[s for s in there.of(LineState) if s.line.axle == state.axle] if there else [],
        fails_there=_newly_failing(at.evaluation, there) if there else [],
        reach_words=reach_words,
        reach=reach_of(at.build, at.build.axle(state.axle)) if state.axle else None,
        ghosts=[g.class_ for g in ghosts],
        view_names=VIEW_NAMES,
        view_words=VIEW_WORDS,
        knobs=_knobs(pose_in(at.build, at.option, root.id), agreed_pose, desk.show) if root else [],
        root=root,
        assembly=assembly_of(at.build, state.part) if root else (),
        parts_list=[c for c in at.build.components if c.parent is None],
        abouts=_abouts(at.build, at.option, state.part),
        steps=STEPS[desk.show.length_unit],
        turns=TURNS,
        listed=_listed(desk, at, agreed, state, may_move),
        may_move=may_move,
        orders=ORDERS,
    )


def _newly_failing(at_rest: Evaluation, there: Evaluation) -> list[Check]:
    """What fails where an axle has gone and does not at ride height."""
    failing = {c.code for c in at_rest.checks if c.verdict == "fails"}
    return [c for c in there.checks if c.verdict == "fails" and c.code not in failing]


def _listed(desk: Desk, at: BuildPage, agreed: Evaluation | None, state: BayState, may_move: bool) -> Listed:
    """The list of checks: what holds is folded until it is asked for, and what did not change is not written again."""
    row_of = desk.shop.templates.get_template("shell/_checks.html").module.check_row  # type: ignore[attr-defined]
    costs = _costs(desk, at, state.check) if may_move else ()
    show = desk.show.checks(at.evaluation.checks)
    place = (at.build.id, at.option.id, show, may_move)

    def draw(row: Row, opened: bool) -> Markup:
        return Markup(row_of(row, at, opened, show, desk.shop.url, may_move, costs))

    rows = against(at.evaluation, agreed, show)
    if state.order == "hand":
        place_of = {id(c): k for k, c in enumerate(by_hand_first(at.evaluation.checks))}
        rows.sort(key=lambda r: place_of[id(r.check)])
    return desk.shop.check_rows.listed(rows, state.check, state.holds, (*place, costs), draw)


def _costs(desk: Desk, at: BuildPage, code: str) -> tuple[str, ...]:
    """By remedy of the opened check that moves something: what else it would put out, in words; empty where it moves nothing."""
    check = at.evaluation.check(code)
    told = []
    for remedy in check.remedies if check else ():
        try:
            out = newly_out(at.build, at.option.id, remedy)
        except (InputError, MissingError):
            told.append("")
            continue
        names = [f"{c.name}: {desk.show.check(c)}" for c in out[:COSTS_NAMED]]
        more = f", and {len(out) - COSTS_NAMED} more" if len(out) > COSTS_NAMED else ""
        nothing = "Puts nothing else out." if remedy.can_be_made else ""
        told.append(f"Newly puts out {'; '.join(names)}{more}." if out else nothing)
    return tuple(told)


@router.get("/builds/{build_id}/bay", name="bay")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The Bay; or, chosen where parts are, the page that puts another one in."""
    if desk.text("part") == PUT_IN:
        return desk.go(f"{desk.shop.url('put_in', build_id=build_id)}?{desk.query(option=desk.text('option'))}")
    return page(desk, build_id)


def _name(build: Build, component_id: str) -> str:
    return root_of(build, component_id).name


@router.post("/builds/{build_id}/bay/move", name="move")
@answers(page)
def move(act: Act) -> Outcome:
    """Move by a step, by a typed value, by a drag, or to the pose a remedy proposes."""
    if act.text("do") == "drag":
        return _dragged(act)
    if act.text("do") == "remedy":
        return tried(act)
    freedom: Freedom = act.form.choice("freedom", FREEDOMS)
    act.form.require()
    return _moved(act, freedom)


def _dragged(act: Act) -> Outcome:
    option_id, part = act.text("option"), act.text("part")
    try:
        shift: Vec3 = (float(act.text("dx_mm", "0")), float(act.text("dy_mm", "0")), float(act.text("dz_mm", "0")))
    except ValueError:
        raise InputError("drag", "was not understood; drag again") from None
    if not all(math.isfinite(v) for v in shift):
        raise InputError("drag", "was not understood; drag again")
    by = ", ".join(noted(v, "mm") for v in shift)
    return act.change(
        lambda b: f"Dragged {_name(b, part)} by {by} in “{b.option(option_id).name}”",
        lambda b: position_edits.shifted(b, option_id, part, shift),
    )


def _moved(act: Act, freedom: Freedom) -> Outcome:
    option_id, part, about = act.text("option"), act.text("part"), act.text("about", position_edits.ORIGIN)
    turning = freedom in ("roll", "pitch", "yaw")
    read = act.form.angle if turning else act.form.length
    label, less, more = FREEDOM_WORDS[freedom]
    if act.text("do") == "set":
        value = read(f"{freedom}_value")
        shown = noted(value, "deg" if turning else "mm")
        return act.change(
            lambda b: f"Set {label} of {_name(b, part)} to {shown} in “{b.option(option_id).name}”",
            lambda b: position_edits.set_to(b, option_id, part, freedom, value, about),
        )
    if act.text("do") not in ("plus", "minus"):
        raise InputError("move", "was not understood; press the button again")
    amount = read("turn" if turning else "step")
    if act.text("do") == "minus":
        amount = -amount
    way, shown = less if amount < 0 else more, noted(abs(amount), "deg" if turning else "mm")
    return act.change(
        lambda b: f"Moved {_name(b, part)} {way} {shown} in “{b.option(option_id).name}”",
        lambda b: position_edits.nudged(b, option_id, part, freedom, amount, about),
    )
