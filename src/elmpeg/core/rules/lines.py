"""Drivelines: every joint's angle under the build's school, how evenly the line runs, and what follows from its school.

Each check is a draft first: a figure that can be asked of the line in any scene,
and how to tell it. All figures of a line are asked together, also for doubt.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from elmpeg.core.carrying import carried_at
from elmpeg.core.checks import Check, Input, Remedy
from elmpeg.core.doubt import caveat, doubt_of_many
from elmpeg.core.driveline import DrivelineMotion, LaidLine
from elmpeg.core.errors import InputError
from elmpeg.core.joint_limits import JointBand, joint_bands, judged_rpm
from elmpeg.core.laying import LineAt, axle_of, lines_at
from elmpeg.core.line_parts import Driveline
from elmpeg.core.model import Build, Limits
from elmpeg.core.phasing import best_phases
from elmpeg.core.quantities import Quantity, Words, deg, words
from elmpeg.core.record import record
from elmpeg.core.rules.drafting import Draft
from elmpeg.core.rules.line_travel import RunsThrough, travel_drafts
from elmpeg.core.scene import Scene
from elmpeg.core.verdicts import Verdict, margin_within, verdict_within

TURN_WORTH_DEG = 5.0
"""A fork that is out by less is left where its splines put it."""


@record
class LineState:
    """One driveline as it stands in an option, for the drawing and the Drive page."""

    line: Driveline
    geometry: LaidLine
    motion: DrivelineMotion
    bands: tuple[JointBand, ...]
    verdicts: tuple[Verdict, ...]
    drive: DrivelineMotion
    coast: DrivelineMotion
    travel: RunsThrough | None


@record
class LineChecks:
    """A line's state, or None where something it needs is missing, and its checks."""

    state: LineState | None
    checks: tuple[Check, ...]


def bands_of(build: Build, line: Driveline, laid: LaidLine) -> tuple[JointBand, ...]:
    """The band of each joint at rest; a pinion that is pointed at a double joint may hang low by its wind-up."""
    limits = build.limits.joints
    bands = joint_bands(laid.joints, line.rpm, build.limits.school, limits, line.use)
    axle = axle_of(build, line)
    if line.arrangement == "pointed" and axle and bands[-1].high_deg == limits.lone_cardan_deg:
        rise = limits.windup_deg(axle.kind)
        low = JointBand(
            None, bands[-1].high_deg + rise, f"nearly straight under drive, so at rest it may hang low by the {rise:g}° it winds up"
        )
        return (*bands[:-1], low)
    return bands


@record
class _Drafted:
    """A line's drafts; the first ``told`` are its joints' and members'."""

    at: LineAt
    bands: tuple[JointBand, ...]
    told: int
    drafts: tuple[Draft, ...]
    travel: RunsThrough | None
    loose: tuple[Check, ...]


def _drafted(scene: Scene, line: Driveline, at: LineAt, travel: bool = True) -> _Drafted:
    limits, carried = scene.build.limits, bool(line.axle)
    bands = bands_of(scene.build, line, at.laid)
    drafts = [*_joint_drafts(scene, line, at, bands), *_member_drafts(limits, line, at)]
    told = len(drafts)
    through, more, loose = travel_drafts(scene, line, at) if travel else (None, [], ())
    drafts += [*_layout_drafts(limits, line, at), *_load_drafts(limits, line, at, carried), *more]
    return _Drafted(at, bands, told, tuple(drafts), through, loose)


def judged(scenes: list[Scene], line: Driveline, travel: bool = True) -> list[tuple[Check, ...]]:
    """A line's checks in several scenes of one build, without doubt or remedies: quick enough to search with, and quicker still
    without those of its travel.

    Raises InputError where it cannot run in one of them.
    """
    found = [_drafted(at.scene, line, at, travel) for at in lines_at(scenes, line)]
    return [(*(draft.tell(0.0) for draft in one.drafts), *one.loose) for one in found]


