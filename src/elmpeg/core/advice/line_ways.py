"""One piece, two pieces, or a double joint: the same ends joined each way, side by side."""

from __future__ import annotations

from dataclasses import replace
from typing import get_args

from scipy.optimize import brentq

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import pose_of, turned_about
from elmpeg.core.base.quantities import Words, deg, mm, words
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, angle_deg, cross, norm, scale, sub, turned, unit
from elmpeg.core.base.verdicts import Verdict, worst
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline, LineJoint, Shaft, Way
from elmpeg.core.build.options import Option
from elmpeg.core.build.survey import VEHICLE, Point
from elmpeg.core.judging.checks import Check
from elmpeg.core.methods.driveline.fork_phasing import best_phases
from elmpeg.core.methods.driveline.line_motion import DrivelineMotion
from elmpeg.core.methods.driveline.shaft_tubes import Road
from elmpeg.core.scene.line_in_scene import laid_line, lengths_of, motions_under_load
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.ground_clearance import lowest
from elmpeg.core.stages.drive.line_checks import LineState, line_checks
from elmpeg.core.stages.drive.shaft_checks import safe_rpm, shaft_rpm

WAYS: tuple[Way, ...] = get_args(Way)
TRIAL_SHAFT = Shaft(76.0, 2.0)
"""Stands for a tube that nobody has chosen yet, so that the ways can be held side by side."""
CARRIER_SHARE = 0.5
"""Of the way from end to end: where a carrier is tried that nobody has placed."""
CARRIER_BEND_DEG = 0.75
"""What the first shaft is bent by, so that its needles roll."""
TRIAL_POINT = "trial carrier"
STEEPEST_TURN_DEG = 25.0
LEAST_TOLD_DEG = 0.05
"""How far a pinion is turned in search of pointing straight, and what is worth telling of it."""


@record
class WayRow:
    """One way of joining the ends: its figures, what it is made of, and what must be built. No figures where it cannot run."""

    way: Way
    line: Driveline
    state: LineState | None
    drive: DrivelineMotion | None
    coast: DrivelineMotion | None
    checks: tuple[Check, ...]
    verdict: Verdict
    worst_in_travel_deg: tuple[float, ...]
    slip_in_mm: float
    slip_out_mm: float
    ground_mm: float | None
    safe_rpm: float
    turns_rpm: float
    safe_kmh: float | None
    lengths_mm: tuple[float, ...]
    parts: tuple[str, ...]
    to_build: tuple[Words, ...]
    refused: str = ""


def ways_of(build: Build, option_id: str, line: Driveline) -> tuple[WayRow, ...]:
    """The three ways for a line's ends as they sit in an option."""
    option = build.option(option_id)
    return tuple(_row(build, option, line, way) for way in WAYS)


def way_now(line: Driveline) -> Way:
    """Which way a line is joined as it stands."""
    if len(line.joints) > 2:
        return "two_piece"
    return "double_joint" if any(j.kind != "cardan" for j in line.joints) else "one_piece"


def _row(build: Build, option: Option, line: Driveline, way: Way) -> WayRow:
    tried, joined = _joined(build, option, line, way)
    scene = Scene(tried, option)
    if joined.joints != line.joints:
        try:
            joined = replace(joined, phases_deg=best_phases(laid_line(scene, joined), joined.phases_deg).phases_deg)
        except InputError as refused:
            return WayRow(way, joined, None, None, None, (), "unknown", (), 0.0, 0.0, None, 0.0, 0.0, None, (), (), (), refused.message)
    found = line_checks(scene, joined)
    if found.state is None:
        why = found.checks[0].why.template if found.checks else "It cannot run."
        return WayRow(way, joined, None, None, None, (), "unknown", (), 0.0, 0.0, None, 0.0, 0.0, None, (), (), (), why)
    laid, through = found.state.geometry, found.state.travel
    lengths, share, rpm = lengths_of(laid), build.limits.joints.speed_share, shaft_rpm(joined)
    safe = min(safe_rpm(long, shaft, share) for long, shaft in zip(lengths, joined.shafts, strict=True))
    road = Road(line.road.top_speed_kmh, line.road.tyre_mm, line.road.axle_ratio) if line.road else None
    low = lowest(tried, joined, laid)
    _, drive, coast = motions_under_load(scene, joined)
    counted = tuple(c for c in found.checks if c.verdict != "unknown")
    return WayRow(
        way=way,
        line=joined,
        state=found.state,
        drive=drive,
        coast=coast,
        checks=counted,
        verdict=worst(tuple(c.verdict for c in counted)),
        worst_in_travel_deg=tuple(max(s.angles_deg[k] for s in through.steps) for k in range(len(joined.joints))) if through else (),
        slip_in_mm=max(through.slip_in_mm) if through else 0.0,
        slip_out_mm=max(through.slip_out_mm) if through else 0.0,
        ground_mm=low.clearance_mm if low else None,
        safe_rpm=safe,
        turns_rpm=rpm,
        safe_kmh=safe / road.rpm_per_kmh if road else None,
        lengths_mm=lengths,
        parts=_parts(way),
        to_build=_to_build(scene, line, joined, way, found.state),
    )


