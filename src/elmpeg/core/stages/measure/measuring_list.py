"""The measuring list: one quantity after the other, as somebody walks around the vehicle with a tape.

An asked quantity has an id that says what it is: ``p:POINT:ALONG:EDGE:HELD_AT`` for a
reading of a point, ``s:FIGURE`` for a figure of the before sheet, ``l:LINE:NEAR:FAR`` for the length of a shaft between two
joints, ``g:LINE:NEAR:FAR`` for the slope of a part of a line, ``d:POINT`` for how far a point's axis leans.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Literal, get_args

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build
from elmpeg.core.build.drivelines import Driveline, LengthReading, SlopeReading, members_of, shaft_pairs
from elmpeg.core.build.survey import NOT_MEASURED, VEHICLE, Along, Edge, LeanReading, Noted, Point, Reading
from elmpeg.core.methods.measuring.typed_figures import parse_angle, parse_length
from elmpeg.core.scene.axis_from_gauge import can_lean
from elmpeg.core.scene.point_from_readings import AXES
from elmpeg.core.stages.measure.point_readings import quick_line, with_lean, with_readings, without_lean, without_reading
from elmpeg.core.stages.measure.unit_slips import Slip, slip_of
from elmpeg.core.stages.reference.reference_edits import with_noted

Scope = Literal["missing", "vehicle"]
LINE = "line"
WAYS = {
    "x": "X, rearward from zero",
    "y": "Y, to the right of the middle",
    "z": "Z, up from zero",
}
LINES = "lines"
"""The scope of what is read on drivelines."""
AT_RIDE = "on its wheels, at ride height"
TAIL_DOWN = "down to the rear is plus"
STEEPEST_DEG = 60.0
FEWEST_TAPES = 3


@record
class Quantity:
    """One thing to read. ``before`` is the newest figure that somebody read, None where there is none."""

    id: str
    point: str
    title: str
    what: str
    unit: Literal["mm", "deg"]
    tool: str
    before: float | None
    wanted: str = ""


def quantities(build: Build, scope: str) -> tuple[Quantity, ...]:
    """What to read, in order: ``missing`` what nobody has read yet or wants read again, else all of a part or the vehicle."""
    if scope == LINES:
        return tuple(q for line in build.drivelines for q in _of_line(build, line))
    points = [p for p in build.points if (scope == "missing" and _wanted(p)) or p.on == scope]
    found = [q for p in points for q in _of_point(build, p) if scope != "missing" or p.again or q.before is None or p.source != "measured"]
    if scope in ("missing", VEHICLE):
        found += [
            Quantity(
                f"s:{f.id}", "", f.name, f.where or f.kind, "deg" if f.unit == "deg" else "mm", "gauge" if f.unit == "deg" else "tape", None
            )
            for f in build.sheet
            if f.before is None
        ]
    return tuple(found)


def _wanted(point: Point) -> bool:
    if point.got == "middle":
        return False
    return bool(point.again) or point.source in NOT_MEASURED or (point.source == "measured" and not point.readings)


def _of_point(build: Build, point: Point) -> list[Quantity]:
    names = {p.id: p.name for p in build.points}
    wanted = point.again or (f"its figures are {point.source}" if point.source in NOT_MEASURED else "")
    start = f", counted from {names[point.start]}" if point.start else ""

    def one(along: Along, what: str, edge: Edge = "", held_at: str = "") -> Quantity:
        read = [r for r in point.readings if (r.axis, r.edge, r.held_at) == (along, edge, held_at) and not r.dropped]
        before = read[-1].value_mm if read else None
        return Quantity(f"p:{point.id}:{along}:{edge}:{held_at}", point.id, point.name, what, "mm", point.tool, before, wanted)

    if point.got == "middle":
        return []
    if point.got in ("tapes", "centres"):
        held = dict.fromkeys(r.held_at for r in point.readings if r.axis == "tape")
        return [one("tape", f"tape from {names[h]}", "", h) for h in held if h in names]
    if point.got == "edges":
        across = [a for a in AXES if point.axis is None or abs(point.axis[AXES.index(a)]) < 0.9]
        along = [a for a in AXES if a not in across]
        edges: tuple[Edge, ...] = ("near", "far")
        found = [one(a, f"{WAYS[a]}: {e} edge{start}", e) for a in across for e in edges]
        return found + [one(a, WAYS[a] + start) for a in along]
    return [one(a, WAYS[a] + start) for a in AXES] + _lean_of(point)


def _lean_of(point: Point) -> list[Quantity]:
    """How far an axis that was read before, or a joint's, leans."""
    if point.axis is None or not can_lean(point.axis) or not (point.leans or point.kind == "joint"):
        return []
    counted = [r for r in point.leans if not r.dropped]
    what = f"leans, {TAIL_DOWN}: zero the gauge on the frame, lay it along the axis"
    return [Quantity(f"d:{point.id}", point.id, point.name, what, "deg", "gauge", counted[-1].value_deg if counted else None)]


