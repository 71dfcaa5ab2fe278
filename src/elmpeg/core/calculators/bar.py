"""Calculator ``bar``: a bar that holds the axle sideways against the steering link beside it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import deg, mm, words
from elmpeg.core.calculators.fields import Mm, PointMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.linkage.bar_and_link import Rod, bar_and_link

MOST_STEER_DEG = 0.5
"""More than half a degree of steer for a bump is felt at the wheel."""


class RodFields(Request):
    """A rod's two ends at rest."""

    frame_mm: PointMm
    axle_mm: PointMm


class Bar(Request):
    """The bar, the link and how far the axle rises."""

    bar: RodFields
    link: RodFields
    rises_mm: Annotated[list[Mm], Field(min_length=1, max_length=200)]
    steer_arm_mm: PositiveMm | None = None


def compute(request: Bar) -> dict[str, Any]:
    """Lengths, slopes, and for each rise how differently the two draw."""
    bar, link = (Rod(f.frame_mm, f.axle_mm) for f in (request.bar, request.link))
    found = asdict(bar_and_link(bar, link, tuple(request.rises_mm), request.steer_arm_mm))
    steps = found["steps"]
    worst = max(steps, key=lambda s: abs(s["difference_mm"]))
    steers = [abs(s["steer_deg"]) for s in steps if s["steer_deg"] is not None]
    return {**found, "worst_mm": abs(worst["difference_mm"]), "worst_steer_deg": max(steers) if steers else None}


def limits(_request: Bar, result: Result) -> tuple[Limit, ...]:
    """Whether the wheels are steered by the road."""
    if result["worst_steer_deg"] is None:
        return ()
    turn = words("bring the bar's slope to the link's, {0} apart now, and their lengths nearer, {1} and {2} now",
                 deg(result["apart_deg"]), mm(result["bar_mm"]), mm(result["link_mm"]))  # fmt: skip
    return (Limit("steer", "Steer without a hand on the wheel, at most", result["worst_steer_deg"], "deg", high=MOST_STEER_DEG, mend=turn),)


CALCULATOR = Calculator(
    name="bar",
    purpose="Track bar against drag link: the steer that a bump causes",
    request=Bar,
    compute=compute,
    stage="Link",
    title="Track bar and drag link",
    words=("track bar", "panhard", "drag link", "bump steer", "sway", "axle sideways", "steering link", "drop arm", "lift"),
    answers=(
        Answer("worst_steer_deg", "The road steers the wheels by up to"),
        Answer("worst_mm", "Bar and link draw apart by up to"),
        Answer("apart_deg", "Between their slopes"),
        Answer("bar_deg", "Bar slopes, right end higher"),
        Answer("link_deg", "Link slopes, right end higher"),
        Answer("bar_mm", "Bar, end to end"),
        Answer("link_mm", "Link, end to end"),
    ),
    tables=(
        Table("steps", "As the axle rises", (
            Answer("rise_mm", "Rise"), Answer("bar_shift_mm", "Bar draws to the right"), Answer("link_shift_mm", "Link draws to the right"),
            Answer("difference_mm", "Difference"), Answer("steer_deg", "Steer"),
        )),
    ),
    formula="Each rod keeps its length: as the axle end rises it is drawn sideways to √(length² − height² − fore and aft²). What the bar "
    "draws less what the link draws turns the steering arm by its arctangent.",
    source="Pythagoras in the rear view.",
    not_told="Roll, the axle's own turning, flex of bushes, and whether the rods or their brackets are strong enough.",
    example={
        "bar": {"frame_mm": [-60, 430, 560], "axle_mm": [-40, -400, 470]}, "link": {"frame_mm": [-150, 430, 600], "axle_mm": [-140, -520, 440]},
        "rises_mm": [-80, -40, 0, 40, 80], "steer_arm_mm": 165,
    },
    limits=limits,
    exact=('rises_mm',),
    labels={
        "bar": "Track bar", "link": "Drag link", "bar.frame_mm": "End on the frame", "bar.axle_mm": "End on the axle",
        "link.frame_mm": "End at the steering box", "link.axle_mm": "End at the knuckle", "rises_mm": "The axle rises by",
        "steer_arm_mm": "Steering arm at the knuckle",
    },
    hints={"rises_mm": "several, with semicolons; bump counts up"},
    caution="Steering: let a qualified person check it before it is driven.",
)  # fmt: skip
