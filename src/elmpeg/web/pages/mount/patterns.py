"""Patterns: from coordinates, centre distances, measured points or a drawing; whether they meet, and what to open where not."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from starlette.datastructures import UploadFile

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.quantities import capitalised
from elmpeg.core.build.document import Build
from elmpeg.core.build.hardware import CentreDistance, Match, Pattern, PatternHole
from elmpeg.core.methods.fastening.pattern_fit import PatternFit, beside_suspect, pattern_fit
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH, parse_length
from elmpeg.core.stages.mount import patterns
from elmpeg.core.stages.mount.patterns import BothSides, Laid, both_sides, holes_of, laid, next_drill_mm, studs_of
from elmpeg.formats import apart, dxf
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.drawing.flat import overlay, pattern_drawing
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.mount.mounts import TABS
from elmpeg.web.remedies import tried
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import MINUS, Show

router = APIRouter()
MAGNIFY = (1, 3, 10, 30)
UNITS_MM = {"mm": 1.0, "in": float(MM_PER_INCH)}
GOT = {"coordinates": "coordinates", "distances": "centre distances", "points": "measured points", "drawing": "a drawing"}
LONGEST_LIST = 20_000


@dataclass(frozen=True, slots=True)
class Compared:
    """Two patterns held against each other: the fit, the other hand's where that was not allowed, and what to open to which drill."""

    plate: Pattern
    studs: Pattern
    fit: PatternFit
    other: PatternFit | None
    opened: tuple[tuple[str, float, float | None], ...]


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The patterns, the chosen one, and the comparison that was asked for."""
    at = build_page(desk, build_id, "Mount", outcome)
    chosen = next((p for p in at.build.patterns if p.id == desk.text("pattern")), next(iter(at.build.patterns), None))
    found, trouble = _laid(at.build, chosen) if chosen else (None, "")
    magnify = next((m for m in MAGNIFY if str(m) == desk.text("magnify")), 10)
    drills = tuple(i.mm for i in desk.shop.shelf.items() if i.form == "drill" and i.qty > 0)
    compared, wrong = _compared(desk, at.build, drills)
    sides, sides_wrong = _sides(desk, at.build)
    view = None
    if compared is not None:
        holes, over = holes_of(at.build, compared.plate), studs_of(at.build, compared.studs)
        shown = beside_suspect(holes, over, compared.fit) if compared.fit.suspect else compared.fit
        view = overlay(holes, over, shown, magnify, desk.show)
    return desk.render(
        "mount/patterns.html",
        outcome,
        page=at,
        chosen=chosen,
        laid=found,
        trouble=trouble or wrong or sides_wrong,
        drawing=pattern_drawing(holes_of(at.build, chosen), desk.show, chosen.name) if chosen and found else None,
        compared=compared,
        overlay=view,
        magnify=magnify,
        magnifies=MAGNIFY,
        sides=sides,
        drills=drills,
        checks={c.code: c for c in at.evaluation.checks if c.family == "pattern"},
        got=GOT,
        points=[(p.id, p.name) for p in at.build.points if p.kind == "hole"],
        tab="patterns",
        tabs=TABS,
    )


def _laid(build: Build, pattern: Pattern) -> tuple[Laid | None, str]:
    try:
        return laid(build, pattern), ""
    except InputError as refused:
        return None, f"{capitalised(refused.message)}."


def _compared(desk: Desk, build: Build, drills: tuple[float, ...]) -> tuple[Compared | None, str]:
    if not desk.text("plate") or not desk.text("studs"):
        return None, ""
    try:
        plate, studs = build.pattern(desk.text("plate")), build.pattern(desk.text("studs"))
        mirror = desk.text("mirror") == "1"
        holes, over = holes_of(build, plate), studs_of(build, studs)
        fit = pattern_fit(holes, over, allow_mirror=mirror)
        other = None if fit.drop_in or mirror else pattern_fit(holes, over, allow_mirror=True)
    except (InputError, MissingError) as refused:
        return None, f"{capitalised(str(refused))}."
    opened = tuple((o.hole, o.to_mm, next_drill_mm(o.to_mm, drills or patterns.DRILLS_MM)) for o in fit.open_up)
    return Compared(plate, studs, fit, other if other and other.mirrored else None, opened), ""


def _sides(desk: Desk, build: Build) -> tuple[BothSides | None, str]:
    if not all(desk.text(k) for k in ("side_plate", "side_left", "side_right")):
        return None, ""
    try:
        holes = holes_of(build, build.pattern(desk.text("side_plate")))
        left, right = (studs_of(build, build.pattern(desk.text(k))) for k in ("side_left", "side_right"))
        return both_sides(holes, left, right), ""
    except (InputError, MissingError) as refused:
        return None, f"{capitalised(str(refused))}."


@router.get("/builds/{build_id}/patterns", name="patterns")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The patterns."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/patterns", name="keep_pattern")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Add a pattern, or take one out."""
    desk = act.desk
    build = act.build
    if desk.text("do") == "remove":
        gone = build.pattern(desk.text("pattern"))
        words = f"Took the pattern {gone.name} out"
        return act.change(words, lambda b: patterns.without_pattern(b, gone.id))
    made = pattern_from(desk, act.form, build)
    outcome = act.change(f"Added the pattern {made.name}", lambda b: patterns.with_pattern(b, made))
    return act.go_to("patterns", pattern=made.id) if outcome.saved else outcome


