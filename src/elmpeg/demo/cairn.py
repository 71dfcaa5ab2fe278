"""Cairn 2: a mountain rescue ambulance that gets another engine, gearbox and transfer case.

Two options stand side by side. “Low and level” sets the drivetrain as low as the
sump allows; the rear pinion then sees too much angle. “Tail lifted” raises the
gearbox end until both rear joints are inside, and is agreed.
"""

from __future__ import annotations

from functools import cache

from elmpeg.core.advice import round_start
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.components import Component, Wheel
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline, LineJoint
from elmpeg.core.build.limits import Limits
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Option, Position
from elmpeg.core.build.rooms import Room, SolidRef
from elmpeg.core.build.rounds import Measured, MeasuredPoint
from elmpeg.core.build.survey import VEHICLE, Datum, Point, Reading
from elmpeg.core.methods.driveline.joint_limits import JointLimits
from elmpeg.core.methods.shapes.solids import Box, Cylinder, Extrusion
from elmpeg.core.stages.fit import rounds
from elmpeg.core.stages.mount import shelf, stack_edits
from elmpeg.core.stages.place import option_edits
from elmpeg.demo.cairn_hardware import with_hardware
from elmpeg.demo.cairn_lines import with_lines, with_order
from elmpeg.demo.cairn_made import with_made
from elmpeg.demo.cairn_pieces import with_pieces
from elmpeg.demo.cairn_survey import with_survey
from elmpeg.demo.shelf import SHELF

LOW = Pose(740.0, -12.0, 588.0, 0.0, 3.4, 0.0)
LIFTED = Pose(740.0, -12.0, 607.0, 0.0, 1.5, 0.0)
FRONT_POINTED = Pose(0.0, 0.0, 410.0, 0.0, -1.3, 0.0)
"""The front axle with its upper arms set so that the pinion looks at the double joint under drive."""

_ENGINE = Component(
    "engine",
    "Engine, five-cylinder diesel",
    LOW,
    (
        Box("block", "block", (-310, 0, 60), (600, 280, 300)),
        Box("head", "head", (-310, 10, 285), (570, 210, 150)),
        Extrusion("sump", "sump", "side", ((-600, -90), (-600, -150), (-330, -150), (-270, -225), (-30, -225), (-30, -90)), -120, 120),
        Cylinder("pulley", "crank pulley", (-645, 0, 0), (-610, 0, 0), 170),
    ),
)
_GEARBOX = Component(
    "gearbox",
    "Gearbox, five-speed",
    Pose(),
    (
        Extrusion("bell", "bell housing", "side", ((-10, -150), (-10, 190), (40, 190), (180, 125), (180, -115), (40, -150)), -170, 170),
        Box("case", "gear case", (390, 0, 0), (420, 220, 240)),
    ),
    parent="engine",
)
_TRANSFER = Component(
    "transfer",
    "Transfer case, part-time",
    Pose(600.0, 0.0, 0.0),
    (
        Box("case", "case", (120, -60, -70), (230, 330, 280)),
        Cylinder("rear-flange", "rear flange", (235, 25, -20), (300, 25, -20), 96),
        Cylinder("front-flange", "front flange", (-50, -190, -165), (5, -190, -165), 90),
    ),
    parent="gearbox",
)
_COMPRESSOR = Component(
    "compressor",
    "Air compressor",
    Pose(1830.0, -470.0, 705.0),
    (Box("body", "body", (0, 0, 90), (260, 150, 150)), Cylinder("motor", "motor", (130, 0, 95), (300, 0, 95), 120)),
)
_FRONT_AXLE = Component(
    "front-axle",
    "Front axle",
    Pose(0.0, 0.0, 410.0, 0.0, 0.8, 0.0),
    (
        Cylinder("tube", "tube", (0, -720, 0), (0, 720, 0), 96),
        Cylinder("diff", "differential", (0, -310, 5), (0, -130, 5), 250),
        Cylinder("nose", "pinion nose", (110, -216, 18), (285, -216, 18), 100),
    ),
)
_REAR_AXLE = Component(
    "rear-axle",
    "Rear axle, wide",
    Pose(3300.0, 0.0, 410.0, 0.0, 6.2, 0.0),
    (
        Cylinder("tube", "tube", (0, -800, 0), (0, 800, 0), 110),
        Cylinder("diff", "differential", (0, -100, 5), (0, 110, 5), 290),
        Cylinder("nose", "pinion nose", (-320, 15, 20), (-120, 15, 20), 120),
    ),
)

