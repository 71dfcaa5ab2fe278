"""Calculator ``belt``: a belt around pulleys, its length, wraps, speeds and slot."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import deg, words
from elmpeg.core.calculators.directions import InPlane
from elmpeg.core.calculators.fields import Mm, Name, PositiveMm, Request, distinct
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.belts.belt_path import Pulley, Slot, belt_path, pulley_rpm, slid, slot_range

SLOPE_STEP_MM = 0.01
LEAST_WRAP_DEG = 120.0
"""A pulley that is driven or drives slips with less; one that only guides may have any."""


class PulleyFields(Request):
    """A pulley by its pitch diameter, seen from the front of the engine."""

    id: Name
    x_mm: Mm
    y_mm: Mm
    d_mm: PositiveMm
    back: bool = False


class SlotFields(Request):
    """The pulley that slides, which way, and from where to where."""

    id: Name
    direction: InPlane
    from_mm: Mm
    to_mm: Mm


class Belt(Request):
    """Pulleys as the belt runs, anticlockwise."""

    pulleys: Annotated[list[PulleyFields], Field(min_length=2, max_length=30)]
    rpm: Annotated[float, Field(allow_inf_nan=False, ge=-1e6, le=1e6)] | None = None
    slot: SlotFields | None = None
    stock_mm: Annotated[list[PositiveMm], Field(max_length=500)] | None = None


def pulleys_of(request: Belt) -> tuple[Pulley, ...]:
    """The pulleys in order; raises InputError where two have one name."""
    distinct(request.pulleys, "pulleys")
    return tuple(Pulley(p.id, p.x_mm, p.y_mm, p.d_mm, p.back) for p in request.pulleys)


def compute(request: Belt) -> dict[str, Any]:
    """Length, wraps and spans; speeds, and what the slot takes up, where asked."""
    pulleys = pulleys_of(request)
    path = belt_path(pulleys)
    found: dict[str, Any] = {
        "length_mm": path.length_mm,
        "wraps": [{"id": w.id, "wrap_deg": w.wrap_deg} for w in path.wraps],
        "spans": [{"from": s.from_id, "to": s.to_id, "mm": s.mm} for s in path.spans],
    }
    if request.rpm is not None:
        found["speeds"] = [{"id": p.id, "rpm": rpm} for p, rpm in zip(pulleys, pulley_rpm(pulleys, request.rpm), strict=True)]
    if request.slot is not None:
        s = request.slot
        room = slot_range(pulleys, Slot(s.id, s.direction, s.from_mm, s.to_mm), tuple(request.stock_mm or ()))
        found |= {"length_from_mm": room.length_from_mm, "length_to_mm": room.length_to_mm}
        found["stock"] = [{"mm": b.mm, "at_mm": b.at_mm} for b in room.stock]
    return found


def near(request: Belt, result: Result) -> Callable[[Belt], Result]:
    """The same for belts that differ a little: where a stock belt comes tight moves by the length at its old place."""
    plain = request.model_copy(update={"stock_mm": None})

    def length_mm(other: Belt, at_mm: float) -> float:
        s = other.slot
        slot = Slot(s.id, s.direction, at_mm, at_mm) if s else Slot("", (1.0, 0.0), at_mm, at_mm)
        return belt_path(slid(pulleys_of(other), slot, at_mm)).length_mm

    slopes = []
    for b in result.get("stock", ()):
        sides = [length_mm(plain, b["at_mm"] + by) for by in (-SLOPE_STEP_MM, SLOPE_STEP_MM)]
        slopes.append((sides[1] - sides[0]) / (2 * SLOPE_STEP_MM))

    def again(other: Belt) -> Result:
        found = compute(other.model_copy(update={"stock_mm": None}))
        if "stock" in result:
            moved = [(b, s, length_mm(other, b["at_mm"])) for b, s in zip(result["stock"], slopes, strict=True)]
            found["stock"] = [{"mm": b["mm"], "at_mm": b["at_mm"] + (b["mm"] - now) / s} for b, s, now in moved]
        return found

    return again


def limits(request: Belt, result: Result) -> tuple[Limit, ...]:
    """The least wrap of those that the belt's face runs on, and whether a stock belt comes tight."""
    faces = [(w["wrap_deg"], w["id"]) for w, p in zip(result["wraps"], request.pulleys, strict=True) if not p.back]
    found = []
    if faces:
        least, name = min(faces)
        mend = words("put a pulley on the belt's back beside it that leads {0} more around it", deg(max(0.0, LEAST_WRAP_DEG - least)))
        found.append(Limit(f"wrap {name}", f"Least wrap, at {name}", least, "deg", low=LEAST_WRAP_DEG, mend=mend))
    if "stock" in result and request.stock_mm:
        none = words("lengthen the slot, or look for a belt between the lengths at its ends")
        found.append(Limit("stock", "Stock belts that come tight in the slot", float(len(result["stock"])), "count", low=1.0, mend=none))
    return tuple(found)


