"""Drivelines: every joint's angle under the build's school, and how evenly the line runs."""

from __future__ import annotations

from itertools import pairwise

from elmpeg.core.checks import Check, Input, Remedy
from elmpeg.core.doubt import caveat, doubt_of
from elmpeg.core.driveline import DrivelineMotion, Joint, driveline_motion, line_axes
from elmpeg.core.errors import InputError
from elmpeg.core.joint_limits import JointBand, joint_bands
from elmpeg.core.model import Driveline
from elmpeg.core.quantities import Quantity, Words, deg, words
from elmpeg.core.record import record
from elmpeg.core.scene import Scene
from elmpeg.core.vectors import Vec3, angle_deg, dot, scale, sub
from elmpeg.core.verdicts import Verdict, margin_within, verdict_within


@record
class LineGeometry:
    """A driveline's joints and end axes in the vehicle frame, directions from drive end to driven end."""

    joints: tuple[Joint, ...]
    input_axis: Vec3
    output_axis: Vec3


@record
class LineState:
    """One driveline as it stands in an option, for the drawing and the Drive page."""

    line: Driveline
    geometry: LineGeometry
    motion: DrivelineMotion
    bands: tuple[JointBand, ...]
    verdicts: tuple[Verdict, ...]


@record
class LineChecks:
    """A line's state, or None where something it needs is missing, and its checks."""

    state: LineState | None
    checks: tuple[Check, ...]


def line_geometry(scene: Scene, line: Driveline) -> LineGeometry:
    """Where a line runs. End axes are turned to point from the drive end to the driven end.

    Raises InputError where an end has no axis.
    """
    joints = tuple(Joint(j.id, scene.xyz(j.point), j.kind, j.max_angle_deg) for j in line.joints)
    ends = []
    for k, near, far in ((0, 0, 1), (-1, -2, -1)):
        axis = scene.axis(line.joints[k].point)
        if axis is None:
            raise InputError("axis", f"Needs the axis of {scene.declared(line.joints[k].point).name}.")
        along = sub(joints[far].xyz_mm, joints[near].xyz_mm) if len(joints) > 1 else axis
        ends.append(axis if dot(axis, along) >= 0 else scale(axis, -1.0))
    return LineGeometry(joints, ends[0], ends[1])


def angles_in(scene: Scene, line: Driveline) -> tuple[float, ...]:
    """Each joint's true angle in a scene, deg; quick enough to search with."""
    g = line_geometry(scene, line)
    axes = line_axes(g.input_axis, g.output_axis, g.joints)
    return tuple(angle_deg(arriving, leaving) for arriving, leaving in pairwise(axes))


