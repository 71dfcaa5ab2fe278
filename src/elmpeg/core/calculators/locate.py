"""Calculator ``locate``: where a point is, from tape distances."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.calculators.fields import Mm, Name, PointMm, PositiveMm, Request
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
