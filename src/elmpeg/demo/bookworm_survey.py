"""What has been measured on Bookworm so far: taped holes, a middle, a hole by its edges, and what went wrong with some of it."""

from __future__ import annotations

import math
from dataclasses import replace

from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, FrameBay, Levelling, Noted, Pair, Point, Reading, SheetFigure
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH

_UP: Vec3 = (0, 0, 1)
_DAY = "2026-11-20T"
_INCH = float(MM_PER_INCH)
_KNOWN: dict[str, tuple[str, Vec3]] = {
    "rail-lf": ("left rail, front datum hole", (600.0, -420.0, 790.0)),
    "rail-rf": ("right rail, front datum hole", (600.0, 421.0, 790.0)),
    "rail-lr": ("left rail, rear datum hole", (4300.0, -420.0, 790.0)),
    "rail-rr": ("right rail, rear datum hole", (4303.0, 419.0, 790.5)),
}


def with_survey(build: Build) -> Build:
    """The build with all of this."""
    return replace(
        build,
        points=(*build.points, *_datum_holes(), *_taped(), _middle(), _tank_hole()),
        levellings=(
            Levelling(
                "level-1",
                "gauges",
                0.45,
                -0.2,
                0.1,
                "corrected",
                "Sunniva Brekke",
                f"{_DAY}09:00:00",
                (),
                ("0.4; 0.5", "-0.2"),
                "Floor falls to the drain",
            ),
        ),
        pairs=(Pair("pack-hangers", "PL-seat", "PR-seat"),),
        bays=(FrameBay("long-bay", "frame between the datum holes", ("rail-lf", "rail-rf", "rail-rr", "rail-lr")),),
        sheet=(
            SheetFigure(
                "skirt-1", "skirt, left front", "ride height", "mm", Noted("13 7/8 in", 352.425, "tape", "Orla Fennick", f"{_DAY}09:20:00")
            ),
            SheetFigure(
                "skirt-2", "skirt, left rear", "ride height", "mm", Noted("14 1/2 in", 368.3, "tape", "Orla Fennick", f"{_DAY}09:22:00")
            ),
            SheetFigure("skirt-3", "skirt, right front", "ride height", "mm"),
            SheetFigure("skirt-4", "skirt, right rear", "ride height", "mm"),
            SheetFigure("shaft", "old shaft", "shaft length", "mm", where="between joint centres"),
        ),
    )


def _datum_holes() -> tuple[Point, ...]:
    return tuple(
        Point(
            point_id,
            name,
            VEHICLE,
            "hole",
            xyz,
            _UP,
            18,
            readings=tuple(
                Reading(f"r{n}", axis, f"{v:g}", v, "tape", "Orla Fennick", f"{_DAY}10:0{k}:00")  # type: ignore[arg-type]
                for n, (axis, v) in enumerate(zip("xyz", xyz, strict=True), 1)
            ),
        )
        for k, (point_id, (name, xyz)) in enumerate(_KNOWN.items())
    )


def _tape(n: int, held_at: str, mm: float, when: str) -> Reading:
    """A tape as it is called out: whole and sixteenth inches."""
    sixteenths = round(mm / _INCH * 16)
    whole, part = divmod(sixteenths, 16)
    step = math.gcd(part, 16)
    text = f"{whole} {part // step}/{16 // step} in" if part else f"{whole} in"
    return Reading(f"r{n}", "tape", text, sixteenths * _INCH / 16, "tape", "Pip Okafor", f"{_DAY}{when}", unit="in", held_at=held_at)


def _tapes(true_mm: Vec3, held: tuple[str, ...], off_mm: dict[str, float], when: str) -> tuple[Reading, ...]:
    return tuple(_tape(n, h, math.dist(true_mm, _KNOWN[h][1]) + off_mm.get(h, 0.0), f"{when}:0{n}") for n, h in enumerate(held, 1))


def _taped() -> tuple[Point, ...]:
    bracket, stud, lug = (1900.0, -210.0, 310.0), (2500.0, 150.0, 1010.0), (3300.0, 260.0, 420.0)
    all_four = tuple(_KNOWN)
    height = Reading("r5", "z", "12 3/16 in", 309.5625, "tape", "Pip Okafor", f"{_DAY}10:30:05", "from the floor", unit="in")
    return (
        Point(
            "fuse-box",
            "fuse box bracket hole",
            VEHICLE,
            "hole",
            bracket,
            _UP,
            9,
            got="tapes",
            readings=(*_tapes(bracket, all_four, {"rail-rf": _INCH}, "10:30"), height),
            near_mm=bracket,
            note="One of the tapes was read over the wrong inch mark.",
        ),
        Point(
            "cable-stud",
            "cable stud under the floor",
            VEHICLE,
            "hole",
            stud,
            _UP,
            8,
            got="tapes",
            readings=_tapes(stud, all_four[:3], {}, "10:40"),
        ),
        Point("tank-lug", "old tank lug", VEHICLE, "hole", lug, _UP, 12, got="tapes", readings=_tapes(lug, all_four[:2], {}, "10:50")),
    )


def _middle() -> Point:
    return Point(
        "mid-rear",
        "middle between the rear datum holes",
        VEHICLE,
        "corner",
        (4301.5, -0.5, 790.0),
        got="middle",
        between=("rail-lr", "rail-rr"),
    )


def _tank_hole() -> Point:
    def edge(n: int, axis: str, which: str, text: str, value: float) -> Reading:
        return Reading(f"r{n}", axis, text, value, "caliper", "Sunniva Brekke", f"{_DAY}11:0{n}:00", edge=which)  # type: ignore[arg-type]

    return Point(
        "strap-hole",
        "tank strap hole",
        VEHICLE,
        "hole",
        (180.5, -90.2, 0.0),
        _UP,
        None,
        got="edges",
        start="rail-lf",
        readings=(
            edge(1, "x", "near", "174.05", 174.05),
            edge(2, "x", "far", "187", 187.0),
            edge(3, "y", "near", "-96.7", -96.7),
            edge(4, "y", "far", "-83.75", -83.75),
            Reading("r5", "z", "0", 0.0, "caliper", "Sunniva Brekke", f"{_DAY}11:06:00"),
        ),
    )
