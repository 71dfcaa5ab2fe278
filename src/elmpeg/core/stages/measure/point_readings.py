"""Readings of points: taken, set aside, kept side by side, and what hangs on a point before it is changed."""

from __future__ import annotations

import re
from dataclasses import replace
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import SHORTEST_REASON, new_id
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.entities import uses_of
from elmpeg.core.build.survey import LeanReading, Point, Reading, Source
from elmpeg.core.methods.measuring.repeats import APART_SD, with_dropped
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH, parse_length
from elmpeg.core.scene.axis_from_gauge import can_lean, lean_of, leaning
from elmpeg.core.scene.point_from_readings import AXES

LONGEST_NOTE = 200
STEEPEST_LEAN_DEG = 45.0
"""Beyond it an axis runs more upright than lengthwise."""
INCH = float(MM_PER_INCH)


def with_readings(build: Build, point_id: str, taken: tuple[Reading, ...]) -> Build:
    """The build with readings added to a point; a reading without an id is given one.

    Taken against gravity (``level`` not None) they are kept with the newest levelling.
    A borrowed or assumed point without an axis counts as measured once all three of
    its coordinates have been read; one with an axis still needs somebody to say that
    its direction was checked too. What was asked for again is done by any reading.
    """
    point = build.point(point_id)
    readings = point.readings
    newest = build.levellings[-1].id if build.levellings else ""
    for one in taken:
        require_tool(build, one.tool)
        if one.axis == "tape":
            if one.held_at not in {p.id for p in build.points} - {point.id}:
                raise InputError("held_at", "say at which other point the tape was held")
            if one.value_mm <= 0:
                raise InputError("read_tape", "must be a length above 0")
        note = " ".join(one.note.split())[:LONGEST_NOTE]
        level = None if one.level is None else newest
        reading_id = one.id or new_id("r1", (r.id for r in readings))
        readings = (*readings, replace(one, id=reading_id, note=note, level=level))
    read = {r.axis for r in readings if not r.dropped}
    source = "measured" if read >= set(AXES) and point.axis is None else point.source
    return _with_point(build, replace(point, readings=readings, source=source, again=""))


def without_reading(build: Build, point_id: str, reading_id: str) -> Build:
    """The build with a reading taken out again, as if it had not been entered."""
    point = build.point(point_id)
    return _with_point(build, replace(point, readings=tuple(r for r in point.readings if r.id != reading_id)))


def with_reading_dropped(build: Build, point_id: str, reading_id: str, reason: str) -> Build:
    """The build with one reading set aside for a reason, or counted again when the reason is empty."""
    point, tidy = build.point(point_id), _reason(reason, required=bool(reason))
    return _with_point(build, replace(point, readings=with_dropped(point.readings, reading_id, tidy, "reading")))


def with_both_kept(build: Build, point_id: str, first: str, second: str, reason: str) -> Build:
    """The build with two readings that disagree both kept, for a reason; the figure stays as unsure as they are apart."""
    point, tidy = build.point(point_id), _reason(reason, required=True)
    if len({first, second} & {r.id for r in point.readings}) != 2:
        raise InputError("reading", "is not among this point's readings any more")
    readings = tuple(replace(r, kept=tidy) if r.id in (first, second) else r for r in point.readings)
    return _with_point(build, replace(point, readings=readings))


def with_again(build: Build, point_id: str, why: str) -> Build:
    """The build with a point put on the list to be measured again; an empty reason takes it off."""
    return _with_point(build, replace(build.point(point_id), again=" ".join(why.split())[:LONGEST_NOTE]))


def _reason(reason: str, required: bool) -> str:
    tidy = " ".join(reason.split())[:LONGEST_NOTE]
    if required and len(tidy) < SHORTEST_REASON:
        raise InputError("reason", "say why in a few words")
    return tidy


def with_lean(build: Build, point_id: str, reading: LeanReading) -> Build:
    """The build with a gauge reading of a point's direction added, its id made here unless it brings one; the axis follows what the
    readings say together."""
    point = build.point(point_id)
    if point.axis is None or not can_lean(point.axis):
        raise InputError("lean", "is read along an axis that runs lengthwise; say first which way this one runs")
    if abs(reading.value_deg) > STEEPEST_LEAN_DEG:
        raise InputError("lean", f"must be at most {STEEPEST_LEAN_DEG:g}°")
    if all(t.id != reading.tool or t.sd_deg <= 0 for t in build.tools):
        raise InputError("lean_tool", "choose a tool for angles")
    made = reading if reading.id else replace(reading, id=new_id("lean-1", (r.id for r in point.leans)))
    return _with_point(build, _leaned(build, replace(point, leans=(*point.leans, made), again="")))


def without_lean(build: Build, point_id: str, reading_id: str) -> Build:
    """The build without one reading of a direction, as if it had never been taken."""
    point = build.point(point_id)
    return _with_point(build, _leaned(build, replace(point, leans=tuple(r for r in point.leans if r.id != reading_id))))


