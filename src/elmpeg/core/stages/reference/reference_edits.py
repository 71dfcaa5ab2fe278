"""The reference: datum, level, the before sheet and witness marks; and what later stages still miss."""

from __future__ import annotations

import math
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.quantities import Unit
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, norm, sub
from elmpeg.core.build.document import Build
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.survey import Datum, Levelling, LevelPlace, Noted, Photo, Reading, SheetFigure, SheetKind, Tool, WitnessMark
from elmpeg.core.methods.measuring.levelling import levelness
from elmpeg.core.scene.located_points import surveyed

LEAST_SD_DEG = 0.02
"""Nobody knows better how a vehicle stands: tyres, stands and floor give."""
STEEPEST_DEG = 20.0
MOVES_MM = 0.05
"""Shifts below this are not worth asking about."""
MOST_PHOTO_BYTES = 120_000_000
"""Of all photographs of a build, so that the zip of it, with its meshes, can be read again."""


def levelled_by_heights(places: tuple[LevelPlace, ...], sd_mm: float) -> Levelling:
    """A levelling from heights at places that should lie on one level plane; ``sd_mm`` is the doubt of each height.

    The heights' own scatter counts where it is larger than their tool's doubt.
    Raises InputError for fewer than three places, or places in a line.
    """
    found = levelness(tuple(p.xyz_mm for p in places))
    middle_x, middle_y = (sum(p.xyz_mm[i] for p in places) / len(places) for i in (0, 1))
    spread = min(math.sqrt(sum((p.xyz_mm[i] - m) ** 2 for p in places)) for i, m in ((0, middle_x), (1, middle_y)))
    free = len(places) - 3
    scatter = found.rms_mm * math.sqrt(len(places) / free) if free > 0 else 0.0
    sd = max(math.degrees(max(sd_mm, scatter) / max(spread, 1.0)), LEAST_SD_DEG)
    return Levelling("", "heights", found.pitch_deg, found.roll_deg, sd, "corrected", "", "", places)


def levelled_by_gauge(lengthwise_deg: tuple[float, ...], across_deg: tuple[float, ...], sd_deg: float) -> Levelling:
    """A levelling from gauge readings, tail down and right side up positive; repeats are averaged.

    ``sd_deg`` is the gauge's. Raises InputError where one direction has no reading.
    """
    for field, readings in (("lengthwise", lengthwise_deg), ("across", across_deg)):
        if not readings:
            raise InputError(field, "needs at least one reading of the gauge")
        if any(abs(v) > STEEPEST_DEG for v in readings):
            raise InputError(field, f"is more than {STEEPEST_DEG:g}° off level; check the figure")
    pitch, roll = (sum(some) / len(some) for some in (lengthwise_deg, across_deg))
    scatter = max(max(some) - min(some) for some in (lengthwise_deg, across_deg)) / 2
    fewest = min(len(lengthwise_deg), len(across_deg))
    return Levelling("", "gauges", pitch, roll, max(sd_deg / math.sqrt(fewest), scatter, LEAST_SD_DEG), "corrected", "", "")


@record
class Moved:
    """How a point's place changes when its readings against gravity are taken with another levelling."""

    point: str
    name: str
    shift_mm: Vec3


def with_levelling(build: Build, levelling: Levelling, old_too: bool = False) -> Build:
    """The build with a new levelling, newest last; earlier readings keep theirs unless ``old_too``."""
    made = replace(levelling, id=new_id("level-1", (one.id for one in build.levellings)))
    build = replace(build, levellings=(*build.levellings, made))
    if not old_too:
        return build

    def again(reading: Reading) -> Reading:
        return reading if reading.level is None else replace(reading, level=made.id)

    return replace(build, points=tuple(replace(p, readings=tuple(again(r) for r in p.readings)) for p in build.points))


