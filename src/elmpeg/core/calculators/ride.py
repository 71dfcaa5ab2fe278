"""Calculator ``ride``: what a drop at the axles does at the stations where the tape is held."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.fields import Mm, Name, PositiveMm, Request, distinct
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.springs.ride_heights import Station, ride_heights

WELL_TAPED_MM = 5.0
"""Tape and tyres together; more than this between prediction and tape has another cause."""


class StationFields(Request):
    """A named place, from the front axle rearwards."""

    id: Name
    x_mm: Mm
    before_mm: Mm
    after_mm: Mm | None = None


class Ride(Request):
    """The drops at the axles and the stations."""

    wheelbase_mm: PositiveMm
    front_drop_mm: Mm
    rear_drop_mm: Mm
    stations: Annotated[list[StationFields], Field(max_length=100)]


def compute(request: Ride) -> dict[str, Any]:
    """Pitch change, each station's change, and the drops that the tape shows."""
    distinct(request.stations, "stations")
    stations = tuple(Station(s.id, s.x_mm, s.before_mm, s.after_mm) for s in request.stations)
    return asdict(ride_heights(request.wheelbase_mm, request.front_drop_mm, request.rear_drop_mm, stations))


def limits(_request: Ride, result: Result) -> tuple[Limit, ...]:
    """Whether tape and prediction agree."""
    apart = [(abs(s["difference_mm"]), s["id"], s["difference_mm"]) for s in result["stations"] if s["difference_mm"] is not None]
    if not apart:
        return ()
    most, name, signed = max(apart)
    way = "higher" if signed > 0 else "lower"
    found = result["found"]
    mend = words(f"{name} stands {{0}} {way} than it should: tape it again, look at tyres and floor", mm(most))
    if found is not None:
        mend = words(f"{name} stands {{0}} {way} than it should; the tape says that the front dropped {{1}} and the rear {{2}}",
                     mm(most), mm(found["front_drop_mm"]), mm(found["rear_drop_mm"]))  # fmt: skip
    return (Limit("agrees", "Tape against prediction, at most", most, "mm", high=WELL_TAPED_MM, mend=mend),)


CALCULATOR = Calculator(
    name="ride",
    purpose="What a drop at the axles does at the sill, and what the tape says it was",
    request=Ride,
    compute=compute,
    stage="Ride",
    title="Ride height at the sill",
    words=("ride height", "drop", "lowering", "blocks", "lift", "sill", "rake", "pitch", "stance", "lowered"),
    answers=(
        Answer("stations.0.change_mm", "The first station changes by"),
        Answer("pitch_change_deg", "Pitch changes, tail down"),
        Answer("found.front_drop_mm", "From the tape: the front dropped"),
        Answer("found.rear_drop_mm", "and the rear"),
        Answer("found.rms_mm", "leaving over"),
    ),
    tables=(
        Table("stations", "At each station", (
            Answer("id", "Station"), Answer("change_mm", "Changes by"), Answer("predicted_mm", "Then stands at"),
            Answer("measured_change_mm", "By the tape"), Answer("difference_mm", "Tape less prediction"),
        )),
    ),
    formula="The body tips as one piece: change at x = −(front drop + (rear drop − front drop) · x / wheelbase). From the tape the two "
    "drops that fit best are found by least squares.",
    source="A straight line between the axles.",
    not_told="How tyres, bushes and a settling spring change; and what the drop does to shafts, brakes and bump stops.",
    example={
        "wheelbase_mm": 2840, "front_drop_mm": 0, "rear_drop_mm": 57,
        "stations": [{"id": "rear of sill", "x_mm": 2450, "before_mm": 318, "after_mm": 272}, {"id": "middle", "x_mm": 1500, "before_mm": 301},
                     {"id": "front", "x_mm": 520, "before_mm": 290, "after_mm": 279}],
    },
    limits=limits,
    exact=('front_drop_mm', 'rear_drop_mm'),
    labels={
        "wheelbase_mm": "Wheelbase", "front_drop_mm": "Drop at the front axle", "rear_drop_mm": "Drop at the rear axle",
        "stations": "Stations", "stations.id": "Where", "stations.x_mm": "Behind the front axle", "stations.before_mm": "Height before",
        "stations.after_mm": "Height after",
    },
    hints={"front_drop_mm": "a lift counts minus", "stations.after_mm": "leave empty until it is taped"},
    caution="Vehicle on stands, springs unloaded, before anything is undone.",
)  # fmt: skip
