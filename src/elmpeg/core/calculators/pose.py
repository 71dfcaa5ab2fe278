"""Calculator ``pose``: where a part sits, from points measured on it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import mm, words
from elmpeg.core.base.vectors import norm
from elmpeg.core.calculators.fields import Name, PointMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result
from elmpeg.core.methods.measuring.rigid_fit import PointPair, rigid_fit, suspicion


class PairFields(Request):
    """A point in the part's own frame, and where it was measured."""

    id: Name
    local_mm: PointMm
    measured_mm: PointMm


class PoseRequest(Request):
    """The pairs, and how well they should agree."""

    pairs: Annotated[list[PairFields], Field(max_length=500)]
    tolerance_mm: PositiveMm = 2.0


def compute(request: PoseRequest) -> dict[str, Any]:
    """The pose, what each point leaves over as a length and as a vector, and the reading that is probably wrong."""
    if len({p.id for p in request.pairs}) < len(request.pairs):
        raise InputError("pairs", "names one point twice; give each its own id")
    pairs = tuple(PointPair(p.id, p.local_mm, p.measured_mm) for p in request.pairs)
    fit = rigid_fit(pairs)
    suspect = suspicion(pairs, request.tolerance_mm)
    return {
        "pose": asdict(fit.pose),
        "residuals_mm": {name: norm(v) for name, v in fit.left_over_mm},
        "residual_vectors_mm": {name: list(v) for name, v in fit.left_over_mm},
        "rms_mm": fit.rms_mm,
        "suspect": suspect.id if suspect else None,
        "rms_without_suspect_mm": suspect.rms_without_mm if suspect else None,
    }


def limits(request: PoseRequest, result: Result) -> tuple[Limit, ...]:
    """Whether the points agree."""
    if len(request.pairs) <= 3:
        return ()
    again = words("measure the point that leaves most over again")
    if result["suspect"] is not None:
        again = words(f"measure {result['suspect']} again: without it the others agree to {{0}}", mm(result["rms_without_suspect_mm"]))
    return (Limit("agree", "Points disagree by", result["rms_mm"], "mm", high=request.tolerance_mm, mend=again),)


CALCULATOR = Calculator(
    name="pose",
    purpose="Where a part sits, from points measured on it",
    request=PoseRequest,
    compute=compute,
    stage="Place",
    title="Where a part sits",
    words=("position", "where it sits", "engine position", "pose", "three points", "mock up", "align"),
    answers=(
        Answer("pose.x_mm", "X"),
        Answer("pose.y_mm", "Y"),
        Answer("pose.z_mm", "Z"),
        Answer("pose.roll_deg", "Right side up"),
        Answer("pose.pitch_deg", "Tail down"),
        Answer("pose.yaw_deg", "Tail to the right"),
        Answer("rms_mm", "Points disagree by"),
        Answer("suspect", "Probably misread"),
    ),
    formula="The turn and shift, never a mirror, that carries the part's own points onto the measured ones with least squares left over.",
    source="Kabsch's solution by singular value decomposition.",
    not_told="Whether the part's own figures are true: measure them on this part.",
    example={"pairs": [
        {"id": "left mount", "local_mm": [0, -250, 0], "measured_mm": [401, -248, 612]},
        {"id": "right mount", "local_mm": [0, 250, 0], "measured_mm": [399, 252, 610]},
        {"id": "tail", "local_mm": [900, 0, 60], "measured_mm": [1296, 4, 629]},
        {"id": "balancer", "local_mm": [-220, 0, -40], "measured_mm": [182, 0, 583]},
    ]},
    limits=limits,
    exact=('tolerance_mm', 'pairs.local_mm'),
    labels={
        "pairs": "Points of the part", "pairs.id": "Point", "pairs.local_mm": "On the part", "pairs.measured_mm": "Measured in the vehicle",
        "tolerance_mm": "Should agree within",
    },
)  # fmt: skip
