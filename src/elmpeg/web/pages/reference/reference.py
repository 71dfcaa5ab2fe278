"""Reference: the datum, how level the vehicle stands, the before sheet, witness marks, tools, and what is still missing."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import Unit
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import Datum, Levelling, LevelPlace, Noted, SheetKind, Tool, WitnessMark
from elmpeg.core.methods.measuring.levelling import levelness
from elmpeg.core.methods.measuring.typed_figures import parse_angle, parse_length
from elmpeg.core.stages.reference import reference_edits
from elmpeg.core.stages.reference.missing import missing
from elmpeg.core.stages.reference.reference_edits import Moved
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk, now
from elmpeg.web.drawing.survey import level_sheet
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.shop import photos
from elmpeg.web.security import ChangeDesk, LeadDesk, ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
SHEET_KINDS: tuple[SheetKind, ...] = get_args(SheetKind)
PLACES = 8
TABS = {"level": "Level and datum", "sheet": "Before and after", "marks": "Witness marks", "tools": "Tools", "missing": "Still missing"}


def page(desk: Desk, build_id: str, outcome: Outcome | None = None, tab: str = "", asked: Asking | None = None) -> HTMLResponse:
    """The Reference page as it stands."""
    at = build_page(desk, build_id, "Reference", outcome.saved.head if outcome and outcome.saved else None)
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
    )


class Asking:
    """A new levelling that moves points which were read before: which, how far, and the question whether they shall."""

    def __init__(self, levelling: Levelling, moved: tuple[Moved, ...]) -> None:
        self.levelling, self.moved = levelling, moved


@router.get("/builds/{build_id}/reference", name="reference")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The Reference page."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/reference/datum", name="keep_datum")
def keep_datum(build_id: str, desk: ChangeDesk) -> Response:
    """Say where zero is on this vehicle."""
    old = desk.shop.builds.head(build_id).build.datum
    texts = {k: " ".join(desk.text(k).split())[:400] for k in ("where", "x_zero", "y_zero", "z_zero")}
    try:
        ground = desk.show.read(desk.text("ground").replace(MINUS, "-") or "0", "mm", "ground_value")
    except InputError as refused:
        return page(desk, build_id, Outcome(errors=refused.errors), "level")
    datum = Datum(level=old.level, ground_z_mm=ground, **texts)
    return page(desk, build_id, desk.change(build_id, "Said the datum anew", lambda b: reference_edits.with_datum(b, datum)), "level")


def _levelling(desk: Desk, build: Build) -> Levelling:
    """What the level form says. Raises InputError beside each field."""
    tools = {t.id: t for t in build.tools}
    tool = tools.get(desk.text("tool"))
    if desk.text("how") == "gauges":
        along = _angles(desk.text("lengthwise"), "lengthwise")
        across = _angles(desk.text("across"), "across")
        sd = tool.sd_deg if tool and tool.sd_deg > 0 else 0.1
        made = reference_edits.levelled_by_gauge(along, across, sd)
        made = replace(made, texts=(desk.text("lengthwise"), desk.text("across")))
    else:
        places = tuple(p for n in range(PLACES) for p in (_place(desk, n),) if p is not None)
        try:
            made = reference_edits.levelled_by_heights(places, tool.sd_mm if tool and tool.sd_mm > 0 else 1.0)
        except InputError as refused:
            raise InputError("heights", refused.message) from None
    applied = "levelled" if desk.text("applied") == "levelled" else "corrected"
    note = " ".join(desk.text("note").split())[:200]
    return replace(made, applied=applied, person=desk.person.name, taken_at=now(), note=note)  # type: ignore[arg-type]


def _angles(text: str, field: str) -> tuple[float, ...]:
    parts = [p for p in re.split(r"[;/]|\s{2,}|,\s", text.replace(MINUS, "-").strip()) if p.strip()]
    return tuple(parse_angle(p.strip(), field) for p in parts)


def _place(desk: Desk, n: int) -> LevelPlace | None:
    texts = [desk.text(f"place{n}_{axis}").replace(MINUS, "-").strip() for axis in "xyz"]
    if not any(texts):
        return None
    x, y, z = (parse_length(t or "", desk.show.length_unit, f"place{n}_{axis}").mm for t, axis in zip(texts, "xyz", strict=True))
    name = " ".join(desk.text(f"place{n}_name").split())[:80] or f"place {n + 1}"
    return LevelPlace(name, (x, y, z))


@router.post("/builds/{build_id}/reference/level", name="keep_level")
def keep_level(build_id: str, desk: ChangeDesk) -> Response:
    """Keep a levelling; where earlier readings hang on one, ask first whether they shall move with it."""
    build = desk.shop.builds.head(build_id).build
    try:
        made = _levelling(desk, build)
    except InputError as refused:
        return page(desk, build_id, Outcome(errors=refused.errors), "level")
    moved = reference_edits.moved_by_levelling(build, made)
    answer = desk.text("old_readings")
    if moved and answer not in ("keep", "move"):
        return page(desk, build_id, None, "level", Asking(made, moved))
    pitch, roll = (desk.show.value(v, "deg") for v in (made.pitch_deg, made.roll_deg))
    words = f"Levelled: pitch {pitch}, roll {roll}" + (f", {len(moved)} points moved with it" if moved and answer == "move" else "")
    outcome = desk.change(build_id, words, lambda b: reference_edits.with_levelling(b, made, old_too=answer == "move"))
    return page(desk, build_id, outcome, "level")


@router.post("/builds/{build_id}/reference/sheet", name="sheet_figure")
def sheet_figure(build_id: str, desk: ChangeDesk) -> Response:
    """Add a figure to the before sheet, write one down, or take one off."""
    do, figure = desk.text("do"), desk.text("figure")
    try:
        if do == "add":
            kind = next((k for k in SHEET_KINDS if k == desk.text("kind")), "other")
            unit: Unit = "deg" if kind == "angle" else "mm"
            name, where = desk.text("name"), desk.text("where")
            outcome = desk.change(
                build_id, f"Put “{name}” on the before sheet", lambda b: reference_edits.with_figure(b, name, kind, unit, where)
            )
        elif do == "remove":
            outcome = desk.change(build_id, "Took a figure off the before sheet", lambda b: reference_edits.without_figure(b, figure))
        else:
            outcome = _noted(build_id, desk, figure)
    except InputError as refused:
        outcome = Outcome(errors=refused.errors)
    return page(desk, build_id, outcome, "sheet")


def _noted(build_id: str, desk: Desk, figure_id: str) -> Outcome:
    build = desk.shop.builds.head(build_id).build
    figure = next((f for f in build.sheet if f.id == figure_id), None)
    if figure is None:
        raise InputError("figure", "is not on the sheet any more")
    when = "after" if desk.text("when") == "after" else "before"
    text = desk.text(f"{figure_id}_{when}_value").replace(MINUS, "-").strip()
    noted = None
    if text:
        value = desk.show.read(text, "deg" if figure.unit == "deg" else "mm", f"{figure_id}_{when}_value")
        noted = Noted(text, value, desk.text("tool") or "tape", desk.person.name, now())
    words = f"{when.capitalize()}: {figure.name} {text or 'rubbed out'}"
    return desk.change(build_id, words, lambda b: reference_edits.with_noted(b, figure_id, when, noted))


@router.post("/builds/{build_id}/reference/marks", name="witness_mark")
def witness_mark(build_id: str, desk: ChangeDesk) -> Response:
    """Note a witness mark, with its photograph, or take one out."""
    try:
        if desk.text("do") == "remove":
            mark = desk.text("mark")
            outcome = desk.change(build_id, "Took a witness mark out", lambda b: reference_edits.without_mark(b, mark))
            return page(desk, build_id, outcome, "marks")
        what, where = desk.text("what"), desk.text("mark_where")
        reference_edits.require_mark(what, where)
        photo = photos.kept_from(desk, build_id, "photo")
    except InputError as refused:
        return page(desk, build_id, Outcome(errors=refused.errors), "marks")

    def edit(build: Build) -> Build:
        build, picture = photos.with_kept(build, photo)
        return reference_edits.with_mark(build, WitnessMark("", what, where, desk.person.name, now(), picture))

    return page(desk, build_id, desk.change(build_id, f"Witness mark: {what}", edit), "marks")


@router.post("/builds/{build_id}/reference/tools", name="keep_tool")
def keep_tool(build_id: str, desk: LeadDesk) -> Response:
    """Change what a tool's readings scatter by, or add a tool."""
    build = desk.shop.builds.head(build_id).build
    old = next((t for t in build.tools if t.id == desk.text("id")), None)
    angle = desk.text("reads") == "angles" if old is None else old.sd_deg > 0
    try:
        sd = desk.show.read(desk.text("tool_sd"), "deg" if angle else "mm", "tool_sd")
        name = desk.text("name") if old is None else old.name
        plumb = desk.text("plumb") == "1"
        tool = Tool(old.id if old else "", name, 0.0 if angle else sd, sd if angle else 0.0, plumb)
        outcome = desk.change(build_id, f"{name} scatters by {desk.text('tool_sd')}", lambda b: reference_edits.with_tool(b, tool))
    except InputError as refused:
        outcome = Outcome(errors=refused.errors)
    return page(desk, build_id, outcome, "tools")
