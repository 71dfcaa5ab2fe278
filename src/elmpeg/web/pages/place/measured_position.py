"""Where a part sits: its points measured in the vehicle, the position that fits them, and what that position becomes."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import FREEDOMS
from elmpeg.core.base.quantities import capitalised
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, Axis3, Point, Reading
from elmpeg.core.scene.point_from_readings import AXES
from elmpeg.core.scene.scene import Scene, assembly_of, pose_in
from elmpeg.core.stages.fit import rounds
from elmpeg.core.stages.place import measured_position
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk, now
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ReadDesk

router = APIRouter()
LONGEST_WORDS = 280
"""What the history says of one save."""


@dataclass(frozen=True, slots=True)
class SightingRow:
    """A point of the part: where it is on the part, where it was found in the vehicle, and what the fit leaves over."""

    point: Point
    on: str
    local: Vec3
    seen: Point | None
    at: Vec3 | None
    left: Vec3 | None


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The page as it stands."""
    at = build_page(desk, build_id, "Measure", outcome)
    roots = [c for c in at.build.components if c.parent is None]
    measured = [c for c in roots if any(_seen_of(at.build, c.id))]
    root = next((c for c in roots if c.id == desk.text("part")), next(iter(measured or roots), None))
    found, why = None, ""
    if root is not None:
        try:
            found = measured_position.sighted(at.build, at.option.id, root.id)
        except InputError as short:
            why = f"{capitalised(short.message)}."
    return desk.render(
        "place/measured_position.html",
        outcome,
        page=at,
        roots=roots,
        root=root,
        found=found,
        why=why,
        rows=_rows(at.build, at.option.id, root.id, dict(found.left_over_mm) if found else {}) if root else [],
        pose=pose_in(at.build, at.option, root.id) if root else None,
        freedoms=FREEDOMS,
        open_round=next((r for r in at.build.rounds if not r.closed), None),
        length_tools=[t for t in at.build.tools if t.sd_mm > 0],
        tab="where",
    )


def _seen_of(build: Build, root_id: str) -> list[Point]:
    on = {c.id for c in assembly_of(build, root_id)}
    return [p for p in build.points if p.same_as and build.point(p.same_as).on in on]


def _rows(build: Build, option_id: str, root_id: str, left: dict[str, Vec3]) -> list[SightingRow]:
    scene = Scene(build, build.option(option_id))
    names = {c.id: c.name for c in assembly_of(build, root_id)}
    rows = []
    for point in build.points:
        if point.on in names and point.on != VEHICLE:
            seen = measured_position.sighting_of(build, point.id)
            where = scene.xyz(seen.id) if seen else None
            rows.append(SightingRow(point, names[point.on], scene.local(point.id), seen, where, left.get(point.id)))
    return rows


@router.get("/builds/{build_id}/measure/where", name="where")
def show(build_id: str, desk: ReadDesk) -> Response:
    """Where a part sits, by its measured points."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/measure/where/point", name="take_sighting")
@answers(page)
def take_sighting(act: Act) -> Outcome | Response:
    """Keep where points of the part were found in the vehicle: of every row that was written in."""
    desk = act.desk
    build = act.build
    tool = desk.text("tool") or "tape"
    plumb = any(t.id == tool and t.plumb for t in build.tools)
    found: list[tuple[Point, tuple[Reading, ...]]] = []
    for point in build.points:
        fields = {axis: f"{point.id}_{axis}" for axis in AXES if act.form.given(f"{point.id}_{axis}")}
        if fields:
            found.append((point, tuple(_reading(act, axis, field, tool, plumb) for axis, field in fields.items())))
    if not found:
        raise InputError("found", "write X, Y and Z of a point as they were found")
    words = "; ".join(f"Found {point.name} in the vehicle: {', '.join(t.text for t in taken)}" for point, taken in found)

    def edit(build: Build) -> Build:
        for point, taken in found:
            build = measured_position.with_sighting(build, point.id, taken)
        return build

    return act.change(words[:LONGEST_WORDS], edit)


def _reading(act: Act, axis: Axis3, field: str, tool: str, plumb: bool) -> Reading:
    level = "" if plumb else None
    return Reading(
        "",
        axis,
        act.form.text(field),
        act.form.length(field),
        tool,
        act.desk.person.name,
        now(),
        unit=act.desk.show.length_unit,
        level=level,
    )


@router.post("/builds/{build_id}/measure/where/place", name="place_as_measured")
@answers(page)
def place_as_measured(act: Act) -> Outcome | Response:
    """Make the measured position an option's, or that of the open round."""
    desk = act.desk
    option, root = desk.text("option"), desk.text("part")
    build = act.build
    name = build.component(root).name
    if desk.text("do") == "round":
        person, when = desk.person.name, now()
        words = f"{name} as measured, into the open round"
        return act.change(words, lambda b: rounds.with_round_as_sighted(b, option, root, person, when))
    words = f"Put {name} where it was measured, in “{build.option(option).name}”"
    return act.change(words, lambda b: measured_position.placed_as_sighted(b, option, root))
