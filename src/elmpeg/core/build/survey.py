"""What is measured: the datum and level, tools, readings, points, tapes between points, figures and marks noted down.

Lengths are mm, angles deg, in the vehicle frame or, for a component's own points,
in that component's frame. Things refer to each other by id.
"""

from __future__ import annotations

from typing import Annotated, Literal

from elmpeg.core.base.declared import NOT_NEGATIVE, POSITIVE, Called, In, SignedBy, Within
from elmpeg.core.base.quantities import Unit
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3

VEHICLE = "vehicle"
"""What a point or solid is on when it is not on a component."""

PointKind = Literal["hole", "face", "joint", "edge", "wheel", "corner"]
Along = Literal["x", "y", "z", "tape"]
"""What a reading is taken along: an axis, or a tape held at a known point."""
Edge = Literal["", "near", "far"]
"""Which edge of a hole a reading was taken at: the one with the smaller coordinate is the near one."""
Got = Literal["offsets", "tapes", "centres", "edges", "middle"]
"""How a point's figures are got from its readings: see ``locating``."""
Depth = Literal["", "through", "blind"]
Source = Literal["measured", "drawing", "borrowed", "assumed"]
NOT_MEASURED: tuple[Source, ...] = ("borrowed", "assumed")
"""Where figures come from that nobody took on this vehicle."""
Axis3 = Literal["x", "y", "z"]


STEEPEST_DEG = 20.0
"""No vehicle is measured standing steeper than this."""
READ = SignedBy("read", for_others=True, apart=("dropped",))
NOTED = SignedBy("read", for_others=True, apart=("note", "dropped"))


@record
class Datum:
    """Where X, Y and Z are zero on this vehicle, and how level was established."""

    where: str
    level: str
    ground_z_mm: float = 0.0
    x_zero: str = ""
    y_zero: str = ""
    z_zero: str = ""


@record
class Tool:
    """What a reading is taken with, and how far its readings scatter (one standard deviation).

    A tool for lengths has ``sd_mm``, one for angles ``sd_deg``. ``plumb`` tools read
    against gravity: what they say depends on how the vehicle stands.
    """

    id: str
    name: str
    sd_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    sd_deg: Annotated[float, NOT_NEGATIVE] = 0.0
    plumb: bool = False


@record
class Reading:
    """One measured figure of a point: as typed, as understood, by whom and with what.

    Along an axis it is a coordinate; along a tape the distance from the point
    ``held_at``. With an ``edge`` it is a coordinate of a hole's edge. ``level`` is
    None for what does not depend on how the vehicle stood, else the levelling that
    held when it was taken (empty: none had been recorded). ``blind`` readings were
    taken without seeing the earlier ones. A reading that a person has set aside
    stays, with the reason in ``dropped``; ``kept`` is why it stands beside one that
    it disagrees with.
    """

    id: str
    axis: Along
    text: str
    value_mm: float
    tool: str
    person: Annotated[str, SignedBy("read blind", apart=("note", "dropped", "kept", "level", "photo"), where="blind")]
    taken_at: str
    note: str = ""
    dropped: str = ""
    unit: Literal["mm", "in"] = "mm"
    held_at: str = ""
    edge: Edge = ""
    level: str | None = None
    blind: bool = False
    kept: str = ""
    photo: str = ""


@record
class LeanReading:
    """One gauge reading of how far a point's axis leans from what it belongs to, tail down positive."""

    id: str
    text: str
    value_deg: float
    tool: str
    person: Annotated[str, READ]
    taken_at: str
    dropped: str = ""


@record
class Point:
    """A located feature. ``on`` is a component's id, or ``vehicle``; coordinates are in that frame.

    ``got`` says how the readings give the coordinates: ``offsets`` from the datum or
    from the point ``start``; ``tapes`` from known points; ``centres``, tapes within
    the plane square to ``plane`` through the points they are held at; ``edges`` of a
    hole; or the ``middle`` between the two points ``between``. Where two places fit,
    the one nearer to ``near_mm`` is meant. ``sd_mm`` overrides the doubt that follows
    from source, tool and readings. ``axis`` is needed where something is bolted
    through it or turns in it. ``same_as`` names the component's point that this one,
    measured on the vehicle, is. ``leans`` are gauge readings that ``axis`` follows. ``again`` is why somebody wants it measured again.
    """

    id: str
    name: str
    on: str
    kind: PointKind
    xyz_mm: Vec3
    axis: Annotated[Vec3 | None, In("ratio")] = None
    hole_mm: Annotated[float | None, POSITIVE] = None
    source: Source = "measured"
    tool: str = "tape"
    sd_mm: Annotated[float | None, NOT_NEGATIVE] = None
    axis_sd_deg: Annotated[float | None, NOT_NEGATIVE, Called("doubt of its axis")] = None
    readings: tuple[Reading, ...] = ()
    note: str = ""
    got: Annotated[Got, Called("got by")] = "offsets"
    start: Annotated[str, Called("measured from")] = ""
    between: tuple[str, ...] = ()
    plane: Axis3 = "z"
    near_mm: Annotated[Vec3 | None, Called("roughly at")] = None
    thread: str = ""
    depth: Depth = ""
    same_as: Annotated[str, Called("the same point as")] = ""
    again: Annotated[str, Called("measured again because")] = ""
    photo: str = ""
    leans: tuple[LeanReading, ...] = ()

    @property
    def bases(self) -> tuple[str, ...]:
        """The points that this one is measured from."""
        if self.got == "middle":
            return self.between
        held = [r.held_at for r in self.readings if r.held_at and r.axis == "tape" and not r.dropped]
        return tuple(dict.fromkeys([*([self.start] if self.start else []), *held]))


