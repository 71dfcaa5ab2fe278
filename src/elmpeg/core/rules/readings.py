"""Readings: repeats that disagree, and points nobody has measured on this vehicle."""

from __future__ import annotations

from elmpeg.core.checks import Check, Input, Remedy
from elmpeg.core.locating import UNMEASURED_SD_MM, Disagreement
from elmpeg.core.model import Point
from elmpeg.core.quantities import mm, words
from elmpeg.core.scene import Scene


def reading_checks(scene: Scene, point: Point) -> tuple[Check, ...]:
    """What is wrong with one point's own figures; nothing for a point that is measured and agrees."""
    found = [_disagreement(point, d) for d in scene.located(point.id).disagreements]
    if point.source in ("borrowed", "assumed"):
        found.append(
            Check(
                code=f"source.{point.id}",
                family="source",
                stage="Measure",
                name=f"{point.name}: not measured",
                unit="mm",
                verdict="unknown",
                why=words(f"Its figures are {point.source}, good to {{0}} at best. {point.note}".rstrip(), mm(UNMEASURED_SD_MM)),
                remedies=(Remedy(words(f"Measure {point.name} on this vehicle.")),),
                subject=(point.id,),
            )
        )
    return tuple(found)


def _disagreement(point: Point, d: Disagreement) -> Check:
    who = d.second.person if d.first.person == d.second.person else f"{d.first.person} or {d.second.person}"
    return Check(
        code=f"reading.{point.id}.{d.first.id}.{d.second.id}",
        family="reading",
        stage="Measure",
        name=f"{point.name}: two readings of {d.first.axis.upper()} disagree",
        unit="mm",
        verdict="fails",
        why=words(
            "{0} and {1} are {2} apart; their tools explain {3}.",
            mm(d.first.value_mm),
            mm(d.second.value_mm),
            mm(d.apart_mm),
            mm(d.allowed_mm),
        ),
        value=d.apart_mm,
        high=d.allowed_mm,
        remedies=(Remedy(words(f"Measure it again before relying on it; ask {who} what they read it from.")),),
        inputs=(
            Input(f"{d.first.person}, “{d.first.text}”", mm(d.first.value_mm)),
            Input(f"{d.second.person}, “{d.second.text}”", mm(d.second.value_mm)),
        ),
        formula="two readings may differ by three standard deviations of their difference",
        subject=(point.id,),
    )