_FRAME = (
    Box("left-rail", "left rail", (1430, -400, 620), (3960, 70, 120), role="frame"),
    Box("right-rail", "right rail", (1430, 400, 620), (3960, 70, 120), role="frame"),
    Box("front-crossmember", "front crossmember", (232, 0, 434), (80, 730, 50), role="frame"),
    Box("gearbox-crossmember", "gearbox crossmember", (1225, 0, 395), (90, 730, 60), role="frame"),
    Box("rear-crossmember", "rear crossmember", (2480, 0, 640), (80, 730, 80), role="frame"),
    Box("bulkhead", "bulkhead", (815, 0, 1090), (18, 1400, 560), role="body"),
)


def _component_points() -> tuple[Point, ...]:
    up: Vec3 = (0, 0, 1)
    back: Vec3 = (1, 0, 0)
    return (
        Point("LM-foot", "left engine foot", "engine", "hole", (-310, -215, -25), up, 13, "measured", "caliper", 0.3),
        Point("RM-foot", "right engine foot", "engine", "hole", (-310, 215, -25), up, 13, "measured", "caliper", 0.3),
        Point("GM-foot", "gearbox foot", "gearbox", "hole", (480, 0, -122), up, 13, "measured", "caliper", 0.3),
        Point("crank-nose", "crank nose", "engine", "face", (-645, 0, 0), (-1, 0, 0), None, "measured", "caliper", 0.5),
        Point("sump-drain", "sump drain", "engine", "corner", (-60, 0, -225), None, None, "measured", "tape", 1.0),
        Point("rear-output", "rear output", "transfer", "joint", (310, 25, -20), back, None, "measured", "caliper", 0.5),
        Point(
            "front-output",
            "front output",
            "transfer",
            "joint",
            (-60, -190, -165),
            (-1, 0, 0),
            None,
            "borrowed",
            "tape",
            note="Taken from another shop's conversion of the same case.",
        ),
        Point("rear-pinion", "rear pinion", "rear-axle", "joint", (-340, 15, 20), back, None, "measured", "caliper", 0.5),
        Point("front-pinion", "front pinion", "front-axle", "joint", (305, -216, 18), (-1, 0, 0), None, "measured", "caliper", 0.5),
        Point("C1-foot", "compressor front foot", "compressor", "hole", (-90, 0, 0), up, 9, "drawing", "tape", 0.2),
        Point("C2-foot", "compressor rear foot", "compressor", "hole", (90, 0, 0), up, 9, "drawing", "tape", 0.2),
    )


def _seats() -> tuple[Point, ...]:
    engine_axis: Vec3 = (0.0436, 0.0, 0.999)
    up: Vec3 = (0, 0, 1)
    return (
        _seat("LM-seat", "left engine seat", (427.9, -227.4, 553.4), engine_axis, 14, "Teo Marsh"),
        _seat("RM-seat", "right engine seat", (427.6, 202.7, 556.2), engine_axis, 14, "Wil Adeyemi"),
        _seat("GM-seat", "gearbox seat", (1213.4, -11.6, 425.0), engine_axis, 20, "Teo Marsh"),
        Point("C1-seat", "compressor front seat", VEHICLE, "hole", (1740.3, -470.4, 680.0), up, 9, "measured", "caliper", 0.2),
        Point("C2-seat", "compressor rear seat", VEHICLE, "hole", (1920.2, -469.7, 701.9), up, 9, "measured", "caliper", 0.2),
        Point(
            "front-hub-left",
            "front hub, left",
            VEHICLE,
            "wheel",
            (0, -745, 410),
            (0, -1, 0),
            None,
            "measured",
            "tape",
            readings=(
                Reading("r1", "z", "16 1/8 in", 409.575, "tape", "Teo Marsh", "2026-10-19T08:50:00", "tyres at pressure"),
                Reading("r2", "z", "402", 402.0, "tape", "Pip Okafor", "2026-10-27T16:05:00", "after the seats went in"),
            ),
        ),
        Point("front-hub-right", "front hub, right", VEHICLE, "wheel", (0, 745, 410), (0, 1, 0), None, "measured", "tape", 1.0),
    )


