"""The build as a document: one immutable value that holds everything the computation needs.

Lengths are mm, angles deg, in the vehicle frame or, for a component's own points
and solids, in that component's frame. Things refer to each other by id.
"""

from __future__ import annotations

from dataclasses import field, replace
from typing import Literal, TypeVar

from elmpeg.core.base.errors import MissingError
from elmpeg.core.base.pose import Pose
from elmpeg.core.base.quantities import Unit
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.drivelines import DEFAULT_SERIES, CarriedAxle, Driveline, JointSeries, LengthReading, ShaftOrder, SlopeReading
from elmpeg.core.build.hardware import Around, Boxed, Bush, Chain, Fastener, Hanger, Hold, Layer, Match, Pattern, Plate
from elmpeg.core.build.survey import (
    BY_EYE_DEG,
    BY_EYE_MM,
    DEFAULT_TOOLS,
    Datum,
    FrameBay,
    Levelling,
    Pair,
    Photo,
    Point,
    SheetFigure,
    Span,
    Tool,
    WitnessMark,
)
from elmpeg.core.methods.driveline.joint_limits import JointLimits, School
from elmpeg.core.methods.shapes.solids import Solid

Material = Literal["card", "board", "print", "tacked", "welded", "final"]
FindingKind = Literal["fouls", "gap", "misaligned", "wrong hand", "cannot reach", "weak", "good"]
Decision = Literal["", "again", "change", "go on"]
Stage = Literal["Reference", "Measure", "Place", "Mount", "Drive", "Link", "Ride", "Clear", "Make", "Fit", "Hand over"]


@record
class Component:
    """A part that is placed. A child is bolted to its parent and ``pose`` is then where it sits on that.

    For the rest ``pose`` is where it sits in the vehicle unless an option says otherwise.
    """

    id: str
    name: str
    pose: Pose
    solids: tuple[Solid, ...] = ()
    parent: str | None = None
    movable: bool = True
    note: str = ""


@record
class Wheel:
    """A wheel, for the drawing and for standing the vehicle on; ``on`` is the axle that carries it, where it is said."""

    id: str
    centre_mm: Vec3
    diameter_mm: float
    width_mm: float
    on: str = ""


@record
class Mount:
    """A component's point held to a seat on the vehicle by a bolt, with what lies between.

    ``layers`` are what the bolt goes through besides the stack: the foot's first, then
    the seat's. ``uses`` are the vehicle's own holes that a bracket is bolted to.
    """

    id: str
    name: str
    component_point: str
    seat_point: str
    bolt_mm: float
    tolerance_mm: float = 0.5
    hold: Hold = "spacers"
    layers: tuple[Layer, ...] = ()
    fastener: Fastener | None = None
    around: Around | None = None
    bush: Bush | None = None
    boxed: Boxed | None = None
    hanger: Hanger | None = None
    plate: str = ""
    uses: tuple[str, ...] = ()


@record
class StackPiece:
    """So many pieces of one kind from the shelf."""

    stock: str
    name: str
    mm: float
    count: int


@record
class MountStack:
    """The stack that an option uses at one mount."""

    mount: str
    pieces: tuple[StackPiece, ...]

    @property
    def total_mm(self) -> float:
        """Thickness along the bolt."""
        return sum(p.mm * p.count for p in self.pieces)


@record
class SolidRef:
    """One solid of a component, or of the vehicle."""

    on: str
    solid: str


@record
class Room:
    """Two solids that must stay apart. ``sd_mm`` is how well their shapes are known."""

    id: str
    name: str
    a: SolidRef
    b: SolidRef
    at_least_mm: float
    sd_mm: float = 2.0
    why: str = ""


@record
class Limits:
    """What the build holds its checks against; leads may change it."""

    school: School = "three_degree"
    joints: JointLimits = field(default_factory=JointLimits)
    mount_tilt_deg: float = 1.0
    square_mm: float = 3.0
    mirror_mm: float = 3.0


@record
class Position:
    """Where an option puts one component."""

    component: str
    pose: Pose


@record
class Option:
    """One trial set of positions for the build, with the stacks that fill its gaps."""

    id: str
    name: str
    positions: tuple[Position, ...] = ()
    stacks: tuple[MountStack, ...] = ()
    note: str = ""


@record
class Prediction:
    """One check as it stood when a round began."""

    code: str
    name: str
    value: float
    unit: Unit
    low: float | None
    high: float | None
    sd: float
    verdict: Verdict


@record
class PredictedPoint:
    """Where a component's point was to be, in the vehicle frame."""

    point: str
    name: str
    component: str
    xyz_mm: Vec3
    sd_mm: float


@record
class Measured:
    """What the tape said about one prediction."""

    code: str
    text: str
    value: float
    sd: float
    person: str
    taken_at: str


@record
class MeasuredPoint:
    """Where a component's point was found, in the vehicle frame."""

    point: str
    text: str
    xyz_mm: Vec3
    sd_mm: float
    person: str
    taken_at: str


@record
class Finding:
    """What a round showed, at a point or a mount."""

    id: str
    kind: FindingKind
    place: str
    words: str
    owner: str
    done: bool = False


