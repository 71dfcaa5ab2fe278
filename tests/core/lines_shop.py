"""A bare vehicle with one line, for tests that turn one screw at a time."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.pose import Pose
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import CarriedAxle, ControlLink, Driveline, LineJoint, LineRoad, Shaft
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Option, Position
from elmpeg.core.build.survey import VEHICLE, Datum, Point
from elmpeg.core.scene.scene import Scene

UP, BACK = (0, 0, 1), (1, 0, 0)
SHAFT = Shaft(76.0, 2.0, "steel", "27x80", "flange", "flange", 60.0, 50.0)


def build(engine_pose=Pose(1000.0, 0.0, 500.0, 0.0, 2.0, 0.0), axle_pose=Pose(2700.0, 0.0, 400.0, 0.0, 6.0, 0.0), **line):  # noqa: B008 - poses do not change
    """An engine on three mounts, a rear axle, and a shaft from one to the other; the axle on leaf springs."""
    points = (
        Point("out", "output", "engine", "joint", (400, 20, 0), BACK, sd_mm=0.5),
        Point("pin", "pinion", "axle", "joint", (-300, 0, 20), BACK, sd_mm=0.5),
        *(Point(f"{n}-foot", f"{n} foot", "engine", "hole", xyz, UP, 13, sd_mm=0.3) for n, xyz in (("L", (-300, -200, -40)), ("R", (-300, 200, -40)), ("T", (300, 0, -120)))),
        *(Point(f"{n}-seat", f"{n} seat", VEHICLE, "hole", xyz, UP, 14, sd_mm=0.3) for n, xyz in (("L", (700, -200, 440)), ("R", (700, 200, 440)), ("T", (1295, 0, 340)))),
        Point("seat", "spring seat", "axle", "face", (0, -500, 80), UP, sd_mm=0.5),
        Point("eye", "spring eye", VEHICLE, "joint", (2050, -500, 500), (0, 1, 0), sd_mm=0.5),
        Point("ua", "upper axle end", "axle", "joint", (0, 0, 120), (0, 1, 0), sd_mm=0.5),
        Point("la", "lower axle end", "axle", "joint", (-10, 0, -60), (0, 1, 0), sd_mm=0.5),
        Point("uf", "upper frame end", VEHICLE, "joint", (2100, 0, 540), (0, 1, 0), sd_mm=0.5),
        Point("lf", "lower frame end", VEHICLE, "joint", (2000, 0, 380), (0, 1, 0), sd_mm=0.5),
    )  # fmt: skip
    made = Driveline("rear", "Rear", 2400, (LineJoint("J1", "out"), LineJoint("J2", "pin")), (0.0,), axle="springs", shafts=(SHAFT,))
    return Build(
        "b", "Build", "vehicle", Datum("", ""),
        components=(Component("engine", "Engine", engine_pose), Component("axle", "Axle", axle_pose)),
        points=points,
        mounts=tuple(Mount(f"M{n}", f"{n} mount", f"{n}-foot", f"{n}-seat", 12, 1.0) for n in "LRT"),
        axles=(
            CarriedAxle("springs", "On springs", "axle", "leaf", 80.0, 90.0, apart_mm=1000.0, seat_point="seat", eye_point="eye", perch_mm=150.0),
            CarriedAxle("links", "On links", "axle", "four_link", 80.0, 90.0, upper=ControlLink("uf", "ua", "M20x1.5", 35.0, 2), lower=ControlLink("lf", "la")),
        ),
        drivelines=(replace(made, **line),),
        options=(Option("o", "One", (Position("engine", engine_pose), Position("axle", axle_pose))),),
    )  # fmt: skip


def scene(made):
    """The build at its only option."""
    return Scene(made, made.option("o"))


def road():
    """A road figure worked by hand elsewhere."""
    return LineRoad(100.0, 800.0, 4.0)
