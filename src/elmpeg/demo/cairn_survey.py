"""What was measured on Cairn 2 besides its mounts: level, before sheet, marks, the front frame bay, and the engine where it sits."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, FrameBay, Levelling, LevelPlace, Noted, Pair, Point, Reading, SheetFigure, Span, WitnessMark

_UP: Vec3 = (0, 0, 1)
LEVEL = "level-1"
_DAY = "2026-10-19T"


def with_survey(build: Build) -> Build:
    """The build with all of this."""
    return replace(
        build,
        points=(*build.points, *_hangers(), *_bay(), *_engine_found()),
        levellings=(
            Levelling(
                LEVEL,
                "heights",
                -0.0992,
                0.0358,
                0.035,
                "corrected",
                "Sunniva Brekke",
                f"{_DAY}08:20:00",
                (
                    LevelPlace("left rail, front", (300.0, -400.0, 676.0)),
                    LevelPlace("right rail, front", (300.0, 400.0, 676.5)),
                    LevelPlace("left rail, rear", (2900.0, -400.0, 680.5)),
                    LevelPlace("right rail, rear", (2900.0, 400.0, 681.0)),
                ),
                note="Four stands, laser line across the shop",
            ),
        ),
        sheet=_sheet(),
        witness_marks=(
            WitnessMark(
                "mark-1", "two screws through the left bonnet hinge", "hinge leaf, 20 mm in from the edge", "Pip Okafor", f"{_DAY}08:35:00"
            ),
            WitnessMark(
                "mark-2",
                "punch mark for the wheel centre",
                "left rail outer face, straight above the rear hub",
                "Teo Marsh",
                f"{_DAY}08:50:00",
            ),
            WitnessMark(
                "mark-3", "scribed line across flange and pinion", "rear shaft, before it came off", "Sunniva Brekke", f"{_DAY}10:05:00"
            ),
        ),
        spans=_spans(),
        pairs=(Pair("hangers", "hanger-left", "hanger-right"),),
        bays=(FrameBay("front-bay", "front frame bay", ("bay-fl", "bay-fr", "bay-rr", "bay-rl")),),
    )


def _read(xyz_mm: Vec3, texts: tuple[str, str, str], tool: str, person: str, time: str, level: str | None = None) -> tuple[Reading, ...]:
    return tuple(
        Reading(f"r{n}", axis, text, value, tool, person, f"{_DAY}{time}", level=level)  # type: ignore[arg-type]
        for n, (axis, text, value) in enumerate(zip("xyz", texts, xyz_mm, strict=True), 1)
    )


def _hangers() -> tuple[Point, ...]:
    """Left is not right: the right spring hanger was moved once, after some earlier mishap."""
    left, right = (-560.0, -402.0, 655.0), (-556.5, 399.0, 661.5)
    return (
        Point(
            "hanger-left",
            "left spring hanger",
            VEHICLE,
            "hole",
            left,
            (0, -1, 0),
            14,
            readings=_read(left, ("-560", "-402", "655"), "plumb", "Teo Marsh", "09:10:00", LEVEL),
        ),
        Point(
            "hanger-right",
            "right spring hanger",
            VEHICLE,
            "hole",
            right,
            (0, 1, 0),
            14,
            readings=_read(right, ("-556.5", "399", "661.5"), "plumb", "Teo Marsh", "09:15:00", LEVEL),
        ),
    )


_CORNERS: dict[str, tuple[str, Vec3]] = {
    "bay-fl": ("front bay, left front hole", (300.0, -400.0, 680.0)),
    "bay-fr": ("front bay, right front hole", (302.0, 400.5, 680.0)),
    "bay-rr": ("front bay, right rear hole", (1153.0, 401.0, 680.5)),
    "bay-rl": ("front bay, left rear hole", (1150.0, -400.0, 680.0)),
}


def _bay() -> tuple[Point, ...]:
    points = []
    for n, (point_id, (name, xyz)) in enumerate(_CORNERS.items()):
        texts = (f"{xyz[0]:g}", f"{xyz[1]:g}", f"{xyz[2]:g}")
        readings = _read(xyz, texts, "tape", "Wil Adeyemi", f"09:3{n}:00")
        if point_id == "bay-rr":
            again = _read((1152.5, 401.5, 681.0), ("1152.5", "401.5", "681"), "tape", "Sunniva Brekke", "15:40:00")
            readings += tuple(replace(r, id=f"s{r.id}", blind=True) for r in again)
        points.append(Point(point_id, name, VEHICLE, "hole", xyz, _UP, 11, readings=readings))
    return tuple(points)


def _spans() -> tuple[Span, ...]:
    """Six tapes around and across the bay; one was read an inch too long."""
    taped = (
        ("bay-fl", "bay-fr", "800.5", 800.5, "Wil Adeyemi", "09:50:00"),
        ("bay-rl", "bay-rr", "801", 801.0, "Wil Adeyemi", "09:52:00"),
        ("bay-fl", "bay-rl", "850", 850.0, "Wil Adeyemi", "09:54:00"),
        ("bay-fr", "bay-rr", "34 1/2 in", 876.3, "Pip Okafor", "09:56:00"),
        ("bay-fl", "bay-rr", "1170.5", 1170.5, "Wil Adeyemi", "09:58:00"),
        ("bay-fr", "bay-rl", "1166.5", 1166.5, "Wil Adeyemi", "10:00:00"),
    )
    return tuple(
        Span(f"t{n}", a, b, text, value, "tape", who, f"{_DAY}{when}") for n, (a, b, text, value, who, when) in enumerate(taped, 1)
    )


def _engine_found() -> tuple[Point, ...]:
    """The engine's own points as taped in the vehicle during the last test fit; the crank nose does not fit the others."""
    found: tuple[tuple[str, str, Vec3], ...] = (
        ("LM-foot", "left engine foot", (429.5, -226.5, 590.5)),
        ("RM-foot", "right engine foot", (429.0, 203.5, 590.0)),
        ("GM-foot", "gearbox foot", (1216.5, -11.5, 472.0)),
        ("rear-output", "rear output", (1649.0, 13.5, 563.5)),
        ("crank-nose", "crank nose", (95.0, -11.5, 637.0)),
    )
    return tuple(
        Point(
            f"{bench}-found",
            f"{name}, in the vehicle",
            VEHICLE,
            "joint" if bench == "rear-output" else "corner",
            xyz,
            same_as=bench,
            readings=tuple(
                replace(r, taken_at=f"2026-11-17T14:0{n}:00")
                for r in _read(xyz, (f"{xyz[0]:g}", f"{xyz[1]:g}", f"{xyz[2]:g}"), "tape", "Teo Marsh", "14:00:00")
            ),
        )
        for n, (bench, name, xyz) in enumerate(found)
    )