def line_checks(scene: Scene, line: Driveline) -> LineChecks:
    """All checks of one driveline: angles, unevenness, its school, travel, slip, speed, ground clearance."""
    axle = axle_of(scene.build, line)
    subject = tuple(dict.fromkeys([*(j.point for j in line.joints), *(p for p in (carried_at(axle) if axle else ()) if p)]))
    try:
        at = lines_at([scene], line)[0]
    except InputError as refused:
        return _unknown(line, subject, refused.message[0].upper() + refused.message[1:])
    found = _drafted(scene, line, at)

    def figures(twins: list[Scene]) -> list[tuple[float, ...]]:
        return [tuple(draft.figure(one) for draft in found.drafts) for one in lines_at(twins, line)]

    try:
        doubt = doubt_of_many(scene, subject, figures, tuple(draft.figure(at) for draft in found.drafts))
    except InputError:
        return _unknown(line, subject, "Its joints are not known well enough to work it out; measure them first.")
    checks = []
    for draft, sd, shares in zip(found.drafts, doubt.sds, doubt.shares, strict=True):
        made = draft.tell(sd)
        soft = caveat(shares)
        mending = draft.mend() if draft.mend and made.verdict == "fails" else made.remedies
        checks.append(replace(made, why=Words(made.why.template + soft, made.why.quantities), rests_on=shares, remedies=mending))
    verdicts = tuple(c.verdict for c in checks[: found.told])
    state = LineState(line, at.laid, at.rest, found.bands, verdicts, at.drive, at.coast, found.travel)
    return LineChecks(state, (*checks, *found.loose))


def _unknown(line: Driveline, subject: tuple[str, ...], why: str) -> LineChecks:
    name = f"{line.name}: angles"
    code = f"line.{line.id}.{line.joints[0].id}"
    return LineChecks(None, (Check(code, "joint", "Drive", name, "deg", "unknown", words(why), subject=subject),))


def _joint_drafts(scene: Scene, line: Driveline, at: LineAt, bands: tuple[JointBand, ...]) -> list[Draft]:
    margin = scene.build.limits.joints.near_margin_deg
    drafts = []
    for k, (bent, band) in enumerate(zip(at.rest.joints, bands, strict=True)):

        def tell(sd: float, k: int = k, band: JointBand = band) -> Check:
            bent = at.rest.joints[k]
            return Check(
                code=f"line.{line.id}.{bent.id}",
                family="joint",
                stage="Drive",
                name=f"{line.name}, {scene.declared(line.joints[k].point).name} {bent.id}",
                unit="deg",
                verdict=verdict_within(bent.angle_deg, band.low_deg, band.high_deg, max(sd, margin)),
                why=_why_joint(bent.angle_deg, band),
                value=bent.angle_deg,
                low=band.low_deg,
                high=band.high_deg,
                sd=sd,
                inputs=(
                    Input("true angle", deg(bent.angle_deg, sd)),
                    Input("seen from the side", deg(bent.side_deg)),
                    Input("seen from above", deg(bent.plan_deg)),
                ),
                formula="the true angle between the axes on either side of the joint, side view and plan together",
                subject=(line.joints[k].point, line.id),
            )

        drafts.append(Draft(_of_joint(k), tell))
    return drafts


def _of_joint(k: int) -> Callable[[LineAt], float]:
    return lambda one: one.rest.joints[k].angle_deg


def _of_member(k: int) -> Callable[[LineAt], float]:
    return lambda one: one.rest.members[k].accel_peak_rad_s2


