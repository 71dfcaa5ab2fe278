"""Test-fit rounds: what was predicted, what the tape said, and what the difference looks like.

A round freezes its option's numbers when it starts. Later changes to the build
leave them alone: a prediction that moves afterwards teaches nothing.
"""

from __future__ import annotations

import math
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import new_id
from elmpeg.core.base.pose import Pose, placed
from elmpeg.core.base.quantities import Words, mm, words
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, norm, scale, sub
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.rounds import Decision, Finding, FindingKind, Measured, MeasuredPoint, PredictedPoint, Prediction, Round
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.methods.measuring.rigid_fit import PointPair, rigid_fit, suspicion
from elmpeg.core.scene.scene import Scene, assembly_of, root_of

BEYOND_SD = 2.0
"""A difference counts as real above this many standard deviations of prediction and reading together."""
EXPLAINS_MOST = 0.7
"""Share of the differences (as sum of squares) from which one movement is said to explain them."""
SUSPECT_ABOVE_MM = 2.0
"""Points that agree better than this with one position are not suspected."""
SLIGHT_MM = 0.5
"""Movements below this are not put into words: a tape does not show them."""


@record
class Difference:
    """One prediction against what was measured; difference is measured less predicted."""

    prediction: Prediction
    measured: Measured | None
    difference: float | None
    sd: float | None
    beyond_doubt: bool


@record
class PointDifference:
    """One point against where it was found; difference is measured less predicted, mm along X, Y and Z, 0 along what was not measured."""

    predicted: PredictedPoint
    measured: MeasuredPoint | None
    difference_mm: Vec3 | None
    sd_mm: float | None
    beyond_doubt: bool
    left_over_mm: Vec3 | None


@record
class RoundReport:
    """A round read out: differences, what they look like together, and how large they are."""

    values: tuple[Difference, ...]
    points: tuple[PointDifference, ...]
    pattern: Words
    explained: float | None
    rms_mm: float | None


def _changed(build: Build, round_id: str, **fields: object) -> Build:
    one = build.round(round_id)
    if one.closed:
        raise InputError("round", f"round {one.number} is closed; start another to go on")
    return replace(build, rounds=with_item(build.rounds, replace(one, **fields)))  # type: ignore[arg-type]


def with_measured(build: Build, round_id: str, measured: Measured) -> Build:
    """The build with one prediction's measured value entered or replaced."""
    one = build.round(round_id)
    if all(p.code != measured.code for p in one.predictions):
        raise InputError("code", f"round {one.number} predicted nothing called “{measured.code}”")
    kept = tuple(m for m in one.measured if m.code != measured.code)
    return _changed(build, round_id, measured=(*kept, measured))


def without_measured(build: Build, round_id: str, code: str) -> Build:
    """The build with a measured value, or a measured point, taken out again."""
    one = build.round(round_id)
    return _changed(
        build,
        round_id,
        measured=tuple(m for m in one.measured if m.code != code),
        measured_points=tuple(m for m in one.measured_points if m.point != code),
    )


def with_measured_point(build: Build, round_id: str, measured: MeasuredPoint) -> Build:
    """The build with where one of the part's points was found entered or replaced."""
    one = build.round(round_id)
    if all(p.point != measured.point for p in one.points):
        raise InputError("point", f"round {one.number} predicted no place for “{measured.point}”")
    if not measured.axes or sorted(measured.axes) != [a for a in "xyz" if a in measured.axes]:
        raise InputError("axes", f"are “{measured.axes}”; name some of x, y and z, each once")
    kept = tuple(m for m in one.measured_points if m.point != measured.point)
    return _changed(build, round_id, measured_points=(*kept, measured))


def with_finding(build: Build, round_id: str, kind: FindingKind, place: str, text: str, owner: str) -> Build:
    """The build with a finding added to a round."""
    one = build.round(round_id)
    if place and place not in {p.id for p in build.points} | {m.id for m in build.mounts}:
        raise InputError("place", f"“{place}” is neither a point nor a mount of this build")
    tidy = " ".join(text.split())
    if not 3 <= len(tidy) <= 500:
        raise InputError("words", "say in 3 to 500 characters what was found")
    finding = Finding(new_id("finding-1", (f.id for f in one.findings)), kind, place, tidy, owner)
    return _changed(build, round_id, findings=(*one.findings, finding))