def _of_line(build: Build, line: Driveline) -> list[Quantity]:
    found = []
    for near, far in shaft_pairs(line):
        read = [r for r in build.lengths if (r.line, r.near, r.far) == (line.id, near, far) and not r.dropped]
        what = f"length from joint centre to joint centre, {AT_RIDE}"
        found.append(
            Quantity(
                f"l:{line.id}:{near}:{far}", "", f"{line.name}, {near} to {far}", what, "mm", "tape", read[-1].value_mm if read else None
            )
        )
    for near, far in members_of(line):
        slopes = [r for r in build.slopes if (r.line, r.near, r.far) == (line.id, near, far) and not r.dropped]
        name = f"shaft {near} to {far}" if near and far else "drive end" if far else "driven end"
        what = f"slope against level, {TAIL_DOWN}, {AT_RIDE}"
        before = slopes[-1].value_deg if slopes else None
        found.append(Quantity(f"g:{line.id}:{near}:{far}", "", f"{line.name}, {name}", what, "deg", "gauge", before))
    return found


def _member(build: Build, asked: str) -> tuple[Driveline, str, str]:
    parts = asked.split(":")
    line = next((one for one in build.drivelines if len(parts) == 4 and one.id == parts[1]), None)
    among = () if line is None else shaft_pairs(line) if parts[0] == "l" else members_of(line)
    if line is None or (parts[2], parts[3]) not in among:
        raise InputError("text", "that part of the line is not in the build any more")
    return line, parts[2], parts[3]


@record
class Entry:
    """One reading as it comes in: its key is the browser's, so that nothing is taken twice."""

    key: str
    asked: str
    text: str
    tool: str
    taken_at: str
    sure: bool = False


@record
class Understood:
    """What an entry says: figures in mm or degrees, and one that looks like another unit."""

    title: str
    what: str
    values: tuple[float, ...]
    unit: Literal["mm", "deg"]
    slip: Slip | None = None


@record
class TakenEntry:
    """The build with an entry in it, and what was understood."""

    build: Build
    understood: Understood


def reading_id(key: str, nth: int = 0) -> str:
    """The id of a reading that came in under a key."""
    return f"q{key[:24]}" + (f"-{nth}" if nth else "")


def understood(build: Build, entry: Entry, default_unit: Literal["mm", "in"]) -> Understood:
    """What a text says for an asked quantity; raises InputError for what is not understood."""
    if entry.asked == LINE:
        line = quick_line(build, entry.text, default_unit)
        point = build.point(line.point)
        slips = (slip_of(build, point, axis, v) for axis, v in zip(AXES, line.xyz_mm, strict=True))
        return Understood(point.name, "X, Y, Z", line.xyz_mm, "mm", next((s for s in slips if s is not None), None))
    if entry.asked.startswith("s:"):
        figure = next((f for f in build.sheet if f.id == entry.asked[2:]), None)
        if figure is None:
            raise InputError("text", "that figure is not on the sheet any more")
        value = parse_angle(entry.text, "text") if figure.unit == "deg" else parse_length(entry.text, default_unit, "text").mm
        return Understood(figure.name, "before", (value,), "deg" if figure.unit == "deg" else "mm")
    if entry.asked.startswith(("l:", "g:")):
        return _understood_of_line(build, entry, default_unit)
    if entry.asked.startswith("d:"):
        leaning = next((p for p in build.points if p.id == entry.asked[2:]), None)
        if leaning is None:
            raise InputError("text", "that point is not in the build any more")
        return Understood(leaning.name, f"leans, {TAIL_DOWN}", (parse_angle(entry.text, "text"),), "deg")
    point, along, edge, _ = _asked(build, entry.asked)
    value = parse_length(entry.text, default_unit, "text").mm
    edged = f" {edge} edge" if edge else ""
    what = "tape" if along == "tape" else f"{along.upper()}{edged}"
    return Understood(point.name, what, (value,), "mm", slip_of(build, point, along, value))


