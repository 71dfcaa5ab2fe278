"""A vehicle begun from a dozen taped figures: its wheels, its frame or sills, and what stands for its datum.

Nobody has drawn it. What was typed is as sure as the tape; what was not is assumed, says so,
and brings the doubt of assumed figures into every check that rests on it.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.components import Wheel
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option
from elmpeg.core.build.survey import DEFAULT_TOOLS, VEHICLE, Datum, Point, Reading, Tool
from elmpeg.core.methods.shapes.solids import Box, Solid
from elmpeg.core.starters.given import Figure, Given

Kind = Literal["ladder", "unit_body", "bare"]
KINDS: dict[Kind, tuple[str, str]] = {
    "ladder": ("Ladder frame", "two rails with crossmembers, the body on top"),
    "unit_body": ("Unit body", "sills and a floor carry it, no frame of its own"),
    "bare": ("Bare", "wheels only; its structure is drawn in later"),
}
_WHEELS = (
    Figure("wheelbase_mm", "wheelbase", 2700.0, 900.0, 9000.0, "front wheel's middle to rear wheel's middle"),
    Figure("front_track_mm", "front track", 1500.0, 500.0, 3200.0, "tyre's middle to tyre's middle"),
    Figure("rear_track_mm", "rear track", "front_track_mm", 500.0, 3200.0),
    Figure("tyre_mm", "tyre, diameter", 720.0, 250.0, 2200.0, "as it stands: twice the hub's height serves"),
    Figure("tyre_wide_mm", "tyre, width", 220.0, 50.0, 800.0),
)
_OVERHANGS = (
    Figure("ahead_mm", "frame ahead of the front wheels", 500.0, -1000.0, 3000.0, "from the wheel's middle"),
    Figure("behind_mm", "frame behind the rear wheels", 800.0, -1000.0, 5000.0, "from the wheel's middle"),
)
FIGURES: dict[Kind, tuple[Figure, ...]] = {
    "ladder": (
        *_WHEELS,
        Figure("rail_top_mm", "rail top, above the floor", 680.0, 100.0, 2000.0),
        Figure("rails_apart_mm", "rails, outside to outside", 850.0, 250.0, 2200.0),
        Figure("rail_high_mm", "rail, height", 120.0, 20.0, 500.0),
        Figure("rail_wide_mm", "rail, width", 60.0, 15.0, 300.0),
        *_OVERHANGS,
    ),
    "unit_body": (
        *_WHEELS,
        Figure("sill_low_mm", "sill's underside, above the floor", 260.0, 50.0, 1200.0),
        Figure("sills_apart_mm", "sills, outside to outside", 1550.0, 500.0, 3000.0),
        Figure("sill_high_mm", "sill, height", 120.0, 30.0, 500.0),
        Figure("sill_wide_mm", "sill, width", 90.0, 20.0, 400.0),
        Figure("floor_up_mm", "floor pan, above the sill's underside", 60.0, -200.0, 800.0),
        *_OVERHANGS,
    ),
    "bare": _WHEELS,
}
FLOOR_THICK_MM = 2.0
WHEELS_HELD_MM = 350.0
"""How far sills stop short of the wheels' middles: they run between the wheel arches."""


def vehicle_begun(
    kind: Kind,
    name: str,
    vehicle: str,
    typed: Mapping[str, float],
    texts: Mapping[str, tuple[str, Literal["mm", "in"]]] | None = None,
    person: str = "",
    when: str = "",
    tools: tuple[Tool, ...] = DEFAULT_TOOLS,
    cautions: tuple[str, ...] = (),
) -> Build:
    """A new build of a vehicle, from figures in mm by the names of ``FIGURES[kind]``.

    ``texts`` are the figures as they were typed, with their unit. Raises InputError for an empty name.
    """
    given = Given(FIGURES[kind], typed, typed_sd_mm=next((t.sd_mm for t in tools if t.id == "tape" and t.sd_mm), 1.0))
    name = cleaned_name(name)
    solids = {"ladder": _ladder, "unit_body": _sills}.get(kind, _nothing)(given)
    soft = given.assumed(*(f.name for f in FIGURES[kind]))
    told = f" Assumed until measured: {'; '.join(soft)}." if soft else ""
    return Build(
        id=new_id(name, ()),
        name=name,
        vehicle=" ".join(vehicle.split()) or KINDS[kind][0],
        datum=Datum(
            f"Front wheels' middles, middle between the wheels, shop floor.{told}",
            "Not levelled yet.",
            x_zero="front wheels' middles",
            y_zero="middle between the front wheels",
            z_zero="shop floor",
        ),
        stage="Reference",
        solids=solids,
        wheels=_wheels(given),
        points=_wheel_centres(given, texts or {}, person, when),
        options=(Option("first", "First position"),),
        tools=tools,
        cautions=cautions,
    )


