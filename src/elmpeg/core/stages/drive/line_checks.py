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
from elmpeg.core.base.naming import of_whole
from elmpeg.core.base.quantities import Quantity, Words, deg, words
from elmpeg.core.base.record import changed, record
from elmpeg.core.base.verdicts import AT_LIMIT, Verdict, outside, verdict_within
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.build.limits import Limits
from elmpeg.core.judging.checks import Change, Check, Input, Remedy, RestsOn, about
from elmpeg.core.judging.doubt import NUDGE, Also, Nudged, caveat
from elmpeg.core.judging.drafts import Draft, Judged, LineDraft
from elmpeg.core.judging.judge import room_to_be_sure, told_near, with_verdict
from elmpeg.core.judging.scatter import Array, Least, Scatter, Size
from elmpeg.core.methods.driveline.fork_phasing import best_phases
from elmpeg.core.methods.driveline.joint_limits import JointBand, joint_bands, judged_rpm
from elmpeg.core.methods.driveline.line_motion import BareFigures, DrivelineMotion, LaidLine, RunFigures, driveline_motions, motion_of
from elmpeg.core.scene.carried_axle import carried_at
from elmpeg.core.scene.line_in_scene import LineAt, Lines, LinesAt, axle_of, laid_line, lines_at
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import AT_REST
from elmpeg.core.stages.drive.line_shaking import Shaking, columns
from elmpeg.core.stages.drive.load_checks import barely, load_drafts, omega
from elmpeg.core.stages.drive.shaft_checks import ground_drafts, speed_drafts
from elmpeg.core.stages.drive.travel_checks import NOT_ASKED, RunsThrough, Through, binding_deg, travel_drafts

TURN_WORTH_DEG = 1.0
"""A fork that is out by less is left where its splines put it."""
WORTH_TURNING = 0.7
"""Turning forks is told where it leaves at most this share of the unevenness."""


Motion = Callable[[], DrivelineMotion]
"""A line's full motion at rest, worked out only where something is told."""


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
    joints = _joint_drafts(scene, line, motion, bands)
    if moved_by_state(scene, line):
        # How it runs, what its school asks and what it goes through are asked of the line at rest.
        return _Drafted(bands, len(joints), tuple(joints), NOT_ASKED, motion)
    drafts = [*joints, *_member_drafts(limits, line, at, motion)]
    told = len(drafts)
    drafts += [*_layout_drafts(limits, line, at), *load_drafts(line, at), *speed_drafts(scene, line, at)]
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


def _joint_drafts(scene: Scene, line: Driveline, motion: Motion, bands: tuple[JointBand, ...]) -> list[LineDraft]:
    margin = scene.build.limits.joints.near_margin_deg
    drafts: list[LineDraft] = []
    for k, (joint, band) in enumerate(zip(line.joints, bands, strict=True)):
        code = f"line.{line.id}.{joint.id}"

        def tell(k: int = k, band: JointBand = band, code: str = code) -> Check:
            bent = motion().joints[k]
            return Check(
                code=code,
                family="joint",
                name=of_whole(line.name, f"{scene.declared(line.joints[k].point).name} {bent.id}"),
                unit="deg",
                verdict=verdict_within(bent.angle_deg, band.low_deg, band.high_deg, margin),
                why=_why_joint(bent.angle_deg, band),
                value=bent.angle_deg,
                low=band.low_deg,
                high=band.high_deg,
                inputs=(
                    Input("true angle", deg(bent.angle_deg)),
                    Input("seen from the side", deg(bent.side_deg)),
                    Input("seen from above", deg(bent.plan_deg)),
                ),
                formula="the true angle between the axes on either side of the joint, side view and plan together",
                about=about(points=line.joints[k].point, drivelines=line.id),
            )

        drafts.append(
            Draft(
                code,
                "deg",
                _of_joint(k),
                _bend_of(k),
                band.low_deg,
                band.high_deg,
                tell,
                near=margin,
                parts=lambda one, k=k: one.rest.bends_deg[k],  # type: ignore[misc]
            )
        )
    return drafts


def _of_joint(k: int) -> Callable[[LineAt], float]:
    return lambda one: one.rest.angles_deg[k]


def _bend_of(k: int) -> Callable[[LinesAt], Array]:
    return lambda many: many.rest.bends_deg[:, k]


def _of_member(k: int) -> Callable[[LineAt], float]:
    return lambda one: one.rest.accels_rad_s2[k]


def _of_members(k: int) -> Callable[[LinesAt], Array]:
    return lambda many: many.rest.accels_rad_s2[:, k]