def with_finding_done(build: Build, round_id: str, finding_id: str, done: bool) -> Build:
    """The build with a finding marked done or open; allowed after the round is closed too."""
    one = build.round(round_id)
    if all(f.id != finding_id for f in one.findings):
        raise InputError("finding", "is not in this round any more")
    findings = tuple(replace(f, done=done) if f.id == finding_id else f for f in one.findings)
    return replace(build, rounds=with_item(build.rounds, replace(one, findings=findings)))


def with_decision(build: Build, round_id: str, decision: Decision, text: str, closed: str) -> Build:
    """The build with a round decided and closed."""
    if not decision:
        raise InputError("decision", "choose again, change or go on before closing the round")
    return _changed(build, round_id, decision=decision, decision_words=" ".join(text.split())[:500], closed=closed)


def report(one: Round) -> RoundReport:
    """Read a round out: each difference, whether it is beyond the doubt, and the movement that explains most of them."""
    by_code = {m.code: m for m in one.measured}
    values = tuple(_value_difference(p, by_code.get(p.code)) for p in one.predictions)
    found = {m.point: m for m in one.measured_points}
    plain = [(p, found.get(p.point)) for p in one.points]
    apart = {p.point: _apart(m, p) for p, m in plain if m is not None}
    fitted = _fitted(one, found)
    left = dict(fitted.left) if fitted else {}
    points = tuple(_point_difference(p, m, apart.get(p.point), left.get(p.point)) for p, m in plain)
    rms = math.sqrt(sum(norm(d) ** 2 for d in apart.values()) / len(apart)) if apart else None
    if fitted is None:
        missing = "Measure at least three points on the part, not in one line, to see whether the whole part has moved."
        return RoundReport(values, points, words(missing), None, rms)
    return RoundReport(values, points, fitted.words, fitted.explained, rms)


def _apart(measured: MeasuredPoint, predicted: PredictedPoint) -> Vec3:
    x, y, z = (m - p if a in measured.axes else 0.0 for a, m, p in zip("xyz", measured.xyz_mm, predicted.xyz_mm, strict=True))
    return (x, y, z)


def _value_difference(predicted: Prediction, measured: Measured | None) -> Difference:
    if measured is None:
        return Difference(predicted, None, None, None, False)
    apart, sd = measured.value - predicted.value, math.hypot(measured.sd, predicted.sd)
    return Difference(predicted, measured, apart, sd, abs(apart) > BEYOND_SD * sd)


def _point_difference(predicted: PredictedPoint, measured: MeasuredPoint | None, apart: Vec3 | None, left: Vec3 | None) -> PointDifference:
    if measured is None or apart is None:
        return PointDifference(predicted, None, None, None, False, None)
    sd = math.hypot(predicted.sd_mm, measured.sd_mm)
    return PointDifference(predicted, measured, apart, sd, max(abs(v) for v in apart) > BEYOND_SD * sd, left)


@record
class _Fitted:
    words: Words
    explained: float
    left: tuple[tuple[str, Vec3], ...]


def _fitted(one: Round, found: dict[str, MeasuredPoint]) -> _Fitted | None:
    pairs = tuple(PointPair(p.point, p.xyz_mm, found[p.point].xyz_mm) for p in one.points if p.point in found and found[p.point].whole)
    try:
        fit = rigid_fit(pairs)
    except InputError:
        return None
    whole = sum(norm(sub(p.measured_mm, p.local_mm)) ** 2 for p in pairs)
    left = sum(norm(v) ** 2 for _, v in fit.left_over_mm)
    explained = 1 - left / whole if whole > 0 else 0.0
    rms = math.sqrt(whole / len(pairs))
    if rms < SLIGHT_MM:
        return _Fitted(words("The part sits where it was predicted, to within {0}.", mm(rms)), explained, fit.left_over_mm)
    if explained < EXPLAINS_MOST:
        text = "The points are off by {0} on the whole, but not as one part would be; look at each, and measure the worst again."
        return _Fitted(words(text, mm(rms)), explained, fit.left_over_mm)
    nose, tail = min(p.local_mm[0] for p in pairs), max(p.local_mm[0] for p in pairs)
    middle = scale(_sum([p.local_mm for p in pairs]), 1 / len(pairs))
    moved = placed(fit.pose)
    at_nose, at_tail = (sub(moved.point((x, middle[1], middle[2])), (x, middle[1], middle[2])) for x in (nose, tail))
    return _Fitted(_in_words(at_nose, at_tail), explained, fit.left_over_mm)


