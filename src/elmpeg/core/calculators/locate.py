"""Calculator ``locate``: where a point is, from tape distances."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import words
from elmpeg.core.calculators.fields import Mm, Name, PointMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result
from elmpeg.core.methods.measuring.tape_distances import Known, Tape, taped_point


class Reference(Request):
    """A point that is known."""

    id: Name
    xyz_mm: PointMm


class Distance(Request):
    """One tape distance and its doubt."""

    from_: Annotated[Name, Field(alias="from")]
    mm: PositiveMm
    sd_mm: PositiveMm


class KnownFields(Request):
    """A coordinate known otherwise."""

    mm: Mm
    sd_mm: PositiveMm


class Locate(Request):
    """Known points, distances from them, and perhaps known coordinates and a rough idea."""

    from_: Annotated[list[Reference], Field(alias="from", max_length=200)]
    distances: Annotated[list[Distance], Field(max_length=200)]
    known: dict[Literal["x", "y", "z"], KnownFields] = Field(default_factory=dict)
    near_mm: PointMm | None = None


def compute(request: Locate) -> dict[str, Any]:
    """The place, its doubt, residuals, status, the other place where there are two, and the suspect."""
    places = {r.id: r.xyz_mm for r in request.from_}
    if len(places) < len(request.from_):
        raise InputError("from", "names one point twice; give each its own id")
    for i, one in enumerate(request.distances):
        if one.from_ not in places:
            raise InputError(f"distances.{i}.from", f"“{one.from_}” is not among the known points {', '.join(places) or '(none)'}")
    tapes = tuple(Tape(d.from_, places[d.from_], d.mm, d.sd_mm) for d in request.distances)
    known = tuple(Known(axis, k.mm, k.sd_mm) for axis, k in request.known.items())
    found = taped_point(tapes, known, request.near_mm)
    return {
        "xyz_mm": list(found.xyz_mm),
        "sd_mm": list(found.sd_mm),
        "residuals_mm": dict(found.residuals_mm),
        "status": found.status,
        "other_xyz_mm": None if found.other_xyz_mm is None else list(found.other_xyz_mm),
        "suspect": found.suspect,
    }


def limits(request: Locate, result: Result) -> tuple[Limit, ...]:
    """Whether the tapes agree with each other."""
    doubts: dict[str, float] = {}
    for d in request.distances:
        doubts.setdefault(d.from_, d.sd_mm)
    off = [(abs(v) / doubts[name], name) for name, v in result["residuals_mm"].items() if name in doubts]
    if len(request.distances) + len(request.known) <= 3 or not off:
        return ()
    worst, name = max(off)
    again = words(f"tape from {name} again")
    if result["suspect"] is not None:
        again = words(f"tape from {result['suspect']} again: without it the others agree")
    return (Limit("agree", "Tapes disagree, in doubts", worst, "count", high=3.0, mend=again),)


CALCULATOR = Calculator(
    name="locate",
    purpose="Where a point is, from tape distances to known points",
    request=Locate,
    compute=compute,
    stage="Measure",
    title="A point from tapes",
    words=("tape", "trilaterate", "diagonal", "diagonals", "where is the hole", "distance from", "triangulate", "point"),
    answers=(
        Answer("xyz_mm.0", "It lies at X"),
        Answer("xyz_mm.1", "Y"),
        Answer("xyz_mm.2", "Z"),
        Answer("sd_mm.0", "Doubt of X"),
        Answer("sd_mm.1", "of Y"),
        Answer("sd_mm.2", "of Z"),
        Answer("status", "The readings make it"),
        Answer("suspect", "Probably misread"),
        Answer("other_xyz_mm.0", "or, mirrored, at X"),
        Answer("other_xyz_mm.1", "Y"),
        Answer("other_xyz_mm.2", "Z"),
    ),
    formula="The place whose distances differ least from the tapes', each weighed by its doubt. Three bare tapes have two mirrored answers.",
    source="Weighted least squares; doubts from the inverse normal matrix.",
    not_told="A tape that sags or is held off the point.",
    example={
        "from": [{"id": "A", "xyz_mm": [0, 0, 0]}, {"id": "B", "xyz_mm": [1200, 0, 0]}, {"id": "C", "xyz_mm": [0, 900, 0]}],
        "distances": [{"from": "A", "mm": 901, "sd_mm": 1}, {"from": "B", "mm": 1002, "sd_mm": 1}, {"from": "C", "mm": 728, "sd_mm": 1}],
        "near_mm": [500, 400, 600],
    },
    limits=limits,
    exact=('distances.sd_mm', 'from.xyz_mm', 'near_mm', 'known.x.sd_mm', 'known.y.sd_mm', 'known.z.sd_mm'),
    labels={
        "from": "Known points", "from.id": "Point", "from.xyz_mm": "Where", "distances": "Tapes", "distances.from": "From", "distances.mm": "Distance",
        "distances.sd_mm": "its doubt ±", "known": "Known otherwise", "near_mm": "It is about at",
    },
    hints={"near_mm": "needed with three tapes, to tell the two answers apart"},
)  # fmt: skip