def _corners(given: Given) -> tuple[tuple[str, str, float, float], ...]:
    return tuple(
        (end, side, x, y * given[f"{end}_track_mm"] / 2)
        for end, x in (("front", 0.0), ("rear", given["wheelbase_mm"]))
        for side, y in (("left", -1.0), ("right", 1.0))
    )


def _wheels(given: Given) -> tuple[Wheel, ...]:
    up = given["tyre_mm"] / 2
    return tuple(Wheel(f"{end}-{side}", (x, y, up), given["tyre_mm"], given["tyre_wide_mm"]) for end, side, x, y in _corners(given))


def _wheel_centres(given: Given, texts: Mapping[str, tuple[str, Literal["mm", "in"]]], person: str, when: str) -> tuple[Point, ...]:
    """Wheels' middles as points. The wheelbase is a reading of the rear ones; halves of tracks and tyres are figures, not readings."""
    points = []
    for end, side, x, y in _corners(given):
        track = f"{end}_track_mm"
        rests = (track, "tyre_mm", *(("wheelbase_mm",) if end == "rear" else ()))
        soft = given.assumed(*rests)
        readings: tuple[Reading, ...] = ()
        if end == "rear" and "wheelbase_mm" in texts:
            text, unit = texts["wheelbase_mm"]
            readings = (Reading("r1", "x", text, x, "tape", person, when, "wheelbase", unit=unit),)
        points.append(
            Point(
                f"{end}-{side}-wheel",
                f"{end} wheel's middle, {side}",
                VEHICLE,
                "wheel",
                (x, y, given["tyre_mm"] / 2),
                (0.0, -1.0 if side == "left" else 1.0, 0.0),
                None,
                given.source(*rests),
                "tape",
                readings=readings,
                note=f"Assumed: {'; '.join(soft)}." if soft else "",
            )
        )
    return tuple(points)


def _beam(given: Given, name: str, low: Vec3, high: Vec3, faces: tuple[Mapping[str, float], ...], rests: tuple[str, ...]) -> Solid:
    """A beam of the structure. Its doubt is that of its least sure side; where its ends are matters to nothing beside it."""
    centre: Vec3 = ((low[0] + high[0]) / 2, (low[1] + high[1]) / 2, (low[2] + high[2]) / 2)
    size: Vec3 = (high[0] - low[0], high[1] - low[1], high[2] - low[2])
    sd = max(given.sd_mm(**face) for face in faces)
    return Box(new_id(name, ()), name, centre, size, role="frame", source=given.source(*rests), sd_mm=sd)


def _ladder(given: Given) -> tuple[Solid, ...]:
    top, half, high, wide = given["rail_top_mm"], given["rails_apart_mm"] / 2, given["rail_high_mm"], given["rail_wide_mm"]
    front, rear = -given["ahead_mm"], given["wheelbase_mm"] + given["behind_mm"]
    rests = ("rail_top_mm", "rails_apart_mm", "rail_high_mm", "rail_wide_mm")
    faces = ({"rail_top_mm": 1.0, "rail_high_mm": 1.0}, {"rails_apart_mm": 0.5, "rail_wide_mm": 1.0})
    sides = (("left rail", -half, -half + wide), ("right rail", half - wide, half))
    return tuple(_beam(given, name, (front, low, top - high), (rear, far, top), faces, rests) for name, low, far in sides)


def _nothing(_given: Given) -> tuple[Solid, ...]:
    return ()


def _sills(given: Given) -> tuple[Solid, ...]:
    low, half, high, wide = given["sill_low_mm"], given["sills_apart_mm"] / 2, given["sill_high_mm"], given["sill_wide_mm"]
    front, rear = WHEELS_HELD_MM, given["wheelbase_mm"] - WHEELS_HELD_MM
    rests = ("sill_low_mm", "sills_apart_mm", "sill_high_mm", "sill_wide_mm")
    faces = ({"sill_low_mm": 1.0, "sill_high_mm": 1.0}, {"sills_apart_mm": 0.5, "sill_wide_mm": 1.0})
    sides = (("left sill", -half, -half + wide), ("right sill", half - wide, half))
    beams = tuple(_beam(given, name, (front, a, low), (rear, b, low + high), faces, rests) for name, a, b in sides)
    up = low + given["floor_up_mm"]
    begins, ends = -given["ahead_mm"], given["wheelbase_mm"] + given["behind_mm"]
    centre: Vec3 = ((begins + ends) / 2, 0.0, up + FLOOR_THICK_MM / 2)
    size: Vec3 = (ends - begins, 2 * (half - wide), FLOOR_THICK_MM)
    floor = Box(
        "floor-pan",
        "floor pan",
        centre,
        size,
        role="body",
        source=given.source("sill_low_mm", "floor_up_mm"),
        sd_mm=given.sd_mm(sill_low_mm=1.0, floor_up_mm=1.0),
    )
    return (*beams, floor)
