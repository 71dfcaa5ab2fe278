"""Calculator ``weld_order``: in which order to weld so that the part is pulled about least."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.calculators.fields import Name, PointMm, PositiveMm, Request, distinct
from elmpeg.core.calculators.sheet import Answer, Calculator, Result, Table
from elmpeg.core.methods.welding.seam_order import MOST_SEAMS, Seam, SeamOrder, pulls_in, seam_order


class SeamFields(Request):
    """A run of weld, its length and its middle."""

    id: Name
    length_mm: PositiveMm
    at_mm: PointMm


class WeldOrder(Request):
    """Runs as they are to be welded."""

    seams: Annotated[list[SeamFields], Field(min_length=1, max_length=MOST_SEAMS)]


def order_of(request: WeldOrder) -> SeamOrder:
    """The order, with the pull after each seam."""
    distinct(request.seams, "seams")
    return seam_order(tuple(Seam(s.id, s.length_mm, s.at_mm) for s in request.seams))


def compute(request: WeldOrder) -> dict[str, Any]:
    """The order and the largest pull on the way."""
    return _told(order_of(request))


def _told(found: SeamOrder) -> dict[str, Any]:
    steps = [{"n": k, "id": name, "pull_mm2": pull} for k, (name, pull) in enumerate(zip(found.order, found.pulls_mm2, strict=True), 1)]
    return {"order": list(found.order), "worst_mm2": found.worst_mm2, "steps": steps, "centre_mm": list(found.centre_mm)}


def near(_request: WeldOrder, result: Result) -> Callable[[WeldOrder], Result]:
    """The same order for seams that differ a little."""
    order = tuple(result["order"])
    return lambda other: _told(pulls_in(tuple(Seam(s.id, s.length_mm, s.at_mm) for s in other.seams), order))


CALCULATOR = Calculator(
    name="weld_order",
    purpose="The order of seams that pulls the part about least",
    request=WeldOrder,
    compute=compute,
    stage="Make",
    title="Order of welding",
    words=("weld", "seam", "welding order", "weld sequence", "warp", "bow", "distortion", "tack", "pull"),
    answers=(Answer("order", "Weld in this order"), Answer("worst_mm2", "Largest pull on the way, length × distance")),
    tables=(
        Table("steps", "After each seam", (Answer("n", "Turn", "count"), Answer("id", "Seam"), Answer("pull_mm2", "Pull then"))),
    ),
    formula="A seam pulls by its length times its distance from the middle of all. The order keeps the largest sum of these pulls on the way as "
    "small as it can be; of equal ones the sum over the way.",
    source="Exact search over all sets of seams already welded.",
    not_told="Heat, thickness, clamping and preheat. Tack everything and check it for square first.",
    example={
        "seams": [{"id": "left front", "length_mm": 60, "at_mm": [-150, -40, 0]}, {"id": "right front", "length_mm": 60, "at_mm": [-150, 40, 0]},
                  {"id": "left rear", "length_mm": 60, "at_mm": [150, -40, 0]}, {"id": "right rear", "length_mm": 60, "at_mm": [150, 40, 0]},
                  {"id": "end", "length_mm": 80, "at_mm": [180, 0, 0]}],
    },
    near=near,
    labels={"seams": "Seams, each run as it is welded", "seams.id": "Seam", "seams.length_mm": "Length", "seams.at_mm": "Its middle"},
    caution="Battery off, airbags and fuel away, eyes covered, a fire watch. Structural welds are for qualified welders.",
)  # fmt: skip
