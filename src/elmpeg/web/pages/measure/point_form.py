"""Points made, changed and taken out: what one is, and how its figures are got."""

from __future__ import annotations

from collections.abc import Callable
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.survey import VEHICLE, Axis3, Depth, Got, Point, Source
from elmpeg.core.stages.measure import point_edits, point_readings
from elmpeg.core.stages.measure.point_edits import Described
from elmpeg.core.stages.measure.point_readings import HangsOn
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.measure import points
from elmpeg.web.pages.measure.points import HOW_GOT, KINDS, SOURCES
from elmpeg.web.pages.place.shapes import picking
from elmpeg.web.security import ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
DIRECTIONS: dict[str, Vec3] = {
    "up": (0, 0, 1),
    "down": (0, 0, -1),
    "rearward": (1, 0, 0),
    "forward": (-1, 0, 0),
    "right": (0, 1, 0),
    "left": (0, -1, 0),
}
DEPTHS: tuple[Depth, ...] = get_args(Depth)


def page(desk: Desk, build_id: str, point: Point | None, outcome: Outcome | None = None) -> HTMLResponse:
    """The form for a point; a new one where there is none."""
    at = build_page(desk, build_id, "Measure")
    others = [p for p in at.build.points if point is None or p.id != point.id]
    direction = next((name for name, way in DIRECTIONS.items() if point and point.axis == way), "typed" if point and point.axis else "")
    return desk.render(
        "measure/point_form.html",
        outcome,
        page=at,
        point=point,
        others=others,
        part_points=[p for p in others if p.on != VEHICLE],
        kinds=KINDS,
        depths=DEPTHS,
        directions=tuple(DIRECTIONS),
        direction=direction,
        how_got=HOW_GOT,
        sources=SOURCES,
        hangs_on=point_readings.hangs_on(at.build, point.id) if point else HangsOn((), ()),
        on=desk.text("on"),
        called={name: desk.text(name) for name in ("name", *(f"at_{axis}" for axis in "xyz"))},
        tab="points",
        picking=picking(desk, at.build),
    )


@router.get("/builds/{build_id}/points/new", name="new_point")
def new(build_id: str, desk: ReadDesk) -> Response:
    """The form for a new point."""
    return page(desk, build_id, None)


@router.get("/builds/{build_id}/points/edit", name="edit_point")
def edit(build_id: str, desk: ReadDesk) -> Response:
    """The form for a point that exists."""
    return page(desk, build_id, desk.shop.builds.head(build_id).build.point(desk.text("point")))


def described(form: Form, text: Callable[[str], str], point: Point | None = None) -> Described:
    """What a form says about a point; a figure that stands there as it was shown is what it was."""
    between = tuple(b for b in (text("between_a"), text("between_b")) if b)
    return Described(
        name=text("name"),
        on=text("on") or VEHICLE,
        kind=form.choice("kind", KINDS),
        got=form.choice("got", get_args(Got), "offsets"),
        start=text("start"),
        between=between,
        plane=form.choice("plane", get_args(Axis3), "z"),
        axis=_axis(form, text),
        hole_mm=form.length_or_none("hole", point.hole_mm if point else None),
        thread=text("thread"),
        depth=form.choice("depth", DEPTHS, ""),
        source=form.choice("source", get_args(Source), "measured"),
        same_as=text("same_as"),
        xyz_mm=form.point_or_none("at_x", "at_y", "at_z", point.xyz_mm if point else None),
        note=form.text("note", 200),
    )


def _axis(form: Form, text: Callable[[str], str]) -> Vec3 | None:
    direction = text("direction")
    if direction in DIRECTIONS:
        return DIRECTIONS[direction]
    if direction != "typed":
        return None
    parts = []
    for axis in "xyz":
        try:
            parts.append(float(text(f"axis_{axis}").replace(MINUS, "-").replace(",", ".") or "0"))
        except ValueError:
            form.refuse("axis", "write three plain numbers, for example 0, 0.05, 1")
            return None
    return (parts[0], parts[1], parts[2])


def asked_from(desk: Desk, build_id: str, outcome: Outcome) -> HTMLResponse:
    """The form of the point that was being made or changed."""
    point_id = desk.text("point")
    return page(desk, build_id, desk.shop.builds.head(build_id).build.point(point_id) if point_id else None, outcome)


@router.post("/builds/{build_id}/points", name="keep_point")
@answers(asked_from)
def keep(act: Act) -> Outcome | Response:
    """Make a point, change one, or take one out."""
    desk = act.desk
    point = act.build.point(act.text("point")) if act.text("point") else None
    if point is not None and act.text("do") == "remove":
        outcome = act.change(f"Took out the point {point.name}", lambda b: point_edits.without_point(b, point.id))
        return points.page(desk, act.build_id, outcome) if outcome.saved else outcome
    said = described(act.form, desk.text, point)
    if point is None:
        wanted = act.text("id").strip()
        outcome = act.change(f"Added the point {said.name}", lambda b: point_edits.with_point(b, said, wanted))
    else:
        words = f"Changed what is said of {point.name}"
        outcome = act.change(words, lambda b: point_edits.with_point_changed(b, point.id, said))
    if outcome.saved is None:
        return outcome
    where = point.id if point is not None else outcome.saved.head.build.points[-1].id
    address = desk.shop.url("measure", build_id=act.build_id)
    return desk.go(f"{address}?{desk.query(option=act.text('option'), point=where)}")
