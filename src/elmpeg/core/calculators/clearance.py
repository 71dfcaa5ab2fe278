"""Calculator ``clearance``: the room between two bodies, at rest and through a movement."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from typing import Annotated, Any, Literal

from pydantic import Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Placed, Pose, placed
from elmpeg.core.base.quantities import Words, mm, words
from elmpeg.core.base.vectors import add, norm, scale, sub, unit
from elmpeg.core.calculators.directions import AxisToRight
from elmpeg.core.calculators.fields import Deg, FlatMm, Mm, Name, PointMm, PositiveMm, Request
from elmpeg.core.calculators.sheet import Answer, Calculator, Limit, Result
from elmpeg.core.methods.shapes.clearance import Body, Straight, Swing, least_room, moved, room_between
from elmpeg.core.methods.shapes.room import nearest
from elmpeg.core.methods.shapes.solids import Box, Cylinder, Extrusion, Mesh, Role, ShapeSource, Solid, Tube, View, crossing_mm

MOST_MOVES = 25
SPARE_MM = 0.02
TOUCHING_MM = 1e-6
PAIRS_NEAR = 3
"""Pairs of shapes, the nearest, that a small change can make the nearest."""
LEAST_ROOM_MM = 10.0
"""Between a moving part and its neighbour; hot, rubbing and rotating ones want more."""


class ShapeFields(Request):
    """What every shape may say besides."""

    id: Name
    name: str = ""
    role: Role = ""
    source: ShapeSource = ""
    sd_mm: Annotated[Mm, Field(ge=0)] = 0.0


class BoxFields(ShapeFields):
    """A box by its middle and full sizes."""

    kind: Literal["box"]
    centre_mm: PointMm
    size_mm: tuple[PositiveMm, PositiveMm, PositiveMm]


class CylinderFields(ShapeFields):
    """A cylinder between the middles of its ends."""

    kind: Literal["cylinder"]
    start_mm: PointMm
    end_mm: PointMm
    diameter_mm: PositiveMm


class ExtrusionFields(ShapeFields):
    """An outline in a view, pulled from one depth to another."""

    kind: Literal["extrusion"]
    view: View
    outline_mm: Annotated[list[FlatMm], Field(min_length=3, max_length=500)]
    from_mm: Mm
    to_mm: Mm


class TubeFields(ShapeFields):
    """A tube or hose along corners."""

    kind: Literal["tube"]
    path_mm: Annotated[list[PointMm], Field(min_length=2, max_length=200)]
    diameter_mm: PositiveMm


class MeshFields(ShapeFields):
    """A surface of triangles."""

    kind: Literal["mesh"]
    vertices_mm: Annotated[list[PointMm], Field(min_length=4, max_length=100_000)]
    triangles: Annotated[list[tuple[int, int, int]], Field(min_length=4, max_length=200_000)]
    closed: bool = True
    file: str = ""
    triangles_in_file: int = 0
    off_mm: Annotated[Mm, Field(ge=0)] = 0.0


SolidFields = Annotated[BoxFields | CylinderFields | ExtrusionFields | TubeFields | MeshFields, Field(discriminator="kind")]


class PoseFields(Request):
    """Where a body sits."""

    x_mm: Mm = 0.0
    y_mm: Mm = 0.0
    z_mm: Mm = 0.0
    roll_deg: Deg = 0.0
    pitch_deg: Deg = 0.0
    yaw_deg: Deg = 0.0


class BodyFields(Request):
    """Shapes that are one body, in its own frame, and where it sits."""

    solids: Annotated[list[SolidFields], Field(min_length=1, max_length=200)]
    pose: PoseFields | None = None


class StraightFields(Request):
    """One body moves straight."""

    kind: Literal["straight"]
    of: Literal["a", "b"]
    by_mm: PointMm


class SwingFields(Request):
    """One body swings about an axis by the right-hand rule."""

    kind: Literal["swing"]
    of: Literal["a", "b"]
    about_mm: PointMm
    axis: AxisToRight
    from_deg: Deg
    to_deg: Deg


class Clearance(Request):
    """Two bodies, and the movement of one of them where it moves."""

    a: BodyFields
    b: BodyFields
    motion: Annotated[StraightFields | SwingFields, Field(discriminator="kind")] | None = None


def body_of(fields: BodyFields, side: str) -> Body:
    """A body of solids; raises InputError for a shape that is none, by its field."""
    solids = tuple(_solid(s, f"{side}.solids.{k}") for k, s in enumerate(fields.solids))
    return Body(solids, _where(fields))


def _solid(f: Any, field: str) -> Solid:
    if isinstance(f, BoxFields):
        return Box(f.id, f.name, f.centre_mm, f.size_mm)
    if isinstance(f, CylinderFields):
        if f.start_mm == f.end_mm:
            raise InputError(f"{field}.end_mm", "is where the cylinder starts; give its other end")
        return Cylinder(f.id, f.name, f.start_mm, f.end_mm, f.diameter_mm)
    if isinstance(f, TubeFields):
        for k, (p, q) in enumerate(zip(f.path_mm, f.path_mm[1:], strict=False)):
            if p == q:
                raise InputError(f"{field}.path_mm.{k + 1}", "is the corner before it; leave one of them out")
        return Tube(f.id, f.name, tuple(f.path_mm), f.diameter_mm)
    if isinstance(f, ExtrusionFields):
        if f.from_mm == f.to_mm:
            raise InputError(f"{field}.to_mm", "is where the outline starts; give it some depth")
        crosses = crossing_mm(tuple(f.outline_mm))
        if crosses is not None:
            raise InputError(f"{field}.outline_mm", f"crosses itself near {crosses[0]:.1f}, {crosses[1]:.1f}; list its corners around")
        return Extrusion(f.id, f.name, f.view, tuple(f.outline_mm), min(f.from_mm, f.to_mm), max(f.from_mm, f.to_mm))
    for k, triangle in enumerate(f.triangles):
        if not all(0 <= v < len(f.vertices_mm) for v in triangle):
            raise InputError(f"{field}.triangles.{k}", f"names a corner that is not there; there are {len(f.vertices_mm)}, counted from 0")
    return Mesh(f.id, f.name, tuple(f.vertices_mm), tuple(f.triangles), f.closed, f.file or f.id)


def motion_of(request: Clearance) -> Straight | Swing | None:
    """The movement asked for."""
    m = request.motion
    if m is None:
        return None
    return Straight(m.by_mm) if isinstance(m, StraightFields) else Swing(m.about_mm, m.axis, m.from_deg, m.to_deg)


def compute(request: Clearance) -> dict[str, Any]:
    """Room at rest with its nearest points, and the least through the movement."""
    a, b = body_of(request.a, "a"), body_of(request.b, "b")
    rest = room_between(a, b)
    found: dict[str, Any] = {"distance_mm": rest.distance_mm, "nearest": {"a_mm": list(rest.on_a_mm), "b_mm": list(rest.on_b_mm)}}
    motion = motion_of(request)
    if motion is not None and request.motion is not None:
        least = least_room(a, b, request.motion.of, motion)
        then = {"a_mm": list(least.nearest.on_a_mm), "b_mm": list(least.nearest.on_b_mm)}
        found |= {"least_mm": least.least_mm, "at": least.at, "nearest_then": then}
        found["at_deg" if isinstance(motion, Swing) else "at_pct"] = least.at if isinstance(motion, Swing) else 100 * least.at
    return found


def near(request: Clearance, result: Result) -> Callable[[Clearance], Result]:
    """Room for bodies that differ a little, between the shapes that were nearest and at the place of the movement where they
    were: a small change moves the least by what it does there."""
    motion = motion_of(request)
    at: float | None = result.get("at")
    rest = _nearest_pairs(body_of(request.a, "a"), body_of(request.b, "b"))
    then = None if at is None or motion is None else _nearest_pairs(*_carried(request, at))
    off_rest = result["distance_mm"] - min(_room(body_of(request.a, "a"), body_of(request.b, "b"), rest))
    off_then = 0.0 if then is None or at is None else result["least_mm"] - min(_room(*_carried(request, at), then))

    def again(other: Clearance) -> Result:
        found = dict(result)
        found["distance_mm"] = off_rest + min(_room(*_few(other, rest), _in_order(rest)))
        if then is not None and at is not None:
            found["least_mm"] = off_then + min(_room(*_few(other, then, at), _in_order(then)))
        return found

    return again


def bears(request: Clearance, result: Result) -> Callable[[tuple[str | int, ...]], bool]:
    """Whether a figure can move the answer: all can but those of shapes that are not among the nearest."""
    pairs = _nearest_pairs(body_of(request.a, "a"), body_of(request.b, "b"))
    if "at" in result:
        pairs = pairs + _nearest_pairs(*_carried(request, result["at"]))
    of = {"a": {i for i, _ in pairs}, "b": {j for _, j in pairs}}
    return lambda path: len(path) < 3 or path[1] != "solids" or path[2] in of[str(path[0])]


def _few(request: Clearance, pairs: list[tuple[int, int]], at: float | None = None) -> tuple[Body, Body]:
    """Both bodies with just the shapes of some pairs, in their order, one of them carried to a place of the movement."""
    of = {"a": [i for i, _ in pairs], "b": [j for _, j in pairs]}
    made = {
        side: Body(tuple(_solid(fields.solids[k], f"{side}.solids.{k}") for k in of[side]), _where(fields))
        for side, fields in (("a", request.a), ("b", request.b))
    }
    motion = motion_of(request)
    if at is not None and motion is not None and request.motion is not None:
        made[request.motion.of] = moved(made[request.motion.of], motion, at)
    return made["a"], made["b"]


def _in_order(pairs: list[tuple[int, int]]) -> list[tuple[int, int]]:
    return [(k, k) for k in range(len(pairs))]


def _where(fields: BodyFields) -> Placed:
    return placed(Pose(**fields.pose.model_dump()) if fields.pose else Pose())


def _carried(request: Clearance, at: float) -> tuple[Body, Body]:
    a, b = body_of(request.a, "a"), body_of(request.b, "b")
    motion = motion_of(request)
    if motion is None or request.motion is None:
        return a, b
    return (moved(a, motion, at), b) if request.motion.of == "a" else (a, moved(b, motion, at))


def _nearest_pairs(a: Body, b: Body) -> list[tuple[int, int]]:
    every = [(i, j) for i in range(len(a.solids)) for j in range(len(b.solids))]
    return sorted(every, key=lambda p: nearest(a.solids[p[0]], a.where, b.solids[p[1]], b.where).distance_mm)[:PAIRS_NEAR]


def _room(a: Body, b: Body, pairs: list[tuple[int, int]]) -> list[float]:
    return [nearest(a.solids[i], a.where, b.solids[j], b.where).distance_mm for i, j in pairs]


def limits(request: Clearance, result: Result) -> tuple[Limit, ...]:
    """Enough room at rest and on the way."""
    value = result.get("least_mm", result["distance_mm"])
    when = "Least room on the way" if "least_mm" in result else "Room between them"
    return (Limit("room", when, value, "mm", low=LEAST_ROOM_MM, mend=partial(_apart, request)),)


def _apart(request: Clearance) -> Words:
    """How to move the second body so that there is room, at rest and all the way: away along the line between the nearest points,
    and again where another place is then the nearest."""
    a, b, shift = body_of(request.a, "a"), body_of(request.b, "b"), (0.0, 0.0, 0.0)
    motion = motion_of(request)
    for _ in range(MOST_MOVES):
        there = Body(b.solids, Placed(b.where.rotation, add(b.where.origin_mm, shift)))
        found = room_between(a, there)
        if motion is not None and request.motion is not None:
            # A swing of the second body is about an axis that stays where it is.
            found = least_room(a, there, request.motion.of, motion).nearest
        lacking = LEAST_ROOM_MM - found.distance_mm
        if lacking <= 0:
            return words("move the second body by {0}, {1}, {2} (X, Y, Z)", *(mm(v) for v in shift))
        away = sub(found.on_b_mm, found.on_a_mm) if found.distance_mm >= 0 else sub(found.on_a_mm, found.on_b_mm)
        way = unit(away) if norm(away) > TOUCHING_MM else (0.0, 0.0, -1.0)
        shift = add(shift, scale(way, lacking + SPARE_MM))
    return words("they need more room than moving the second body away can give; change the movement or the shapes")


CALCULATOR = Calculator(
    name="clearance",
    purpose="Room between two bodies, at rest and through a whole movement",
    request=Clearance,
    compute=compute,
    stage="Clear",
    title="Room between two parts",
    words=("clearance", "room", "gap", "foul", "tailgate", "door", "swing", "hits", "touches", "through a movement", "bump", "slide under", "pallet", "on its pallet", "lift out", "connector", "parachute pack"),
    answers=(
        Answer("least_mm", "Least room on the way"),
        Answer("distance_mm", "Room as they stand"),
        Answer("at_deg", "Nearest at"),
        Answer("at_pct", "Nearest, of the way"),
    ),
    formula="The exact distance between the two bodies. Where they overlap it is minus the least shift that parts them. Through a movement the "
    "least is searched so that nothing nearer by more than 0.005 mm can hide between steps.",
    source="Distance of convex bodies; bounds by how fast the farthest point moves.",
    not_told="Flex, engine roll, heat, and anything that was not put in as a shape.",
    example={
        "a": {"solids": [{"id": "flap", "kind": "box", "centre_mm": [-20, 0, -250], "size_mm": [40, 1400, 500]}]},
        "b": {"solids": [{"id": "bumper", "kind": "box", "centre_mm": [300, 0, -560], "size_mm": [120, 1500, 100]}]},
        "motion": {"of": "a", "kind": "swing", "about_mm": [0, 0, 0], "axis": {"kind": "to_the_right"}, "from_deg": -95, "to_deg": 0},
    },
    limits=limits,
    near=near,
    bears=bears,
    exact=('motion.from_deg', 'motion.to_deg', 'motion.by_mm'),
    labels={
        "a": "First body", "b": "Second body", "a.solids": "Its shapes", "b.solids": "Its shapes", "a.pose": "Where it sits", "b.pose": "Where it sits",
        **{f"{side}.pose.{name}": said for side in "ab" for name, said in (
            ("roll_deg", "Right side up"), ("pitch_deg", "Tail down"), ("yaw_deg", "Tail to the right"))},
        "motion": "Movement", "motion.of": "Which moves", "motion.by_mm": "moves by", "motion.about_mm": "swings about", "motion.axis": "hinge line points",
        "motion.from_deg": "from", "motion.to_deg": "to",
    },
)  # fmt: skip