def _understood_of_line(build: Build, entry: Entry, default_unit: Literal["mm", "in"]) -> Understood:
    line, near, far = _member(build, entry.asked)
    if entry.asked.startswith("l:"):
        value = parse_length(entry.text, default_unit, "text").mm
        if value <= 0:
            raise InputError("text", "must be a length above 0, from joint centre to joint centre")
        return Understood(line.name, f"{near} to {far}", (value,), "mm")
    slope = parse_angle(entry.text, "text")
    if abs(slope) >= STEEPEST_DEG:
        raise InputError("text", f"must be below {STEEPEST_DEG:g}°")
    return Understood(line.name, f"slope at {near or 'the drive end'} to {far or 'the driven end'}", (slope,), "deg")


def _asked(build: Build, asked: str) -> tuple[Point, Along, Edge, str]:
    parts = asked.split(":")
    known: dict[str, Point] = {p.id: p for p in build.points}
    along = next((a for a in get_args(Along) if len(parts) == 5 and a == parts[2]), None)
    edge = next((e for e in get_args(Edge) if len(parts) == 5 and e == parts[3]), None)
    if parts[0] != "p" or along is None or edge is None or parts[1] not in known:
        raise InputError("text", "that point is not in the build any more")
    return known[parts[1]], along, edge, parts[4]


def with_entry(build: Build, entry: Entry, default_unit: Literal["mm", "in"], person: str) -> TakenEntry:
    """The build with one entry taken in. Raises InputError, with field ``unit``, for one that looks like another unit and is not ``sure``."""
    said = understood(build, entry, default_unit)
    if said.slip is not None and not entry.sure:
        raise InputError("unit", f"{said.title} {said.what}: “{entry.text}” {said.slip.why}; was it in another unit?")
    if entry.asked.startswith("s:"):
        noted = Noted(entry.text, said.values[0], entry.tool, person, entry.taken_at)
        return TakenEntry(with_noted(build, entry.asked[2:], "before", noted), said)
    if entry.asked.startswith(("l:", "g:", "d:")):
        return TakenEntry(_with_reading_besides(build, entry, said.values[0], person), said)
    plumb = any(t.id == entry.tool and t.plumb for t in build.tools)
    level = "" if plumb else None
    plain = Reading("", "x", entry.text, 0.0, entry.tool, person, entry.taken_at, unit=default_unit, level=level)
    if entry.asked == LINE:
        line = quick_line(build, entry.text, default_unit)
        taken = tuple(
            replace(plain, id=reading_id(entry.key, n), axis=axis, text=text, value_mm=value)
            for n, (axis, text, value) in enumerate(zip(AXES, line.texts, line.xyz_mm, strict=True))
        )
        return TakenEntry(with_readings(build, line.point, taken), said)
    point, along, edge, held_at = _asked(build, entry.asked)
    one = replace(
        plain,
        id=reading_id(entry.key),
        axis=along,
        value_mm=said.values[0],
        held_at=held_at,
        edge=edge,
        level=None if along == "tape" else level,
    )
    return TakenEntry(with_readings(build, point.id, (one,)), said)


def _with_reading_besides(build: Build, entry: Entry, value: float, person: str) -> Build:
    """The build with a shaft's length, a slope or a lean that was called out."""
    angle = not entry.asked.startswith("l:")
    tool = next((t for t in build.tools if t.id == entry.tool and (t.sd_deg if angle else t.sd_mm) > 0), None)
    if tool is None:
        raise InputError("tool", f"choose a tool for {'angles' if angle else 'lengths'}")
    key, told = reading_id(entry.key), (tool.id, person, entry.taken_at)
    if entry.asked.startswith("d:"):
        return with_lean(build, entry.asked[2:], LeanReading(key, entry.text, value, *told))
    line, near, far = _member(build, entry.asked)
    if angle:
        return replace(
            build, slopes=(*build.slopes, SlopeReading(key, line.id, near, far, entry.text, value, "level", *told, stance="ride"))
        )
    return replace(build, lengths=(*build.lengths, LengthReading(key, line.id, near, far, entry.text, value, *told, stance="ride")))


def without_entry(build: Build, key: str) -> Build:
    """The build without what came in under a key; unchanged where that is not there any more."""
    ids = {reading_id(key, n) for n in range(len(AXES))}
    for point in build.points:
        for reading in point.readings:
            if reading.id in ids:
                build = without_reading(build, point.id, reading.id)
        if any(lean.id in ids for lean in point.leans):
            build = without_lean(build, point.id, reading_id(key))
    lengths = tuple(r for r in build.lengths if r.id not in ids)
    slopes = tuple(r for r in build.slopes if r.id not in ids)
    return build if (lengths, slopes) == (build.lengths, build.slopes) else replace(build, lengths=lengths, slopes=slopes)
