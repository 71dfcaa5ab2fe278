"""What a line is asked at rest, as drafts: each joint's angle, how evenly its members run, and what its school wants."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from elmpeg.core.base.naming import of_whole
from elmpeg.core.base.quantities import Quantity, Words, deg, words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import AT_LIMIT, outside, verdict_within
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.build.limits import Limits
from elmpeg.core.judging.checks import Change, Check, Input, Remedy, about
from elmpeg.core.judging.drafts import Draft, LineDraft
from elmpeg.core.judging.scatter import Array
from elmpeg.core.methods.driveline.fork_phasing import best_phases
from elmpeg.core.methods.driveline.joint_limits import JointBand, judged_rpm
from elmpeg.core.methods.driveline.line_motion import BareFigures, DrivelineMotion, RunFigures, driveline_motions
from elmpeg.core.scene.line_in_scene import LineAt, LinesAt
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.load_checks import barely, omega

TURN_WORTH_DEG = 1.0
"""A fork that is out by less is left where its splines put it."""
WORTH_TURNING = 0.7
"""Turning forks is told where it leaves at most this share of the unevenness."""


Motion = Callable[[], DrivelineMotion]
"""A line's full motion at rest, worked out only where something is told."""


def joint_drafts(scene: Scene, line: Driveline, motion: Motion, bands: tuple[JointBand, ...]) -> list[LineDraft]:
    """Each joint's true angle against its band."""
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


def member_drafts(limits: Limits, line: Driveline, at: LineAt, motion: Motion) -> list[LineDraft]:
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


def layout_drafts(limits: Limits, line: Driveline, at: LineAt) -> list[LineDraft]:
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
