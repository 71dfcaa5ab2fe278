"""Measure: every point with its figures, how sure they are, what they rest on, and new readings."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import capitalised
from elmpeg.core.base.verdicts import Verdict, gravity_of, worst
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, Along, Edge, Point, PointKind, Reading, Source
from elmpeg.core.evaluation.kept_findings import worst_first
from elmpeg.core.judging.checks import Check
from elmpeg.core.judging.in_short import in_short
from elmpeg.core.judging.measure_next import again_first
from elmpeg.core.methods.measuring.typed_figures import parse_length
from elmpeg.core.scene.axis_from_gauge import can_lean, lean_deg
from elmpeg.core.scene.located_points import Located, surveyed
from elmpeg.core.scene.point_from_readings import AXES
from elmpeg.core.stages.measure import point_edits, point_readings, unit_slips
from elmpeg.core.stages.measure.point_readings import HangsOn, QuickLine, SecondEyes
from elmpeg.core.stages.measure.unit_slips import Slip
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk, now
from elmpeg.web.drawing.survey import point_sheet
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.shop import photos
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
SOURCES: tuple[Source, ...] = get_args(Source)
HOW_GOT = {
    "offsets": "offsets along X, Y and Z",
    "tapes": "tapes from known points",
    "centres": "centre distances in a plane",
    "edges": "the edges of a hole",
    "middle": "the middle between two points",
}
KINDS: dict[PointKind, str] = {
    "hole": "hole",
    "face": "face",
    "joint": "joint centre",
    "edge": "edge",
    "wheel": "wheel centre",
    "corner": "obstacle corner",
}
SHOWN = 120
"""Points listed at first; a long list is slower to send than to search."""
EDGES: tuple[Edge, ...] = get_args(Edge)


@dataclass(frozen=True, slots=True)
class PointRow:
    """One point with its figures in its own frame and what is wrong with them."""

    point: Point
    where: Located
    on: str
    checks: tuple[Check, ...]
    verdict: Verdict
    eyes: SecondEyes | None

    @property
    def says(self) -> str:
        """What is wrong with it in three words; empty where nothing is."""
        return in_short(worst_first(self.checks)[0]) if self.checks and self.verdict != "holds" else ""


@dataclass(frozen=True, slots=True)
class Asked:
    """A figure that looks like another unit: which field, what was understood, and what it may have meant."""

    field: str
    value_mm: float
    slip: Slip


def rows_of(build: Build, checks: tuple[Check, ...]) -> list[PointRow]:
    """All points, those that need attention first."""
    names = {VEHICLE: "vehicle", **{c.id: c.name for c in build.components}}
    survey, sds = surveyed(build), {t.id: t.sd_mm for t in build.tools}
    own: dict[str, list[Check]] = {}
    for check in checks:
        if check.stage == "Measure" and len(check.about) == 1:
            own.setdefault(check.about[0].id, []).append(check)
    rows = []
    for point in build.points:
        mine = tuple(own.get(point.id, ()))
        eyes = point_readings.second_eyes(point, sds)
        rows.append(PointRow(point, survey.points[point.id], names[point.on], mine, worst(tuple(c.verdict for c in mine)), eyes))
    return sorted(rows, key=lambda r: (gravity_of(r.verdict), not r.point.again, r.on != "vehicle", r.on, r.point.name.lower()))


def page(
    desk: Desk,
    build_id: str,
    outcome: Outcome | None = None,
    understood: QuickLine | None = None,
    asked: Asked | None = None,
    offer: tuple[str, tuple[str, str, str]] | None = None,
) -> HTMLResponse:
    """The Measure page as it stands."""
    at = build_page(desk, build_id, "Measure", outcome)
    rows = rows_of(at.build, at.evaluation.checks)
    wanted = understood.point if understood else desk.text("point")
    chosen = next((r for r in rows if r.point.id == wanted), rows[0] if rows else None)
    blind = chosen is not None and desk.text("blind") == "1" and not (outcome and outcome.saved)
    read_by = {r.person for r in chosen.point.readings if not r.dropped and not r.blind} if chosen else set()
    same_part = [p for p in at.build.points if chosen and p.on == chosen.point.on and p.id != chosen.point.id]
    held = {r.held_at for r in chosen.point.readings} if chosen else set()
    rests = [c for c in at.evaluation.checks if chosen and any(r.point == chosen.point.id and r.share > 0.01 for r in c.rests_on)]
    return desk.render(
        "measure/blind_readings.html" if blind else "measure/points.html",
        outcome,
        page=at,
        rows=rows,
        chosen=chosen,
        rests=rests,
        hangs_on=point_readings.hangs_on(at.build, chosen.point.id) if chosen else HangsOn((), ()),
        drawings=[point_sheet(at.build, chosen.point, view, desk.show) for view in ("plan", "side")] if chosen and not blind else [],
        tools={t.id: t for t in at.build.tools},
        leans=lean_deg(chosen.point.axis) if chosen and chosen.point.axis and can_lean(chosen.point.axis) else None,
        angle_tools=[t for t in at.build.tools if t.sd_deg > 0],
        length_tools=[t for t in at.build.tools if t.sd_mm > 0],
        again=again_first(at.evaluation.checks)[:3],
        same_part=sorted(same_part, key=lambda p: p.id not in held),
        held=[p for p in same_part if p.id in held] or same_part,
        left=dict(chosen.where.fix.left_mm) if chosen else {},
        may_be_second=bool(read_by) and (desk.person.name not in read_by or desk.alone),
        alone=desk.alone,
        kinds=KINDS,
        shown=len(rows) if desk.text("all") == "1" else SHOWN,
        how_got=HOW_GOT,
        sources=SOURCES,
        edges=EDGES,
        understood=understood,
        offer=offer,
        asked=asked,
        tab="points",
    )


@router.get("/builds/{build_id}/measure", name="measure")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The Measure page."""
    return page(desk, build_id)