def moved_by_levelling(build: Build, levelling: Levelling) -> tuple[Moved, ...]:
    """Which points would move, and how far, if earlier readings against gravity were taken with a new levelling."""
    before, after = surveyed(build), surveyed(with_levelling(build, levelling, old_too=True))
    moved = (Moved(p.id, p.name, sub(after.points[p.id].xyz_mm, before.points[p.id].xyz_mm)) for p in build.points)
    return tuple(sorted((m for m in moved if norm(m.shift_mm) > MOVES_MM), key=lambda m: -norm(m.shift_mm)))


def with_datum(build: Build, datum: Datum) -> Build:
    """The build with its datum said anew; no coordinates change."""
    if not datum.where.strip():
        raise InputError("where", "say where X, Y and Z are zero on this vehicle")
    return replace(build, datum=datum)


def with_tool(build: Build, tool: Tool) -> Build:
    """The build with a tool's doubt changed, or a new tool."""
    name = cleaned_name(tool.name)
    if max(tool.sd_mm, tool.sd_deg) <= 0 or min(tool.sd_mm, tool.sd_deg) < 0:
        raise InputError("tool_sd", "must be above 0")
    made = replace(tool, id=tool.id or new_id(name, (t.id for t in build.tools)), name=name)
    if any(t.id == made.id for t in build.tools):
        return replace(build, tools=tuple(made if t.id == made.id else t for t in build.tools))
    return replace(build, tools=(*build.tools, made))


def with_figure(build: Build, name: str, kind: SheetKind, unit: Unit, where: str) -> Build:
    """The build with one more figure on the before sheet."""
    name = cleaned_name(name)
    if any(f.name.lower() == name.lower() for f in build.sheet):
        raise InputError("name", f"“{name}” is on the sheet already")
    made = SheetFigure(new_id(name, (f.id for f in build.sheet)), name, kind, unit, where=" ".join(where.split())[:200])
    return replace(build, sheet=(*build.sheet, made))


def with_noted(build: Build, figure_id: str, when: str, noted: Noted | None) -> Build:
    """The build with a figure's ``before`` or ``after`` written down, or taken out."""
    if all(f.id != figure_id for f in build.sheet):
        raise InputError("figure", "is not on the sheet any more")

    def changed(figure: SheetFigure) -> SheetFigure:
        return replace(figure, before=noted) if when == "before" else replace(figure, after=noted)

    return replace(build, sheet=tuple(changed(f) if f.id == figure_id else f for f in build.sheet))


def without_figure(build: Build, figure_id: str) -> Build:
    """The build without a figure of the sheet."""
    made: Build = taken_out(build, "sheet", figure_id)
    return made


def require_mark(what: str, where: str) -> None:
    """Raise InputError for a witness mark that does not say what and where it is."""
    cleaned_name(what, "what")
    if not where.strip():
        raise InputError("mark_where", "say where the mark is")


def with_mark(build: Build, mark: WitnessMark) -> Build:
    """The build with a witness mark added."""
    require_mark(mark.what, mark.where)
    what, where = cleaned_name(mark.what, "what"), " ".join(mark.where.split())
    made = replace(mark, id=new_id("mark-1", (m.id for m in build.witness_marks)), what=what, where=where)
    return replace(build, witness_marks=(*build.witness_marks, made))


def without_mark(build: Build, mark_id: str) -> Build:
    """The build without a witness mark; its photograph stays with the build."""
    made: Build = taken_out(build, "witness_marks", mark_id)
    return made


def with_photo(build: Build, photo: Photo) -> Build:
    """The build with a photograph listed; the same picture twice is one. Raises InputError where a file could not carry them all."""
    if any(p.id == photo.id for p in build.photos):
        return build
    if sum(p.size_bytes for p in build.photos) + photo.size_bytes > MOST_PHOTO_BYTES:
        raise InputError(
            "photo", f"is one more than the {MOST_PHOTO_BYTES / 1e6:.0f} MB of photographs that a build can carry; take one out first"
        )
    return replace(build, photos=(*build.photos, photo))
