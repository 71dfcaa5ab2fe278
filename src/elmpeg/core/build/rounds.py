"""Test-fit rounds: predicted, measured, found, decided."""

from __future__ import annotations

from typing import Annotated, Literal

from elmpeg.core.base.declared import NOT_NEGATIVE, Called, Frozen, In, SignedBy
from elmpeg.core.base.quantities import Unit
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.options import Position

Material = Literal["card", "board", "print", "tacked", "welded", "final"]


FindingKind = Literal["fouls", "gap", "misaligned", "wrong hand", "cannot reach", "weak", "good"]


Decision = Literal["", "again", "change", "go on"]
PREDICTED = Frozen("what round {number} predicted is frozen and")


@record
class Prediction:
    """One check as it stood when a round began."""

    code: str
    name: str
    value: Annotated[float, In("mm", beside="unit")]
    unit: Unit
    low: Annotated[float | None, In("mm", beside="unit")]
    high: Annotated[float | None, In("mm", beside="unit")]
    sd: Annotated[float, In("mm", beside="unit")]
    verdict: Verdict


@record
class PredictedPoint:
    """Where a component's point was to be, in the vehicle frame."""

    point: str
    name: str
    component: str
    xyz_mm: Vec3
    sd_mm: Annotated[float, NOT_NEGATIVE]


@record
class Measured:
    """What the tape said about one prediction."""

    code: str
    text: str
    value: Annotated[float, In("mm", beside="the check")]
    sd: Annotated[float, In("mm", beside="the check")]
    person: Annotated[str, SignedBy("measured", for_others=True)]
    taken_at: str


@record
class MeasuredPoint:
    """Where a component's point was found, in the vehicle frame."""

    point: str
    text: str
    xyz_mm: Vec3
    sd_mm: Annotated[float, NOT_NEGATIVE]
    person: Annotated[str, SignedBy("measured", for_others=True)]
    taken_at: str
    axes: str = "xyz"
    """Which of its coordinates were measured; the others stand as they were predicted and teach nothing."""

    @property
    def whole(self) -> bool:
        """Whether all three were measured."""
        return len(self.axes) == 3


@record
class Finding:
    """What a round showed, at a point or a mount."""

    id: str
    kind: FindingKind
    place: str
    words: str
    owner: str
    done: bool = False


@record
class Round:
    """One test fit: what was predicted, what was measured, what was found and decided."""

    id: str
    number: Annotated[int, PREDICTED]
    option: Annotated[str, PREDICTED]
    option_name: str
    material: Material
    by: Annotated[str, PREDICTED, SignedBy("begun", covers=("id", "number")), Called("by")]
    started: Annotated[str, PREDICTED]
    positions: Annotated[tuple[Position, ...], PREDICTED]
    predictions: Annotated[tuple[Prediction, ...], PREDICTED]
    points: Annotated[tuple[PredictedPoint, ...], PREDICTED]
    measured: tuple[Measured, ...] = ()
    measured_points: tuple[MeasuredPoint, ...] = ()
    findings: tuple[Finding, ...] = ()
    decision: Decision = ""
    decision_words: Annotated[str, Called("decision in words")] = ""
    closed: str = ""