def _sheet() -> tuple[SheetFigure, ...]:
    def noted(text: str, value: float, tool: str = "tape", person: str = "Pip Okafor") -> Noted:
        return Noted(text, value, tool, person, f"{_DAY}08:30:00")

    return (
        SheetFigure(
            "sill-1",
            "left sill, station 1",
            "ride height",
            "mm",
            noted("21 3/4 in", 552.45),
            where="floor to the seam, behind the front wheel",
        ),
        SheetFigure(
            "sill-2",
            "left sill, station 2",
            "ride height",
            "mm",
            noted("22 1/8 in", 561.975),
            where="floor to the seam, before the rear wheel",
        ),
        SheetFigure(
            "sill-3",
            "right sill, station 1",
            "ride height",
            "mm",
            noted("21 5/8 in", 549.275),
            where="floor to the seam, behind the front wheel",
        ),
        SheetFigure(
            "shaft",
            "rear shaft as it came",
            "shaft length",
            "mm",
            noted("1462", 1462.0, person="Sunniva Brekke"),
            where="between joint centres",
        ),
        SheetFigure(
            "pinion",
            "rear pinion as it came",
            "angle",
            "deg",
            noted("4.1", 4.1, "gauge", "Sunniva Brekke"),
            where="flange face, gauge zeroed on the rail",
        ),
        SheetFigure("bonnet", "bonnet gap, left", "gap", "mm", noted("5.5", 5.5, "caliper"), where="at the hinge end"),
        SheetFigure("hub", "rear wheel centre on the rail", "wheel centre", "mm", where="from the rear crossmember's front face"),
    )
