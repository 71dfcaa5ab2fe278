"""Dynamo: a fairground generator lorry, finished. Spring blocks under the rear axle and a two-piece rear line."""

from __future__ import annotations

from functools import cache

from elmpeg.core.advice import round_start
from elmpeg.core.base.pose import Pose
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.components import Component, Wheel
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline, LineJoint
from elmpeg.core.build.limits import Limits
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Option, Position
from elmpeg.core.build.rounds import Measured, MeasuredPoint
from elmpeg.core.build.survey import VEHICLE, Datum, Point
from elmpeg.core.methods.driveline.joint_limits import JointLimits
from elmpeg.core.methods.shapes.solids import Box, Cylinder
from elmpeg.core.stages.fit import rounds
from elmpeg.core.stages.mount import shelf, stack_edits
from elmpeg.core.stages.place import option_edits
from elmpeg.demo.dynamo_lines import with_lines, with_order
from elmpeg.demo.shelf import SHELF

_UP: Vec3 = (0, 0, 1)
_BACK: Vec3 = (1, 0, 0)
_BEFORE = Pose(4200.0, 0.0, 520.0, 0.0, 6.4, 0.0)
_AFTER = Pose(4200.0, 0.0, 520.0, 0.0, 3.8, 0.0)
_CARRIER_BEFORE = Pose(2450.0, 0.0, 573.0)


@cache
def build() -> Build:
    """The finished build: both options, both rounds."""
    made = Build(
        id="dynamo",
        name="Dynamo, fairground generator lorry",
        vehicle="Harrowgate flatbed, 1960s",
        datum=Datum("Front axle centreline, middle of the frame, shop floor.", "Level within 0.1° both ways, four jacks on stands."),
        stage="Hand over",
        solids=(
            Box("left-rail", "left rail", (2350, -410, 800), (5600, 80, 200), role="frame"),
            Box("right-rail", "right rail", (2350, 410, 800), (5600, 80, 200), role="frame"),
            Box("carrier-crossmember", "carrier crossmember", (2450, 0, 800), (90, 740, 120), role="frame"),
        ),
        wheels=tuple(
            Wheel(f"{end}-{side}", (x, y, 520), 1040, 300)
            for end, x in (("front", 0), ("rear", 4200))
            for side, y in (("left", -980), ("right", 980))
        ),
        components=(
            Component("gearbox", "Gearbox", Pose(900.0, 0.0, 690.0, 0.0, 2.5, 0.0), (Box("case", "case", (250, 0, 0), (500, 300, 320)),), movable=False),
            Component("carrier", "Carrier bearing", Pose(2450.0, 0.0, 598.0), (Cylinder("ring", "carrier", (-20, 0, 0), (20, 0, 0), 150),)),
            Component(
                "rear-axle",
                "Rear axle",
                _AFTER,
                (Cylinder("tube", "tube", (0, -860, 0), (0, 860, 0), 150), Cylinder("diff", "differential", (0, -150, 0), (0, 150, 0), 380),
                 Cylinder("nose", "pinion nose", (-410, 0, 10), (-150, 0, 10), 150)),
            ),
        ),
        points=(
            Point("output", "gearbox output", "gearbox", "joint", (520, 0, 0), _BACK, None, "measured", "caliper", 0.5),
            Point("carrier-joint", "carrier joint", "carrier", "joint", (60, 0, 0), _BACK, None, "measured", "laser", 0.7),
            Point("carrier-foot", "carrier foot", "carrier", "hole", (0, 0, 85), _UP, 13, "measured", "caliper", 0.2),
            Point("carrier-seat", "carrier seat", VEHICLE, "hole", (2450.2, 0.3, 725.2), (0, 0, -1), 14, "measured", "caliper", 0.2),
            Point("lorry-pinion", "rear pinion", "rear-axle", "joint", (-430, 0, 10), _BACK, None, "measured", "caliper", 0.5),
        ),
        mounts=(Mount("CB", "Carrier mount", "carrier-foot", "carrier-seat", 12, 0.7),),
        drivelines=(
            Driveline(
                "rear", "Rear line", 2200,
                (LineJoint("J1", "output"), LineJoint("J2", "carrier-joint"), LineJoint("J3", "lorry-pinion")), (0.0, 90.0),
            ),
        ),
        options=(
            Option("before", "As it came", (Position("rear-axle", _BEFORE), Position("carrier", _CARRIER_BEFORE)),
                   note="Pinion as the springs left it, carrier low on its old bracket."),
            Option("after", "Blocks and wedges", (Position("rear-axle", _AFTER),), note="46 mm blocks, 2.6° wedges."),
        ),
        limits=Limits(joints=JointLimits(windup_leaf_deg=0.4)),
        cautions=("Springs under load: chain the axle, stand clear of the shackles.",),
    )  # fmt: skip
    made = with_lines(made)
    for option, pieces in (("before", {"block-38": 1, "tube-25": 1, "plate-4": 1}), ("after", {"block-38": 1, "plate-4": 1})):
        made = stack_edits.with_stack(made, option, "CB", shelf.pieces_from(made, option, "CB", SHELF, pieces))
    made = option_edits.with_agreed(made, "after")
    made = round_start.with_round(made, "after", "tacked", "Wil Adeyemi", "2026-08-11T09:00:00")
    made = rounds.with_measured(made, "round-1", Measured("line.rear.J3", "2.3°", 2.3, 0.1, "Sunniva Brekke", "2026-08-11T10:00:00"))
    made = rounds.with_decision(made, "round-1", "go on", "Wedges welded to the blocks, not to the axle.", "2026-08-11T11:00:00")
    made = round_start.with_round(made, "after", "final", "Wil Adeyemi", "2026-08-25T09:00:00")
    found = next(p for p in made.round("round-2").points if p.point == "lorry-pinion")
    x, y, z = (round(v * 2) / 2 for v in found.xyz_mm)
    when = "2026-08-25T09:30:00"
    made = rounds.with_measured_point(
        made, "round-2", MeasuredPoint("lorry-pinion", f"{x:g}, {y:g}, {z - 0.5:g}", (x, y, z - 0.5), 0.7, "Wil Adeyemi", when)
    )
    made = with_order(made)
    return rounds.with_decision(made, "round-2", "go on", "Released by Orla Fennick.", "2026-08-25T10:30:00")
