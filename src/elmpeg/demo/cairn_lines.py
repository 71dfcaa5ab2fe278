"""Cairn 2's shafts: how its axles are carried, what the shafts are made of, the steering shaft, and the rear shaft's order."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.pose import Pose
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.drivelines import (
    CarriedAxle,
    ControlLink,
    Driveline,
    LengthReading,
    LineJoint,
    LineRoad,
    Shaft,
    SlopeReading,
    TravelReading,
)
from elmpeg.core.build.survey import VEHICLE, Point, Reading
from elmpeg.core.methods.shapes.solids import Box, Cylinder
from elmpeg.core.stages.drive import line_edits, order_edits

_COLUMN = Component(
    "column",
    "Steering column",
    Pose(800.0, -365.0, 975.0, 0.0, -35.0, 0.0),
    (Cylinder("tube", "column tube", (0, 0, 0), (420, 0, 0), 60),),
    movable=False,
)
_BOX = Component(
    "steering-box",
    "Steering box",
    Pose(60.0, -405.0, 742.0),
    (Box("case", "box", (-40, 0, 0), (150, 110, 120)), Cylinder("input", "input", (35, 0, 0), (75, 0, 0), 40)),
    movable=False,
)


def _twice(point_id: str, xyz_mm: Vec3, person: str, day: int) -> tuple[Reading, ...]:
    """Two readings along each axis, a millimetre apart as tapes are."""
    return tuple(
        Reading(f"{axis}{k}", axis, f"{v + off:g}", v + off, "tape", person, f"2026-10-{day + k}T10:{10 + 2 * i}:00")  # type: ignore[arg-type]
        for k, off in ((0, -0.5), (1, 0.5))
        for i, (axis, v) in enumerate(zip("xyz", xyz_mm, strict=True))
    )


def _points() -> tuple[Point, ...]:
    forward_down: Vec3 = (-1, 0, 0)
    return (
        Point("column-joint", "column joint", "column", "joint", (-25, 0, 0), forward_down, None, "measured", "tape", 1.0),
        Point("box-joint", "box joint", "steering-box", "joint", (90, 0, 0), forward_down, None, "measured", "tape", 1.0),
        Point("rear-spring-seat", "rear spring seat", "rear-axle", "face", (0, -560, 75), (0, 0, 1), None, "measured", "tape", 1.0),
        Point("rear-spring-eye", "rear spring's fixed eye", VEHICLE, "joint", (2680, -560, 540), (0, 1, 0),
              readings=_twice("rear-spring-eye", (2680, -560, 540), "Sunniva Brekke", 21)),
        Point("arm-upper-frame", "front upper arm, frame end", VEHICLE, "joint", (700, -330, 520), (0, 1, 0), None, "measured", "tape", 1.5),
        Point("arm-lower-frame", "front lower arm, frame end", VEHICLE, "joint", (820, -330, 395), (0, 1, 0), None, "measured", "tape", 1.5),
        Point("arm-upper-axle", "front upper arm, axle end", "front-axle", "joint", (20, -330, 95), (0, 1, 0), None, "measured", "tape", 1.0),
        Point("arm-lower-axle", "front lower arm, axle end", "front-axle", "joint", (10, -330, -70), (0, 1, 0), None, "measured", "tape", 1.0),
    )  # fmt: skip


def _travel(way: str, *figures: tuple[str, float, str, str]) -> tuple[TravelReading, ...]:
    return tuple(
        TravelReading(f"{way}-{k}", way, text, value, "tape", person, when)  # type: ignore[arg-type]
        for k, (text, value, person, when) in enumerate(figures, 1)
    )


_REAR = CarriedAxle(
    "rear-springs", "Rear axle on leaf springs", "rear-axle", "leaf", 90.0, 85.0, "measured",
    readings=(
        *_travel("bump", ("90 mm", 90.0, "Teo Marsh", "2026-10-22T11:20:00"), ("91 mm", 91.0, "Pip Okafor", "2026-10-22T11:40:00")),
        *_travel("droop", ("3 3/8 in", 85.725, "Teo Marsh", "2026-10-22T11:50:00")),
    ),
    roll_deg=4.0, apart_mm=1120.0, seat_point="rear-spring-seat", eye_point="rear-spring-eye", shackle_half_mm=680.0,
    perch_mm=150.0, perches="loose", tube_mm=110.0,
)  # fmt: skip
_FRONT = CarriedAxle(
    "front-arms", "Front axle on arms", "front-axle", "four_link", 80.0, 90.0, "measured",
    readings=_travel("bump", ("80 mm", 80.0, "Wil Adeyemi", "2026-10-23T09:20:00")), roll_deg=5.0, apart_mm=660.0,
    upper=ControlLink("arm-upper-frame", "arm-upper-axle", "M20x1.5", 34.0, 2), lower=ControlLink("arm-lower-frame", "arm-lower-axle"),
)  # fmt: skip


def with_lines(build: Build) -> Build:
    """The build with its axles carried, its shafts chosen, and a steering shaft past the engine."""
    road = LineRoad(110.0, 820.0, 4.1)
    rear = replace(
        build.driveline("rear"),
        arrangement="equal_opposite",
        axle="rear-springs",
        shafts=(Shaft(76.0, 2.0, "steel", "27x80", "four bolts on 96 mm", "four bolts on 96 mm", 110.0, 60.0),),
        road=road,
        stations_mm=(1800.0, 2200.0, 2600.0, 2900.0),
    )
    front = replace(
        build.driveline("front"),
        joints=(LineJoint("F1", "front-output", "double_cardan", 25.0), LineJoint("F2", "front-pinion")),
        arrangement="pointed",
        axle="front-arms",
        shafts=(Shaft(50.0, 3.0, "steel", "24x62", "four bolts on 80 mm", "yoke and straps", 60.0, 50.0),),
        road=road,
        stations_mm=(500.0, 800.0, 1100.0),
    )
    steering = Driveline(
        "steering",
        "Steering shaft",
        60.0,
        (LineJoint("S1", "column-joint", "cardan", 35.0), LineJoint("S2", "box-joint", "cardan", 35.0)),
        (60.0,),
        use="steering",
    )
    lines = with_item(with_item(build.drivelines, rear), front)
    return replace(
        build,
        components=(*build.components, _COLUMN, _BOX),
        points=(*build.points, *_points()),
        axles=(_REAR, _FRONT),
        drivelines=(*lines, steering),
        wheels=tuple(replace(w, on="rear-axle" if w.centre_mm[0] > 1000 else "front-axle") for w in build.wheels),
    )


def with_order(build: Build) -> Build:
    """The rear shaft's order as it stands: drafted, one tape at ride height, one taken on stands by mistake."""
    for text, value, person, when, stance in (
        ("1319", 1319.0, "Sunniva Brekke", "2026-11-18T09:15:00", "ride"),
        ("52 1/4 in", 1327.15, "Pip Okafor", "2026-11-18T16:40:00", "stands"),
    ):
        build = order_edits.with_length(build, LengthReading("", "rear", "J1", "J2", text, value, "tape", person, when, stance))  # type: ignore[arg-type]
    # The last one zeroed the gauge on the output, so that the pinion's slope does not belong with the shaft's.
    for near, far, lean, zero, person, clock in (
        ("", "J1", 1.4, "level", "Sunniva Brekke", "09:25"),
        ("J1", "J2", 4.1, "level", "Sunniva Brekke", "09:28"),
        ("J1", "J2", 4.2, "level", "Wil Adeyemi", "11:40"),
        ("J2", "", 4.7, "drive end", "Pip Okafor", "16:50"),
    ):
        read = SlopeReading("", "rear", near, far, f"{lean:g}", lean, zero, "gauge", person, f"2026-11-18T{clock}:00", "ride")  # type: ignore[arg-type]
        build = order_edits.with_slope(build, read)
    build = order_edits.with_order(build, "rear", "lifted", "Quay Street shafts", 14, "Sunniva Brekke", "2026-11-18T17:00:00")
    build = order_edits.with_order_told(
        build, "rear-order", "Quay Street shafts", 14, "Strap across the flanges, tape between the cross centres, vehicle on its wheels.",
        "Full fuel, stretchers in, tyres at pressure.", "", tuple(p.id for p in build.photos[:1]),
    )  # fmt: skip
    return line_edits.with_decision(
        build, "rear", "one_piece", "One shaft is inside its speed with room to spare; nothing to hang a carrier on.", "Orla Fennick",
        "2026-11-18T17:30:00",
    )  # fmt: skip
