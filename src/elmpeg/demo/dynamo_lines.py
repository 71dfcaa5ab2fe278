"""Dynamo's rear line as it was finished: how its axle is carried, its two shafts, their tapes, and the order that was fitted."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.drivelines import CarriedAxle, LengthReading, LineRoad, Shaft, SlopeReading, TravelReading
from elmpeg.core.build.survey import VEHICLE, Noted, Point, Reading, SheetFigure
from elmpeg.core.stages.drive import line_edits, order_edits

_MEASURED_TWICE = ("output", "carrier-joint", "lorry-pinion")
_PEOPLE = ("Wil Adeyemi", "Sunniva Brekke")


def _twice(point: Point) -> Point:
    """The point with two readings along each axis, by two people, as far apart as its tool makes them."""
    apart = 0.05 if point.tool == "caliper" else 0.5
    readings = tuple(
        Reading(f"{axis}{k}", axis, f"{v + off:g}", v + off, point.tool, person, f"2026-08-0{3 + k}T09:{10 + 2 * i}:00")  # type: ignore[arg-type]
        for k, (person, off) in enumerate(zip(_PEOPLE, (-apart, apart), strict=True))
        for i, (axis, v) in enumerate(zip("xyz", point.xyz_mm, strict=True))
    )
    return replace(point, readings=readings, sd_mm=None)


def _spring_points() -> tuple[Point, ...]:
    across: Vec3 = (0, 1, 0)
    return (
        Point("spring-seat", "rear spring seat", "rear-axle", "face", (0, -480, 110), (0, 0, 1), tool="tape"),
        Point("spring-eye", "rear spring's fixed eye", VEHICLE, "joint", (3480, -480, 680), across, tool="tape"),
    )


def with_lines(build: Build) -> Build:
    """The build with its axle carried and its shafts chosen."""
    readings = tuple(
        TravelReading(f"{way}-{k}", way, f"{value:g} mm", value, "tape", person, f"2026-08-05T10:{10 * k}:00")  # type: ignore[arg-type]
        for way, values in (("bump", (100.0, 101.0)), ("droop", (120.0, 119.0)))
        for k, (person, value) in enumerate(zip(_PEOPLE, values, strict=True), 1)
    )
    axle = CarriedAxle(
        "rear-springs", "Rear axle on leaf springs", "rear-axle", "leaf", 100.0, 120.0, "measured", readings, 3.0, 960.0,
        seat_point="spring-seat", eye_point="spring-eye", shackle_half_mm=800.0, perch_mm=180.0, tube_mm=150.0,
    )  # fmt: skip
    line = replace(
        build.driveline("rear"),
        arrangement="two_piece",
        axle="rear-springs",
        shafts=(
            Shaft(89.0, 2.5, "steel", "30x92", "four bolts on 108 mm", "splined to the carrier"),
            Shaft(89.0, 2.5, "steel", "30x92", "four bolts on 108 mm", "four bolts on 108 mm", 70.0, 60.0),
        ),
        road=LineRoad(75.0, 1040.0, 5.6),
        stations_mm=(1600.0, 2100.0, 2500.0, 3000.0, 3500.0),
    )
    points = tuple(_twice(p) if p.id in _MEASURED_TWICE else p for p in build.points)
    height = SheetFigure(
        "rear-height", "Rear rail over axle", "ride height", "mm",
        Noted("208 mm", 208.0, "tape", "Wil Adeyemi", "2026-08-03T08:40:00"), Noted("254 mm", 254.0, "tape", "Wil Adeyemi", "2026-08-25T09:20:00"),
    )  # fmt: skip
    return replace(
        build,
        points=(*points, *(_twice(p) for p in _spring_points())),
        axles=(axle,),
        drivelines=with_item(build.drivelines, line),
        wheels=tuple(replace(w, on="rear-axle") if w.centre_mm[0] > 1000 else w for w in build.wheels),
        sheet=(*build.sheet, height),
    )


def with_order(build: Build) -> Build:
    """The build with its shafts taped twice, ordered, received and fitted."""
    for near, far, texts in (("J1", "J2", (("1092", 1092.0), ("1093", 1093.0))), ("J2", "J3", (("1262", 1262.0), ("1263", 1263.0)))):
        for k, (text, value) in enumerate(texts):
            when = f"2026-08-06T1{k}:05:00"
            build = order_edits.with_length(build, LengthReading("", "rear", near, far, text, value, "tape", _PEOPLE[k], when, "ride"))
    leans = (("", "J1", "2.5", "2.5"), ("J1", "J2", "3.6", "3.7"), ("J2", "J3", "1.8", "1.8"), ("J3", "", "3.8", "3.9"))
    for k, person in enumerate(_PEOPLE):
        for i, (near, far, *angles) in enumerate(leans):
            read = SlopeReading(
                "", "rear", near, far, angles[k], float(angles[k]), "level", "gauge", person, f"2026-08-06T1{k}:{20 + 3 * i}:00", "ride"
            )
            build = order_edits.with_slope(build, read)
    build = order_edits.with_order(build, "rear", "after", "Quay Street shafts", 14, "Sunniva Brekke", "2026-08-06T15:00:00")
    build = order_edits.with_order_told(
        build, "rear-order", "Quay Street shafts", 14, "Tape along a strap between cross centres, gauge from level, on its wheels, twice by two people.",
        "Generator bolted down, tank full.", "Paint the tubes, leave the slip bare.", tuple(p.id for p in build.photos),
    )  # fmt: skip
    build = order_edits.with_order_step(build, "rear-order", "checked", "Wil Adeyemi", "2026-08-06T16:10:00")
    build = order_edits.with_final(build, "rear-order", "Orla Fennick", "2026-08-06T16:40:00")
    for state, person, when in (
        ("sent", "Orla Fennick", "2026-08-07T08:30:00"),
        ("received", "Wil Adeyemi", "2026-08-20T11:00:00"),
        ("fitted", "Wil Adeyemi", "2026-08-24T15:30:00"),
    ):
        build = order_edits.with_order_step(build, "rear-order", state, person, when)  # type: ignore[arg-type]
    return line_edits.with_decision(
        build, "rear", "two_piece", "One tube of this length would whip below road speed.", "Orla Fennick", "2026-08-03T17:00:00"
    )
