"""Readings: repeats that disagree, and points nobody has measured on this vehicle."""

from __future__ import annotations

from elmpeg.core.base.quantities import deg, mm, named, words
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.survey import NOT_MEASURED, Point
from elmpeg.core.judging.checks import Check, Input, Remedy, about
from elmpeg.core.scene.axis_from_gauge import lean_of
from elmpeg.core.scene.point_from_readings import UNMEASURED_SD_MM, Disagreement
from elmpeg.core.scene.scene import Scene


def reading_checks(scene: Scene, point: Point) -> tuple[Check, ...]:
    """What is wrong with one point's own figures; nothing for a point that is measured and agrees."""
    found = [_disagreement(point, d) for d in scene.located(point.id).fix.disagreements if not d.kept]
    found += _direction(scene, point)
    if point.source in NOT_MEASURED:
        found.append(
            Check(
                code=f"source.{point.id}",
                family="source",
                name=f"{point.name}: not measured",
                unit="mm",
                verdict="unknown",
                why=words(f"Its figures are {point.source}, good to {{0}} at best. {point.note}".rstrip(), mm(UNMEASURED_SD_MM)),
                remedies=(Remedy(words(f"Measure {named(point.name)} on this vehicle.")),),
                about=about(points=point.id),
            )
        )
    place = _place(scene, point)
    return (*found, place) if place else tuple(found)


def _direction(scene: Scene, point: Point) -> list[Check]:
    """Gauge readings of one direction that disagree."""
    lean = lean_of(point, {t.id: t for t in scene.build.tools})
    if lean is None or lean.agree:
        return []
    return [
        Check(
            code=f"direction.{point.id}",
            family="reading",
            name=f"{point.name}: readings of its direction disagree",
            unit="deg",
            verdict="fails",
            why=words("They are {0} apart; their tools explain {1}.", deg(lean.apart), deg(lean.allowed)),
            value=lean.apart,
            high=lean.allowed,
            remedies=(Remedy(words("Zero the gauge again on the same face, read it again, and set the wrong one aside.")),),
            inputs=tuple(Input(f"{r.person}, “{_plain(r.text)}”", deg(r.value_deg)) for r in point.leans if not r.dropped),
            formula="two readings may differ by three standard deviations of their difference",
            about=about(points=point.id),
        )
    ]


def _place(scene: Scene, point: Point) -> Check | None:
    """What keeps a point's readings from fixing one place; None where they do."""
    fix = scene.located(point.id).fix
    left = sorted(fix.left_mm, key=lambda item: -abs(item[1]))
    if fix.trouble:
        verdict: Verdict = "fails" if fix.left_mm else "unknown"
        why, remedy = words(_plain(f"{fix.trouble}.")), f"Take what is missing at {point.name}, or read again."
    elif fix.status == "ambiguous" and fix.other_mm is not None:
        a, b = fix.xyz_mm, fix.other_mm
        i = max(range(3), key=lambda k: abs(a[k] - b[k]))
        verdict = "unknown"
        why = words(f"Its tapes meet in two places, {'XYZ'[i]} {{0}} and {{1}}.", mm(a[i]), mm(b[i]))
        remedy = "Say which of the two is meant, or add a tape from a point off the plane of the others."
    elif fix.status == "contradictory":
        readings = {r.id: r for r in point.readings}
        texts = {r: _plain(f"“{readings[r].text}” from {scene.declared(readings[r].held_at).name}") for r, _ in left if r in readings}
        verdict, worst = "fails", left[0]
        said = texts.get(worst[0], f"the known {worst[0].upper()}")
        why = words(f"Its readings do not meet: {said} is {{0}} off where the others come nearest.", mm(abs(worst[1])))
        if fix.suspect is not None:
            wrong = texts.get(fix.suspect, f"the known {fix.suspect.upper()}")
            why = words(f"Its readings do not meet. {wrong} is probably wrong: without it the others agree.")
        remedy = f"Read {point.name} again, that one first."
    else:
        return None
    return Check(
        code=f"place.{point.id}",
        family="place",
        name=f"{point.name}: where it is",
        unit="mm",
        verdict=verdict,
        why=why,
        remedies=(Remedy(words(remedy)),),
        inputs=tuple(Input(_plain(next((r.text for r in point.readings if r.id == name), name)), mm(v)) for name, v in left),
        formula="read less computed at the place where all readings agree best",
        about=about(points=point.id),
    )


def _plain(text: str) -> str:
    return text.replace("{", "(").replace("}", ")")


def _disagreement(point: Point, d: Disagreement) -> Check:
    who = d.second.person if d.first.person == d.second.person else f"{d.first.person} or {d.second.person}"
    return Check(
        code=f"reading.{point.id}.{d.first.id}.{d.second.id}",
        family="reading",
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
        about=about(points=point.id),
    )
