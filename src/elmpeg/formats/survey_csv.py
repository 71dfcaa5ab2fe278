"""Points and readings as CSV, out and in: documented columns, units in the header, all of a file or none of it.

Reading is forgiving of what spreadsheets do to a file (byte-order mark, semicolons,
decimal commas) and strict about what the figures mean.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import datetime
from typing import Literal, get_args

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE, Along, Depth, Edge, Got, Point, PointKind, Reading, Source
from elmpeg.core.methods.measuring.typed_figures import parse_length
from elmpeg.core.scene.located_points import surveyed
from elmpeg.core.stages.measure import point_edits, point_readings
from elmpeg.core.stages.measure.point_edits import Described
from elmpeg.formats.csv_table import Column, Head, LengthUnit, Line, Read, Reader, figure, refuse_unknown, table, written

MOVED_MM = 0.05
"""A coordinate that differs by less is the same one, rounded on its way through the file."""
TURNED = 1e-3


POINT_COLUMNS = (
    Column("id", "short id; empty for a new point, or to find it by its name"),
    Column("name", "as people call it; two points on one part never share one"),
    Column("on", "vehicle, or the id or name of a component"),
    Column("kind", f"one of {', '.join(get_args(PointKind))}"),
    Column("x", "rearward from zero, in the frame of what it is on", True),
    Column("y", "to the right of the middle", True),
    Column("z", "up", True),
    Column("axis x", "direction of its axis or face; empty for none"),
    Column("axis y", "likewise"),
    Column("axis z", "likewise"),
    Column("hole", "diameter; empty for none", True),
    Column("thread", "for example M10x1.5"),
    Column("depth", "through, blind or empty"),
    Column("source", f"one of {', '.join(get_args(Source))}"),
    Column("note", "anything"),
)
READING_COLUMNS = (
    Column("point", "id or name of the point"),
    Column("along", "x, y, z or tape"),
    Column("edge", "near or far edge of a hole, or empty"),
    Column("held at", "for a tape: the point it was held at"),
    Column("value", "what was read", True),
    Column("text", "as it was typed; left empty, the value stands for it"),
    Column("tool", "id or name of the tool"),
    Column("person", "who read it; empty for whoever brings the file in"),
    Column("time", "such as 2026-11-24T09:30:00; empty for now"),
    Column("note", "anything"),
    Column("set aside", "why it does not count; empty where it does"),
)


@dataclass(frozen=True, slots=True)
class Preview(Read):
    """What a whole file would do; ``build`` is the result, None where a line is refused."""

    kind: Literal["points", "readings"]
    build: Build | None


# Out


def written_points(build: Build, unit: LengthUnit = "mm") -> bytes:
    """All points with their coordinates as they are located, in their own frames."""
    survey = surveyed(build)
    rows: list[tuple[str, ...]] = []
    for p in build.points:
        axis = ["", "", ""] if p.axis is None else [f"{v:.6g}" for v in p.axis]
        places = [figure(v, unit) for v in survey.points[p.id].xyz_mm]
        hole = "" if p.hole_mm is None else figure(p.hole_mm, unit)
        rows.append((p.id, p.name, p.on, p.kind, *places, *axis, hole, p.thread, p.depth, p.source, p.note))
    return written(POINT_COLUMNS, rows, unit)


def written_readings(build: Build, unit: LengthUnit = "mm") -> bytes:
    """All readings of all points, those set aside among them."""
    rows = [
        (
            *(p.id, r.axis, r.edge, r.held_at, figure(r.value_mm, unit), f"{r.text} {r.unit}" if _bare(r.text) else r.text),
            *(r.tool, r.person, r.taken_at, r.note, r.dropped),
        )
        for p in build.points
        for r in p.readings
    ]
    return written(READING_COLUMNS, rows, unit)


def _bare(text: str) -> bool:
    """Whether a text leaves its unit to the reader's own; in a file it must not."""
    return bool(re.fullmatch(r"[\d\s./,+\-\u2150-\u215e\u00bc-\u00be]+", text))


# In


def read(build: Build, data: bytes, person: str, when: str) -> Preview:
    """What a file of points or readings would do to a build. Raises InputError for what is no such file at all."""
    found = table(data, POINT_COLUMNS, READING_COLUMNS)
    header = found.header
    if {"point", "value"} <= set(header) or {"point", "text"} <= set(header):
        kind: Literal["points", "readings"] = "readings"
        refuse_unknown(header, READING_COLUMNS)
        reader: _Points | _Readings = _Readings(build, header, person, when)
    elif {"name", "x", "y", "z"} <= set(header):
        kind = "points"
        refuse_unknown(header, POINT_COLUMNS)
        reader = _Points(build, header)
    else:
        raise InputError(
            "csv", "needs the columns name, x, y and z for points, or point, along and value for readings; see the list beside"
        )
    told = [reader.line(number, cells) for number, cells in found.rows]
    return Preview(tuple(told), kind, None if any(t.verdict == "refused" for t in told) else reader.build)


