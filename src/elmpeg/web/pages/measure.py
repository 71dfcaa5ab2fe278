"""Measure: every point with its figures, how sure they are, what they rest on, and new readings."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core import measuring_points
from elmpeg.core.checks import Check
from elmpeg.core.errors import InputError
from elmpeg.core.locating import Located, surveyed
from elmpeg.core.measuring_points import AXES, QuickLine, Taken
from elmpeg.core.model import Build
from elmpeg.core.survey import VEHICLE, Axis3, Point, Source
from elmpeg.core.verdicts import Verdict, worst
from elmpeg.web.desk import Desk, Outcome, build_page
from elmpeg.web.security import ChangeDesk, ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
SOURCES: tuple[Source, ...] = get_args(Source)


@dataclass(frozen=True, slots=True)
class PointRow:
    """One point with its figures in its own frame and what is wrong with them."""

    point: Point
    where: Located
    on: str
    checks: tuple[Check, ...]
    verdict: Verdict


def _rows(build: Build, checks: tuple[Check, ...]) -> list[PointRow]:
    names = {VEHICLE: "vehicle", **{c.id: c.name for c in build.components}}
    survey, rows = surveyed(build), []
    for point in build.points:
        own = tuple(c for c in checks if c.stage == "Measure" and c.subject == (point.id,))
        rows.append(PointRow(point, survey.points[point.id], names[point.on], own, worst(tuple(c.verdict for c in own))))
    order = {"fails": 0, "unknown": 1, "near": 2, "holds": 3}
    return sorted(rows, key=lambda r: (order[r.verdict], r.on != "vehicle", r.on, r.point.name.lower()))


def page(desk: Desk, build_id: str, outcome: Outcome | None = None, understood: QuickLine | None = None) -> HTMLResponse:
    """The Measure page as it stands."""
    at = build_page(desk, build_id, "Measure", outcome.saved.head if outcome and outcome.saved else None)
    rows = _rows(at.build, at.evaluation.checks)
    wanted = understood.point if understood else desk.text("point")
    chosen = next((r for r in rows if r.point.id == wanted), rows[0] if rows else None)
    rests = [c for c in at.evaluation.checks if chosen and any(r.point == chosen.point.id and r.share > 0.01 for r in c.rests_on)]
    return desk.render(
        "measure.html",
        outcome,
        page=at,
        rows=rows,
        chosen=chosen,
        rests=rests,
        hangs_on=measuring_points.hangs_on(at.build, chosen.point.id) if chosen else (),
        tools={t.id: t for t in at.build.tools},
        sources=SOURCES,
        understood=understood,
    )


@router.get("/builds/{build_id}/measure", name="measure")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The Measure page."""
    return page(desk, build_id)


def _now() -> str:
    return datetime.now().replace(microsecond=0).isoformat()


@router.post("/builds/{build_id}/measure/reading", name="take_reading")
def take_reading(build_id: str, desk: ChangeDesk) -> Response:
    """Add a reading of one, two or all three coordinates of a point."""
    point_id, tool, note = desk.text("point"), desk.text("tool"), desk.text("note")
    build = desk.shop.builds.head(build_id).build
    point = build.point(point_id)
    try:
        taken = tuple(
            Taken(axis, text, desk.show.read(text.replace(MINUS, "-"), "mm", f"read_{axis}"), tool, desk.person.name, _now(), note)
            for axis, text in ((axis, desk.text(f"read_{axis}").strip()) for axis in AXES)
            if text
        )
        if not taken:
            raise InputError("read_x", "write at least one of X, Y and Z")
    except InputError as refused:
        return page(desk, build_id, Outcome(errors=refused.errors))
    words = f"Read {point.name}: {', '.join(f'{t.axis.upper()} {t.text}' for t in taken)}"
    return page(desk, build_id, desk.change(build_id, words, lambda b: measuring_points.with_readings(b, point_id, taken)))


@router.post("/builds/{build_id}/measure/line", name="quick_line")
def quick_line(build_id: str, desk: ChangeDesk) -> Response:
    """Take all three coordinates of a point from one line, and say what was understood."""
    build = desk.shop.builds.head(build_id).build
    try:
        line = measuring_points.quick_line(build, desk.text("line").replace(MINUS, "-"), desk.show.length_unit)
    except InputError as refused:
        return page(desk, build_id, Outcome(errors=refused.errors))
    axes: tuple[tuple[Axis3, str, float], ...] = tuple(zip(AXES, line.texts, line.xyz_mm, strict=True))
    when, tool = _now(), desk.text("tool") or "tape"
    taken = tuple(Taken(axis, text, value, tool, desk.person.name, when) for axis, text, value in axes)
    words = f"Read {build.point(line.point).name}: {', '.join(line.texts)}"
    outcome = desk.change(build_id, words, lambda b: measuring_points.with_readings(b, line.point, taken))
    return page(desk, build_id, outcome, line if outcome.saved else None)


@router.post("/builds/{build_id}/measure/drop", name="drop_reading")
def drop_reading(build_id: str, desk: ChangeDesk) -> Response:
    """Set a reading aside with a reason, or count it again."""
    point_id, reading, reason = desk.text("point"), desk.text("reading"), desk.text("reason").strip()
    if desk.text("do") == "drop" and not reason:
        return page(desk, build_id, Outcome(errors=InputError("reason", "say in a few words why this reading does not count").errors))
    name = desk.shop.builds.head(build_id).build.point(point_id).name
    words = f"Set a reading of {name} aside: {reason}" if reason else f"Counted a reading of {name} again"
    return page(desk, build_id, desk.change(build_id, words, lambda b: measuring_points.with_reading_dropped(b, point_id, reading, reason)))


@router.post("/builds/{build_id}/measure/source", name="point_source")
def point_source(build_id: str, desk: ChangeDesk) -> Response:
    """Say anew where a point's figures come from."""
    point_id = desk.text("point")
    source = next((s for s in SOURCES if s == desk.text("source")), None)
    if source is None:
        return page(desk, build_id, Outcome(errors=InputError("source", "choose one from the list").errors))
    name = desk.shop.builds.head(build_id).build.point(point_id).name
    return page(
        desk, build_id, desk.change(build_id, f"{name} is now {source}", lambda b: measuring_points.with_source(b, point_id, source))
    )
