"""Which way and how far to move something so that a driveline's joints come inside their limits.

A search over the same angles that the checks use: the rear mount raised or lowered
with the front mounts as the hinge, the driven component rolled about its own
cross line, a carrier bearing raised or lowered.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from functools import cache

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.later import Later
from elmpeg.core.base.pose import Pose, pose_of
from elmpeg.core.base.quantities import joined, lowered, mm, named, words
from elmpeg.core.base.record import changed, record
from elmpeg.core.base.verdicts import outside
from elmpeg.core.build.drivelines import Driveline
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.judging.checks import Check, Remedy
from elmpeg.core.judging.judge import room_to_be_sure
from elmpeg.core.methods.driveline.joint_limits import JointBand
from elmpeg.core.scene.line_in_scene import angles_in
from elmpeg.core.scene.mount_groups import mount_groups, rear_raiser
from elmpeg.core.scene.scene import Scene, root_of
from elmpeg.core.stages.drive.line_checks import LineChecks, LineState, line_checks
from elmpeg.core.stages.drive.load_checks import load_code
from elmpeg.core.stages.drive.pinion_setting import (
    MOST_TURN_DEG,
    STEP_TURN_DEG,
    Setting,
    driven_root,
    pinion_setting,
    setting_remedy,
    within_line,
    worst_joint,
)
from elmpeg.core.stages.drive.pinion_turn import roll_remedy, turned_as_made

MOST_RISE_MM = 80.0
STEP_RISE_MM = 0.5
"""How far a remedy is looked for, and how finely it is told."""
COARSE = 8
"""Fine steps in a coarse one: 4 mm or 0.8 deg, against bands of 1 deg and more."""


@record
class Move:
    """One move that brings a joint inside: how much, and which other joints of the line it puts outside."""

    amount: float
    puts_out: tuple[str, ...]


@record
class _Wanted:
    """What a move is looked for: one joint of a line so far inside its band that it holds, the others not put outside theirs."""

    line: Driveline
    bands: tuple[JointBand, ...]
    index: int
    band: JointBand


def line_remedies(
    scene: Scene,
    line: Driveline,
    bands: tuple[JointBand, ...],
    joint_index: int,
    room_deg: float = 0.0,
    setting: Setting | None = None,
) -> tuple[Remedy, ...]:
    """The smallest moves that bring one joint inside by ``room_deg``, where its band is wide enough for that; those that upset no
    other joint of the line come first. Its pinion is turned as ``setting`` says, where there is one."""
    band = bands[joint_index]
    low = None if band.low_deg is None else band.low_deg + room_deg
    high = band.high_deg - room_deg
    narrow = band if high <= (low or 0.0) else replace(band, low_deg=low, high_deg=high)
    wanted = _Wanted(line, bands, joint_index, narrow)
    drive, driven = scene.declared(line.joints[0].point).on, scene.declared(line.joints[-1].point).on
    found: list[tuple[Move, Remedy]] = []
    if drive != VEHICLE:
        groups = mount_groups(scene, drive)
        if groups.front and groups.rear:
            risen = rear_raiser(scene, groups)
            move = _smallest(lambda rise: scene.with_pose(groups.root, risen(rise)), wanted, MOST_RISE_MM, STEP_RISE_MM)
            if move:
                verb, name = "Raise" if move.amount > 0 else "Lower", lowered(" and ".join(m.name for m in groups.rear))
                said = words(f"{verb} the {name} {{0}}{_but(move)}.", mm(abs(move.amount)))
                found.append((move, Remedy(said, groups.root, risen(move.amount))))
    if setting is not None:
        found.append((Move(setting.turn_deg, ()), setting_remedy(scene, line, setting)))
    elif (root := driven_root(scene, line)) is not None:
        move = _smallest(lambda roll: scene.with_pose(root, turned_as_made(scene, root, roll)), wanted, MOST_TURN_DEG, STEP_TURN_DEG)
        if move:
            found.append((move, roll_remedy(scene, line, root, move.amount, _but(move))))
    for joint in line.joints[1:-1]:
        carried = scene.declared(joint.point).on
        if carried not in (VEHICLE, drive, driven) and root_of(scene.build, carried).movable:
            found += _carrier_remedy(scene, wanted, root_of(scene.build, carried).id)
    return tuple(remedy for _, remedy in sorted(found, key=lambda f: bool(f[0].puts_out)))


def _carrier_remedy(scene: Scene, wanted: _Wanted, root: str) -> list[tuple[Move, Remedy]]:
    """The carrier bearing raised or lowered."""
    pose = pose_of(scene.placement(root))

    def at(rise: float) -> Pose:
        return pose.with_value("z", pose.z_mm + rise)

    move = _smallest(lambda rise: scene.with_pose(root, at(rise)), wanted, MOST_RISE_MM, STEP_RISE_MM)
    if move is None:
        return []
    said = words(f"{'Raise' if move.amount > 0 else 'Lower'} the carrier {{0}}{_but(move)}.", mm(abs(move.amount)))
    return [(move, Remedy(said, root, at(move.amount)))]


def _smallest(moved: Callable[[float], Scene], wanted: _Wanted, most: float, step: float) -> Move | None:
    """The smallest move, either way, that brings the joint as far inside as is wanted; one that keeps the whole line inside is preferred.

    Looked for in coarse steps, far narrower than a joint's band, and then told to the fine step.
    """
    line, bands, aim = wanted.line, wanted.bands, wanted.band
    was_out = _outside(angles_in(moved(0.0), line), bands)

    def puts_out(amount: float) -> tuple[str, ...] | None:
        try:
            angles = angles_in(moved(amount), line)
        except InputError:
            return None
        if outside(angles[wanted.index], aim.low_deg, aim.high_deg):
            return None
        return tuple(line.joints[i].id for i in _outside(angles, bands) if i not in was_out)

    def told(amount: float, clean: tuple[str, ...] | None) -> Move:
        fine = math.copysign(step, amount)
        while abs(amount) > 2 * step:
            out = puts_out(amount - fine)
            if out is None or (clean == () and out):
                break
            amount -= fine
        return Move(amount, puts_out(amount) or ())

    second_best: float | None = None
    for k in range(1, round(most / step / COARSE) + 1):
        for amount in (k * COARSE * step, -k * COARSE * step):
            out = puts_out(amount)
            if out == ():
                return told(amount, ())
            if out is not None and second_best is None:
                second_best = amount
    return None if second_best is None else told(second_best, None)


def _outside(angles: tuple[float, ...], bands: tuple[JointBand, ...]) -> list[int]:
    return [i for i, (a, b) in enumerate(zip(angles, bands, strict=True)) if outside(a, b.low_deg, b.high_deg)]


def _but(move: Move) -> str:
    return f", though that puts {' and '.join(move.puts_out)} outside" if move.puts_out else ""


def with_remedies(scene: Scene, line: LineChecks) -> LineChecks:
    """A line with remedies at its worst joint; the others wait for that one, since every move changes them all. What asks for the
    pinion besides is told the same turn of it, or waits where no turn mends both."""
    if line.state is None:
        return line
    state, rooms, limits = line.state, line.rooms_deg, scene.build.limits
    worst, uneven = worst_joint(line.checks), load_code(state.line)

    @cache
    def setting() -> Setting | None:
        return pinion_setting(scene, state.line, line.checks)

    def of_worst(check: Check) -> tuple[Remedy, ...]:
        below = rooms[check.code]() if check.code in rooms else 0.0
        room = max(below, room_to_be_sure(check.sd or 0.0, limits.sure), limits.joints.near_margin_deg)
        index = next(k for k, c in enumerate(line.checks) if c is check)
        found = line_remedies(scene, state.line, state.bands, index, room, setting())
        # A setting puts nothing out; what is told for want of one says what it does.
        root = driven_root(scene, state.line) if setting() is None else None
        return tuple(_with_what_fails(scene, line, state.line, r) if root and r.component == root else r for r in found)

    def of_pinion(check: Check) -> tuple[Remedy, ...]:
        found = setting()
        if found is not None and (check.code in found.asked_by or found.mends_line):
            return (setting_remedy(scene, state.line, found),)
        own = tuple(check.remedies)
        if own and all(r.component is None for r in own):
            return own
        if worst is not None:
            return _waiting(state, line.checks, worst)
        return NO_TURN_BUT if any(_newly_out(scene, line, state.line, r) for r in own) else own

    def told(check: Check) -> Check:
        if check.verdict != "fails":
            return check
        if check is worst:
            return changed(check, remedies=Later(lambda: of_worst(check)))
        if check.code == uneven or check.family == "layout":
            return changed(check, remedies=Later(lambda: of_pinion(check)))
        return changed(check, remedies=_waiting(state, line.checks, worst)) if worst and check.family == "joint" else check

    return LineChecks(state, tuple(told(c) for c in line.checks), rooms)


NO_TURN_BUT = (
    Remedy(words("No turn of the pinion brings it inside without putting something else of the line out; make the joint angles smaller.")),
)


def _newly_out(scene: Scene, line: LineChecks, of: Driveline, remedy: Remedy) -> tuple[Check, ...]:
    """What of a line fails after a remedy that did not before."""
    if remedy.component is None or remedy.pose is None:
        return ()
    failed = {c.code for c in line.checks if c.verdict == "fails"}
    after = line_checks(scene.with_pose(remedy.component, remedy.pose), of).checks
    return tuple(c for c in after if c.verdict == "fails" and c.code not in failed)


def _with_what_fails(scene: Scene, line: LineChecks, of: Driveline, remedy: Remedy) -> Remedy:
    """A remedy that also says what else of the line fails then; of joints it says so already."""
    names = [within_line(c.name, of) for c in _newly_out(scene, line, of, remedy) if c.family != "joint"]
    if not names:
        return remedy
    return replace(remedy, words=joined(remedy.words, words(f"Of the line fails then: {named(', '.join(names))}.")))


def _waiting(state: LineState, checks: tuple[Check, ...], worst: Check) -> tuple[Remedy, ...]:
    index = next(k for k, c in enumerate(checks) if c is worst)
    return (Remedy(words(f"Mend {state.geometry.joints[index].id} first; it is the worst of this line.")),)