CALCULATOR = Calculator(
    name="belt",
    purpose="A belt around pulleys: length, wraps, speeds, and which stock belt comes tight in the slot",
    request=Belt,
    compute=compute,
    stage="Link",
    title="Belt around pulleys",
    words=("belt", "cord", "string", "pulley", "alternator", "compressor", "pump", "blower", "idler", "tensioner", "fan belt", "serpentine",
           "wrap", "belt length", "pulley speed"),
    answers=(
        Answer("length_mm", "Belt, at the pitch line"),
        Answer("length_from_mm", "Shortest that goes on, slot at its start"),
        Answer("length_to_mm", "Longest that comes tight, slot at its end"),
    ),
    tables=(
        Table("wraps", "Around each pulley", (Answer("id", "Pulley"), Answer("wrap_deg", "Wrap"))),
        Table("speeds", "Speeds, back ones turn the other way", (Answer("id", "Pulley"), Answer("rpm", "Speed"))),
        Table("stock", "Stock belts that come tight", (Answer("mm", "Belt"), Answer("at_mm", "Tight at, along the slot"))),
        Table("spans", "Free lengths", (Answer("from", "From"), Answer("to", "To"), Answer("mm", "Free length"))),
    ),
    formula="Straight runs touch both their pulleys; the belt's length is the runs and, around each pulley, half its pitch diameter "
    "times the wrap in radians. A pulley on the belt's back turns the other way.",
    source="Common tangents of circles, taken with a sign for the side that the belt runs on.",
    not_told="Tension, bearing load and whether the belt carries the power; the maker's tables do. Pulleys must lie in one plane.",
    example={
        "pulleys": [
            {"id": "crank", "x_mm": 0, "y_mm": 0, "d_mm": 160}, {"id": "idler", "x_mm": 165, "y_mm": 60, "d_mm": 70, "back": True},
            {"id": "alternator", "x_mm": 300, "y_mm": 200, "d_mm": 60}, {"id": "pump", "x_mm": -10, "y_mm": 300, "d_mm": 140},
        ],
        "rpm": 2000, "slot": {"id": "alternator", "direction": 21.8, "from_mm": -12, "to_mm": 30},
        "stock_mm": [1350, 1375, 1400, 1425],
    },
    limits=limits,
    near=near,
    exact=('slot.from_mm', 'slot.to_mm', 'stock_mm'),
    labels={
        "pulleys": "Pulleys, as the belt runs anticlockwise", "pulleys.id": "Name", "pulleys.x_mm": "Across", "pulleys.y_mm": "Up",
        "pulleys.d_mm": "Pitch diameter", "pulleys.back": "On the belt's back", "rpm": "Speed of the first pulley",
        "slot": "Slot for tension", "slot.id": "Pulley that slides", "slot.direction": "Slides upwards from level, going right, by",
        "slot.from_mm": "from", "slot.to_mm": "to", "stock_mm": "Belts to be had",
    },
    hints={"stock_mm": "lengths with semicolons", "pulleys.d_mm": "where the belt's cords run, not the rim"},
    caution="Keep hands and cloth clear of a running belt; guard it.",
)  # fmt: skip
