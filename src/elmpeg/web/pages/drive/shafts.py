"""Drive, shafts: what each is made of, how fast it may turn, what it weighs, and how far above the ground it runs."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.advice.line_ways import TRIAL_SHAFT
from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.drivelines import Driveline, LineRoad, Shaft
from elmpeg.core.build.options import Option
from elmpeg.core.methods.driveline.line_motion import LaidLine
from elmpeg.core.methods.driveline.shaft_tubes import Road, Tube, TubeMaterial, critical_rpm, mass_kg
from elmpeg.core.scene.line_in_scene import laid_line, lengths_of
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive import line_edits
from elmpeg.core.stages.drive.ground_clearance import clearance_at, lowest
from elmpeg.core.stages.drive.shaft_checks import safe_rpm, shaft_rpm
from elmpeg.web.answers import Act, answers
from elmpeg.web.desk import Desk
from elmpeg.web.forms import SPEEDS, Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.drive.drive_page import drive_page, render
from elmpeg.web.security import ReadDesk

router = APIRouter()
QUARTERS = 4
MOST_OPTIONS = 5


@dataclass(frozen=True, slots=True)
class ShaftRow:
    """One shaft: what it is made of, and what follows."""

    index: int
    member: str
    length_mm: float
    shaft: Shaft | None
    critical_rpm: float
    safe_rpm: float
    mass_kg: float
    safe_kmh: float | None


@dataclass(frozen=True, slots=True)
class Station:
    """Ground clearance at one place along the vehicle, in each option; None where the line does not reach there."""

    x_mm: float
    clearances_mm: tuple[float | None, ...]
    change_mm: float | None


def _rows(build: Build, line: Driveline, lengths: tuple[float, ...]) -> list[ShaftRow]:
    road = Road(line.road.top_speed_kmh, line.road.tyre_mm, line.road.axle_ratio) if line.road else None
    rows = []
    for k, long in enumerate(lengths):
        shaft = line.shaft(k)
        used = shaft or TRIAL_SHAFT
        tube = Tube(long, used.od_mm, used.wall_mm, used.material)
        safe = safe_rpm(long, used, build.limits.joints.speed_share)
        member = f"{line.joints[k].id}-{line.joints[k + 1].id}"
        rows.append(ShaftRow(k, member, long, shaft, critical_rpm(tube), safe, mass_kg(tube), safe / road.rpm_per_kmh if road else None))
    return rows


def compared_options(build: Build, here: Option) -> tuple[Option, ...]:
    """The option being looked at first, then the agreed one, then the others, not too many."""
    others = sorted((o for o in build.options if o.id != here.id), key=lambda o: o.id != build.agreed)
    return (here, *others)[:MOST_OPTIONS]


def stations_of(build: Build, line: Driveline, options: tuple[Option, ...]) -> tuple[tuple[Station, ...], tuple[float | None, ...]]:
    """Clearance at each station in each option, and the least of each; quarters of the line where none are chosen."""
    laid: list[LaidLine | None] = []
    for option in options:
        try:
            laid.append(laid_line(Scene(build, option), line))
        except InputError:
            laid.append(None)
    xs = line.stations_mm
    if not xs and laid[0]:
        ends = sorted((laid[0].joints[0].xyz_mm[0], laid[0].joints[-1].xyz_mm[0]))
        xs = tuple(round(ends[0] + (ends[1] - ends[0]) * k / QUARTERS) for k in range(1, QUARTERS))
    rows = []
    for x in xs:
        found = tuple(clearance_at(build, line, one, x) if one else None for one in laid)
        change = found[0] - found[1] if len(found) > 1 and found[0] is not None and found[1] is not None else None
        rows.append(Station(x, found, change))
    least = tuple((low.clearance_mm if (low := lowest(build, line, one)) else None) if one else None for one in laid)
    return tuple(rows), least


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The shafts of a line as they stand."""
    on = drive_page(desk, build_id, outcome)
    line, build = on.line, on.at.build
    if line is None or on.state is None:
        return render(desk, "drive/shafts.html", "shafts", on, outcome, rows=None)
    options = compared_options(build, on.at.option)
    stations, least = stations_of(build, line, options)
    return render(
        desk,
        "drive/shafts.html",
        "shafts",
        on,
        outcome,
        rows=_rows(build, line, lengths_of(on.state.geometry)),
        turns_rpm=shaft_rpm(line),
        options=options,
        stations=stations,
        least=least,
        trial=TRIAL_SHAFT,
        materials=[(m, m) for m in get_args(TubeMaterial)],
        sizes=[("", "not chosen"), *((s.id, f"{s.name}, to {desk.show.value(s.max_angle_deg, 'deg')}") for s in build.series)],
        told=[c for c in on.checks if c.family in ("speed", "ground", "slip")],
    )


@router.get("/builds/{build_id}/drive/shafts", name="drive_shafts")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The shafts of a line."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/drive/shafts", name="keep_shafts")
@answers(page)
def keep(act: Act) -> Outcome | Response:
    """Say what a line's shafts are made of, or where its ground clearance is compared and how fast the road asks it to turn."""
    desk = act.desk
    build = act.build
    line = build.driveline(desk.text("line"))
    if desk.text("do") == "road":
        changed = _road_from(act.form, line)
        outcome = act.change(
            f"Road and stations of {line.name}",
            lambda b: replace(b, drivelines=with_item(b.drivelines, _onto(b.driveline(line.id), changed))),
        )
    else:
        shafts = _shafts_from(desk, act.form, line)
        outcome = act.change(f"Said what the shafts of {line.name} are made of", lambda b: line_edits.with_shafts(b, line.id, shafts))
    return outcome


def _onto(line: Driveline, changed: Driveline) -> Driveline:
    return replace(line, road=changed.road, stations_mm=changed.stations_mm)


def _shafts_from(desk: Desk, form: Form, line: Driveline) -> tuple[Shaft, ...]:
    count = len(line.joints) - 1
    was = [line.shaft(k) for k in range(count)]
    shafts = [
        Shaft(
            od_mm=form.length(f"od_{k}", now=old.od_mm if old else None),
            wall_mm=form.length(f"wall_{k}", now=old.wall_mm if old else None),
            material=form.choice(f"material_{k}", get_args(TubeMaterial), "steel"),
            series=desk.text(f"series_{k}"),
            drive_flange=form.text(f"drive_flange_{k}", 80),
            driven_flange=form.text(f"driven_flange_{k}", 80),
            slip_in_mm=form.length_or_none(f"slip_in_{k}", old.slip_in_mm if old else None),
            slip_out_mm=form.length_or_none(f"slip_out_{k}", old.slip_out_mm if old else None),
            note=form.text(f"note_{k}", 200),
        )
        for k, old in enumerate(was)
    ]
    form.require()
    return tuple(shafts)


def _road_from(form: Form, line: Driveline) -> Driveline:
    road = None
    if any(form.given(f) for f in ("top_speed", "tyre", "ratio")):
        road = LineRoad(
            form.number("top_speed", 1, 400, units=SPEEDS),
            form.length("tyre", now=line.road.tyre_mm if line.road else None),
            form.number("ratio", 0.1, 50),
        )
        if road.tyre_mm <= 0:
            form.refuse("tyre", "must be above 0")
    stations = form.lengths("stations", line.stations_mm)
    form.require()
    return replace(line, road=road, stations_mm=tuple(sorted(set(stations))))
