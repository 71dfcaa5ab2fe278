"""Drivelines: every joint's angle under the build's school, how evenly the line runs, and what follows from its school.

Each check is a draft first: a figure that can be asked of the line in any scene,
and how to tell it. All figures of a line are asked together, also for doubt.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import field
from functools import cache, partial
from typing import Any

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.later import Later
from elmpeg.core.base.quantities import Words, words
from elmpeg.core.base.record import changed, record
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.judging.checks import Check, Input, Remedy, RestsOn, about
from elmpeg.core.judging.doubt import NUDGE, Also, Nudged, caveat
from elmpeg.core.judging.drafts import Draft, Judged, LineDraft
from elmpeg.core.judging.judge import room_to_be_sure, told_near, with_verdict
from elmpeg.core.judging.scatter import Array, Least, Scatter, Size
from elmpeg.core.methods.driveline.joint_limits import JointBand, joint_bands
from elmpeg.core.methods.driveline.line_motion import DrivelineMotion, LaidLine, motion_of
from elmpeg.core.scene.carried_axle import carried_at
from elmpeg.core.scene.line_in_scene import LineAt, Lines, axle_of, laid_line, lines_at
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import AT_REST
from elmpeg.core.stages.drive.line_shaking import Shaking, columns
from elmpeg.core.stages.drive.load_checks import load_drafts
from elmpeg.core.stages.drive.running_drafts import Motion, joint_drafts, layout_drafts, member_drafts
from elmpeg.core.stages.drive.shaft_checks import ground_drafts, speed_drafts
from elmpeg.core.stages.drive.travel_checks import NOT_ASKED, RunsThrough, Through, binding_deg, travel_drafts


@record
class LineState:
    """One driveline as it stands in an option, for the drawing and the Drive page."""

    line: Driveline
    geometry: LaidLine
    motion: DrivelineMotion
    bands: tuple[JointBand, ...]
    verdicts: tuple[Verdict, ...]
    travel: RunsThrough | None


@record
class LineChecks:
    """A line's state, or None where something it needs is missing, and its checks; what says of each joint that fails, by its
    check's code, how far below its limit it must come to hold, deg."""

    state: LineState | None
    checks: tuple[Check, ...]
    rooms_deg: Mapping[str, Callable[[], float]] = field(default_factory=dict)


def bands_of(build: Build, line: Driveline, laid: LaidLine) -> tuple[JointBand, ...]:
    """The band of each joint at rest; a pinion that is pointed at a double joint may be off by its wind-up."""
    limits = build.limits.joints
    bands = joint_bands(laid.joints, line.rpm, build.limits.school, limits, line.use)
    axle = axle_of(build, line)
    if line.arrangement == "pointed" and axle and bands[-1].high_deg == limits.lone_cardan_deg:
        rise = limits.windup_deg(axle.kind)
        low = JointBand(
            None, bands[-1].high_deg + rise, f"nearly straight under drive, so at rest it may be off by the {rise:g}° it winds up"
        )
        return (*bands[:-1], low)
    return bands


def moved_by_state(scene: Scene, line: Driveline) -> bool:
    """Whether a line runs otherwise in the scene's state than at rest. Raises InputError where it cannot run."""
    return scene.state != AT_REST and laid_line(scene, line) != laid_line(scene.at_rest, line)


AS_FAR_AS_IT_BENDS = "as far as it may bend, away from where the line runs all day"


def _bands_in(at: LineAt, line: Driveline) -> tuple[JointBand, ...]:
    """The bands of a line where its scene's state has it; away from rest a joint may bend as far as it can."""
    if not moved_by_state(at.scene, line):
        return bands_of(at.scene.build, line, at.laid)
    return tuple(JointBand(None, most, AS_FAR_AS_IT_BENDS) for most in binding_deg(at.scene, line))


@record
class _Drafted:
    """A line's drafts; the first ``told`` of those at rest are its joints' and members'."""

    bands: tuple[JointBand, ...]
    told: int
    drafts: tuple[LineDraft, ...]
    through: Through
    motion: Motion