def _joined(build: Build, option: Option, line: Driveline, way: Way) -> tuple[Build, Driveline]:
    """The line's ends joined one way, in a build that has a trial carrier where one is needed."""
    first, last = line.joints[0], line.joints[-1]
    shaft = line.shafts[-1] if line.shafts else TRIAL_SHAFT
    plain = replace(line, decision=None)
    if way == way_now(line) and (way != "two_piece" or len(line.joints) == 3):
        return build, replace(plain, shafts=line.shafts or (shaft,) * (len(line.joints) - 1))
    if way == "one_piece":
        joints = (LineJoint(first.id, first.point), LineJoint(last.id, last.point))
        return build, replace(plain, joints=joints, phases_deg=(0.0,), arrangement="equal_opposite", shafts=(shaft,))
    if way == "double_joint":
        joints = (LineJoint(first.id, first.point, "double_cardan"), LineJoint(last.id, last.point))
        return build, replace(plain, joints=joints, phases_deg=(0.0,), arrangement="pointed", shafts=(shaft,))
    between = line.joints[1].point if len(line.joints) > 2 else TRIAL_POINT
    tried = build
    if between == TRIAL_POINT:
        place = trial_carrier_mm(Scene(build, option), line)
        tried = replace(build, points=(*build.points, Point(TRIAL_POINT, "trial carrier", VEHICLE, "joint", place, source="drawing")))
    middle = LineJoint(f"{first.id}c", between)
    fixed = replace(shaft, slip_in_mm=None, slip_out_mm=None)
    return tried, replace(
        plain,
        joints=(LineJoint(first.id, first.point), middle, LineJoint(last.id, last.point)),
        phases_deg=(0.0, 0.0),
        arrangement="two_piece",
        shafts=(fixed, shaft),
    )


def trial_carrier_mm(scene: Scene, line: Driveline) -> Vec3:
    """Where a carrier is tried: half way, the first shaft bent just enough towards the pinion for its needles to roll."""
    laid = laid_line(scene, line)
    start, end = laid.joints[0].xyz_mm, laid.joints[-1].xyz_mm
    chord, axis = sub(end, start), unit(laid.input_axis)
    square = cross(axis, chord)
    bend = min(CARRIER_BEND_DEG, angle_deg(axis, chord))
    along = turned(axis, unit(square), bend) if norm(square) > 1e-6 else axis
    return add(start, scale(along, norm(chord) * CARRIER_SHARE))


def _parts(way: Way) -> tuple[str, ...]:
    if way == "one_piece":
        return ("1 shaft", "2 cardan joints", "1 slip")
    if way == "two_piece":
        return ("2 shafts", "3 cardan joints", "1 slip", "1 carrier bearing")
    return ("1 shaft", "1 double cardan joint", "1 cardan joint", "1 slip")


def _to_build(scene: Scene, line: Driveline, joined: Driveline, way: Way, state: LineState) -> tuple[Words, ...]:
    if way == way_now(line):
        return (words("Nothing more: it is joined so."),)
    if way == "one_piece":
        return (words("A shaft of {0}.", mm(lengths_of(state.geometry)[0])),)
    if way == "two_piece":
        x, _, z = state.geometry.joints[1].xyz_mm
        lengths = lengths_of(state.geometry)
        return (
            words("Shafts of {0} and {1}.", mm(lengths[0]), mm(lengths[1])),
            words("A crossmember and bracket for the carrier, its joint at X {0}, Z {1}.", mm(x), mm(z)),
        )
    bent = state.motion.joints[-1]
    found = [words("A shaft of {0} with a double joint at the drive end.", mm(lengths_of(state.geometry)[0]))]
    turn = _to_point(scene, joined)
    if turn is not None and abs(turn) > LEAST_TOLD_DEG:
        found.append(
            words(f"The pinion turned {'up' if turn > 0 else 'down'} {{0}} to point at the double joint under drive.", deg(abs(turn)))
        )
    if abs(bent.plan_deg) > scene.build.limits.joints.lone_cardan_deg:
        found.append(words("The axle or the output moved sideways: {0} stays in plan, whatever the pinion does.", deg(abs(bent.plan_deg))))
    return tuple(found)


def _to_point(scene: Scene, joined: Driveline) -> float | None:
    """How far the pinion's nose must come up, at rest, to point at the double joint with its wind-up added.

    The pinion's joint moves as its axle turns, so it is searched for; None where the
    driven end is part of the vehicle or no turn does it.
    """
    driven = scene.declared(joined.joints[-1].point).on
    if driven == VEHICLE:
        return None
    root = scene.root(driven)
    pose = pose_of(scene.placement(root))

    def left_over(pitch_deg: float) -> float:
        turned_scene = scene.with_pose(root, turned_about(pose, "pitch", pitch_deg))
        under_drive = motions_under_load(turned_scene, joined)[1]
        return under_drive.joints[-1].side_deg

    try:
        pitch = float(brentq(left_over, -STEEPEST_TURN_DEG, STEEPEST_TURN_DEG, xtol=1e-6))
    except (InputError, ValueError):
        return None
    # Front side up is the positive turn: a pinion in front of its axle looks up with it, one behind it down.
    ahead = scene.xyz(joined.joints[-1].point)[0] < scene.placement(root).origin_mm[0]
    return pitch if ahead else -pitch


def best_way(rows: tuple[WayRow, ...]) -> WayRow | None:
    """The way with the fewest checks outside, None where none can run."""
    sound = [r for r in rows if r.state]
    return min(sound, key=lambda r: sum(c.verdict == "fails" for c in r.checks), default=None)