def taken_from(desk: Desk, form: Form, build: Build, point: Point) -> tuple[Reading, ...]:
    """The readings in a form: ``read_x``, ``read_y``, ``read_z``, and ``read_tape`` held at ``held_at``.

    Raises InputError beside the field that was not understood, or where nothing was written.
    """
    tool, edge = desk.text("tool"), form.choice("edge", EDGES, "")
    known = {t.id: t for t in build.tools}
    plumb = form.tick("gravity") if "gravity_asked" in desk.form else bool(tool in known and known[tool].plumb)
    fields = tuple((along, f"read_{along}") for along in get_args(Along))
    taken = []
    for along, field in fields:
        text = desk.text(field).strip()
        if not text:
            continue
        read = parse_length(text.replace(MINUS, "-"), desk.show.length_unit, field)
        taken.append(
            Reading(
                "",
                along,
                text,
                read.mm,
                tool,
                desk.person.name,
                now(),
                desk.text("note"),
                unit=desk.show.length_unit,
                held_at=desk.text("held_at") if along == "tape" else "",
                edge=edge if along != "tape" else "",
                level="" if plumb and along != "tape" else None,
                blind=form.tick("blind"),
            )
        )
    if not taken:
        raise InputError("read_x" if point.got not in ("tapes", "centres") else "read_tape", "write at least one figure")
    return tuple(taken)


def slipped(form: Form, build: Build, point: Point, taken: tuple[Reading, ...]) -> Asked | None:
    """The first figure that looks like another unit, unless the person has said that it stands."""
    if form.tick("sure"):
        return None
    for reading in taken:
        slip = unit_slips.slip_of(build, point, reading.axis, reading.value_mm)
        if slip is not None:
            return Asked(f"read_{reading.axis}", reading.value_mm, slip)
    return None


@router.post("/builds/{build_id}/measure/reading", name="take_reading")
@answers(page)
def take_reading(act: Act) -> Outcome | Response:
    """Add a reading of one, two or all three coordinates of a point, or of a tape."""
    desk = act.desk
    build = act.build
    point = build.point(desk.text("point"))
    taken = taken_from(desk, act.form, build, point)
    asked = slipped(act.form, build, point, taken)
    if asked is not None:
        why = f"{capitalised(asked.slip.why)}; say below what is meant"
        return page(desk, act.build_id, Outcome(errors=InputError(asked.field, why).errors), asked=asked)
    photo = photos.kept_from(desk, "photo")
    figures = ", ".join(f"{'tape' if t.axis == 'tape' else t.axis.upper()} {t.text}" for t in taken)
    words = f"Read {point.name}: {figures}"

    def edit(build: Build) -> Build:
        build, picture = photos.with_kept(build, photo)
        return point_readings.with_readings(build, point.id, tuple(replace(t, photo=picture) for t in taken))

    return act.change(words, edit)


