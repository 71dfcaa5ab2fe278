"""Calculator ``linkage``: two levers and a rod through the drive's movement."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.quantities import deg, words
from elmpeg.core.calculators.directions import AxisToRight
from elmpeg.core.calculators.fields import Deg, PointMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result, Table
from elmpeg.core.methods.linkage.lever_sweep import Lever, LeverSweep, lever_sweep

MOST_JOINT_DEG = 20.0
"""Plain rod ends tip to about this before they bind; the end's maker says."""


class LeverFields(Request):
    """A lever as it is given (0°) and how far it may go."""

    pivot_mm: PointMm
    axis: AxisToRight
    end_mm: PointMm
    from_deg: Deg
    to_deg: Deg


class MatchFields(Request):
    """Where both levers stand when the rod is put on."""

    drive_deg: Deg
    driven_deg: Deg


class Linkage(Request):
    """Two levers, where they are matched, and how many places to look at."""

    drive: LeverFields
    driven: LeverFields
    match: MatchFields
    steps: Annotated[int, Field(ge=2, le=721)] = 21


def sweep_of(request: Linkage) -> LeverSweep:
    """The levers through their movement, with the places of their ends."""
    drive, driven = (Lever(f.pivot_mm, f.axis, f.end_mm, f.from_deg, f.to_deg) for f in (request.drive, request.driven))
    return lever_sweep(drive, driven, request.match.drive_deg, request.match.driven_deg, request.steps)


def compute(request: Linkage) -> dict[str, Any]:
    """The rod, every step, over-travel and the share of the driven lever's range that is used."""
    sweep = sweep_of(request)
    told = ("drive_deg", "driven_deg", "leverage", "drive_joint_deg", "driven_joint_deg")
    return {
        "rod_mm": sweep.rod_mm,
        "steps": [{name: getattr(s, name) for name in told} for s in sweep.steps],
        "over_travel_deg": sweep.over_travel_deg,
        "driven_used_pct": sweep.driven_used_pct,
        "reached_deg": list(sweep.reached_deg),
        "follows_deg": [max(-360.0, sweep.follows_from_deg), min(360.0, sweep.follows_to_deg)],
        "inside_deg": list(sweep.inside_deg) if sweep.inside_deg else None,
        "leverage_least": sweep.leverage_range[0] if sweep.leverage_range else None,
        "leverage_most": sweep.leverage_range[1] if sweep.leverage_range else None,
    }


def limits(request: Linkage, result: Result) -> tuple[Limit, ...]:
    """Whether the rod follows all the way, the driven lever is forced past its stop, and the joints tip too far."""
    low, high = sorted((request.drive.from_deg, request.drive.to_deg))
    short = max(0.0, result["follows_deg"][0] - low) + max(0.0, high - result["follows_deg"][1])
    lost = words("let the drive go from {0} to {1} only, or shorten its lever", *map(deg, result["follows_deg"]))
    over = words("match the levers elsewhere: as they are put on, the driven one stands beyond its own stop")
    if result["inside_deg"] is not None:
        over = words("stop the drive at {0} and {1}, or shorten its lever", *map(deg, result["inside_deg"]))
    found = [
        Limit("follows", "Drive movement that the rod cannot follow", short, "deg", high=0.0, mend=lost),
        Limit("over", "Driven lever forced past its stop", result["over_travel_deg"], "deg", high=0.0, mend=over),
    ]
    tips = [s[k] for s in result["steps"] for k in ("drive_joint_deg", "driven_joint_deg") if s[k] is not None]
    if tips:
        bring = words("bring the two levers nearer to one plane, or use ends that tip further")
        found.append(Limit("joints", "Rod out of a lever's plane, at most", max(tips), "deg", high=MOST_JOINT_DEG, mend=bring))
    return tuple(found)


_TO_SIDE = {"kind": "to_the_right"}
CALCULATOR = Calculator(
    name="linkage",
    purpose="Two levers and a rod through their movement: leverage, over-travel, joints",
    request=Linkage,
    compute=compute,
    stage="Link",
    title="Levers and rod",
    words=("pedal", "throttle", "clutch", "lever", "bell crank", "leverage", "ratio", "linkage", "shift", "shifter", "brake pedal",
           "over-travel", "full throttle", "wide open", "crank", "trigger", "trigger lever", "release lever", "parachute release", "tailgate latch"),
    answers=(
        Answer("rod_mm", "Rod, eye to eye"),
        Answer("driven_used_pct", "Of the driven lever's range is used"),
        Answer("over_travel_deg", "Forced past its stop by"),
        Answer("reached_deg.0", "Driven lever goes from"),
        Answer("reached_deg.1", "to"),
        Answer("leverage_least", "Leverage, least", "ratio"),
        Answer("leverage_most", "Leverage, most", "ratio"),
    ),
    tables=(
        Table("steps", "Through the movement", (
            Answer("drive_deg", "Drive"), Answer("driven_deg", "Driven", none="cannot follow"), Answer("leverage", "Leverage", "ratio"),
            Answer("drive_joint_deg", "Joint at drive"), Answer("driven_joint_deg", "Joint at driven"),
        )),
    ),
    formula="Each lever's end runs on a circle about its axis. The rod keeps the length it has at the match, so for each place of the "
    "drive the driven end lies where its circle meets the sphere about the drive's end; the branch of the match is followed. "
    "Leverage is how many degrees the driven turns for one of the drive.",
    source="Spatial four-bar with ball joints, solved in closed form; reach from the roots of its trigonometric polynomial.",
    not_told="Forces and flex. Whether the lever, cable or servo behind it takes the load.",
    example={
        "drive": {"pivot_mm": [0, 0, 0], "axis": _TO_SIDE, "end_mm": [0, 0, 90], "from_deg": -15, "to_deg": 20},
        "driven": {"pivot_mm": [340, 0, 60], "axis": _TO_SIDE, "end_mm": [340, 0, 110], "from_deg": -40, "to_deg": 45},
        "match": {"drive_deg": 0, "driven_deg": 0}, "steps": 21,
    },
    limits=limits,
    exact=('drive.from_deg', 'drive.to_deg', 'driven.from_deg', 'driven.to_deg', 'match.drive_deg', 'match.driven_deg'),
    labels={
        "drive": "Drive lever (pedal)", "driven": "Driven lever", "drive.pivot_mm": "Pivot", "driven.pivot_mm": "Pivot",
        "drive.axis": "Turns about", "driven.axis": "Turns about", "drive.end_mm": "Ball at its end", "driven.end_mm": "Ball at its end",
        "match": "Put on where", "match.drive_deg": "the drive stands at", "match.driven_deg": "and the driven at",
        "steps": "Places to look at",
    },
    hints={"drive.axis": "to the right: it swings in the side view", "drive.from_deg": "0° is as given; right-hand rule about the axis"},
    caution="Brakes, clutch, throttle and steering: let a qualified person check the linkage before it is driven.",
)  # fmt: skip
