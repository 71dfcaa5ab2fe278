"""Calculator ``pattern``: does a plate's hole pattern drop over these studs?"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.fields import Mm, Name, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.fastening.pattern_fit import Hole, PatternFit, Stud, laid_anew, pattern_fit


class HoleFields(Request):
    """A hole of the plate."""

    id: Name
    x_mm: Mm
    y_mm: Mm
    hole_mm: PositiveMm


class StudFields(Request):
    """A stud."""

    id: Name
    x_mm: Mm
    y_mm: Mm
    bolt_mm: PositiveMm


class PairFields(Request):
    """Which hole goes over which stud."""

    hole: Name
    stud: Name


class Pattern(Request):
    """A plate's holes, the studs, and what the plate may do."""

    holes: Annotated[list[HoleFields], Field(min_length=1, max_length=100)]
    studs: Annotated[list[StudFields], Field(min_length=1, max_length=100)]
    pairs: Annotated[list[PairFields | tuple[Name, Name]], Field(min_length=1, max_length=100)] | None = None
    allow_rotation: bool
    allow_mirror: bool


def _sides(request: Pattern) -> tuple[tuple[Hole, ...], tuple[Stud, ...]]:
    holes = tuple(Hole(h.id, (h.x_mm, h.y_mm), h.hole_mm) for h in request.holes)
    return holes, tuple(Stud(s.id, (s.x_mm, s.y_mm), s.bolt_mm) for s in request.studs)


def fit_of(request: Pattern) -> PatternFit:
    """The best move of the plate."""
    pairs = None
    if request.pairs is not None:
        pairs = tuple((p.hole, p.stud) if isinstance(p, PairFields) else p for p in request.pairs)
    return pattern_fit(*_sides(request), pairs, request.allow_rotation, request.allow_mirror)


def compute(request: Pattern) -> dict[str, Any]:
    """The best move of the plate, each hole's miss and float, what to open and which hole is suspect."""
    return _told(fit_of(request))


def _told(fit: PatternFit) -> dict[str, Any]:
    shown = asdict(fit)
    shown["pairs"] = [{k: v for k, v in p.items() if k != "miss_vector_mm"} for p in shown["pairs"]]
    return {**shown, "drop_in": fit.drop_in}


def near(request: Pattern, _result: Result) -> Callable[[Pattern], Result]:
    """The same for holes and studs that differ a little: the pairs and the side stay, nobody is suspected anew."""
    fit = fit_of(request)
    return lambda other: _told(laid_anew(*_sides(other), fit, other.allow_rotation))


def limits(_request: Pattern, result: Result) -> tuple[Limit, ...]:
    """Whether it drops over."""
    if result["open_up"]:
        each = ", ".join(f"{o['hole']} to {{{k}}}" for k, o in enumerate(result["open_up"]))
        mend = words(f"open {each}", *(mm(o["to_mm"]) for o in result["open_up"]))
    else:
        mend = words("look for another pairing")
    return (Limit("drops", "Worst hole short by", result["worst_short_mm"], "mm", high=0.0, mend=mend),)


CALCULATOR = Calculator(
    name="pattern",
    purpose="Whether a plate's holes drop over studs, and what to open where not",
    request=Pattern,
    compute=compute,
    stage="Mount",
    title="Holes over studs",
    words=("pattern", "bolt pattern", "adapter", "holes", "studs", "plate", "drops over", "open a hole", "mirror"),
    answers=(
        Answer("drop_in", "It drops over", yes="yes", no="no"),
        Answer("worst_short_mm", "Worst hole, short by"),
        Answer("shift_mm.0", "Shift it across"),
        Answer("shift_mm.1", "and up"),
        Answer("rotation_deg", "Turn it"),
        Answer("mirrored", "Turned over", yes="yes", no="no"),
        Answer("suspect", "Probably one wrong hole"),
    ),
    tables=(
        Table("pairs", "Each hole", (Answer("hole", "Hole"), Answer("stud", "Stud"), Answer("miss_mm", "Misses by"), Answer("float_mm", "May by"))),
        Table("open_up", "Open up", (Answer("hole", "Hole"), Answer("to_mm", "To"))),
    ),
    formula="The shift and turn of the plate that makes the worst of (miss − float) as small as it can be; float is half of hole less bolt.",
    source="Minimax fit, best assignment.",
    not_told="Edge distance and strength once a hole is opened.",
    example={
        "holes": [{"id": "1", "x_mm": 0, "y_mm": 0, "hole_mm": 11}, {"id": "2", "x_mm": 90, "y_mm": 0, "hole_mm": 11},
                  {"id": "3", "x_mm": 90, "y_mm": 60, "hole_mm": 11}, {"id": "4", "x_mm": 0, "y_mm": 60, "hole_mm": 11}],
        "studs": [{"id": "1", "x_mm": 5, "y_mm": 2, "bolt_mm": 10}, {"id": "2", "x_mm": 95.2, "y_mm": 2.4, "bolt_mm": 10},
                  {"id": "3", "x_mm": 95.6, "y_mm": 62.1, "bolt_mm": 10}, {"id": "4", "x_mm": 4.8, "y_mm": 62.9, "bolt_mm": 10}],
        "allow_rotation": True, "allow_mirror": False,
    },
    limits=limits,
    near=near,
    labels={
        "holes": "Holes of the plate", "holes.id": "Hole", "holes.x_mm": "Across", "holes.y_mm": "Up", "holes.hole_mm": "Diameter",
        "studs": "Studs", "studs.id": "Stud", "studs.x_mm": "Across", "studs.y_mm": "Up", "studs.bolt_mm": "Diameter",
        "pairs": "Which goes over which", "allow_rotation": "May be turned", "allow_mirror": "May be turned over",
    },
    hints={"pairs": "empty: by name, else the best; or hole-stud; hole-stud"},
)  # fmt: skip
