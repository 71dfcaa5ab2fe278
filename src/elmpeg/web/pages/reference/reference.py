"""Reference: the datum, how level the vehicle stands, the before sheet, witness marks, tools, and what is still missing."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Literal, get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import Unit, noted
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import Datum, Levelling, LevelPlace, Noted, SheetKind, Tool, WitnessMark
from elmpeg.core.methods.measuring.levelling import levelness
from elmpeg.core.methods.measuring.typed_figures import parse_angle
from elmpeg.core.stages.reference import reference_edits
from elmpeg.core.stages.reference.missing import missing
from elmpeg.core.stages.reference.reference_edits import Moved
from elmpeg.web.answers import Act, Page, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk, now
from elmpeg.web.drawing.survey import level_sheet
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.shop import photos
from elmpeg.web.security import LeadDesk, ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
SHEET_KINDS: tuple[SheetKind, ...] = get_args(SheetKind)
USUAL_SD_DEG, USUAL_SD_MM = 0.1, 1.0
"""An angle gauge's and a steel tape's doubt, where a tool that is not on the build's list was used."""
PLACES = 8
PLACE_NAMES = (
    "left rail, front",
    "right rail, front",
    "left rail, rear",
    "right rail, rear",
    *(f"place {n}" for n in range(5, PLACES + 1)),
)
TABS = {"level": "Level and datum", "sheet": "Before and after", "marks": "Witness marks", "tools": "Tools", "missing": "Still missing"}


def page(desk: Desk, build_id: str, outcome: Outcome | None = None, tab: str = "", asked: Asking | None = None) -> HTMLResponse:
    """The Reference page as it stands."""
    at = build_page(desk, build_id, "Reference", outcome)
    newest = at.build.levellings[-1] if at.build.levellings else None
    left = levelness(tuple(p.xyz_mm for p in newest.places)).residuals_mm if newest and newest.places else ()
    gaps = missing(at.build)
    return desk.render(
        "reference/reference.html",
        outcome,
        page=at,
        newest=newest,
        drawing=level_sheet(at.build, newest, left, desk.show) if newest and newest.places else None,
        left=left,
        gaps=gaps,
        kinds=SHEET_KINDS,
        asked=asked,
        tools=at.build.tools,
        tab=tab or (desk.text("tab") if desk.text("tab") in TABS else "level"),
        tabs=TABS,
        places=PLACES,
        place_names=PLACE_NAMES,
    )


class Asking:
    """A new levelling that moves points which were read before: which, how far, and the question whether they shall."""

    def __init__(self, levelling: Levelling, moved: tuple[Moved, ...]) -> None:
        self.levelling, self.moved = levelling, moved


