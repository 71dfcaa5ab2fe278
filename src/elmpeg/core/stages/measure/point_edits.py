"""Points, and what ties them together, made, changed and taken out."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import ID, cleaned_name, new_id
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import SHORTEST_DIRECTION, Vec3, angle_deg, norm
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.survey import VEHICLE, Axis3, Depth, FrameBay, Got, Pair, Point, PointKind, Source, Span
from elmpeg.core.stages.measure.point_readings import hangs_on, require_tool

LONGEST_THREAD = 40
SAME_DIRECTION_DEG = 0.01
"""A direction written out and read back is the one that it was."""
SAID_ANEW = "its direction was said anew"
CORNERS = 4


@record
class Described:
    """What a person says about a point, all but its readings."""

    name: str
    on: str
    kind: PointKind
    got: Got = "offsets"
    start: str = ""
    between: tuple[str, ...] = ()
    plane: Axis3 = "z"
    axis: Vec3 | None = None
    hole_mm: float | None = None
    thread: str = ""
    depth: Depth = ""
    source: Source = "measured"
    same_as: str = ""
    xyz_mm: Vec3 | None = None
    note: str = ""


def with_point(build: Build, said: Described, wanted_id: str = "") -> Build:
    """The build with a new point, last; its id is made from its name where none is asked for."""
    name = cleaned_name(said.name)
    taken = {p.id for p in build.points}
    if wanted_id:
        if not ID.fullmatch(wanted_id):
            raise InputError("id", "has 1 to 80 letters, digits, spaces, dots, hyphens or underscores")
        if wanted_id in taken:
            raise InputError("id", f"“{wanted_id}” is another point of this build; choose a different one")
    point = _described(build, Point(wanted_id or new_id(name, taken), name, said.on, said.kind, said.xyz_mm or (0.0, 0.0, 0.0)), said)
    return replace(build, points=(*build.points, point))


def with_point_changed(build: Build, point_id: str, said: Described) -> Build:
    """The build with what is said of a point changed; its readings stay."""
    point = build.point(point_id)
    if said.on != point.on and hangs_on(build, point_id).all:
        raise InputError("on", f"cannot change while {', '.join(hangs_on(build, point_id).all[:3])} use this point")
    return replace(build, points=with_item(build.points, _described(build, point, said)))


def _described(build: Build, point: Point, said: Described) -> Point:
    name = cleaned_name(said.name)
    if any(p.id != point.id and p.on == said.on and p.name.lower() == name.lower() for p in build.points):
        raise InputError("name", f"another point on the same part is called “{name}” already; choose a different name")
    if said.on != VEHICLE and all(c.id != said.on for c in build.components):
        raise InputError("on", "choose the vehicle or one of the components")
    if said.axis is not None and norm(said.axis) < SHORTEST_DIRECTION:
        raise InputError("axis", "is zero along all three; an axis needs a direction")
    if said.hole_mm is not None and said.hole_mm <= 0:
        raise InputError("hole", "must be above 0")
    if len(said.thread) > LONGEST_THREAD:
        raise InputError("thread", f"has {len(said.thread)} characters; keep it to {LONGEST_THREAD}")
    on = {p.id: p.on for p in build.points if p.id != point.id}
    if said.got in ("offsets", "edges") and said.start and on.get(said.start) != said.on:
        raise InputError("start", "choose a point on the same part to measure from")
    if said.got == "middle" and (len(set(said.between)) != 2 or any(on.get(b) != said.on for b in said.between)):
        raise InputError("between", "choose two different points on the same part to lie between")
    if said.same_as and (said.on != VEHICLE or on.get(said.same_as, VEHICLE) == VEHICLE):
        raise InputError("same_as", "is for a point measured on the vehicle that is a component's own point")
    offsets = said.got in ("offsets", "edges")
    axis, leans = said.axis, point.leans
    if axis is not None and point.axis is not None and angle_deg(axis, point.axis) < SAME_DIRECTION_DEG:
        axis = point.axis
    else:
        leans = tuple(r if r.dropped else replace(r, dropped=SAID_ANEW) for r in leans)
    made = replace(
        point,
        name=name,
        on=said.on,
        kind=said.kind,
        got=said.got,
        start=said.start if offsets else "",
        between=said.between if said.got == "middle" else (),
        plane=said.plane,
        axis=axis,
        leans=leans,
        hole_mm=said.hole_mm,
        thread=" ".join(said.thread.split()),
        depth=said.depth,
        source=said.source,
        same_as=said.same_as,
        note=" ".join(said.note.split()),
        xyz_mm=said.xyz_mm or point.xyz_mm,
    )
    _refuse_ring(build, made)
    return made


def _refuse_ring(build: Build, point: Point) -> None:
    """A point measured from one that is measured from it is nowhere."""
    below = {p.id: p.bases for p in build.points} | {point.id: point.bases}
    seen: set[str] = set()
    waiting = list(below[point.id])
    while waiting:
        base = waiting.pop()
        if base == point.id:
            raise InputError("start", "is itself measured from this point; one of the two must be measured from elsewhere")
        if base not in seen:
            seen.add(base)
            waiting += below.get(base, ())


def with_place_chosen(build: Build, point_id: str, near_mm: Vec3) -> Build:
    """The build with which of two places that fit a point's tapes is meant."""
    return replace(build, points=with_item(build.points, replace(build.point(point_id), near_mm=near_mm)))