def _seat(point_id: str, name: str, xyz_mm: Vec3, axis: Vec3, hole_mm: float, person: str) -> Point:
    readings = tuple(
        Reading(
            f"r{k}",
            "z",
            f"{xyz_mm[2] + off:.2f}",
            xyz_mm[2] + off,
            "caliper",
            person,
            f"2026-10-2{k}T09:3{k}:00",
            "straightedge across the rails",
        )
        for k, off in ((1, 0.05), (2, -0.05))
    )
    return Point(point_id, name, VEHICLE, "hole", xyz_mm, axis, hole_mm, "measured", "caliper", 0.25, readings=readings)


@cache
def build() -> Build:
    """The whole build with its rounds."""
    low = Option("low", "Low and level", (Position("engine", LOW),), note="As low as the sump allows, level across.")
    lifted = Option(
        "lifted",
        "Tail lifted",
        (Position("engine", LIFTED), Position("front-axle", FRONT_POINTED)),
        note="Gearbox end raised for the rear shaft.",
    )
    made = Build(
        id="cairn-2",
        name="Cairn 2, mountain rescue ambulance",
        vehicle="Aldermoor ladder-frame four-wheel-drive",
        datum=Datum(
            "Front axle centreline, middle of the frame by halving between the rails, shop floor.",
            "Level on four stands: 0.1° nose down read on the rails, 0.0° across.",
        ),
        stage="Place",
        solids=_FRAME,
        wheels=tuple(
            Wheel(f"{end}-{side}", (x, y, 410), 820, 225)
            for end, x, half in (("front", 0, 790), ("rear", 3300, 860))
            for side, y in (("left", -half), ("right", half))
        ),
        components=(_ENGINE, _GEARBOX, _TRANSFER, _COMPRESSOR, _FRONT_AXLE, _REAR_AXLE),
        points=(*_component_points(), *_seats()),
        mounts=(
            Mount("LM", "Left engine mount", "LM-foot", "LM-seat", 12, 1.0),
            Mount("RM", "Right engine mount", "RM-foot", "RM-seat", 12, 1.0),
            Mount("GM", "Gearbox mount", "GM-foot", "GM-seat", 12, 1.0),
            Mount("C1", "Compressor front mount", "C1-foot", "C1-seat", 8, 0.5),
            Mount("C2", "Compressor rear mount", "C2-foot", "C2-seat", 8, 0.5),
        ),
        drivelines=(
            Driveline("rear", "Rear shaft", 2400, (LineJoint("J1", "rear-output"), LineJoint("J2", "rear-pinion")), (0.0,)),
            Driveline("front", "Front shaft", 1500, (LineJoint("F1", "front-output"), LineJoint("F2", "front-pinion")), (0.0,)),
        ),
        rooms=(
            Room(
                "sump-crossmember",
                "Sump to front crossmember",
                SolidRef("engine", "sump"),
                SolidRef(VEHICLE, "front-crossmember"),
                6.0,
                2.0,
                "the engine rocks on its rubbers",
            ),
            Room(
                "case-crossmember",
                "Transfer case to gearbox crossmember",
                SolidRef("transfer", "case"),
                SolidRef(VEHICLE, "gearbox-crossmember"),
                10.0,
                2.0,
                "it must come out without dropping the crossmember",
            ),
            Room(
                "head-bulkhead",
                "Head to bulkhead",
                SolidRef("engine", "head"),
                SolidRef(VEHICLE, "bulkhead"),
                25.0,
                3.0,
                "hands and heat",
            ),
        ),
        limits=Limits(mount_tilt_deg=2.0, joints=JointLimits(windup_leaf_deg=1.0)),
        options=(low, lifted),
        agreed=None,
        cautions=(
            "Stands under the frame before anyone is under the vehicle; a jack is not a stand.",
            "Elm Peg computes positions; it does not certify strength. Structural changes need an inspector.",
        ),
    )
    return with_made(with_pieces(with_order(_with_story(with_hardware(with_survey(with_lines(made)))))))