def _member_drafts(limits: Limits, line: Driveline, at: LineAt, motion: Motion) -> list[LineDraft]:
    """How unevenly each member runs; for a steering shaft what is felt at the wheel."""
    if line.use == "steering":
        return [_steering_draft(limits, line, at)]
    points = tuple(j.point for j in line.joints)
    rpm = judged_rpm(line.rpm, limits.school, limits.joints, line.use)
    drafts: list[LineDraft] = []
    for k in range(len(line.joints)):
        driven = k == len(line.joints) - 1
        limit = limits.joints.driven_accel_rad_s2 if driven else limits.joints.shaft_accel_rad_s2
        member_id = "driven" if driven else f"{line.joints[k].id}-{line.joints[k + 1].id}"
        code = f"line.{line.id}.accel.{member_id}"

        def tell(k: int = k, driven: bool = driven, limit: float = limit, code: str = code) -> Check:
            member = motion().members[k]
            accel = member.accel_peak_rad_s2
            word = "over" if accel > limit else "within"
            return Check(
                code=code,
                family="shaft",
                name=f"{line.name}, {'driven end' if driven else f'shaft {member.id}'}: unevenness",
                unit="rad_s2",
                verdict=verdict_within(accel, None, limit),
                why=words(
                    f"At {rpm:g} rpm it speeds up and slows down twice a turn by {{0}}, peaking at {{1}}, {word} {{2}}.",
                    Quantity(member.speed_ripple_pct, "pct"),
                    Quantity(accel, "rad_s2"),
                    Quantity(limit, "rad_s2"),
                ),
                value=accel,
                high=limit,
                inputs=(Input("speed ripple", Quantity(member.speed_ripple_pct, "pct")), Input("speed", Quantity(rpm, "rpm"))),
                formula="exact motion of each cross at steady input speed",
                about=about(points=points, drivelines=line.id),
            )

        def evener(room: float, k: int = k, limit: float = limit) -> tuple[Remedy, ...]:
            return _evener(line, at, rpm, room, lambda motion: limit - motion.members[k].accel_peak_rad_s2)

        drafts.append(
            Draft(code, "rad_s2", _of_member(k), _of_members(k), None, limit, tell, evener, shaken=_of_members(k), per_rad2=omega(rpm) ** 2)
        )
    return drafts


def _steering_draft(limits: Limits, line: Driveline, at: LineAt) -> LineDraft:
    code, limit = f"line.{line.id}.accel.driven", limits.joints.steering_ripple_pct

    def tell() -> Check:
        ripple = at.rest.ripples_pct[-1]
        word = "more than" if ripple > limit else "within"
        return Check(
            code=code,
            family="shaft",
            name=f"{line.name}: unevenness at the steering wheel",
            unit="pct",
            verdict=verdict_within(ripple, None, limit),
            why=words(
                f"Turned steadily it gains and loses {{0}} twice a turn, {word} {{1}}.", Quantity(ripple, "pct"), Quantity(limit, "pct")
            ),
            value=ripple,
            high=limit,
            formula="half of (highest less lowest speed) of the driven end, exact motion of each cross",
            about=about(points=tuple(j.point for j in line.joints), drivelines=line.id),
        )

    return Draft(
        code,
        "pct",
        lambda one: one.rest.ripples_pct[-1],
        lambda many: many.rest.ripples_pct[:, -1],
        None,
        limit,
        tell,
        lambda room: _evener(line, at, line.rpm, room, lambda motion: limit - motion.members[-1].speed_ripple_pct),
        shaken=lambda many: many.rest.ripples_pct[:, -1],
        per_rad2=50.0,
    )


def _evener(line: Driveline, at: LineAt, rpm: float, room: float, left: Callable[[DrivelineMotion], float]) -> tuple[Remedy, ...]:
    """Turning the forks where that mends what is asked, else the joints' angles. ``left`` is the room to the limit that a motion
    leaves; with less than ``room`` it is not sure."""
    found = best_phases(at.laid, line.phases_deg) if line.phases_deg else None
    if found and found.ripple_pct < WORTH_TURNING * at.rest.ripples_pct[-1]:
        turns = [
            (k, best)
            for k, (now, best) in enumerate(zip(line.phases_deg, found.phases_deg, strict=True))
            if min((best - now) % 180, (now - best) % 180) > TURN_WORTH_DEG
        ]
        phases = tuple(
            best if any(n == k for n, _ in turns) else now
            for k, (now, best) in enumerate(zip(line.phases_deg, found.phases_deg, strict=True))
        )
        turned = driveline_motions(rpm, (at.laid,), phases)[0]
        spare = left(turned)
        if turns and spare >= -AT_LIMIT:
            told = " and ".join(
                f"{line.joints[k].id}-{line.joints[k + 1].id} to {{{n}}} {'clockwise' if best > 0 else 'anticlockwise'}"
                for n, (k, best) in enumerate(turns)
            )
            text = f"Set the far fork of {told} of its near one, looking from the drive end; {{{len(turns)}}} is then left."
            said = words(text, *(deg(abs(best)) for _, best in turns), Quantity(found.ripple_pct, "pct"))
            set_ = Remedy(said, changes=tuple(Change("drivelines", line.id, f"phases_deg.{k}", best) for k, best in turns))
            return (barely(set_, at.scene, line, spare, room) if spare < room else set_,)
    return (Remedy(words("Make the joint angles equal and opposite, or smaller.")),)