def _drafted(line: Driveline, at: LineAt, there: Lines | None) -> _Drafted:
    """The drafts of a line; of its travel only where it is among the lines ``there``, the first of them."""
    scene, limits = at.scene, at.scene.build.limits
    bands = _bands_in(at, line)
    motion = cache(lambda: motion_of(at.laid, at.rest))
    joints = joint_drafts(scene, line, motion, bands)
    if moved_by_state(scene, line):
        # How it runs, what its school asks and what it goes through are asked of the line at rest.
        return _Drafted(bands, len(joints), tuple(joints), NOT_ASKED, motion)
    drafts = [*joints, *member_drafts(limits, line, at, motion)]
    told = len(drafts)
    drafts += [*layout_drafts(limits, line, at), *load_drafts(line, at), *speed_drafts(scene, line, at)]
    drafts += ground_drafts(scene, line, at)
    return _Drafted(bands, told, tuple(drafts), travel_drafts(there) if there is not None else NOT_ASKED, motion)


def judged(scenes: list[Scene], line: Driveline, travel: bool = True) -> list[tuple[Judged, ...]]:
    """A line's figures against their bounds in several scenes of one build: quick enough to search with, and quicker still
    without those of its travel.

    Raises InputError where it cannot run in one of them.
    """
    rows = []
    for at in lines_at(scenes, line):
        found = _drafted(line, at, Lines([at.scene], line) if travel else None)
        row = [Judged(d.code, d.unit, d.figure(at), d.low, d.high) for d in found.drafts]
        row += [Judged(d.code, d.unit, d.figure(found.through.steps), d.low, d.high) for d in found.through.drafts]
        rows.append(tuple(row))
    return rows


@record
class JudgedRows:
    """A line's figures at rest in many places: places x figures, with each figure's code and bounds, infinite for none."""

    codes: tuple[str, ...]
    lows: Array
    highs: Array
    values: Array

    @property
    def margins(self) -> Array:
        """Room of each to its nearer bound, negative outside."""
        return np.minimum(self.values - self.lows, self.highs - self.values)


def judged_with(scene: Scene, line: Driveline, root: str, rotations: Array, origins_mm: Array) -> JudgedRows:
    """A line's figures at rest with a driving part in each of some places (n x 3 x 3, n x 3): far quicker than as many scenes.

    Raises InputError where it cannot run in one of them.
    """
    there = Lines([scene], line)
    at, many = there.at_rest()[0], there.together_with(root, rotations, origins_mm)
    drafts = _drafted(line, at, None).drafts
    lows = np.array([-math.inf if d.low is None else d.low for d in drafts])
    highs = np.array([math.inf if d.high is None else d.high for d in drafts])
    values = np.stack([_sizes(d, at, d.many(many)) for d in drafts], axis=1)
    return JudgedRows(tuple(d.code for d in drafts), lows, highs, values)


def _sizes(draft: LineDraft, at: LineAt, answers: Array) -> Array:
    """A draft's figure in many scenes: where its answers are the parts of a vector its size, of several the least."""
    if answers.ndim == 1:
        return answers
    least = draft.parts is not None and isinstance(draft.parts(at), Least)
    sizes: Array = np.min(answers, axis=1) if least else np.sqrt(np.einsum("ij,ij->i", answers, answers))
    return sizes


def told(scene: Scene, line: Driveline) -> tuple[Check, ...]:
    """A line's checks in a scene without their doubt. Raises InputError where it cannot run."""
    there = Lines([scene], line)
    found = _drafted(line, there.at_rest()[0], there)
    return (*(d.tell() for d in found.drafts), *(d.tell() for d in found.through.drafts), *found.through.loose)


NOT_KNOWN = "Its joints are not known well enough to work it out; measure them first."


