"""How unevenly a line's driven end runs under load, and which setting of the pinion surely evens it."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import Quantity, joined, mm, words
from elmpeg.core.base.verdicts import AT_LIMIT, outside, verdict_within
from elmpeg.core.build.drivelines import CarriedAxle, Driveline
from elmpeg.core.judging.checks import Check, Remedy, about
from elmpeg.core.judging.doubt import Nudged
from elmpeg.core.judging.drafts import Array, Draft, LineDraft
from elmpeg.core.judging.scatter import Scatter
from elmpeg.core.methods.driveline.joint_limits import judged_rpm
from elmpeg.core.scene.line_in_scene import LineAt, Lines, LinesAt, axle_of
from elmpeg.core.scene.scene import Scene, root_of
from elmpeg.core.stages.drive.line_shaking import Shaking, columns
from elmpeg.core.stages.drive.pinion_turn import roll_remedy, turned_as_made, turned_in_steps

MOST_TURN_DEG, COARSE_TURN_DEG, FINE_TURN_DEG, FINE_TURNS = 8.0, 0.5, 0.1, 5
"""How far a pinion's setting is looked for, and how finely it is told."""


def omega(rpm: float) -> float:
    """Radians a second."""
    return rpm * 2 * math.pi / 60


def load_code(line: Driveline) -> str:
    """The code of the check of a line's driven end under load."""
    return f"line.{line.id}.load.driven"


def load_drafts(line: Driveline, at: LineAt) -> list[LineDraft]:
    """How unevenly the driven end runs with the pinion wound up, and on the overrun."""
    axle = axle_of(at.scene.build, line)
    if axle is None or line.use == "steering":
        return []
    code, limit = load_code(line), at.scene.build.limits.joints.driven_accel_rad_s2

    limits = at.scene.build.limits
    rpm = judged_rpm(line.rpm, limits.school, limits.joints, line.use)

    def peak(one: LineAt) -> float:
        return max(one.drive.accels_rad_s2[-1], one.coast.accels_rad_s2[-1])

    def tell() -> Check:
        drive, coast = at.drive.accels_rad_s2[-1], at.coast.accels_rad_s2[-1]
        over = outside(max(drive, coast), None, limit)
        return Check(
            code=code,
            family="load",
            name=f"{line.name}, driven end under load",
            unit="rad_s2",
            verdict=verdict_within(max(drive, coast), None, limit),
            why=words(
                f"With the pinion wound up it peaks at {{0}}, on the overrun at {{1}}; the larger is {'over' if over else 'within'} {{2}}.",
                *(Quantity(v, "rad_s2") for v in (drive, coast, limit)),
            ),
            value=max(drive, coast),
            high=limit,
            formula="exact motion with the axle turned about its centre by the wind-up allowance",
            about=about(points=tuple(j.point for j in line.joints), drivelines=line.id),
        )

    apart = abs(at.drive.accels_rad_s2[-1] - at.coast.accels_rad_s2[-1])

    def peaks(many: LinesAt) -> Array:
        return np.maximum(many.drive.accels_rad_s2[:, -1], many.coast.accels_rad_s2[:, -1])

    return [
        Draft(
            code,
            "rad_s2",
            peak,
            peaks,
            None,
            limit,
            tell,
            lambda _: _set_for_load(at.scene, line, axle, limit) or NO_TURN,
            shaken=peaks,
            loaded=True,
            per_rad2=omega(rpm) ** 2,
            kink=apart,
        )
    ]


KNOWN_AIM = 1.1
RUNS_EVENLY = "; the driven end then runs evenly enough wound up and on the overrun"
NO_TURN = (Remedy(words("No turn of the pinion alone brings it inside; make the joint angles smaller.")),)


def barely(remedy: Remedy, scene: Scene, line: Driveline, spare: float, reach: float) -> Remedy:
    """A remedy that leaves less spare than the figure may reach above itself: how finely the line's joints must be measured besides."""
    if spare <= AT_LIMIT:
        return replace(remedy, words=joined(remedy.words, words("That leaves it near; make the joint angles smaller to be sure.")))
    times = math.ceil(10 * KNOWN_AIM * reach / spare) / 10
    worst = max((scene.located(j.point) for j in line.joints), key=lambda where: max(where.sd_mm))
    also = words(
        "That leaves it near; measure the line's joints to ± {0} and their directions as finely, or make the joint angles smaller.",
        mm(max(worst.sd_mm) / times),
    )
    return replace(remedy, words=joined(remedy.words, also), finer=times)


def _set_for_load(scene: Scene, line: Driveline, axle: CarriedAxle, limit: float) -> tuple[Remedy, ...]:
    """The turn of the axle at rest with which the line runs most evenly both wound up and on the overrun, where no smaller one does
    so surely; nothing where that is still over the limit."""
    sure = scene.build.limits.sure
    root = root_of(scene.build, axle.component)
    if not root.movable:
        return ()
    try:
        turn = _most_even(scene, line, root.id)
        scatter = _load_scatter(scene.with_pose(root.id, turned_as_made(scene, root.id, turn)), line)
    except InputError:
        return ()
    spare = limit - scatter.value
    if spare < -AT_LIMIT:
        return ()
    set_ = roll_remedy(scene, line, root.id, turn, RUNS_EVENLY)
    return (set_ if scatter.inside(None, limit) >= sure else barely(set_, scene, line, spare, scatter.reach(sure)),)


def _most_even(scene: Scene, line: Driveline, root: str) -> float:
    """The turn of an axle at rest, deg, at which a line runs most evenly under load, the worse of drive and overrun."""
    there = Lines([scene], line)

    def best(turns: list[float]) -> float:
        many = there.together_with(root, *turned_in_steps(scene, root, turns))
        return turns[int(np.argmin(np.maximum(many.drive.accels_rad_s2[:, -1], many.coast.accels_rad_s2[:, -1])))]

    steps = round(MOST_TURN_DEG / COARSE_TURN_DEG)
    near = best([sign * k * COARSE_TURN_DEG for k in range(1, steps + 1) for sign in (1, -1)])
    return best([near + k * FINE_TURN_DEG for k in range(-FINE_TURNS + 1, FINE_TURNS)])


def _load_scatter(scene: Scene, line: Driveline) -> Scatter:
    """How a line's unevenness under load scatters in a scene. Raises InputError where the line cannot run there."""
    joints = tuple(dict.fromkeys(j.point for j in line.joints))
    nudged = Nudged(scene, joints, dict.fromkeys(joints[1:-1], "xyz"))
    there = Lines([scene, *nudged.twins], line)
    many = there.together()
    at = many.one(scene, there.laid, 0)
    draft = load_drafts(line, at)[0]
    rows = columns([draft.many(many)])
    straight = nudged.doubt_of_rows((draft.figure(at),), rows[0], rows[1:]).scatters
    return Shaking(nudged, there, many, (draft,), straight).scatter(draft, straight[0])
