"""What is still missing for the stages ahead, so that nobody finds out with the part on the hoist."""

from __future__ import annotations

from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build, Stage
from elmpeg.core.build.survey import NOT_MEASURED, VEHICLE
from elmpeg.core.scene.located_points import Survey, surveyed
from elmpeg.core.scene.scene import root_of

FEWEST_ON_PART = 3
"""Points that fix where a part sits."""


@record
class Missing:
    """One thing that is missing: for which stage, what, and the point or page where it is put right."""

    stage: Stage
    what: str
    why: str
    page: str
    point: str = ""


def missing(build: Build) -> tuple[Missing, ...]:
    """Everything missing, in order of the stages that want it."""
    survey = surveyed(build)
    found = [*_reference(build), *_points(build, survey), *_parts(build), *_hand_over(build)]
    order: tuple[Stage, ...] = ("Reference", "Measure", "Place", "Mount", "Drive", "Link", "Ride", "Clear", "Make", "Fit", "Hand over")
    return tuple(sorted(found, key=lambda m: order.index(m.stage)))


def _reference(build: Build) -> list[Missing]:
    found = []
    if not build.levellings:
        why = "angles and heights taken against gravity count as half a degree unsure until then"
        found.append(Missing("Reference", "How level the vehicle stands", why, "level"))
    if not build.sheet:
        found.append(Missing("Reference", "Before figures", "what is not noted before the first cut cannot be noted after", "sheet"))
    unread = [f.name for f in build.sheet if f.before is None]
    if unread:
        found.append(Missing("Reference", f"Before: {_some(unread)}", "still blank on the sheet", "sheet"))
    if not build.witness_marks:
        found.append(Missing("Reference", "Witness marks", "without them nobody sees that something has moved", "marks"))
    return found


def _points(build: Build, survey: Survey) -> list[Missing]:
    found = []
    used = _used(build)
    for point in build.points:
        stage = used.get(point.id)
        if stage is None:
            continue
        if point.source in NOT_MEASURED:
            found.append(Missing(stage, f"Measure {point.name}", f"its figures are {point.source}", "measure", point.id))
        if survey.points[point.id].fix.trouble:
            found.append(Missing(stage, f"Finish {point.name}", "its readings do not fix it yet", "measure", point.id))
        if point.axis is None:
            found.append(Missing(stage, f"Direction of {point.name}", "angles and gaps need it", "measure", point.id))
        if stage == "Mount" and point.hole_mm is None:
            found.append(Missing(stage, f"Hole of {point.name}", "the bolt and its play need it", "measure", point.id))
        readings = [r for r in point.readings if not r.dropped]
        if point.source == "measured" and readings and all(sum(o.axis == r.axis for o in readings) < 2 for r in readings):
            found.append(Missing("Make", f"Second reading of {point.name}", "read once only; check twice, drill once", "measure", point.id))
    return found


def _used(build: Build) -> dict[str, Stage]:
    used: dict[str, Stage] = {j.point: "Drive" for line in build.drivelines for j in line.joints}
    for mount in build.mounts:
        used[mount.component_point] = used[mount.seat_point] = "Mount"
    return used


def _parts(build: Build) -> list[Missing]:
    found = []
    counts: dict[str, int] = {}
    for point in build.points:
        if point.on != VEHICLE:
            root = root_of(build, point.on).id
            counts[root] = counts.get(root, 0) + 1
    for component in build.components:
        if component.parent is None and component.movable and counts.get(component.id, 0) < FEWEST_ON_PART:
            short = FEWEST_ON_PART - counts.get(component.id, 0)
            what = f"{short} more point{'s' if short > 1 else ''} on {component.name}"
            found.append(Missing("Place", what, "three fix where a part sits", "measure"))
    return found


def _hand_over(build: Build) -> list[Missing]:
    blank = [f.name for f in build.sheet if f.before is not None and f.after is None]
    return [Missing("Hand over", f"After: {_some(blank)}", "to set beside the before figures", "sheet")] if blank else []


def _some(names: list[str]) -> str:
    more = len(names) - 3
    return ", ".join(names[:3]) + (f" and {more} more" if more > 0 else "")