def _with_story(made: Build) -> Build:
    stacks = (
        ("low", "LM", {"block-28": 1}),
        ("low", "RM", {"tube-25": 1}),
        ("low", "C1", {"tube-8-25": 1}),
        ("low", "RL", {"plate-8-5": 1}),
        ("low", "RR", {"plate-8-5": 1}),
        ("lifted", "RL", {"plate-8-5": 1}),
        ("lifted", "RR", {"plate-8-5": 1}),
        ("lifted", "LM", {"tube-25": 1, "plate-12": 1}),
        ("lifted", "RM", {"block-28": 1, "plate-6": 1}),
        ("lifted", "GM", {"block-38": 1, "plate-4": 1, "washer-25": 2}),
        ("lifted", "C1", {"tube-8-25": 1}),
    )
    for option, mount, wanted in stacks:
        made = stack_edits.with_stack(made, option, mount, shelf.pieces_from(made, option, mount, SHELF, wanted))
    made = _first_round(made)
    made = _second_round(option_edits.with_agreed(made, "lifted"))
    return _third_round(made)


def _found_at(made: Build, round_id: str, moved: Pose, points: tuple[str, ...], person: str, when: str) -> Build:
    """Points as a tape would have found them had the part sat off by ``moved``, to the half millimetre."""
    where = placed(moved)
    for point in made.round(round_id).points:
        if point.point in points:
            x, y, z = (round(v * 2) / 2 for v in where.point(point.xyz_mm))
            text = f"{x:g}, {y:g}, {z:g}"
            made = rounds.with_measured_point(made, round_id, MeasuredPoint(point.point, text, (x, y, z), 0.7, person, when))
    return made


_TAPED = ("LM-foot", "RM-foot", "GM-foot", "rear-output", "crank-nose")


def _first_round(made: Build) -> Build:
    made = round_start.with_round(made, "low", "card", "Teo Marsh", "2026-10-29T10:15:00")
    made = _found_at(made, "round-1", Pose(1.5, -2.5, 1.5, 0.0, 0.55, 0.0), _TAPED, "Teo Marsh", "2026-10-29T11:00:00")
    made = rounds.with_measured(made, "round-1", Measured("room.sump-crossmember", "2 mm", 2.0, 1.0, "Teo Marsh", "2026-10-29T11:10:00"))
    made = rounds.with_measured(made, "round-1", Measured("line.rear.J2", "4.6°", 4.6, 0.1, "Sunniva Brekke", "2026-10-29T11:25:00"))
    made = rounds.with_finding(made, "round-1", "fouls", "LM", "Card sump rubs the crossmember when the tail is pushed down", "Teo Marsh")
    made = rounds.with_finding(made, "round-1", "misaligned", "rear-pinion", "Pinion looks up past the shaft", "Sunniva Brekke")
    made = rounds.with_finding_done(made, "round-1", "finding-1", True)
    return rounds.with_decision(made, "round-1", "change", "Lift the tail and take the front up with it.", "2026-10-29T12:00:00")


def _second_round(made: Build) -> Build:
    made = round_start.with_round(made, "lifted", "board", "Wil Adeyemi", "2026-11-06T09:00:00")
    made = _found_at(made, "round-2", Pose(0.5, 1.0, 0.6, 0.0, 0.22, 0.0), _TAPED, "Wil Adeyemi", "2026-11-06T09:40:00")
    made = rounds.with_measured(made, "round-2", Measured("line.rear.J2", "2.3°", 2.3, 0.1, "Sunniva Brekke", "2026-11-06T10:05:00"))
    made = rounds.with_finding(
        made, "round-2", "gap", "GM", "Gearbox foot hangs low, stack short by the thickness of a plate", "Wil Adeyemi"
    )
    made = rounds.with_finding(
        made, "round-2", "cannot reach", "RM", "No spanner on the right mount nut once the manifold is in", "Pip Okafor"
    )
    return rounds.with_decision(made, "round-2", "again", "Plate added at the gearbox; look at the right nut.", "2026-11-06T11:00:00")


def _third_round(made: Build) -> Build:
    made = round_start.with_round(made, "lifted", "tacked", "Teo Marsh", "2026-11-17T13:30:00")
    made = _found_at(made, "round-3", Pose(0.0, 0.4, 0.2, 0.0, 0.05, 0.0), _TAPED, "Teo Marsh", "2026-11-17T14:10:00")
    made = rounds.with_measured(made, "round-3", Measured("room.sump-crossmember", "10 mm", 10.0, 1.0, "Teo Marsh", "2026-11-17T14:20:00"))
    made = rounds.with_finding(made, "round-3", "good", "GM", "Sits on its stack, bolt drops through by hand", "Teo Marsh")
    return rounds.with_decision(made, "round-3", "go on", "Weld the brackets, then measure the front output.", "2026-11-17T15:00:00")
