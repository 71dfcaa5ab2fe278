"""Points made, changed and taken out: what one is, and how its figures are got."""

from __future__ import annotations

from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.survey import VEHICLE, Depth, Got, Point, Source
from elmpeg.core.stages.measure import point_edits, point_readings
from elmpeg.core.stages.measure.point_edits import Described
from elmpeg.core.stages.measure.point_readings import HangsOn
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.measure import points
from elmpeg.web.pages.measure.points import HOW_GOT, KINDS, SOURCES
from elmpeg.web.security import ChangeDesk, ReadDesk
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
        tab="points",
    )


@router.get("/builds/{build_id}/points/new", name="new_point")
def new(build_id: str, desk: ReadDesk) -> Response:
    """The form for a new point."""
    return page(desk, build_id, None)


@router.get("/builds/{build_id}/points/edit", name="edit_point")
def edit(build_id: str, desk: ReadDesk) -> Response:
    """The form for a point that exists."""
    return page(desk, build_id, desk.shop.builds.head(build_id).build.point(desk.text("point")))


def described(desk: Desk) -> Described:
    """What a form says about a point. Raises InputError beside each field."""
    kind = next((k for k in KINDS if k == desk.text("kind")), None)
    got = next((g for g in get_args(Got) if g == desk.text("got")), "offsets")
    source = next((s for s in get_args(Source) if s == desk.text("source")), "measured")
    if kind is None:
        raise InputError("kind", "choose what kind of point it is")
    hole = desk.text("hole").strip()
    return Described(
        name=desk.text("name"),
        on=desk.text("on") or VEHICLE,
        kind=kind,
        got=got,
        start=desk.text("start"),
        between=tuple(b for b in (desk.text("between_a"), desk.text("between_b")) if b),
        plane=next((a for a in ("x", "y", "z") if a == desk.text("plane")), "z"),  # type: ignore[arg-type]
        axis=_axis(desk),
        hole_mm=desk.show.read(hole, "mm", "hole") if hole else None,
        thread=desk.text("thread"),
        depth=next((d for d in DEPTHS if d == desk.text("depth")), ""),
        source=source,
        same_as=desk.text("same_as"),
        xyz_mm=_place(desk),
        note=desk.text("note")[:200],
    )


def _axis(desk: Desk) -> Vec3 | None:
    direction = desk.text("direction")
    if direction in DIRECTIONS:
        return DIRECTIONS[direction]
    if direction != "typed":
        return None
    parts = []
    for axis in "xyz":
        try:
            parts.append(float(desk.text(f"axis_{axis}").replace(MINUS, "-").replace(",", ".") or "0"))
        except ValueError:
            raise InputError("axis", "write three plain numbers, for example 0, 0.05, 1") from None
    return (parts[0], parts[1], parts[2])


def _place(desk: Desk) -> Vec3 | None:
    texts = [desk.text(f"at_{axis}").replace(MINUS, "-").strip() for axis in "xyz"]
    if not any(texts):
        return None
    x, y, z = (desk.show.read(text or "0", "mm", f"at_{axis}") for text, axis in zip(texts, "xyz", strict=True))
    return (x, y, z)


@router.post("/builds/{build_id}/points", name="keep_point")
def keep(build_id: str, desk: ChangeDesk) -> Response:
    """Make a point, change one, or take one out."""
    build = desk.shop.builds.head(build_id).build
    point_id = desk.text("point")
    point = build.point(point_id) if point_id else None
    try:
        if point is not None and desk.text("do") == "remove":
            outcome = desk.change(build_id, f"Took out the point {point.name}", lambda b: point_edits.without_point(b, point.id))
            return points.page(desk, build_id, outcome) if outcome.saved else page(desk, build_id, point, outcome)
        said = described(desk)
        if point is None:
            wanted = desk.text("id").strip()
            outcome = desk.change(build_id, f"Added the point {said.name}", lambda b: point_edits.with_point(b, said, wanted))
        else:
            words = f"Changed what is said of {point.name}"
            outcome = desk.change(build_id, words, lambda b: point_edits.with_point_changed(b, point.id, said))
    except InputError as refused:
        outcome = Outcome(errors=refused.errors)
    if outcome.saved is None:
        return page(desk, build_id, point, outcome)
    where = point_id or outcome.saved.head.build.points[-1].id
    address = str(desk.request.app.url_path_for("measure", build_id=build_id))
    return desk.go(f"{address}?{desk.query(option=desk.text('option'), point=where)}")