def pattern_from(desk: Desk, form: Form, build: Build) -> Pattern:
    """What the form says. Raises InputError beside each field."""
    name = cleaned_name(desk.text("name"))
    pattern_id = new_id(name, (p.id for p in build.patterns))
    bolt = form.length("bolt")
    got = desk.text("got")
    if got == "points":
        chosen = tuple(v for v in desk.form.getlist("points") if isinstance(v, str))
        return Pattern(pattern_id, name, "points", points=chosen, bolt_mm=bolt)
    if got == "drawing":
        upload = desk.form.get("file")
        if not isinstance(upload, UploadFile) or not upload.filename:
            raise InputError("file", "choose a DXF drawing first")
        with upload.file as file:
            data = file.read(dxf.LARGEST_BYTES + 1)
        return Pattern(
            pattern_id,
            name,
            "drawing",
            apart.read("circles", data, UNITS_MM.get(desk.text("unit")), under_way=desk.files_under_way),
            bolt_mm=bolt,
            note=upload.filename[:80],
        )
    text = desk.text("list")[:LONGEST_LIST].replace(MINUS, "-")
    if got == "distances":
        hole = form.length("hole", bolt) + 1.0
        distances = _distances(text, desk.show)
        names = tuple(dict.fromkeys(n for d in distances for n in (d.a, d.b)))
        solved = patterns.from_distances(names, distances, hole)
        holes = patterns.turned_over(solved.holes) if form.tick("other_hand") else solved.holes
        return Pattern(pattern_id, name, "distances", holes, distances, bolt_mm=bolt)
    return Pattern(pattern_id, name, "coordinates", _coordinates(text, desk.show), bolt_mm=bolt)


def _rows(text: str) -> list[tuple[int, list[str]]]:
    """Lines of a list, split at semicolons, tabs, or spaces that part figures; empty ones left out."""
    rows = []
    for n, line in enumerate(text.splitlines(), 1):
        parts = [p.strip() for p in re.split(r"[;\t]|,\s+|\s{2,}", line.strip()) if p.strip()]
        if len(parts) == 1:
            parts = line.split()
        if parts:
            rows.append((n, parts))
    return rows


def _coordinates(text: str, show: Show) -> tuple[PatternHole, ...]:
    holes = []
    for n, parts in _rows(text):
        if len(parts) != 4:
            raise InputError("list", f"line {n} has {len(parts)} parts; write name, x, y and hole, with semicolons or two spaces between")
        x, y, d = (_length(p, show, n) for p in parts[1:])
        holes.append(PatternHole(parts[0][:40], x, y, d))
    if not holes:
        raise InputError("list", "write one hole a line: name, x, y and hole")
    return tuple(holes)


def _distances(text: str, show: Show) -> tuple[CentreDistance, ...]:
    found = []
    for n, parts in _rows(text):
        if len(parts) != 3:
            raise InputError(
                "list", f"line {n} has {len(parts)} parts; write hole, hole and distance, with semicolons or two spaces between"
            )
        found.append(CentreDistance(parts[0][:40], parts[1][:40], parts[2], _length(parts[2], show, n)))
    if not found:
        raise InputError("list", "write one distance a line: hole, hole and distance")
    return tuple(found)


def _length(text: str, show: Show, line: int) -> float:
    try:
        return parse_length(text, show.length_unit, "list").mm
    except InputError as refused:
        raise InputError("list", f"line {line}: {refused.message}") from None


@router.post("/builds/{build_id}/patterns/match", name="keep_match")
@answers(page)
def keep_match(act: Act) -> Outcome | Response:
    """Keep a comparison, so that it is checked with everything else, or stop."""
    desk, form = act.desk, act.form
    if desk.text("do") == "remove":
        gone = desk.text("match")
        return act.change("Stopped comparing patterns", lambda b: replace(b, matches=tuple(m for m in b.matches if m.id != gone)))
    plate, studs, mirror = desk.text("plate"), desk.text("studs"), form.tick("mirror")

    def edit(build: Build) -> Build:
        name = f"{build.pattern(plate).name} over {build.pattern(studs).name}"
        if any((m.holes, m.studs) == (plate, studs) for m in build.matches):
            raise InputError("match", "these two are compared already")
        made = Match(new_id("match-1", (m.id for m in build.matches)), name[:200], plate, studs, mirror)
        return replace(build, matches=(*build.matches, made))

    return act.change("Patterns compared with every change", edit)


@router.post("/builds/{build_id}/patterns/remedy", name="pattern_remedy")
@answers(page)
def try_remedy(act: Act) -> Outcome:
    """What would mend a check, tried."""
    return tried(act)