class _Points(Reader):
    def __init__(self, build: Build, header: dict[str, Head]) -> None:
        super().__init__(header)
        self.build = build
        self.seen: dict[tuple[str, str], int] = {}
        self.survey = surveyed(build)
        self.before = {p.id: p for p in build.points}

    def name(self, cells: list[str]) -> str:
        return self.raw(cells, "name")[:80] or self.raw(cells, "id")[:80]

    def taken(self, number: int, cells: list[str]) -> Line:
        on, name, wanted = self._on(cells), self.text(cells, "name"), self.text(cells, "id")
        old = self._old(on, name, wanted)
        for key in ((on, " ".join(name.lower().split())), ("id", wanted)):
            if key[1]:
                if key in self.seen:
                    raise InputError("name", f"“{key[1]}” stands on line {self.seen[key]} already")
                self.seen[key] = number
        place = self._place(cells, old)
        said = self._said(cells, on, name, old, place)
        if old is None:
            if place is None:
                raise InputError("x", "a new point needs x, y and z")
            self.build = point_edits.with_point(self.build, said, wanted)
            return Line(number, "new", name)
        changes = self._changes(old, said, place)
        if not changes:
            return Line(number, "same", old.name)
        self.build = point_edits.with_point_changed(self.build, old.id, said)
        return Line(number, "changed", f"{old.name}: {'; '.join(changes)}")

    def _on(self, cells: list[str]) -> str:
        text = self.text(cells, "on") or VEHICLE
        for component in self.build.components:
            if text.lower() in (component.id.lower(), component.name.lower()):
                return component.id
        if text.lower() != VEHICLE:
            raise InputError("on", f"“{text}” is neither “{VEHICLE}” nor a component of this build")
        return VEHICLE

    def _old(self, on: str, name: str, wanted: str) -> Point | None:
        if wanted:
            return self.before.get(wanted)
        return next((p for p in self.before.values() if p.on == on and p.name.lower() == name.lower()), None)

    def _place(self, cells: list[str], old: Point | None) -> Vec3 | None:
        read = [self.length(cells, axis) for axis in "xyz"]
        now = self.survey.points[old.id].xyz_mm if old else None
        if now is None:
            given = [v for v in read if v is not None]
            return (given[0], given[1], given[2]) if len(given) == 3 else None
        place = [n if v is None else v for v, n in zip(read, now, strict=True)]
        for axis, v, n in zip("xyz", place, now, strict=True):
            assert old is not None
            if abs(v - n) <= MOVED_MM:
                continue
            if old.got != "offsets" or any(r.axis == axis and not r.dropped for r in old.readings):
                raise InputError(axis, f"of {old.name} comes from readings; bring in a reading instead")
        return (place[0], place[1], place[2])

    def _axis(self, cells: list[str]) -> Vec3 | None:
        texts = [self.raw(cells, f"axis {a}").replace(",", ".").replace("\u2212", "-") for a in "xyz"]
        if not any(texts):
            return None
        try:
            x, y, z = (float(t or "0") for t in texts)
        except ValueError:
            raise InputError("axis x", "the direction needs three plain numbers") from None
        return (x, y, z)

    def _said(self, cells: list[str], on: str, name: str, old: Point | None, place: Vec3 | None) -> Described:
        def kept(column: str, value: str) -> bool:
            """Whether a column that the file does not have leaves what was said before."""
            return old is not None and column not in self.header and value == ""

        kind = self.one_of(cells, "kind", get_args(PointKind), old.kind if old else "hole")
        depth = self.one_of(cells, "depth", get_args(Depth), old.depth if old and "depth" not in self.header else "")
        source = self.one_of(cells, "source", get_args(Source), old.source if old else "measured")
        axis = self._axis(cells) if "axis x" in self.header or old is None else old.axis
        if old is not None and old.axis is not None and axis is not None and _near(axis, old.axis):
            axis = old.axis
        hole = self.length(cells, "hole") if "hole" in self.header or old is None else old.hole_mm
        if old is not None and old.hole_mm is not None and hole is not None and abs(hole - old.hole_mm) < 1e-3:
            hole = old.hole_mm
        thread, note = self.text(cells, "thread"), self.text(cells, "note")
        got: Got = old.got if old else "offsets"
        moved = old is not None and place is not None and any(abs(a - b) > MOVED_MM for a, b in zip(place, self._now(old), strict=True))
        return Described(
            name=name or (old.name if old else ""),
            on=on,
            kind=kind,  # type: ignore[arg-type]
            got=got,
            start=old.start if old else "",
            between=old.between if old else (),
            plane=old.plane if old else "z",
            axis=axis,
            hole_mm=hole,
            thread=old.thread if old and kept("thread", thread) else thread,
            depth=depth,  # type: ignore[arg-type]
            source=source,  # type: ignore[arg-type]
            same_as=old.same_as if old else "",
            xyz_mm=place if old is None or moved else None,
            note=old.note if old and kept("note", note) else note,
        )

    def _now(self, old: Point) -> Vec3:
        return self.survey.points[old.id].xyz_mm

    def _changes(self, old: Point, said: Described, place: Vec3 | None) -> list[str]:
        words = []
        for field, was, now in (
            ("name", old.name, said.name),
            ("on", old.on, said.on),
            ("kind", old.kind, said.kind),
            ("direction", old.axis, said.axis),
            ("hole", old.hole_mm, said.hole_mm),
            ("thread", old.thread, said.thread),
            ("depth", old.depth, said.depth),
            ("source", old.source, said.source),
            ("note", old.note, said.note),
        ):
            if was != now:
                words.append(f"{field} {_plain(was)} → {_plain(now)}")
        if said.xyz_mm is not None and place is not None:
            words += [
                f"{axis.upper()} {n:.2f} → {v:.2f} mm"
                for axis, v, n in zip("xyz", place, self._now(old), strict=True)
                if abs(v - n) > MOVED_MM
            ]
        return words


