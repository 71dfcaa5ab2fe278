"""Bookworm: a library bus going electric. Early days: the motor is placed by eye and much is not measured yet."""

from __future__ import annotations

from functools import cache

from elmpeg.core.base.pose import Pose
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.components import Component, Wheel
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline, LineJoint
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Option, Position
from elmpeg.core.build.rooms import Room, SolidRef
from elmpeg.core.build.survey import VEHICLE, Datum, Point
from elmpeg.core.methods.shapes.solids import Box, Cylinder
from elmpeg.demo.bookworm_survey import with_survey

_UP: Vec3 = (0, 0, 1)
_BACK: Vec3 = (1, 0, 0)
_MOTOR = Pose(2900.0, 0.0, 560.0, 0.0, 2.0, 0.0)


@cache
def build() -> Build:
    """The build as it stands after the first week."""
    made = Build(
        id="bookworm",
        name="Bookworm, library bus",
        vehicle="Tallis & Crane single-decker, 1970s",
        datum=Datum("Front axle centreline, middle of the frame, shop floor.", "Not levelled yet; floor falls about 6 mm to the drain."),
        stage="Measure",
        solids=(
            Box("left-rail", "left rail", (2900, -420, 700), (7000, 75, 180), role="frame"),
            Box("right-rail", "right rail", (2900, 420, 700), (7000, 75, 180), role="frame"),
            Box("motor-crossmember", "motor crossmember", (3150, 0, 345), (100, 765, 60), role="frame"),
            Box("rear-crossmember", "rear crossmember", (4300, 0, 700), (90, 765, 120), role="frame"),
            Box("floor", "bus floor", (2900, 0, 905), (6600, 2200, 30), role="body"),
        ),
        wheels=tuple(
            Wheel(f"{end}-{side}", (x, y, 470), 940, 260)
            for end, x in (("front", 0), ("rear", 4900))
            for side, y in (("left", -950), ("right", 950))
        ),
        components=(
            Component(
                "motor",
                "Traction motor",
                _MOTOR,
                (Cylinder("can", "motor", (0, 0, 0), (420, 0, 0), 330), Cylinder("flange", "output flange", (420, 0, 0), (470, 0, 0), 120)),
            ),
            Component("pack", "Battery pack, rear", Pose(3900.0, 0.0, 640.0), (Box("case", "pack case", (0, 0, 0), (620, 700, 380)),)),
            Component(
                "rear-axle",
                "Rear axle",
                Pose(4900.0, 0.0, 470.0, 0.0, 3.0, 0.0),
                (Cylinder("tube", "tube", (0, -850, 0), (0, 850, 0), 140), Cylinder("nose", "pinion nose", (-380, 0, 0), (0, 0, 0), 200)),
            ),
        ),
        points=(
            Point("MF-foot", "motor front foot", "motor", "hole", (60, 0, -170), _UP, 17, "drawing"),
            Point("MR-foot", "motor rear foot", "motor", "hole", (300, 0, -170), _UP, 17, "drawing"),
            Point("MF-seat", "motor front seat", VEHICLE, "hole", (2960, 0, 360), None, None, "assumed", note="Crossmember not made yet."),
            Point("MR-seat", "motor rear seat", VEHICLE, "hole", (3194, 0, 352), _UP, 18, "assumed", note="Crossmember not made yet."),
            Point("PL-foot", "pack left lug", "pack", "hole", (0, -330, 190), _UP, 17, "drawing"),
            Point("PR-foot", "pack right lug", "pack", "hole", (0, 330, 190), _UP, 17, "drawing"),
            Point("PL-seat", "pack left hanger", VEHICLE, "hole", (3900, -330, 783), _UP, 18, "measured", "tape"),
            Point("PR-seat", "pack right hanger", VEHICLE, "hole", (3900, 330, 779), _UP, 18, "measured", "tape"),
            Point("motor-output", "motor output", "motor", "joint", (480, 0, 0), _BACK, None, "drawing"),
            Point("bus-pinion", "rear pinion", "rear-axle", "joint", (-400, 0, 0), None, None, "measured", "tape"),
        ),
        mounts=(
            Mount("MF", "Motor front mount", "MF-foot", "MF-seat", 16, 1.0),
            Mount("MR", "Motor rear mount", "MR-foot", "MR-seat", 16, 1.0),
            Mount("PL", "Pack left hanger", "PL-foot", "PL-seat", 16, 1.0),
            Mount("PR", "Pack right hanger", "PR-foot", "PR-seat", 16, 1.0),
        ),
        drivelines=(Driveline("main", "Main shaft", 3200, (LineJoint("J1", "motor-output"), LineJoint("J2", "bus-pinion")), (0.0,)),),
        rooms=(
            Room(
                "pack-floor",
                "Pack to bus floor",
                SolidRef("pack", "case"),
                SolidRef(VEHICLE, "floor"),
                36.0,
                5.0,
                "the pack breathes and is lifted in",
            ),
            Room(
                "motor-crossmember", "Motor to its crossmember", SolidRef("motor", "can"), SolidRef(VEHICLE, "motor-crossmember"), 8.0, 5.0
            ),
        ),
        options=(Option("first", "First position", (Position("motor", _MOTOR),), note="By eye, from the drawing."),),
        cautions=(
            "High voltage: isolate, prove dead, qualified people only. Follow local codes.",
            "Stands under the frame before anyone is under the vehicle; a jack is not a stand.",
        ),
    )
    return with_survey(made)
