"""Calculator ``ubolt``: how long the U-bolts of an axle must be."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import mm, words
from elmpeg.core.calculators.fields import NotNegativeMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result
from elmpeg.core.methods.springs.u_bolts import u_bolt

MOST_PROUD_PITCHES = 10
"""More thread than this below the nut catches on the ground and is cut off, which leaves it bare."""


class UBolt(Request):
    """What is clamped, from the bow to the nut, and the thread's pitch."""

    tube_mm: NotNegativeMm
    pad_mm: NotNegativeMm
    blocks_mm: NotNegativeMm
    spring_mm: NotNegativeMm
    plate_mm: NotNegativeMm
    washer_mm: NotNegativeMm
    nut_mm: NotNegativeMm
    pitch_mm: PositiveMm
    stock_mm: Annotated[list[PositiveMm], Field(max_length=500)] | None = None


def compute(request: UBolt) -> dict[str, Any]:
    """Least inside length, the stock that does, and how far it stands proud."""
    parts = (request.tube_mm, request.pad_mm, request.blocks_mm, request.spring_mm, request.plate_mm, request.washer_mm, request.nut_mm)
    found = u_bolt(parts, request.pitch_mm, request.stock_mm or ())
    return {
        "min_length_mm": found.min_length_mm,
        "length_mm": found.length_mm,
        "proud_mm": found.proud_mm,
        "clamped_mm": found.clamped_mm,
    }


def limits(request: UBolt, result: Result) -> tuple[Limit, ...]:
    """Whether any of the stock is long enough, and none too long."""
    if not request.stock_mm:
        return ()
    longest = max(request.stock_mm)
    order = words("order a U-bolt of at least {0} inside", mm(result["min_length_mm"]))
    found = [Limit("stock", "Longest to be had", longest, "mm", low=result["min_length_mm"], mend=order)]
    if result["proud_mm"] is not None:
        most = MOST_PROUD_PITCHES * request.pitch_mm
        shorter = words("look for one {0} shorter; never cut one that is to be used again", mm(max(0.0, result["proud_mm"] - most)))
        found.append(Limit("proud", "Thread below the nut", result["proud_mm"], "mm", high=most, mend=shorter))
    return tuple(found)


CALCULATOR = Calculator(
    name="ubolt",
    purpose="How long the U-bolts of an axle must be with blocks and plates",
    request=UBolt,
    compute=compute,
    stage="Ride",
    title="U-bolt length",
    words=("u-bolt", "ubolt", "blocks", "leaf spring", "spring pack", "perch", "axle clamp", "spring plate", "lowering block", "bow"),
    answers=(
        Answer("length_mm", "Take the one of"),
        Answer("min_length_mm", "Inside length, at least"),
        Answer("proud_mm", "Stands below the nut"),
        Answer("clamped_mm", "Everything clamped"),
    ),
    formula="From the inside of the bow: tube, pad, blocks, spring, plate, washer and nut, and three pitches of thread below it.",
    source="Addition; three full threads proud is common practice.",
    not_told="The bow's width and shape, grade and torque. U-bolts are used once.",
    example={
        "tube_mm": 81, "pad_mm": 6, "blocks_mm": 57, "spring_mm": 38, "plate_mm": 10, "washer_mm": 2.5, "nut_mm": 12, "pitch_mm": 1.5,
        "stock_mm": [200, 212.5, 225, 237.5],
    },
    limits=limits,
    exact=('pitch_mm', 'stock_mm'),
    labels={
        "tube_mm": "Axle tube", "pad_mm": "Pad or perch", "blocks_mm": "Blocks, all of them", "spring_mm": "Spring pack",
        "plate_mm": "Spring plate", "washer_mm": "Washer", "nut_mm": "Nut", "pitch_mm": "Pitch of the thread",
        "stock_mm": "U-bolts to be had, inside length",
    },
    hints={"stock_mm": "lengths with semicolons"},
    caution="Springs under load: axle on stands, spring unloaded. Suspension: have it checked by a qualified person.",
)  # fmt: skip