class _Readings(Reader):
    def __init__(self, build: Build, header: dict[str, Head], person: str, when: str) -> None:
        super().__init__(header)
        self.build = build
        self.person, self.when = person, when
        self.before = {(p.id, *_same(r)) for p in build.points for r in p.readings}
        self.ids = {n.lower(): p.id for p in reversed(build.points) for n in (p.name, p.id)}
        self.doubled = {p.name.lower() for p in build.points if sum(o.name.lower() == p.name.lower() for o in build.points) > 1}
        self.tools = {n.lower(): t.id for t in build.tools for n in (t.name, t.id)}

    def name(self, cells: list[str]) -> str:
        return f"{self.raw(cells, 'point')[:60]} {self.raw(cells, 'along')[:8]} {self.raw(cells, 'value')[:20]}".strip()

    def taken(self, number: int, cells: list[str]) -> Line:
        point_id = self._point(cells, "point")
        along = self.one_of(cells, "along", get_args(Along), "")
        edge = self.one_of(cells, "edge", get_args(Edge), "")
        held_at = self._point(cells, "held at") if along == "tape" else ""
        value, text = self.length(cells, "value"), self._typed(cells)
        if text:
            value = parse_length(text, self.header["value"].unit or "mm" if "value" in self.header else "mm", "text").mm
        if value is None:
            raise InputError("value", "is empty")
        tool = self.tools.get((self.text(cells, "tool") or "tape").lower())
        if tool is None:
            raise InputError("tool", f"“{self.text(cells, 'tool')}” is not one of the build's tools")
        unit: LengthUnit = (self.header["value"].unit if "value" in self.header else None) or "mm"
        reading = Reading(
            "",
            along,  # type: ignore[arg-type]
            text or f"{self.raw(cells, 'value')} {unit}",
            value,
            tool,
            self.text(cells, "person")[:80] or self.person,
            self._time(cells),
            self.text(cells, "note"),
            unit=unit,
            held_at=held_at,
            edge=edge,  # type: ignore[arg-type]
            dropped=self.text(cells, "set aside")[:200],
        )
        name = self.build.point(point_id).name
        what = f"{name}: {along.upper() if along != 'tape' else 'tape'} {reading.text}"
        if (point_id, *_same(reading)) in self.before:
            return Line(number, "same", what)
        self.build = point_readings.with_readings(self.build, point_id, (reading,))
        return Line(number, "new", what)

    def _typed(self, cells: list[str]) -> str:
        raw = self.raw(cells, "text").replace("\u2212", "-")
        if raw[:1] in "=@" and raw:
            raise InputError("text", f"“{raw[:40]}” is a formula; write the figure that it gives")
        return raw.removeprefix("'")

    def _point(self, cells: list[str], column: str) -> str:
        text = self.text(cells, column)
        exact = next((p.id for p in self.build.points if p.id == text), None)
        if exact is not None:
            return exact
        if text.lower() in self.doubled:
            raise InputError(column, f"two points are called “{text}”; write the id")
        if text.lower() not in self.ids:
            raise InputError(column, f"“{text}” is not a point of this build")
        return self.ids[text.lower()]

    def _time(self, cells: list[str]) -> str:

        text = self.text(cells, "time")
        if not text:
            return self.when
        try:
            return datetime.fromisoformat(text).replace(tzinfo=None, microsecond=0).isoformat()
        except ValueError:
            raise InputError("time", f"“{text[:40]}” is not a time such as 2026-11-24T09:30:00") from None


def _same(r: Reading) -> tuple[str, str, str, int, str, str]:
    """What makes two readings one and the same."""
    return (r.axis, r.edge, r.held_at, round(r.value_mm * 100), r.person, r.taken_at)


def _near(a: Vec3, b: Vec3) -> bool:
    return all(abs(u - v) < TURNED for u, v in zip(a, b, strict=True))


def _plain(value: object) -> str:
    if isinstance(value, tuple):
        return ", ".join(f"{v:g}" for v in value)
    return "none" if value in (None, "") else f"{value:g} mm" if isinstance(value, float) else f"“{value}”"
