"""The build as a document: one immutable value that holds everything the computation needs.

Lengths are mm, angles deg, in the vehicle frame or, for a component's own points
and solids, in that component's frame. Things refer to each other by id.
"""

from __future__ import annotations

from dataclasses import field, replace
from typing import Annotated, Literal, TypeVar, cast

from elmpeg.core.base.declared import LeadOnly
from elmpeg.core.base.record import record
from elmpeg.core.build.components import Component, Wheel
from elmpeg.core.build.drivelines import DEFAULT_SERIES, CarriedAxle, Driveline, JointSeries, LengthReading, ShaftOrder, SlopeReading
from elmpeg.core.build.entities import Entity, Refers, entities, item_of, listed
from elmpeg.core.build.hardware import Chain, Match, Pattern
from elmpeg.core.build.limits import Limits
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Excepted, Option
from elmpeg.core.build.pieces import Brake, Piece, TestStrip
from elmpeg.core.build.reckonings import Reckoning
from elmpeg.core.build.rooms import Room
from elmpeg.core.build.rounds import Round
from elmpeg.core.build.stands import Stand
from elmpeg.core.build.structures import Structure
from elmpeg.core.build.survey import (
    BY_EYE_DEG,
    BY_EYE_MM,
    DEFAULT_TOOLS,
    VEHICLE,
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
from elmpeg.core.build.underlays import Underlay
from elmpeg.core.build.weldments import Weldment
from elmpeg.core.methods.shapes.solids import Solid

Stage = Literal["Reference", "Measure", "Place", "Mount", "Drive", "Link", "Ride", "Clear", "Make", "Fit", "Hand over"]


@record
class Build:
    """One vehicle's job, whole."""

    id: str
    name: str
    vehicle: str
    datum: Datum
    stage: Stage = "Measure"
    solids: tuple[Solid, ...] = listed("shape of the vehicle", 2000, page="shapes")
    wheels: tuple[Wheel, ...] = listed("wheel", 40, Refers("on", "components"))
    components: tuple[Component, ...] = listed("component", 500, Refers("parent", "components", (), says="{name} (bolted to it)"))
    points: tuple[Point, ...] = listed(
        "point",
        5000,
        Refers("on", "components", (VEHICLE,), "goes"),
        Refers("bases", "points", (), says="{name} (measured from it)"),
        Refers("same_as", "points", says="{name} (the same point in the vehicle)"),
        Refers("readings.tool", "tools", (), says="{name} (read with it)", loose=True),
        Refers("readings.level", "levellings", says="{name} (read under it)", loose=True),
        Refers("leans.tool", "tools", (), says="{name} (its direction read with it)", loose=True),
        inner=("readings", "leans"),
        page="measure",
    )
    mounts: tuple[Mount, ...] = listed(
        "mount",
        1000,
        Refers("component_point", "points", ()),
        Refers("seat_point", "points", ()),
        Refers("uses", "points", (), says="{name} (a hole it uses)"),
        Refers("plate", "pieces"),
        inner=("layers",),
        page="mounts",
        rows=("layers",),
    )
    drivelines: tuple[Driveline, ...] = listed(
        "driveline",
        100,
        Refers("joints.point", "points", ()),
        Refers("axle", "axles"),
        Refers("shafts.series", "series"),
        inner=("joints",),
        page="drive_lines",
    )
    rooms: tuple[Room, ...] = listed(
        "room",
        1000,
        Refers("a.on", "components", (VEHICLE,), "goes"),
        Refers("b.on", "components", (VEHICLE,), "goes"),
        Refers("vehicle_solids", "solids", (), "goes", loose=True),
    )
    limits: Annotated[Limits, LeadOnly("limits")] = field(default_factory=Limits)
    options: tuple[Option, ...] = listed(
        "option",
        200,
        Refers("positions.component", "components", (), "goes"),
        Refers("stacks.mount", "mounts", (), "goes"),
        page="bay",
    )
    agreed: Annotated[str | None, LeadOnly("which option is agreed")] = None
    agreed_because: Annotated[str, LeadOnly("why an option is agreed")] = ""
    agreed_except: Annotated[tuple[Excepted, ...], LeadOnly("what an option is agreed with although it fails")] = ()
    """What failed when it was agreed, and was accepted by name."""
    rounds: tuple[Round, ...] = listed(
        "round",
        500,
        Refers("measured_points.point", "points", then="told", says="round {number}", loose=True),
        page="fit",
        rows=("findings",),
    )
    tools: Annotated[tuple[Tool, ...], LeadOnly("how good a tool is")] = listed("tool", 200, page="reference", default=DEFAULT_TOOLS)
    cautions: tuple[str, ...] = ()
    levellings: tuple[Levelling, ...] = listed("levelling", 500, page="reference", rows=("places",))
    sheet: tuple[SheetFigure, ...] = listed("figure on the sheet", 1000, page="reference")
    witness_marks: tuple[WitnessMark, ...] = listed("witness mark", 500, Refers("photo", "photos"), page="reference")
    photos: tuple[Photo, ...] = listed("photograph", 1000, page="reference")
    underlays: tuple[Underlay, ...] = listed(
        "photograph under a view", 200, Refers("photo", "photos"), Refers("on", "components", (VEHICLE,), "goes"), page="shapes"
    )
    spans: tuple[Span, ...] = listed(
        "tape",
        5000,
        Refers("a", "points", (), "goes", "tape {a} to {b}"),
        Refers("b", "points", (), "goes", "tape {a} to {b}"),
        Refers("tool", "tools", (), says="tape {a} to {b}", loose=True),
        page="cross",
    )
    pairs: tuple[Pair, ...] = listed(
        "pair",
        1000,
        Refers("left", "points", (), "goes", "left and right: {a}, {b}"),
        Refers("right", "points", (), "goes", "left and right: {a}, {b}"),
        page="cross",
    )
    bays: tuple[FrameBay, ...] = listed("frame bay", 200, Refers("corners", "points", (), says="{name} (a corner)"), page="cross")
    patterns: tuple[Pattern, ...] = listed(
        "pattern",
        500,
        Refers("points", "points", (), says="{name} (a pattern)"),
        inner=("holes",),
        page="patterns",
        rows=("holes", "distances"),
    )
    matches: tuple[Match, ...] = listed("match", 500, Refers("holes", "patterns", ()), Refers("studs", "patterns", ()), page="patterns")
    pieces: tuple[Piece, ...] = listed(
        "piece",
        500,
        Refers("lower", "patterns"),
        Refers("upper", "patterns"),
        Refers("faces.points", "points", (), says="{name} (a hole of its)"),
        Refers("photo", "photos"),
        Refers("between.chain", "chains", says="{name} (a plate that lies between)"),
        inner=("revisions", "sendings", "squares", "faces", "own_holes", "cutouts", "bends"),
        page="pieces",
    )
    structures: tuple[Structure, ...] = listed(
        "structure",
        100,
        Refers("nodes.point", "points", says="{name} (a node of its)"),
        inner=("nodes", "members"),
        page="structures",
        rows=("nodes", "members"),
    )
    stands: tuple[Stand, ...] = listed(
        "stand",
        100,
        Refers("parts.piece", "pieces", (), says="{name} (a plate of its)"),
        inner=("parts", "bolts", "ticks"),
        page="stands",
        rows=("bolts",),
    )
    weldments: tuple[Weldment, ...] = listed(
        "weldment",
        200,
        Refers("seams.joins", "pieces", then="told", says="{name} (joins it)", loose=True),
        inner=("seams", "heated", "gates", "done"),
        page="welding",
        rows=("heated", "gates"),
    )
    strips: tuple[TestStrip, ...] = listed("test strip", 100, page="sheet_rules")
    brake: Brake = field(default_factory=Brake)
    chains: tuple[Chain, ...] = listed(
        "chain of dimensions",
        200,
        Refers("links.from_point", "points", says="{name} (a chain)"),
        Refers("links.to_point", "points", says="{name} (a chain)"),
        Refers("links.mount", "mounts", says="{name} (a chain)"),
        inner=("links",),
        page="chains",
        rows=("links",),
    )
    axles: tuple[CarriedAxle, ...] = listed(
        "carried axle",
        50,
        Refers("component", "components", ()),
        Refers("pivot_point", "points"),
        Refers("upper.frame_point", "points"),
        Refers("upper.axle_point", "points"),
        Refers("lower.frame_point", "points"),
        Refers("lower.axle_point", "points"),
        Refers("seat_point", "points"),
        Refers("eye_point", "points"),
        inner=("readings",),
        page="drive_axles",
    )
    series: Annotated[tuple[JointSeries, ...], LeadOnly("joint sizes")] = listed(
        "joint size", 100, page="drive_rules", default=DEFAULT_SERIES
    )
    lengths: tuple[LengthReading, ...] = listed("taped length", 2000, Refers("line", "drivelines", (), "goes"), page="drive_order")
    slopes: tuple[SlopeReading, ...] = listed("slope reading", 2000, Refers("line", "drivelines", (), "goes"), page="drive_order")
    orders: tuple[ShaftOrder, ...] = listed(
        "shaft order",
        500,
        Refers("line", "drivelines", (), says="its order to {maker}"),
        Refers("option", "options", (), says="an order to {maker}"),
        Refers("photos", "photos", ()),
        page="drive_order",
    )
    reckonings: tuple[Reckoning, ...] = listed("reckoning", 500, page="build_reckoner")

    def option(self, option_id: str) -> Option:
        """The option of an id; raises MissingError."""
        return cast(Option, item_of(self, "options", option_id))

    def component(self, component_id: str) -> Component:
        """The component of an id; raises MissingError."""
        return cast(Component, item_of(self, "components", component_id))

    def point(self, point_id: str) -> Point:
        """The point of an id; raises MissingError."""
        return cast(Point, item_of(self, "points", point_id))

    def mount(self, mount_id: str) -> Mount:
        """The mount of an id; raises MissingError."""
        return cast(Mount, item_of(self, "mounts", mount_id))

    def pattern(self, pattern_id: str) -> Pattern:
        """The pattern of an id; raises MissingError."""
        return cast(Pattern, item_of(self, "patterns", pattern_id))

    def piece(self, piece_id: str) -> Piece:
        """The piece of an id; raises MissingError."""
        return cast(Piece, item_of(self, "pieces", piece_id))

    def structure(self, structure_id: str) -> Structure:
        """The structure of an id; raises MissingError."""
        return cast(Structure, item_of(self, "structures", structure_id))

    def stand(self, stand_id: str) -> Stand:
        """The stand of an id; raises MissingError."""
        return cast(Stand, item_of(self, "stands", stand_id))

    def weldment(self, weldment_id: str) -> Weldment:
        """The weldment of an id; raises MissingError."""
        return cast(Weldment, item_of(self, "weldments", weldment_id))

    def chain(self, chain_id: str) -> Chain:
        """The chain of dimensions of an id; raises MissingError."""
        return cast(Chain, item_of(self, "chains", chain_id))

    def driveline(self, line_id: str) -> Driveline:
        """The driveline of an id; raises MissingError."""
        return cast(Driveline, item_of(self, "drivelines", line_id))

    def axle(self, axle_id: str) -> CarriedAxle:
        """The carried axle of an id; raises MissingError."""
        return cast(CarriedAxle, item_of(self, "axles", axle_id))

    def order(self, order_id: str) -> ShaftOrder:
        """The shaft order of an id; raises MissingError."""
        return cast(ShaftOrder, item_of(self, "orders", order_id))

    def tool_sd_mm(self, tool_id: str) -> float:
        """The doubt of a length tool, or of the eye where the tool is not known."""
        return next((t.sd_mm for t in self.tools if t.id == tool_id and t.sd_mm > 0), BY_EYE_MM)

    def tool_sd_deg(self, tool_id: str) -> float:
        """The doubt of an angle tool, or of the eye where the tool is not known."""
        return next((t.sd_deg for t in self.tools if t.id == tool_id and t.sd_deg > 0), BY_EYE_DEG)

    def round(self, round_id: str) -> Round:
        """The round of an id; raises MissingError."""
        return cast(Round, item_of(self, "rounds", round_id))


Named = TypeVar(
    "Named", Option, Component, Point, Mount, Round, Driveline, Pattern, Piece, Chain, CarriedAxle, ShaftOrder, Structure, Stand, Weldment
)


def with_item(items: tuple[Named, ...], changed: Named) -> tuple[Named, ...]:
    """The items with the one of the same id replaced."""
    return tuple(changed if item.id == changed.id else item for item in items)


ENTITIES: dict[str, Entity] = entities(Build)
"""Everything that a build lists, by list."""


def with_option(build: Build, option: Option) -> Build:
    """The build with one option replaced."""
    return replace(build, options=with_item(build.options, option))
