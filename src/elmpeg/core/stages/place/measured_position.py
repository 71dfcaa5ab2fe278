"""Where a part sits, from its own points measured in the vehicle, into an option or a round."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base import naming
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, Point, Reading
from elmpeg.core.methods.measuring.rigid_fit import FEWEST_POINTS, rigid_fit, suspicion
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.measure.cross_checks import sightings
from elmpeg.core.stages.measure.point_readings import with_readings
from elmpeg.core.stages.place import position_edits

SUSPECT_ABOVE_MM = 2.0
"""Points that agree better than this with one position are not suspected."""


@record
class Sighted:
    """Where an assembly was found: its driving part's pose, what each point leaves over, and one that is probably wrong."""

    component: str
    pose: Pose
    left_over_mm: tuple[tuple[str, Vec3], ...]
    rms_mm: float
    suspect: str | None
    rms_without_mm: float | None


def sighted(build: Build, option_id: str, root_id: str) -> Sighted:
    """The pose that carries an assembly's points to where they were measured in the vehicle.

    Raises InputError for fewer than three measured points, or all in a line, saying what to add.
    """
    pairs = sightings(Scene(build, build.option(option_id)), root_id)
    if len(pairs) < FEWEST_POINTS:
        more = FEWEST_POINTS - len(pairs)
        raise InputError("points", f"{len(pairs)} measured so far; measure {more} more on this part, not all in a line")
    fit = rigid_fit(pairs, "points")
    suspect = suspicion(pairs, SUSPECT_ABOVE_MM)
    return Sighted(
        root_id, fit.pose, fit.left_over_mm, fit.rms_mm, suspect.id if suspect else None, suspect.rms_without_mm if suspect else None
    )


def sighting_of(build: Build, point_id: str) -> Point | None:
    """The vehicle's point that is a component's point as measured in the vehicle, if somebody has measured it."""
    return next((p for p in build.points if p.same_as == point_id), None)


def with_sighting(build: Build, point_id: str, taken: tuple[Reading, ...]) -> Build:
    """The build with readings of where a component's point sits in the vehicle; the vehicle's point is made at the first."""
    bench = build.point(point_id)
    if bench.on == VEHICLE:
        raise InputError("point", "is on the vehicle already; choose a point of the part")
    seen = sighting_of(build, point_id)
    if seen is None:
        if {r.axis for r in taken} != {"x", "y", "z"}:
            raise InputError(f"{point_id}_x", "write X, Y and Z the first time")
        x, y, z = (next(r.value_mm for r in taken if r.axis == axis) for axis in "xyz")
        made = naming.new_id(f"{bench.id}-in-vehicle", (p.id for p in build.points))
        seen = Point(made, f"{bench.name}, in the vehicle", VEHICLE, bench.kind, (x, y, z), same_as=bench.id)
        build = replace(build, points=(*build.points, seen))
    return with_readings(build, seen.id, taken)


def placed_as_sighted(build: Build, option_id: str, root_id: str) -> Build:
    """The build with an assembly, in one option, where its points were measured."""
    return position_edits.placed_at(build, option_id, root_id, sighted(build, option_id, root_id).pose)
