"""Calculator ``pattern``: does a plate's hole pattern drop over these studs?"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.fields import Mm, Name, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.fastening.pattern_fit import DROPS_MM, Hole, PatternFit, Stud, laid_anew, pattern_fit


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
    return {
        "shift_mm": fit.shift_mm,
        "rotation_deg": fit.rotation_deg,
        "mirrored": fit.mirrored,
        "worst_short_mm": fit.worst_short_mm,
        "pairs": [{"hole": p.hole, "stud": p.stud, "miss_mm": p.miss_mm, "float_mm": p.float_mm} for p in fit.pairs],
        "open_up": [{"hole": o.hole, "to_mm": o.to_mm} for o in fit.open_up],
        "suspect": fit.suspect,
        "drop_in": fit.drop_in,
    }


def near_all(request: Pattern, _result: Result) -> Callable[[Sequence[Pattern]], list[Result]]:
    """The same for holes and studs that differ a little: the pairs and the side stay, nobody is suspected anew."""
    fit = fit_of(request)
    bolts = {s.id: k for k, s in enumerate(request.studs)}
    stud_of = [bolts[p.stud] for p in fit.pairs]

    def told(others: Sequence[Pattern]) -> list[Result]:
        # What the quicker search is off by for the plate itself is taken off all.
        laid = laid_anew([_sides(other) for other in (request, *others)], fit, request.allow_rotation)
        misses = laid.miss_mm - laid.miss_mm[0] + [p.miss_mm for p in fit.pairs]
        short = (laid.miss_mm - laid.float_mm).max(axis=1)
        short += fit.worst_short_mm - short[0]
        shifts = laid.shift_mm - laid.shift_mm[0] + fit.shift_mm
        turned = laid.rotation_deg - laid.rotation_deg[0] + fit.rotation_deg
        rows = zip(others, *(a[1:].tolist() for a in (shifts, turned, short, misses, laid.float_mm)), strict=True)
        return [{**same, **_moved(fit, [other.studs[k].bolt_mm for k in stud_of], *row)} for other, *row in rows]

    same = {"mirrored": fit.mirrored, "suspect": fit.suspect}
    return told


def _moved(
    fit: PatternFit, bolts: list[float], shift: list[float], turn: float, short: float, misses: list[float], floats: list[float]
) -> Result:
    pairs = [{"hole": p.hole, "stud": p.stud, "miss_mm": m, "float_mm": f} for p, m, f in zip(fit.pairs, misses, floats, strict=True)]
    opened = [
        {"hole": p["hole"], "to_mm": bolt + 2 * m} for p, bolt, m, f in zip(pairs, bolts, misses, floats, strict=True) if m > f + DROPS_MM
    ]
    return {
        "shift_mm": shift,
        "rotation_deg": turn,
        "worst_short_mm": short,
        "pairs": pairs,
        "open_up": opened,
        "drop_in": short <= DROPS_MM,
    }


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
    words=("pattern", "bolt pattern", "adapter", "holes", "studs", "plate", "drops over", "open a hole", "mirror", "transfer holes", "transfer punch"),
    answers=(
        Answer("drop_in", "It fits over its bolts", yes="yes", no="no"),
        Answer("worst_short_mm", "Worst hole misses by"),
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
    near_all=near_all,
    labels={
        "holes": "Holes of the plate", "holes.id": "Hole", "holes.x_mm": "Across", "holes.y_mm": "Up", "holes.hole_mm": "Diameter",
        "studs": "Studs", "studs.id": "Stud", "studs.x_mm": "Across", "studs.y_mm": "Up", "studs.bolt_mm": "Diameter",
        "pairs": "Which goes over which", "allow_rotation": "May be turned", "allow_mirror": "May be turned over",
    },
    hints={"pairs": "empty: by name, else the best; or hole-stud; hole-stud"},
)  # fmt: skip
