"""Calculator ``one_way``: can a part with tabs go in any other way than the right one?"""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.fields import Mm, Name, PositiveMm, Request, distinct
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.sheet_metal.tabs_and_slots import MOST_TABS, Opening, WayIn, laid_anew, ways_in

CLEARLY_OUT_MM = 1.0
"""A wrong way that lacks less than this can be helped in with a hammer."""


class OpeningFields(Request):
    """A tab or a slot."""

    id: Name
    x_mm: Mm
    y_mm: Mm
    wide_mm: PositiveMm
    tall_mm: PositiveMm


class OneWay(Request):
    """The part's tabs and the slots for them."""

    tabs: Annotated[list[OpeningFields], Field(min_length=1, max_length=MOST_TABS)]
    slots: Annotated[list[OpeningFields], Field(min_length=1, max_length=16)]


def ways_of(request: OneWay) -> tuple[WayIn, ...]:
    """The four ways with their pairs and shifts."""
    distinct(request.tabs, "tabs")
    distinct(request.slots, "slots")
    tabs, slots = (tuple(Opening(**o.model_dump()) for o in part) for part in (request.tabs, request.slots))
    return ways_in(tabs, slots)


def compute(request: OneWay) -> dict[str, Any]:
    """Each way with what it lacks at its worst, and whether exactly one goes in."""
    return _told(ways_of(request))


def _told(ways: tuple[WayIn, ...]) -> dict[str, Any]:
    told = [{"way": w.way, "worst_short_mm": w.worst_short_mm, "goes_in": w.goes_in} for w in ways]
    return {"ways": told, "one_way": sum(w.goes_in for w in ways) == 1, "right_way_goes_in": ways[0].goes_in}


def near(request: OneWay, _result: Result) -> Callable[[OneWay], Result]:
    """The same for tabs and slots that differ a little: each stays with its slot."""
    ways = ways_of(request)

    def again(other: OneWay) -> Result:
        tabs, slots = (tuple(Opening(**o.model_dump()) for o in part) for part in (other.tabs, other.slots))
        return _told(laid_anew(tabs, slots, ways))

    return again


def limits(_request: OneWay, result: Result) -> tuple[Limit, ...]:
    """The right way goes in, and no wrong way nearly does."""
    right, *wrong = result["ways"]
    nearest = min(wrong, key=lambda w: w["worst_short_mm"])
    lacking = max(0.0, CLEARLY_OUT_MM - nearest["worst_short_mm"])
    open_up = words("make every slot {0} larger both ways", mm(2 * max(0.0, right["worst_short_mm"])))
    differ = words(f"{nearest['way']} lacks only {{0}}: move one tab off the middle, or make one wider by at least {{1}} with its slot",
                   mm(nearest["worst_short_mm"]), mm(2 * lacking))  # fmt: skip
    if nearest["worst_short_mm"] <= 0:
        differ = words(f"{nearest['way']} goes in: move one tab off the middle, or make one wider by at least {{0}} with its slot",
                       mm(2 * lacking))  # fmt: skip
    return (
        Limit("right", "As drawn, lacks at its worst", right["worst_short_mm"], "mm", high=0.0, mend=open_up),
        Limit("wrong", f"Nearest wrong way ({nearest['way']}) lacks", nearest["worst_short_mm"], "mm", low=CLEARLY_OUT_MM, mend=differ),
    )


CALCULATOR = Calculator(
    name="one_way",
    purpose="Whether a part with tabs can be put in any other way than the right one",
    request=OneWay,
    compute=compute,
    stage="Make",
    title="Does it go in one way only",
    words=("tab", "slot", "one way", "backwards", "wrong way", "upside down", "tabs and slots", "goes together"),
    answers=(Answer("one_way", "It goes in", yes="one way only", no="not in one way only"),
             Answer("right_way_goes_in", "As drawn it goes in", yes="yes", no="no")),
    tables=(
        Table("ways", "Every way", (Answer("way", "Way"), Answer("worst_short_mm", "Lacks at its worst"), Answer("goes_in", "Goes in"))),
    ),
    formula="Each way the tabs are set against the slots in the best assignment, and each axis shifted so that the worst of (miss − play) is "
    "least; play is half of slot less tab. Below nothing it goes in.",
    source="Search over all assignments, exact to eight tabs.",
    not_told="Thickness, burrs, bent tabs and a quarter turn.",
    example={
        "tabs": [{"id": "a", "x_mm": 0, "y_mm": 0, "wide_mm": 20, "tall_mm": 5}, {"id": "b", "x_mm": 80, "y_mm": 0, "wide_mm": 20, "tall_mm": 5},
                 {"id": "c", "x_mm": 30, "y_mm": 60, "wide_mm": 14, "tall_mm": 5}],
        "slots": [{"id": "A", "x_mm": 0, "y_mm": 0, "wide_mm": 20.4, "tall_mm": 5.3},
                  {"id": "B", "x_mm": 80, "y_mm": 0, "wide_mm": 20.4, "tall_mm": 5.3},
                  {"id": "C", "x_mm": 30, "y_mm": 60, "wide_mm": 14.4, "tall_mm": 5.3}],
    },
    limits=limits,
    near=near,
    labels={
        "tabs": "Tabs", "tabs.id": "Tab", "tabs.x_mm": "Across", "tabs.y_mm": "Up", "tabs.wide_mm": "Wide", "tabs.tall_mm": "Tall",
        "slots": "Slots", "slots.id": "Slot", "slots.x_mm": "Across", "slots.y_mm": "Up", "slots.wide_mm": "Wide", "slots.tall_mm": "Tall",
    },
)  # fmt: skip