def _member_drafts(limits: Limits, line: Driveline, at: LineAt) -> list[Draft]:
    """How unevenly each member runs; for a steering shaft what is felt at the wheel."""
    if line.use == "steering":
        return [_steering_draft(limits, line, at)]
    points = tuple(j.point for j in line.joints)
    rpm = judged_rpm(line.rpm, limits.school, limits.joints, line.use)
    drafts = []
    for k in range(len(at.rest.members)):

        def tell(sd: float, k: int = k) -> Check:
            member = at.rest.members[k]
            driven = member.length_mm is None
            limit = limits.joints.driven_accel_rad_s2 if driven else limits.joints.shaft_accel_rad_s2
            accel = member.accel_peak_rad_s2
            word = "over" if accel > limit else "within"
            return Check(
                code=f"line.{line.id}.accel.{'driven' if driven else member.id}",
                family="shaft",
                stage="Drive",
                name=f"{line.name}, {'driven end' if driven else f'shaft {member.id}'}: unevenness",
                unit="rad_s2",
                verdict=verdict_within(accel, None, limit, sd),
                why=words(
                    f"At {rpm:g} rpm it speeds up and slows down twice a turn by {{0}}, peaking at {{1}}, {word} {{2}}.",
                    Quantity(member.speed_ripple_pct, "pct"),
                    Quantity(accel, "rad_s2"),
                    Quantity(limit, "rad_s2"),
                ),
                value=accel,
                high=limit,
                sd=sd,
                inputs=(Input("speed ripple", Quantity(member.speed_ripple_pct, "pct")), Input("speed", Quantity(rpm, "rpm"))),
                formula="exact motion of each cross at steady input speed",
                subject=(*points, line.id),
            )

        drafts.append(Draft(_of_member(k), tell, lambda: _evener(line, at)))
    return drafts


def _steering_draft(limits: Limits, line: Driveline, at: LineAt) -> Draft:
    def tell(sd: float) -> Check:
        ripple, limit = at.rest.members[-1].speed_ripple_pct, limits.joints.steering_ripple_pct
        word = "more than" if ripple > limit else "within"
        return Check(
            code=f"line.{line.id}.accel.driven",
            family="shaft",
            stage="Drive",
            name=f"{line.name}: lumpiness at the wheel",
            unit="pct",
            verdict=verdict_within(ripple, None, limit, sd),
            why=words(
                f"Turned steadily it gains and loses {{0}} twice a turn, {word} {{1}}.", Quantity(ripple, "pct"), Quantity(limit, "pct")
            ),
            value=ripple,
            high=limit,
            sd=sd,
            formula="half of (highest less lowest speed) of the driven end, exact motion of each cross",
            subject=(*(j.point for j in line.joints), line.id),
        )

    return Draft(lambda one: one.rest.members[-1].speed_ripple_pct, tell, lambda: _evener(line, at))


def _evener(line: Driveline, at: LineAt) -> tuple[Remedy, ...]:
    """Turning the forks where that evens the line out, else the joints' angles."""
    found = best_phases(at.laid, line.phases_deg) if line.phases_deg else None
    if found and found.ripple_pct < 0.7 * at.rest.members[-1].speed_ripple_pct:
        turns = [
            (k, best)
            for k, (now, best) in enumerate(zip(line.phases_deg, found.phases_deg, strict=True))
            if min((best - now) % 180, (now - best) % 180) > TURN_WORTH_DEG / 5
        ]
        told = " and ".join(f"{line.joints[k].id}-{line.joints[k + 1].id} to {{{n}}}" for n, (k, _) in enumerate(turns))
        text = f"Turn the far fork of {told} against its near one; {{{len(turns)}}} is then left."
        return (Remedy(words(text, *(deg(best) for _, best in turns), Quantity(found.ripple_pct, "pct"))),)
    return (Remedy(words("Make the joint angles equal and opposite, or smaller.")),)


