"""Calculator ``rectify``: from a photograph to true places."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.quantities import words
from elmpeg.core.calculators.fields import Finite, FlatMm, Name, Positive, Request, distinct
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.measuring.plane_projection import FEWEST, Mark, PlaneProjection, plane_projection, suspect_mark

Px = Annotated[Finite, Field(ge=-1e6, le=1e6)]


class MarkFields(Request):
    """A mark: where it is in the picture, right and down, and on the plane, right and up."""

    id: Name
    px: tuple[Px, Px]
    xy_mm: FlatMm


class PlaceFields(Request):
    """A place in the picture."""

    id: Name
    px: tuple[Px, Px]


class Rectify(Request):
    """Marks of known place, the places wanted, and how well the marks should agree."""

    marks: Annotated[list[MarkFields], Field(max_length=200)]
    points: Annotated[list[PlaceFields], Field(max_length=1000)]
    tolerance_px: Positive = 2.0


def projection_of(request: Rectify) -> PlaneProjection:
    """The projection that fits the marks; raises InputError for fewer than four."""
    distinct(request.marks, "marks")
    if len(request.marks) < FEWEST:
        raise InputError("marks", f"has {len(request.marks)}; a picture taken askew needs {FEWEST} marks or more, no three in a line")
    return plane_projection(_marks(request))


def _marks(request: Rectify) -> tuple[Mark, ...]:
    return tuple(Mark(m.px, m.xy_mm) for m in request.marks)


def compute(request: Rectify) -> dict[str, Any]:
    """True places, what the marks leave over in the picture, and the mark that is probably wrong."""
    fit = projection_of(request)
    suspect = suspect_mark(_marks(request), request.tolerance_px)
    left = [{"id": m.id, "px": miss} for m, miss in zip(request.marks, fit.misses_px, strict=True)]
    points = [{"id": p.id, "xy_mm": list(fit.mm(p.px))} for p in request.points]
    beyond = [FieldError(f"points.{k}.px", "is on the picture's horizon, beyond the plane") for k, p in enumerate(points) if not _near(p)]
    if beyond:
        raise InputError(beyond[0].field, beyond[0].message, *beyond[1:])
    return {"points": points, "rms_px": fit.rms_px, "suspect": None if suspect is None else request.marks[suspect].id, "left_over": left}


def _near(point: dict[str, Any]) -> bool:
    return all(abs(v) < 1e6 for v in point["xy_mm"])


def limits(request: Rectify, result: Result) -> tuple[Limit, ...]:
    """How well the marks agree; four always do, since four fix the picture."""
    if len(request.marks) <= FEWEST:
        return ()
    again = words("pick the marks again and check their true places; a lens that bends straight lines does this too")
    if result["suspect"] is not None:
        again = words(f"pick {result['suspect']} again or check its true place: without it the others agree")
    return (Limit("marks", "Marks disagree by", result["rms_px"], "px", high=request.tolerance_px, mend=again),)


CALCULATOR = Calculator(
    name="rectify",
    purpose="True places from a photograph of something flat, by marks of known place",
    request=Rectify,
    compute=compute,
    stage="Make",
    title="True places from a photograph",
    words=("photo", "photograph", "picture", "template", "trace", "perspective", "square up", "outline from a photo", "marks"),
    answers=(
        Answer("points.0.xy_mm.0", "The first place lies across at"),
        Answer("points.0.xy_mm.1", "and up at"),
        Answer("rms_px", "Marks disagree by"),
        Answer("suspect", "Probably wrong", none="none"),
    ),
    tables=(
        Table("points", "True places", (Answer("id", "Place"), Answer("xy_mm.0", "Across"), Answer("xy_mm.1", "Up"))),
        Table("left_over", "What each mark leaves over", (Answer("id", "Mark"), Answer("px", "Left over"))),
    ),
    formula="A camera maps a plane by a projection with eight numbers. Four marks fix it; more are fitted so that their squared misses in the "
    "picture are least, and each place is taken back through it.",
    source="Plane projection by direct linear transform, then Gauss-Newton in pixels.",
    not_told="Bending of straight lines by the lens, and anything that does not lie in the plane of the marks.",
    example={
        "marks": [{"id": "m1", "px": [420, 310], "xy_mm": [0, 297]}, {"id": "m2", "px": [2070, 424], "xy_mm": [210, 297]},
                  {"id": "m3", "px": [2265, 3393], "xy_mm": [210, 0]}, {"id": "m4", "px": [47, 3746], "xy_mm": [0, 0]}],
        "points": [{"id": "p1", "px": [734, 768]}, {"id": "p2", "px": [1728, 980]}, {"id": "p3", "px": [1209, 2669]}],
    },
    limits=limits,
    exact=('marks.xy_mm',),
    labels={
        "marks": "Marks of known place", "marks.id": "Mark", "marks.px": "In the picture", "marks.px.0": "right", "marks.px.1": "down",
        "marks.xy_mm": "On the plane", "marks.xy_mm.0": "across", "marks.xy_mm.1": "up", "points": "Places wanted", "points.id": "Place",
        "points.px": "In the picture", "points.px.0": "right", "points.px.1": "down", "tolerance_px": "Marks should agree within",
    },
)  # fmt: skip