@router.get("/builds/{build_id}/reference", name="reference")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The Reference page."""
    return page(desk, build_id)


def section(name: str) -> Page:
    """The page with one of its sections open, to answer what was asked there."""

    def shown(desk: Desk, build_id: str, outcome: Outcome) -> HTMLResponse:
        return page(desk, build_id, outcome, name)

    return shown


@router.post("/builds/{build_id}/reference/datum", name="keep_datum")
@answers(section("level"))
def keep_datum(act: Act) -> Outcome:
    """Say where zero is on this vehicle."""
    form, old = act.form, act.build.datum
    where, x_zero, y_zero, z_zero = (form.text(k, 400) for k in ("where", "x_zero", "y_zero", "z_zero"))
    ground = form.length("ground", 0.0)
    datum = Datum(where, old.level, ground, x_zero, y_zero, z_zero)
    return act.change("Said the datum anew", lambda b: reference_edits.with_datum(b, datum))


def _levelling(act: Act) -> Levelling:
    """What the level form says. Raises InputError beside each field."""
    form = act.form
    tool = next((t for t in act.build.tools if t.id == act.text("tool")), None)
    if act.text("how") == "gauges":
        along = _angles(act.text("lengthwise"), "lengthwise")
        across = _angles(act.text("across"), "across")
        made = reference_edits.levelled_by_gauge(along, across, tool.sd_deg if tool and tool.sd_deg > 0 else USUAL_SD_DEG)
        made = replace(made, texts=(act.text("lengthwise"), act.text("across")))
    else:
        places = tuple(p for n in range(PLACES) for p in (_place(form, n),) if p is not None)
        form.require()
        try:
            made = reference_edits.levelled_by_heights(places, tool.sd_mm if tool and tool.sd_mm > 0 else USUAL_SD_MM)
        except InputError as refused:
            raise InputError("heights", refused.message) from None
    applied: Literal["levelled", "corrected"] = form.choice("applied", ("levelled", "corrected"), "corrected")
    return replace(made, applied=applied, person=act.desk.person.name, taken_at=now(), note=form.text("note", 200))


def _angles(text: str, field: str) -> tuple[float, ...]:
    parts = [p for p in re.split(r"[;/]|\s{2,}|,\s", text.replace(MINUS, "-").strip()) if p.strip()]
    return tuple(parse_angle(p.strip(), field) for p in parts)


def _place(form: Form, n: int) -> LevelPlace | None:
    typed = [f"place{n}_{axis}" for axis in "xyz"]
    if not any(form.given(field) for field in typed):
        return None
    return LevelPlace(form.text(f"place{n}_name", 80) or PLACE_NAMES[n], form.point(typed[0], typed[1], typed[2]))


@router.post("/builds/{build_id}/reference/level", name="keep_level")
@answers(section("level"))
def keep_level(act: Act) -> Outcome | Response:
    """Keep a levelling; where earlier readings hang on one, ask first whether they shall move with it."""
    made = _levelling(act)
    act.form.require()
    moved = reference_edits.moved_by_levelling(act.build, made)
    answer = act.text("old_readings")
    if moved and answer not in ("keep", "move"):
        return page(act.desk, act.build_id, None, "level", Asking(made, moved))
    pitch, roll = (noted(v, "deg") for v in (made.pitch_deg, made.roll_deg))
    words = f"Levelled: pitch {pitch}, roll {roll}" + (f", {len(moved)} points moved with it" if moved and answer == "move" else "")
    return act.change(words, lambda b: reference_edits.with_levelling(b, made, old_too=answer == "move"))


@router.post("/builds/{build_id}/reference/sheet", name="sheet_figure")
@answers(section("sheet"))
def sheet_figure(act: Act) -> Outcome:
    """Add a figure to the before sheet, write one down, or take one off."""
    do, figure = act.text("do"), act.text("figure")
    if do == "add":
        kind = act.form.choice("kind", SHEET_KINDS, "other")
        unit: Unit = "deg" if kind == "angle" else "mm"
        name, where = act.text("name"), act.text("where")
        return act.change(f"Put “{name}” on the before sheet", lambda b: reference_edits.with_figure(b, name, kind, unit, where))
    if do == "remove":
        return act.change("Took a figure off the before sheet", lambda b: reference_edits.without_figure(b, figure))
    return _noted(act, figure)


def _noted(act: Act, figure_id: str) -> Outcome:
    figure = next((f for f in act.build.sheet if f.id == figure_id), None)
    if figure is None:
        raise InputError("figure", "is not on the sheet any more")
    when = act.form.choice("when", ("before", "after"), "before")
    field = f"{figure_id}_{when}_value"
    text, noted = act.text(field).strip(), None
    if text:
        value = act.form.angle(field) if figure.unit == "deg" else act.form.length(field)
        noted = Noted(text.replace(MINUS, "-"), value, act.text("tool") or "tape", act.desk.person.name, now())
    words = f"{when.capitalize()}: {figure.name} {text or 'rubbed out'}"
    return act.change(words, lambda b: reference_edits.with_noted(b, figure_id, when, noted))


@router.post("/builds/{build_id}/reference/marks", name="witness_mark")
@answers(section("marks"))
def witness_mark(act: Act) -> Outcome:
    """Note a witness mark, with its photograph, or take one out."""
    if act.text("do") == "remove":
        mark = act.text("mark")
        return act.change("Took a witness mark out", lambda b: reference_edits.without_mark(b, mark))
    what, where, person = act.text("what"), act.text("mark_where"), act.desk.person.name
    reference_edits.require_mark(what, where)
    photo = photos.kept_from(act.desk, "photo")

    def edit(build: Build) -> Build:
        build, picture = photos.with_kept(build, photo)
        return reference_edits.with_mark(build, WitnessMark("", what, where, person, now(), picture))

    return act.change(f"Witness mark: {what}", edit)


@router.post("/builds/{build_id}/reference/tools", name="keep_tool")
@answers(section("tools"), LeadDesk)
def keep_tool(act: Act) -> Outcome:
    """Change what a tool's readings scatter by, or add a tool."""
    form = act.form
    old = next((t for t in act.build.tools if t.id == act.text("id")), None)
    angle = act.text("reads") == "angles" if old is None else old.sd_deg > 0
    sd = form.angle("tool_sd") if angle else form.length("tool_sd")
    name = act.text("name") if old is None else old.name
    tool = Tool(old.id if old else "", name, 0.0 if angle else sd, sd if angle else 0.0, form.tick("plumb"))
    return act.change(f"{name} scatters by {noted(sd, 'deg' if angle else 'mm')}", lambda b: reference_edits.with_tool(b, tool))
