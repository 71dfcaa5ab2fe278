"""Readings of points: taken, set aside, and what hangs on a point before it is changed."""

from __future__ import annotations

from dataclasses import replace
from typing import Literal

from elmpeg.core.edits import new_id
from elmpeg.core.errors import InputError
from elmpeg.core.measuring import parse_length
from elmpeg.core.model import Build, find, with_item
from elmpeg.core.record import record
from elmpeg.core.survey import Axis3, Point, Reading, Source

AXES: tuple[Axis3, ...] = ("x", "y", "z")
SHORTEST_REASON = 3
LONGEST_NOTE = 200


@record
class Taken:
    """What a person read: which coordinate, as typed and as understood, with what, by whom and when."""

    axis: Axis3
    text: str
    value_mm: float
    tool: str
    person: str
    taken_at: str
    note: str = ""


def with_readings(build: Build, point_id: str, taken: tuple[Taken, ...]) -> Build:
    """The build with readings added to a point.

    A borrowed or assumed point without an axis counts as measured once all three
    of its coordinates have been read; one with an axis still needs somebody to say
    that its direction was checked too.
    """
    point = build.point(point_id)
    readings = point.readings
    for one in taken:
        find_tool(build, one.tool)
        note = " ".join(one.note.split())[:LONGEST_NOTE]
        reading = Reading(
            new_id("r1", (r.id for r in readings)), one.axis, one.text, one.value_mm, one.tool, one.person, one.taken_at, note
        )
        readings = (*readings, reading)
    read = {r.axis for r in readings if not r.dropped}
    source = "measured" if read == set(AXES) and point.axis is None else point.source
    return _with_point(build, replace(point, readings=readings, source=source))


def with_reading_dropped(build: Build, point_id: str, reading_id: str, reason: str) -> Build:
    """The build with one reading set aside for a reason, or counted again when the reason is empty."""
    point, tidy = build.point(point_id), " ".join(reason.split())[:LONGEST_NOTE]
    if all(r.id != reading_id for r in point.readings):
        raise InputError("reading", "is not among this point's readings any more")
    if reason and len(tidy) < SHORTEST_REASON:
        raise InputError("reason", "say in a few words why this reading does not count")
    readings = tuple(replace(r, dropped=tidy) if r.id == reading_id else r for r in point.readings)
    return _with_point(build, replace(point, readings=readings))


def with_source(build: Build, point_id: str, source: Source) -> Build:
    """The build with where a point's figures come from said anew."""
    return _with_point(build, replace(build.point(point_id), source=source))


def _with_point(build: Build, point: Point) -> Build:
    return replace(build, points=with_item(build.points, point))


def find_tool(build: Build, tool_id: str) -> str:
    """The name of a tool; raises InputError for one the build does not know."""
    for tool in build.tools:
        if tool.id == tool_id:
            return tool.name
    raise InputError("tool", f"“{tool_id}” is not one of the build's tools")


def hangs_on(build: Build, point_id: str) -> tuple[str, ...]:
    """The names of what uses a point: mounts, drivelines and rounds."""
    point = find(build.points, point_id, "point")
    names = [m.name for m in build.mounts if point.id in (m.component_point, m.seat_point)]
    names += [d.name for d in build.drivelines if any(j.point == point.id for j in d.joints)]
    names += [f"round {r.number}" for r in build.rounds if any(m.point == point.id for m in r.measured_points)]
    return tuple(names)


@record
class QuickLine:
    """A point and its three coordinates as called out at the vehicle."""

    point: str
    texts: tuple[str, str, str]
    xyz_mm: tuple[float, float, float]


def quick_line(build: Build, text: str, default_unit: Literal["mm", "in"]) -> QuickLine:
    """Read a line such as “LM-seat 12 3/8, -17 5/8, 22 1/16”: a point's id or name, then X, Y and Z.

    Raises InputError naming the part that was not understood.
    """
    line = " ".join(text.split())
    names = sorted(((n, p.id) for p in build.points for n in (p.id, p.name)), key=lambda item: -len(item[0]))
    match = next(((n, i) for n, i in names if line.lower().startswith(n.lower() + " ")), None)
    if match is None:
        raise InputError("line", "does not start with a point of this build; write for example “LM-seat 430, -227, 553.4”")
    rest = [part.strip() for part in line[len(match[0]) :].split(", " if ", " in line else " ") if part.strip()]
    if len(rest) != len(AXES):
        raise InputError("line", f"has {len(rest)} figures behind {match[0]}; write X, Y and Z with a comma and a space between")
    x, y, z = (parse_length(part, default_unit, "line").mm for part in rest)
    return QuickLine(match[1], (rest[0], rest[1], rest[2]), (x, y, z))
