"""Calculator ``pose``: where a part sits, from points measured on it."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import norm
from elmpeg.core.calculators.fields import Name, PointMm, PositiveMm, Request
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