def with_lean_dropped(build: Build, point_id: str, reading_id: str, reason: str) -> Build:
    """The build with one reading of a direction set aside for a reason, or counted again when the reason is empty."""
    point, tidy = build.point(point_id), _reason(reason, required=bool(reason))
    leans = with_dropped(point.leans, reading_id, tidy, "reading")
    return _with_point(build, _leaned(build, replace(point, leans=leans)))


def _leaned(build: Build, point: Point) -> Point:
    lean = lean_of(point, {t.id: t for t in build.tools})
    return point if lean is None or point.axis is None else replace(point, axis=leaning(point.axis, lean.mean))


def with_source(build: Build, point_id: str, source: Source) -> Build:
    """The build with where a point's figures come from said anew."""
    return _with_point(build, replace(build.point(point_id), source=source))


def _with_point(build: Build, point: Point) -> Build:
    return replace(build, points=with_item(build.points, point))


def require_tool(build: Build, tool_id: str) -> None:
    """Raise InputError for a tool that the build does not know or that reads no lengths."""
    tool = next((t for t in build.tools if t.id == tool_id), None)
    if tool is None:
        raise InputError("tool", f"“{tool_id}” is not one of the build's tools")
    if tool.sd_mm <= 0:
        raise InputError("tool", f"{tool.name} reads angles; choose a tool for lengths")


@record
class HangsOn:
    """What uses a point. ``must_stay`` are those that cannot do without it; the rest goes with it or is only told."""

    must_stay: tuple[str, ...]
    goes_with_it: tuple[str, ...]

    @property
    def all(self) -> tuple[str, ...]:
        """Everything that uses the point."""
        return self.must_stay + self.goes_with_it


def hangs_on(build: Build, point_id: str) -> HangsOn:
    """The names of what uses a point: mounts, drivelines, points measured from it, bays, pairs, tapes and rounds."""
    uses = uses_of(build, "points", build.point(point_id).id)
    return HangsOn(tuple(u.name for u in uses if u.then == "holds"), tuple(u.name for u in uses if u.then != "holds"))


@record
class SecondEyes:
    """Whether a point was read again without seeing the first figures: by whom, and whether they agree.

    ``alone`` says that it was the one who read it first, with another tool or from another end.
    """

    person: str
    agrees: bool
    alone: bool = False


def second_eyes(point: Point, sds_mm: dict[str, float]) -> SecondEyes | None:
    """The independent check of a point, None where there is none.

    It counts when a blind reading by another person stands beside every figure that
    somebody read first, or one by the same with another tool or a note that says how
    else; it agrees when each is within three standard deviations.
    """
    plain = [r for r in point.readings if not r.dropped and not r.blind]
    blind = [r for r in point.readings if not r.dropped and r.blind]
    first_by = {r.person for r in plain}
    others = [r for r in blind if r.person not in first_by]
    tools = {(r.axis, r.held_at, r.edge): r.tool for r in plain}
    checks = others or [r for r in blind if r.note or tools.get((r.axis, r.held_at, r.edge), r.tool) != r.tool]
    if not plain or not checks:
        return None
    agrees = True
    for figure in {(r.axis, r.held_at, r.edge) for r in plain}:
        first = [r for r in plain if (r.axis, r.held_at, r.edge) == figure]
        again = [r for r in checks if (r.axis, r.held_at, r.edge) == figure]
        if not again:
            return None
        mean = sum(r.value_mm for r in first) / len(first)
        for r in again:
            allowed = APART_SD * (sds_mm.get(first[0].tool, 5.0) ** 2 + sds_mm.get(r.tool, 5.0) ** 2) ** 0.5
            agrees = agrees and abs(r.value_mm - mean) <= allowed
    return SecondEyes(checks[-1].person, agrees, not others)


LONGEST_LINE = 300
"""Of a line that calls out a point: a name and three figures."""


@record
class QuickLine:
    """A point and its three coordinates as called out at the vehicle."""

    point: str
    texts: tuple[str, str, str]
    xyz_mm: tuple[float, float, float]


def unknown_line(build: Build, text: str) -> tuple[str, tuple[str, str, str]] | None:
    """Of a line that calls out a point which this build does not have: the name, and X, Y and Z as they were written."""
    line = " ".join(text.split())
    if len(line) > LONGEST_LINE:
        return None
    found = re.match(r"([^\W\d_][^,]*?) ([-−+]?\d.*)", line)
    if found is None or any(line.lower().startswith(f"{n.lower()} ") for p in build.points for n in (p.id, p.name)):
        return None
    rest = [part.strip() for part in found[2].split(", " if ", " in line else " ") if part.strip()]
    return (found[1], (rest[0], rest[1], rest[2])) if len(rest) == len(AXES) else None


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