def line_checks(scene: Scene, line: Driveline) -> LineChecks:
    """All checks of one driveline: angles, unevenness, its school, travel, slip, speed, ground clearance."""
    axle = axle_of(scene.build, line)
    joints = tuple(dict.fromkeys(j.point for j in line.joints))
    # Between its ends a joint has no axis of its own, and an axle is carried in the side view.
    ways = dict.fromkeys(joints[1:-1], "xyz")
    carried = tuple(p for p in carried_at(axle) if p) if axle else ()
    try:
        nudged = Nudged(scene, (*joints, *carried), {**ways, **dict.fromkeys(carried, "xz")})
        there = Lines([scene, *nudged.twins], line)
        many = there.together()
    except InputError:
        return _not_run(scene, line, joints)
    at = many.one(scene, there.laid, 0)
    found = _drafted(line, at, there)
    at_rest, through = found.drafts, found.through
    if carried and not through.drafts and scene.state == AT_REST:
        # Where the axle's travel is not asked for, nothing rests on what carries it.
        nudged = Nudged(scene, joints, ways)
        there = Lines([scene, *nudged.twins], line)
        many = there.together()
    try:
        answers = [d.many(many) for d in at_rest]
        base = (*(d.asked(at) for d in at_rest), *(d.asked(through.steps) for d in through.drafts))
        also: tuple[Also, ...] = ()
        if through.drafts:
            steps = there.stepped(through.states)
            moving = [d.many(steps) for d in through.drafts]
            also = _travel_doubt(there, through, columns(answers).shape[1], columns(moving)[0])
            answers += moving
        rows = columns(answers)
        doubt = nudged.doubt_of_rows(base, rows[0], rows[1:], also)
    except InputError:
        return _unknown(line, joints, NOT_KNOWN)
    drafts: tuple[Draft[Any, Any], ...] = (*at_rest, *through.drafts)
    shaken = Shaking(nudged, there, many, drafts, doubt.scatters)
    sure = scene.build.limits.sure
    checks = [
        _checked(draft, shaken.scatter(draft, scatter), shares, sure)
        for draft, scatter, shares in zip(drafts, doubt.scatters, doubt.shares, strict=True)
    ]
    verdicts = tuple(c.verdict for c in checks[: found.told])
    state = LineState(line, at.laid, found.motion(), found.bands, verdicts, found.through.runs)
    rooms = {
        check.code: partial(scatter.room_below, check.high, sure)
        for check, scatter in zip(checks, doubt.scatters, strict=True)
        if check.family == "joint" and check.verdict == "fails" and check.high is not None and isinstance(scatter, Size)
    }
    return LineChecks(state, (*checks, *found.through.loose), rooms)


def _travel_doubt(there: Lines, through: Through, before: int, was: Array) -> tuple[Also, ...]:
    """What the readings of an axle's bump and droop bring to the figures of its travel, whose numbers ``was`` come after ``before``
    others."""
    axle = there.axle
    assert axle is not None
    told = {way: tuple(r.id for r in axle.readings if r.way == way and not r.dropped) for way, _ in through.read_otherwise}
    if not told:
        return ()
    rows = np.zeros((len(told), before + len(was)))
    for n, (_, steps) in enumerate(through.read_otherwise):
        rows[n, before:] = (columns([d.many(steps) for d in through.drafts])[0] - was) / NUDGE
    return (Also(f"travel of {axle.name}", tuple(told.items()), rows),)


def _not_run(scene: Scene, line: Driveline, joints: tuple[str, ...]) -> LineChecks:
    """A line that cannot be worked out where it is, or only where it is."""
    try:
        lines_at([scene], line)
    except InputError as refused:
        return _unknown(line, _without_axis(scene, line) or joints, refused.message[0].upper() + refused.message[1:])
    return _unknown(line, joints, NOT_KNOWN)


def _checked(draft: Draft[Any, Any], scatter: Scatter, shares: Sequence[RestsOn], sure: float) -> Check:
    made = with_verdict(draft.tell(), scatter, sure, draft.near)
    mending: Sequence[Remedy] = made.remedies
    if draft.mend and made.verdict == "fails":
        mend, failing = draft.mend, changed(made, rests_on=shares)
        mending = Later(lambda: told_near(mend(room_to_be_sure(scatter.widest_sd, sure)), failing, scatter, sure))
    soft = caveat(shares)
    why = Words(made.why.template + soft, made.why.quantities) if soft else made.why
    inputs = tuple(_with_doubt(one, made) for one in made.inputs)
    return changed(made, why=why, rests_on=shares, remedies=mending, inputs=inputs)


def _with_doubt(one: Input, check: Check) -> Input:
    """The check's own figure among its inputs carries its doubt."""
    if one.quantity.unit != check.unit or one.quantity.value != check.value:
        return one
    return changed(one, quantity=changed(one.quantity, sd=check.sd, at_most=check.at_most))


def _without_axis(scene: Scene, line: Driveline) -> tuple[str, ...]:
    """The ends of a line whose direction nobody said."""
    ends = dict.fromkeys((line.joints[0].point, line.joints[-1].point))
    return tuple(p for p in ends if scene.axis(p) is None)


def _unknown(line: Driveline, points: tuple[str, ...], why: str) -> LineChecks:
    name = f"{line.name}: angles"
    code = f"line.{line.id}.{line.joints[0].id}"
    return LineChecks(None, (Check(code, "joint", name, "deg", "unknown", words(why), about=about(points=points, drivelines=line.id)),))