@record
class Span:
    """A tape from one point to another, to hold against their coordinates."""

    id: str
    a: Annotated[str, Called("from point")]
    b: Annotated[str, Called("to point")]
    text: str
    value_mm: Annotated[float, POSITIVE]
    tool: str
    person: Annotated[str, NOTED]
    taken_at: str
    note: str = ""
    dropped: str = ""


@record
class Pair:
    """Two points that should be each other's mirror image across the vehicle's centre plane."""

    id: str
    left: Annotated[str, Called("left hole")]
    right: Annotated[str, Called("right hole")]


@record
class FrameBay:
    """Four points around a bay of the frame, in order; it is square where its diagonals are equal."""

    id: str
    name: str
    corners: tuple[str, ...]


@record
class LevelPlace:
    """One height that was read at a place that should be level with the others."""

    name: str
    xyz_mm: Vec3


@record
class Levelling:
    """How the vehicle stood: off level by pitch (tail down positive) and roll (right side up positive).

    ``applied`` is what was done about it: the vehicle was ``levelled`` to within
    this, or it was left standing so and readings against gravity are ``corrected``.
    ``sd_deg`` is how well it is known.
    """

    id: str
    how: Annotated[Literal["heights", "gauges"], Called("read with")]
    pitch_deg: Annotated[float, Within(-STEEPEST_DEG, STEEPEST_DEG)]
    roll_deg: Annotated[float, Within(-STEEPEST_DEG, STEEPEST_DEG)]
    sd_deg: Annotated[float, NOT_NEGATIVE]
    applied: Annotated[Literal["levelled", "corrected"], Called("used for angles and heights")]
    person: Annotated[str, SignedBy("levelled", for_others=True, apart=("note",))]
    taken_at: str
    places: tuple[LevelPlace, ...] = ()
    texts: tuple[str, ...] = ()
    note: str = ""


@record
class Noted:
    """One figure as somebody wrote it down."""

    text: str
    value: Annotated[float, In("mm", beside="the figure")]
    tool: str
    person: Annotated[str, SignedBy("noted", for_others=True)]
    taken_at: str


SheetKind = Literal["ride height", "shaft length", "gap", "wheel centre", "angle", "other"]


@record
class SheetFigure:
    """A named figure of the vehicle as it came, and as it goes."""

    id: str
    name: str
    kind: SheetKind
    unit: Unit
    before: Noted | None = None
    after: Noted | None = None
    where: str = ""


@record
class WitnessMark:
    """A mark made so that something returns to its place, or so that moving shows."""

    id: str
    what: Annotated[str, Called("what it marks")]
    where: str
    person: Annotated[str, SignedBy("marked", for_others=True, apart=("what", "where", "photo"))]
    made_at: str
    photo: str = ""


@record
class Photo:
    """A photograph kept beside the build; ``id`` is taken from its content."""

    id: str
    name: str
    caption: str
    width_px: int
    height_px: int
    size_bytes: int
    person: Annotated[str, SignedBy("brought in", for_others=True, apart=("name", "caption"))]
    added_at: str


DEFAULT_TOOLS = (
    Tool("tape", "steel tape", 1.0),
    Tool("caliper", "caliper", 0.05),
    Tool("plumb", "plumb bob", 1.5, plumb=True),
    Tool("laser", "laser line", 1.0, plumb=True),
    Tool("eye", "by eye", 5.0),
    Tool("gauge", "angle gauge", 0.0, 0.1),
)


BY_EYE_DEG = 1.0
"""Doubt of an angle read with no known tool."""


BY_EYE_MM = 5.0