@router.post("/builds/{build_id}/measure/line", name="quick_line")
@answers(page)
def quick_line(act: Act) -> Outcome | Response:
    """Take all three coordinates of a point from one line, and say what was understood."""
    desk = act.desk
    build = act.build
    tool = desk.text("tool") or "tape"
    typed = desk.text("line").replace(MINUS, "-")
    offer = point_readings.unknown_line(build, typed)
    if offer is not None:
        told = InputError("line", f"calls out “{offer[0]}”, which is no point of this build; make it, or write another name")
        return page(desk, act.build_id, Outcome(errors=told.errors), offer=offer)
    line = point_readings.quick_line(build, typed, desk.show.length_unit)
    taken = readings_of_line(desk, build, line, tool)
    asked = slipped(act.form, build, build.point(line.point), taken)
    if asked is not None:
        why = f"{asked.field[-1].upper()} {asked.slip.why}; press again to keep it, or write its unit behind it"
        return page(desk, act.build_id, Outcome(errors=InputError("line", why).errors), asked=replace(asked, field="line"))
    words = f"Read {build.point(line.point).name}: {', '.join(line.texts)}"
    outcome = act.change(words, lambda b: point_readings.with_readings(b, line.point, taken))
    return page(desk, act.build_id, outcome, line if outcome.saved else None)


def readings_of_line(desk: Desk, build: Build, line: QuickLine, tool: str) -> tuple[Reading, ...]:
    """The three readings that a quick line says."""
    plumb = any(t.id == tool and t.plumb for t in build.tools)
    when, level = now(), "" if plumb else None
    return tuple(
        Reading("", axis, text, value, tool, desk.person.name, when, unit=desk.show.length_unit, level=level)
        for axis, text, value in zip(AXES, line.texts, line.xyz_mm, strict=True)
    )


@router.post("/builds/{build_id}/measure/drop", name="drop_reading")
@answers(page)
def drop_reading(act: Act) -> Outcome | Response:
    """Set a reading aside with a reason, or count it again."""
    desk = act.desk
    point_id, reading, reason = desk.text("point"), desk.text("reading"), desk.text("reason").strip()
    if desk.text("do") == "drop" and not reason:
        return Outcome(errors=InputError("reason", "say in a few words why this reading does not count").errors)
    name = act.build.point(point_id).name
    words = f"Set a reading of {name} aside: {reason}" if reason else f"Counted a reading of {name} again"
    return act.change(words, lambda b: point_readings.with_reading_dropped(b, point_id, reading, reason))


@router.post("/builds/{build_id}/measure/decide", name="decide_reading")
@answers(page)
def decide(act: Act) -> Outcome | Response:
    """Decide about two readings that disagree: keep both for a reason, drop one, or have it measured again."""
    desk = act.desk
    point_id, first, second = desk.text("point"), desk.text("first"), desk.text("second")
    reason, do = desk.text("reason").strip(), desk.text("do")
    name = act.build.point(point_id).name
    if do == "again":
        why = reason or "two readings disagree"
        words = f"Asked for {name} to be measured again"
        return act.change(words, lambda b: point_readings.with_again(b, point_id, why))
    if do == "keep":
        words = f"Kept both readings of {name}: {reason}"
        return act.change(words, lambda b: point_readings.with_both_kept(b, point_id, first, second, reason))
    if do not in ("first-out", "second-out"):
        raise InputError("reason", "choose what to do about the two")
    out = first if do == "first-out" else second
    if not reason:
        raise InputError("reason", "say in a few words why that reading does not count")
    words = f"Set a reading of {name} aside: {reason}"
    return act.change(words, lambda b: point_readings.with_reading_dropped(b, point_id, out, reason))


@router.post("/builds/{build_id}/measure/source", name="point_source")
@answers(page)
def point_source(act: Act) -> Outcome | Response:
    """Say anew where a point's figures come from."""
    desk = act.desk
    point_id = desk.text("point")
    source = act.form.choice("source", SOURCES)
    name = act.build.point(point_id).name
    return act.change(f"{name} is now {source}", lambda b: point_readings.with_source(b, point_id, source))


@router.post("/builds/{build_id}/measure/which", name="choose_place")
@answers(page)
def choose_place(act: Act) -> Outcome | Response:
    """Say which of two places that fit a point's tapes is meant."""
    desk = act.desk
    point_id, other = desk.text("point"), desk.text("which") == "other"
    build = act.build
    fix = surveyed(build).points[build.point(point_id).id].fix
    place = fix.other_mm if other and fix.other_mm is not None else fix.xyz_mm
    words = f"Said which place of {build.point(point_id).name} is meant"
    return act.change(words, lambda b: point_edits.with_place_chosen(b, point_id, place))