@record
class Round:
    """One test fit: what was predicted, what was measured, what was found and decided."""

    id: str
    number: int
    option: str
    option_name: str
    material: Material
    by: str
    started: str
    positions: tuple[Position, ...]
    predictions: tuple[Prediction, ...]
    points: tuple[PredictedPoint, ...]
    measured: tuple[Measured, ...] = ()
    measured_points: tuple[MeasuredPoint, ...] = ()
    findings: tuple[Finding, ...] = ()
    decision: Decision = ""
    decision_words: str = ""
    closed: str = ""


@record
class Build:
    """One vehicle's job, whole."""

    id: str
    name: str
    vehicle: str
    datum: Datum
    stage: Stage = "Measure"
    solids: tuple[Solid, ...] = ()
    wheels: tuple[Wheel, ...] = ()
    components: tuple[Component, ...] = ()
    points: tuple[Point, ...] = ()
    mounts: tuple[Mount, ...] = ()
    drivelines: tuple[Driveline, ...] = ()
    rooms: tuple[Room, ...] = ()
    limits: Limits = field(default_factory=Limits)
    options: tuple[Option, ...] = ()
    agreed: str | None = None
    rounds: tuple[Round, ...] = ()
    tools: tuple[Tool, ...] = DEFAULT_TOOLS
    cautions: tuple[str, ...] = ()
    levellings: tuple[Levelling, ...] = ()
    sheet: tuple[SheetFigure, ...] = ()
    witness_marks: tuple[WitnessMark, ...] = ()
    photos: tuple[Photo, ...] = ()
    spans: tuple[Span, ...] = ()
    pairs: tuple[Pair, ...] = ()
    bays: tuple[FrameBay, ...] = ()
    patterns: tuple[Pattern, ...] = ()
    matches: tuple[Match, ...] = ()
    plates: tuple[Plate, ...] = ()
    chains: tuple[Chain, ...] = ()
    axles: tuple[CarriedAxle, ...] = ()
    series: tuple[JointSeries, ...] = DEFAULT_SERIES
    lengths: tuple[LengthReading, ...] = ()
    slopes: tuple[SlopeReading, ...] = ()
    orders: tuple[ShaftOrder, ...] = ()

    def option(self, option_id: str) -> Option:
        """The option of an id; raises MissingError."""
        return find(self.options, option_id, "option")

    def component(self, component_id: str) -> Component:
        """The component of an id; raises MissingError."""
        return find(self.components, component_id, "component")

    def point(self, point_id: str) -> Point:
        """The point of an id; raises MissingError."""
        return find(self.points, point_id, "point")

    def mount(self, mount_id: str) -> Mount:
        """The mount of an id; raises MissingError."""
        return find(self.mounts, mount_id, "mount")

    def pattern(self, pattern_id: str) -> Pattern:
        """The pattern of an id; raises MissingError."""
        return find(self.patterns, pattern_id, "pattern")

    def plate(self, plate_id: str) -> Plate:
        """The adapter plate of an id; raises MissingError."""
        return find(self.plates, plate_id, "plate")

    def chain(self, chain_id: str) -> Chain:
        """The chain of dimensions of an id; raises MissingError."""
        return find(self.chains, chain_id, "chain")

    def driveline(self, line_id: str) -> Driveline:
        """The driveline of an id; raises MissingError."""
        return find(self.drivelines, line_id, "driveline")

    def axle(self, axle_id: str) -> CarriedAxle:
        """The carried axle of an id; raises MissingError."""
        return find(self.axles, axle_id, "carried axle")

    def order(self, order_id: str) -> ShaftOrder:
        """The shaft order of an id; raises MissingError."""
        return find(self.orders, order_id, "shaft order")

    def tool_sd_mm(self, tool_id: str) -> float:
        """The doubt of a length tool, or of the eye where the tool is not known."""
        return next((t.sd_mm for t in self.tools if t.id == tool_id and t.sd_mm > 0), BY_EYE_MM)

    def tool_sd_deg(self, tool_id: str) -> float:
        """The doubt of an angle tool, or of the eye where the tool is not known."""
        return next((t.sd_deg for t in self.tools if t.id == tool_id and t.sd_deg > 0), BY_EYE_DEG)

    def round(self, round_id: str) -> Round:
        """The round of an id; raises MissingError."""
        return find(self.rounds, round_id, "round")


Named = TypeVar("Named", Option, Component, Point, Mount, Round, Driveline, Pattern, Plate, Chain, CarriedAxle, ShaftOrder)


def find(items: tuple[Named, ...], item_id: str, what: str) -> Named:
    """The item of an id; raises MissingError naming what was looked for."""
    for item in items:
        if item.id == item_id:
            return item
    raise MissingError(f"this build has no {what} “{item_id}”")


def with_item(items: tuple[Named, ...], changed: Named) -> tuple[Named, ...]:
    """The items with the one of the same id replaced."""
    return tuple(changed if item.id == changed.id else item for item in items)


def with_option(build: Build, option: Option) -> Build:
    """The build with one option replaced."""
    return replace(build, options=with_item(build.options, option))


def stack_of(option: Option, mount_id: str) -> MountStack | None:
    """The stack an option uses at a mount, if any."""
    return next((s for s in option.stacks if s.mount == mount_id), None)


def with_positions(option: Option, positions: tuple[Position, ...]) -> Option:
    """An option with some positions in place of its own."""
    mine = {p.component for p in positions}
    return replace(option, positions=(*(p for p in option.positions if p.component not in mine), *positions))