def without_point(build: Build, point_id: str) -> Build:
    """The build without a point, and without the tapes, pairs that end at it. Refused while something cannot do without it."""
    made: Build = taken_out(build, "points", point_id)
    return made


def with_span(build: Build, span: Span) -> Build:
    """The build with a tape from point to point added; its id is made here."""
    require_tool(build, span.tool)
    known = {p.id for p in build.points}
    if span.a not in known or span.b not in known or span.a == span.b:
        raise InputError("span_b", "choose two different points")
    if span.value_mm <= 0:
        raise InputError("span_text", "must be a length above 0")
    made = replace(span, id=new_id("t1", (s.id for s in build.spans)), note=" ".join(span.note.split()))
    return replace(build, spans=(*build.spans, made))


def with_span_dropped(build: Build, span_id: str, reason: str) -> Build:
    """The build with a tape set aside for a reason, or counted again when the reason is empty."""
    if all(s.id != span_id for s in build.spans):
        raise InputError("span", "is not among the tapes any more")
    tidy = " ".join(reason.split())
    return replace(build, spans=tuple(replace(s, dropped=tidy) if s.id == span_id else s for s in build.spans))


def with_pair(build: Build, left: str, right: str) -> Build:
    """The build with two points that should mirror each other."""
    points = {p.id: p for p in build.points}
    if left not in points or right not in points or left == right or points[left].on != points[right].on:
        raise InputError("pair_right", "choose a left and a right point on the same part")
    if any({p.left, p.right} == {left, right} for p in build.pairs):
        raise InputError("pair_right", "this pair is compared already")
    return replace(build, pairs=(*build.pairs, Pair(new_id("pair-1", (p.id for p in build.pairs)), left, right)))


def with_bay(build: Build, name: str, corners: tuple[str, ...]) -> Build:
    """The build with a bay of the frame whose diagonals are compared."""
    on = {p.id: p.on for p in build.points}
    if len(set(corners)) != CORNERS or any(on.get(c) != VEHICLE for c in corners):
        raise InputError("bay_4", "choose four different points on the vehicle, in order around the bay")
    made = FrameBay(new_id(name, (b.id for b in build.bays)), cleaned_name(name, "bay_name"), corners)
    return replace(build, bays=(*build.bays, made))


def without_cross(build: Build, cross_id: str) -> Build:
    """The build without a pair or a bay; the points stay."""
    return replace(
        build,
        pairs=tuple(p for p in build.pairs if p.id != cross_id),
        bays=tuple(b for b in build.bays if b.id != cross_id),
    )