def _sum(vectors: list[Vec3]) -> Vec3:
    total: Vec3 = (0.0, 0.0, 0.0)
    for v in vectors:
        total = add(total, v)
    return total


def _in_words(at_nose: Vec3, at_tail: Vec3) -> Words:
    """“The whole part sits {0} low at the tail”: the same at both ends, or end by end."""
    ways = (("back", "forward"), ("to the right", "to the left"), ("high", "low"))
    parts: list[tuple[float, str]] = []
    for i, (plus, minus) in enumerate(ways):
        nose, tail = at_nose[i], at_tail[i]
        if max(abs(nose), abs(tail)) < SLIGHT_MM:
            continue
        if abs(nose - tail) < SLIGHT_MM:
            both = (nose + tail) / 2
            parts.append((abs(both), plus if both > 0 else minus))
            continue
        for value, end in ((tail, "at the tail"), (nose, "at the nose")):
            if abs(value) >= SLIGHT_MM:
                parts.append((abs(value), f"{plus if value > 0 else minus} {end}"))
    if not parts:
        return words("The part has turned a little about its own length; its ends sit where they should.")
    parts.sort(reverse=True)
    listed = [f"{{{k}}} {text}" for k, (_, text) in enumerate(parts)]
    joined = listed[0] if len(listed) == 1 else ", ".join(listed[:-1]) + " and " + listed[-1]
    return words(f"The whole part sits {joined}.", *(mm(v) for v, _ in parts))


@record
class MeasuredPlace:
    """Where a round found an assembly: its pose, how well the points agree, and one that was probably read wrongly."""

    component: str
    pose: Pose
    rms_mm: float
    suspect: str | None


def measured_place(build: Build, one: Round) -> MeasuredPlace | None:
    """The pose of the assembly with the most measured points in a round; None with fewer than three, or all in a line."""
    scene = Scene(build, replace(build.options[0], positions=one.positions))
    by_root: dict[str, list[PointPair]] = {}
    known = {p.id for p in build.points}
    for found in one.measured_points:
        if found.whole and found.point in known and scene.declared(found.point).on != VEHICLE:
            root = root_of(build, scene.declared(found.point).on)
            local = scene.placement(root.id).local(scene.xyz(found.point))
            by_root.setdefault(root.id, []).append(PointPair(found.point, local, found.xyz_mm))
    if not by_root:
        return None
    root_id, pairs = max(by_root.items(), key=lambda item: len(item[1]))
    try:
        fit = rigid_fit(tuple(pairs))
    except InputError:
        return None
    suspect = suspicion(tuple(pairs), SUSPECT_ABOVE_MM)
    return MeasuredPlace(root_id, fit.pose, fit.rms_mm, scene.declared(suspect.id).name if suspect else None)


def shrinking(rounds: tuple[Round, ...]) -> tuple[tuple[Round, float | None], ...]:
    """Each round with the root mean square of its points' differences, mm, in order."""
    return tuple((r, report(r).rms_mm) for r in sorted(rounds, key=lambda r: r.number))


def with_round_as_sighted(build: Build, option_id: str, root_id: str, person: str, when: str) -> Build:
    """The build with the open round's measured points taken from where an assembly's points were measured."""
    one = next((r for r in build.rounds if not r.closed), None)
    if one is None:
        raise InputError("round", "no round is open; start one on the Fit page first")
    scene = Scene(build, build.option(option_id))
    on = {c.id for c in assembly_of(build, root_id)}
    predicted = {p.point for p in one.points}
    for point in build.points:
        if point.same_as in predicted and scene.declared(point.same_as).on in on:
            where = scene.located(point.id)
            x, y, z = where.xyz_mm
            sd = math.sqrt(sum(s**2 for s in where.sd_mm) / 3)
            build = with_measured_point(
                build, one.id, MeasuredPoint(point.same_as, f"{x:.1f}, {y:.1f}, {z:.1f}", (x, y, z), sd, person, when)
            )
    return build