def _layout_drafts(limits: Limits, line: Driveline, at: LineAt) -> list[LineDraft]:
    """What the line's own school asks, judged under drive."""
    joints, kinds = limits.joints, [j.kind for j in line.joints]
    if line.arrangement == "pointed":
        if len(kinds) == 2 and kinds[0] != "cardan" and kinds[1] == "cardan":
            text = "Under drive {0} is left at the pinion, {w} {1}: it should point straight at the double joint."
            return [_layout(line, at, "pointed", "pinion pointed at the double joint", joints.lone_cardan_deg, _LAST, text)]
    elif line.arrangement == "equal_opposite":
        if kinds == ["cardan", "cardan"]:
            text = "Under drive the two angles differ by {0}, {w} {1}."
            return [_layout(line, at, "equal", "equal and opposite", joints.equal_within_deg, _UNLIKE, text)]
    elif line.arrangement == "two_piece" and len(kinds) == 3 and set(kinds) == {"cardan"}:
        first = "The shaft to the carrier leaves at {0}, {w} {1}: it is fixed and has nothing to undo it."
        second = "Under drive the second shaft's two angles differ by {0}, {w} {1}."
        return [
            _layout(line, at, "first", "first shaft straight on", joints.carrier_first_deg, _FIRST, first),
            _layout(line, at, "equal", "second shaft as if alone", joints.equal_within_deg, _UNLIKE, second),
        ]
    return []


@record
class _LayoutFigure:
    """A figure that a line's school asks for, of the line under drive: the vector or the difference whose size it is, of one and of
    many; and the size itself of many where the parts do not tell how it scatters."""

    parts: Callable[[RunFigures], tuple[float, ...]]
    many: Callable[[BareFigures], Array]
    sizes: Callable[[BareFigures], Array] | None = None


_FIRST = _LayoutFigure(lambda f: f.bends_deg[0], lambda many: many.bends_deg[:, 0])
_LAST = _LayoutFigure(lambda f: f.bends_deg[-1], lambda many: many.bends_deg[:, -1])
_UNLIKE = _LayoutFigure(
    lambda f: (f.angles_deg[-2] - f.angles_deg[-1],),
    lambda many: (many.angles_deg[:, -2] - many.angles_deg[:, -1])[:, None],
    lambda many: np.abs(many.angles_deg[:, -2] - many.angles_deg[:, -1]),
)


def _layout(line: Driveline, at: LineAt, kind: str, name: str, high: float, of: _LayoutFigure, text: str) -> LineDraft:
    code = f"line.{line.id}.school.{kind}"
    sizes = of.sizes

    def tell() -> Check:
        value = math.hypot(*of.parts(at.drive))
        return Check(
            code=code,
            family="layout",
            name=f"{line.name}: {name}",
            unit="deg",
            verdict=verdict_within(value, None, high),
            why=words(text.replace("{w}", "more than" if value > high else "within"), deg(value), deg(high)),
            value=value,
            high=high,
            formula="joint angles with the pinion raised by its wind-up",
            about=about(points=tuple(j.point for j in line.joints), drivelines=line.id),
        )

    return Draft(
        code,
        "deg",
        lambda one: math.hypot(*of.parts(one.drive)),
        lambda many: of.many(many.drive),
        None,
        high,
        tell,
        parts=lambda one: of.parts(one.drive),
        shaken=(lambda many: sizes(many.drive)) if sizes is not None else None,
        loaded=True,
    )


def _why_joint(angle_deg: float, band: JointBand) -> Words:
    low = band.low_deg or 0.0
    if not outside(angle_deg, band.low_deg, band.high_deg):
        return words(f"{{0}} is within {{1}} to {{2}}: {band.reason}.", deg(angle_deg), deg(low), deg(band.high_deg))
    if angle_deg > band.high_deg:
        over = angle_deg - band.high_deg
        return words(f"{{0}} is {{1}} over the {{2}} allowed: {band.reason}.", deg(angle_deg), deg(over), deg(band.high_deg))
    return words(f"{{0}} is under {{1}}: {band.reason}.", deg(angle_deg), deg(low))