def line_checks(scene: Scene, line: Driveline) -> LineChecks:
    """Angle checks of every joint, and acceleration checks of every member, of one driveline."""
    subject = tuple(j.point for j in line.joints)
    try:
        geometry = line_geometry(scene, line)
        motion = _motion(scene, line)
    except InputError as refused:
        return _unknown(line, subject, refused.message[0].upper() + refused.message[1:])
    limits = scene.build.limits
    bands = joint_bands(geometry.joints, line.rpm, limits.school, limits.joints)

    def measure(twin: Scene) -> tuple[float, ...]:
        return _figures(_motion(twin, line))

    try:
        doubt = doubt_of(scene, subject, measure, _figures(motion))
    except InputError:
        return _unknown(line, subject, "Its joints are not known well enough to work it out; measure them first.")
    checks: list[Check] = []
    for k, (bent, band) in enumerate(zip(motion.joints, bands, strict=True)):
        sd = doubt.sds[k]
        verdict = verdict_within(bent.angle_deg, band.low_deg, band.high_deg, max(sd, limits.joints.near_margin_deg))
        soft = caveat(doubt.shares[k])
        why_ = _why_joint(bent.angle_deg, band)
        checks.append(
            Check(
                code=f"line.{line.id}.{bent.id}",
                family="joint",
                stage="Drive",
                name=f"{line.name}, {scene.declared(line.joints[k].point).name} {bent.id}",
                unit="deg",
                verdict=verdict,
                why=Words(why_.template + soft, why_.quantities),
                value=bent.angle_deg,
                low=band.low_deg,
                high=band.high_deg,
                sd=sd,
                rests_on=doubt.shares[k],
                inputs=(
                    Input("true angle", deg(bent.angle_deg, sd)),
                    Input("seen from the side", deg(bent.side_deg)),
                    Input("seen from above", deg(bent.plan_deg)),
                ),
                formula="the true angle between the axes on either side of the joint, side view and plan together",
                subject=(line.joints[k].point, line.id),
            )
        )
    for k, member in enumerate(motion.members):
        driven = member.length_mm is None
        limit = limits.joints.driven_accel_rad_s2 if driven else limits.joints.shaft_accel_rad_s2
        sd = doubt.sds[len(motion.joints) + k]
        accel = member.accel_peak_rad_s2
        name = "driven end" if driven else f"shaft {member.id}"
        word = "over" if accel > limit else "within"
        checks.append(
            Check(
                code=f"line.{line.id}.accel.{'driven' if driven else member.id}",
                family="shaft",
                stage="Drive",
                name=f"{line.name}, {name}: unevenness",
                unit="rad_s2",
                verdict=verdict_within(accel, None, limit, sd),
                why=words(
                    f"At {line.rpm:g} rpm it speeds up and slows down twice a turn by {{0}}, peaking at {{1}}, {word} {{2}}."
                    + caveat(doubt.shares[len(motion.joints) + k]),
                    Quantity(member.speed_ripple_pct, "pct"),
                    Quantity(accel, "rad_s2"),
                    Quantity(limit, "rad_s2"),
                ),
                value=accel,
                high=limit,
                sd=sd,
                remedies=(Remedy(words("Make the joint angles equal and opposite, or smaller.")),) if accel > limit else (),
                rests_on=doubt.shares[len(motion.joints) + k],
                inputs=(Input("speed ripple", Quantity(member.speed_ripple_pct, "pct")), Input("speed", Quantity(line.rpm, "rpm"))),
                formula="exact motion of each cross at steady input speed",
                subject=(*subject, line.id),
            )
        )
    verdicts = tuple(c.verdict for c in checks)
    return LineChecks(LineState(line, geometry, motion, bands, verdicts), tuple(checks))


def _unknown(line: Driveline, subject: tuple[str, ...], why: str) -> LineChecks:
    name = f"{line.name}: angles"
    code = f"line.{line.id}.{line.joints[0].id}"
    return LineChecks(None, (Check(code, "joint", "Drive", name, "deg", "unknown", words(why), subject=subject),))


def _motion(scene: Scene, line: Driveline) -> DrivelineMotion:
    g = line_geometry(scene, line)
    return driveline_motion(line.rpm, g.input_axis, g.output_axis, g.joints, line.phases_deg)


def _figures(motion: DrivelineMotion) -> tuple[float, ...]:
    return (*(j.angle_deg for j in motion.joints), *(m.accel_peak_rad_s2 for m in motion.members))


def _why_joint(angle_deg: float, band: JointBand) -> Words:
    low = band.low_deg or 0.0
    if margin_within(angle_deg, band.low_deg, band.high_deg) >= 0:
        return words(f"{{0}} is within {{1}} to {{2}}: {band.reason}.", deg(angle_deg), deg(low), deg(band.high_deg))
    if angle_deg > band.high_deg:
        over = angle_deg - band.high_deg
        return words(f"{{0}} is {{1}} over the {{2}} allowed: {band.reason}.", deg(angle_deg), deg(over), deg(band.high_deg))
    return words(f"{{0}} is under {{1}}: {band.reason}.", deg(angle_deg), deg(low))
