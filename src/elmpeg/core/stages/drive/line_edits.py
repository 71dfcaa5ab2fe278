"""Drivelines, carried axles and limits made, changed and taken out."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import ID, LONGEST_REASON, SHORTEST_REASON, cleaned_name, new_id
from elmpeg.core.base.pose import Pose
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import Build, with_item, with_option
from elmpeg.core.build.drivelines import (
    Arrangement,
    Driveline,
    LineDecision,
    LineJoint,
    LineRoad,
    Shaft,
    Way,
    members_of,
)
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Position
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.integrity.drive import line_problems
from elmpeg.core.integrity.ranges import require_in_range
from elmpeg.core.methods.driveline.joint_limits import LineUse
from elmpeg.core.methods.driveline.joint_motion import JointKind
from elmpeg.core.methods.shapes.solids import Cylinder
from elmpeg.core.scene.scene import Scene

CARRIER_SWING_MM = 130.0
CARRIER_FOOT_MM = 75.0
CARRIER_HOLE_MM = 13.0
CARRIER_BOLT_MM = 12.0
"""A carrier bearing's usual size, for one that nobody has measured yet."""


@record
class SaidJoint:
    """What a person says of one joint of a line."""

    point: str
    kind: JointKind = "cardan"
    max_angle_deg: float | None = None


@record
class SaidLine:
    """What a person says of a line, all but what its shafts are made of."""

    name: str
    rpm: float
    joints: tuple[SaidJoint, ...]
    phases_deg: tuple[float, ...]
    use: LineUse = "propeller"
    arrangement: Arrangement = ""
    axle: str = ""
    road: LineRoad | None = None
    stations_mm: tuple[float, ...] = ()


def with_line(build: Build, said: SaidLine) -> Build:
    """The build with a new driveline, last; its joints are named after it."""
    name = cleaned_name(said.name)
    line_id = new_id(name, (d.id for d in build.drivelines))
    return with_sound_lines(replace(build, drivelines=(*build.drivelines, _said(build, Driveline(line_id, name, said.rpm, (), ()), said))))


def with_line_changed(build: Build, line_id: str, said: SaidLine) -> Build:
    """The build with what is said of a line changed. What its shafts are made of stays where their number does."""
    line = build.driveline(line_id)
    changed = _said(build, line, said)
    pairs = {(a.id, b.id) for a, b in zip(changed.joints, changed.joints[1:], strict=False)}
    lost = [r for r in build.lengths if r.line == line_id and (r.near, r.far) not in pairs]
    if any(not r.dropped for r in lost):
        raise InputError("joints", "have a shaft that has been taped; set its tapes aside before taking its joints out")
    gone = [r for r in build.slopes if r.line == line_id and (r.near, r.far) not in members_of(changed)]
    if any(not r.dropped for r in gone):
        raise InputError("joints", "have a part that a gauge was laid on; set its readings aside before taking its joints out")
    lengths, slopes = tuple(r for r in build.lengths if r not in lost), tuple(r for r in build.slopes if r not in gone)
    return with_sound_lines(replace(build, drivelines=with_item(build.drivelines, changed), lengths=lengths, slopes=slopes))


def _said(build: Build, line: Driveline, said: SaidLine) -> Driveline:
    name = cleaned_name(said.name)
    if any(d.id != line.id and d.name.lower() == name.lower() for d in build.drivelines):
        raise InputError("name", f"another line is called “{name}” already; choose a different name")
    if said.rpm <= 0:
        raise InputError("rpm", "must be above 0 rpm")
    if len(said.joints) < 2:
        raise InputError("joints", "needs at least two: one at the drive end and one at the driven end")
    known = {p.id for p in build.points}
    for k, joint in enumerate(said.joints):
        if joint.point not in known:
            raise InputError(f"joint_{k}_point", "choose one of the points of this build")
        if joint.max_angle_deg is not None and not 0 < joint.max_angle_deg < 90:
            raise InputError(f"joint_{k}_max", "must be above 0° and below 90°")
    points = [j.point for j in said.joints]
    if len(set(points)) < len(points):
        raise InputError("joints", "uses one point twice; a shaft needs two ends")
    phases = (*said.phases_deg, *(0.0,) * len(points))[: len(points) - 1]
    joints = _named(line, said.joints)
    shafts = line.shafts if len(line.shafts) == len(points) - 1 else ()
    return replace(
        line,
        name=name,
        rpm=said.rpm,
        joints=joints,
        phases_deg=phases,
        use=said.use,
        arrangement=said.arrangement if said.use == "propeller" else "",
        axle=said.axle,
        shafts=shafts,
        road=said.road,
        stations_mm=tuple(sorted(said.stations_mm)),
    )


def _named(line: Driveline, said: tuple[SaidJoint, ...]) -> tuple[LineJoint, ...]:
    """Joints keep their names at points that they had; new ones get the next free letter and number, never that of one taken
    out, so that what was taped to the old one is not read as taped to the new."""
    before = {j.point: j.id for j in line.joints}
    letter = line.joints[0].id[:1] if line.joints else (line.name[:1].upper() if ID.fullmatch(line.name[:1].upper() or "-") else "J")
    taken = set(before.values())
    free = (f"{letter}{n}" for n in range(1, 100) if f"{letter}{n}" not in taken)
    return tuple(LineJoint(before.get(j.point) or next(free), j.point, j.kind, j.max_angle_deg) for j in said)