def _layout_drafts(limits: Limits, line: Driveline, at: LineAt) -> list[Draft]:
    """What the line's own school asks, judged under drive."""
    joints, kinds = limits.joints, [j.kind for j in line.joints]
    if line.arrangement == "pointed":
        if len(kinds) == 2 and kinds[0] != "cardan" and kinds[1] == "cardan":
            return [_layout(line, at, "pointed", "pinion pointed at the double joint", joints.lone_cardan_deg, lambda m: m.joints[-1].angle_deg,
                            "Under drive {0} is left at the pinion, {w} {1}: it should point straight at the double joint.")]  # fmt: skip
    elif line.arrangement == "equal_opposite":
        if kinds == ["cardan", "cardan"]:
            return [_layout(line, at, "equal", "equal and opposite", joints.equal_within_deg, _unlike,
                            "Under drive the two angles differ by {0}, {w} {1}.")]  # fmt: skip
    elif line.arrangement == "two_piece" and len(kinds) == 3 and set(kinds) == {"cardan"}:
        return [
            _layout(line, at, "first", "first shaft straight on", joints.carrier_first_deg, lambda m: m.joints[0].angle_deg,
                    "The shaft to the carrier leaves at {0}, {w} {1}: it is fixed and has nothing to undo it."),
            _layout(line, at, "equal", "second shaft as if alone", joints.equal_within_deg, _unlike,
                    "Under drive the second shaft's two angles differ by {0}, {w} {1}."),
        ]  # fmt: skip
    return []


def _unlike(motion: DrivelineMotion) -> float:
    return abs(motion.joints[-2].angle_deg - motion.joints[-1].angle_deg)


def _layout(line: Driveline, at: LineAt, code: str, name: str, high: float, of: Callable[[DrivelineMotion], float], text: str) -> Draft:
    def tell(sd: float) -> Check:
        value = of(at.drive)
        return Check(
            code=f"line.{line.id}.school.{code}",
            family="layout",
            stage="Drive",
            name=f"{line.name}: {name}",
            unit="deg",
            verdict=verdict_within(value, None, high, sd),
            why=words(text.replace("{w}", "more than" if value > high else "within"), deg(value), deg(high)),
            value=value,
            high=high,
            sd=sd,
            formula="joint angles with the pinion raised by its wind-up",
            subject=(*(j.point for j in line.joints), line.id),
        )

    return Draft(lambda one: of(one.drive), tell)


def _load_drafts(limits: Limits, line: Driveline, at: LineAt, carried: bool) -> list[Draft]:
    """How unevenly the driven end runs with the pinion wound up, and on the overrun."""
    if not carried or line.use == "steering":
        return []
    limit = limits.joints.driven_accel_rad_s2

    def peak(one: LineAt) -> float:
        return max(one.drive.members[-1].accel_peak_rad_s2, one.coast.members[-1].accel_peak_rad_s2)

    def tell(sd: float) -> Check:
        drive, coast = (m.members[-1].accel_peak_rad_s2 for m in (at.drive, at.coast))
        word = "over" if max(drive, coast) > limit else "within"
        return Check(
            code=f"line.{line.id}.load.driven",
            family="shaft",
            stage="Drive",
            name=f"{line.name}, driven end under load",
            unit="rad_s2",
            verdict=verdict_within(max(drive, coast), None, limit, sd),
            why=words(
                f"With the pinion wound up it peaks at {{0}}, on the overrun at {{1}}; the larger is {word} {{2}}.",
                *(Quantity(v, "rad_s2") for v in (drive, coast, limit)),
            ),
            value=max(drive, coast),
            high=limit,
            sd=sd,
            remedies=(Remedy(words("Set the pinion low at rest by the wind-up, so that the angles match under drive.")),)
            if max(drive, coast) > limit
            else (),
            formula="exact motion with the axle turned about its centre by the wind-up allowance",
            subject=(*(j.point for j in line.joints), line.id),
        )

    return [Draft(peak, tell)]


def _why_joint(angle_deg: float, band: JointBand) -> Words:
    low = band.low_deg or 0.0
    if margin_within(angle_deg, band.low_deg, band.high_deg) >= 0:
        return words(f"{{0}} is within {{1}} to {{2}}: {band.reason}.", deg(angle_deg), deg(low), deg(band.high_deg))
    if angle_deg > band.high_deg:
        over = angle_deg - band.high_deg
        return words(f"{{0}} is {{1}} over the {{2}} allowed: {band.reason}.", deg(angle_deg), deg(over), deg(band.high_deg))
    return words(f"{{0}} is under {{1}}: {band.reason}.", deg(angle_deg), deg(low))