def without_line(build: Build, line_id: str) -> Build:
    """The build without a driveline and what was read of it. Refused while an order of it stands."""
    if any(o.line == line_id for o in build.orders):
        raise InputError("line", f"{build.driveline(line_id).name} has an order; take that out first")
    made: Build = taken_out(build, "drivelines", line_id)
    return made


def with_shafts(build: Build, line_id: str, shafts: tuple[Shaft, ...]) -> Build:
    """The build with what a line's shafts are made of."""
    line = build.driveline(line_id)
    for k, shaft in enumerate(shafts):
        if shaft.od_mm <= 0:
            raise InputError(f"od_{k}", "must be above 0")
        if not 0 < 2 * shaft.wall_mm <= shaft.od_mm:
            raise InputError(f"wall_{k}", "must be above 0 and at most half of the outside")
        for field, value in ((f"slip_in_{k}", shaft.slip_in_mm), (f"slip_out_{k}", shaft.slip_out_mm)):
            if value is not None and value < 0:
                raise InputError(field, "must be 0 or more")
    return with_sound_lines(replace(build, drivelines=with_item(build.drivelines, replace(line, shafts=shafts))))


def with_phases(build: Build, line_id: str, phases_deg: tuple[float, ...]) -> Build:
    """The build with a line's forks set otherwise, one angle a shaft."""
    line = build.driveline(line_id)
    if len(phases_deg) != len(line.phases_deg):
        raise InputError("phases", "needs one angle a shaft")
    return replace(build, drivelines=with_item(build.drivelines, replace(line, phases_deg=phases_deg)))


def with_decision(build: Build, line_id: str, way: Way, reason: str, person: str, when: str) -> Build:
    """The build with a line's way decided, and why."""
    tidy = " ".join(reason.split())
    if not SHORTEST_REASON <= len(tidy) <= LONGEST_REASON:
        raise InputError("reason", f"write in a few words why, {SHORTEST_REASON} to {LONGEST_REASON} characters")
    line = replace(build.driveline(line_id), decision=LineDecision(way, tidy, person, when))
    return replace(build, drivelines=with_item(build.drivelines, line))


def with_carrier(build: Build, option_id: str, line_id: str, after: int, joint_mm: Vec3) -> Build:
    """The build with a carrier bearing between two joints of a line: a component of usual size, its joint, its foot, a seat
    on the vehicle and a mount, all to be measured; the line gains a joint there."""
    line = build.driveline(line_id)
    if not 0 <= after < len(line.joints) - 1:
        raise InputError("after", "choose a shaft of this line to carry")
    part = new_id(f"{line.id}-carrier", (c.id for c in build.components))
    points = {p.id for p in build.points}
    joint, foot, seat = (new_id(f"{part}-{what}", points) for what in ("joint", "foot", "seat"))
    x, y, z = joint_mm
    name = cleaned_name(f"{line.name}, carrier bearing"[:80])
    ring = Cylinder("ring", "carrier", (-20.0, 0.0, 0.0), (20.0, 0.0, 0.0), CARRIER_SWING_MM)
    up: Vec3 = (0.0, 0.0, 1.0)
    made = (
        Point(joint, f"{name[:68]}, joint", part, "joint", (0.0, 0.0, 0.0), (1.0, 0.0, 0.0), source="assumed"),
        Point(foot, f"{name[:68]}, foot", part, "hole", (0.0, 0.0, CARRIER_FOOT_MM), up, CARRIER_HOLE_MM, source="assumed"),
        Point(
            seat, f"{name[:68]}, seat", VEHICLE, "hole", (x, y, z + CARRIER_FOOT_MM), (0.0, 0.0, -1.0), CARRIER_HOLE_MM, source="assumed"
        ),
    )
    mount = Mount(new_id("carrier", (m.id for m in build.mounts)), f"{name[:72]}, mount", foot, seat, CARRIER_BOLT_MM)
    pose = Pose(x, y, z)
    wider = replace(
        build,
        components=(*build.components, Component(part, name, pose, (ring,))),
        points=(*build.points, *made),
        mounts=(*build.mounts, mount),
    )
    joints = [SaidJoint(j.point, j.kind, j.max_angle_deg) for j in line.joints]
    joints.insert(after + 1, SaidJoint(joint))
    phases = (*line.phases_deg[: after + 1], 0.0, *line.phases_deg[after + 1 :])
    said = SaidLine(
        line.name,
        line.rpm,
        tuple(joints),
        phases,
        line.use,
        "two_piece" if len(joints) == 3 else "",
        line.axle,
        line.road,
        line.stations_mm,
    )
    wider = with_line_changed(wider, line_id, said)
    option = wider.option(option_id)
    return with_option(wider, replace(option, positions=(*option.positions, Position(part, pose))))


def with_sound_lines(build: Build) -> Build:
    """The build, where its lines can be; raises InputError with what is wrong in words."""
    for of in ("drivelines", "axles", "series", "lengths", "slopes", "orders"):
        require_in_range(of, getattr(build, of))
    for field, message in line_problems(build):
        raise InputError({"drivelines": "joints", "axles": "carried"}.get(field.split(".")[0], "line"), message)
    Scene(build, build.options[0])
    return build
