"""The build as a document: one immutable value that holds everything the computation needs.

Lengths are mm, angles deg, in the vehicle frame or, for a component's own points
and solids, in that component's frame. Things refer to each other by id.
"""

from __future__ import annotations

from dataclasses import field, replace
from typing import Literal, TypeVar

from elmpeg.core.base.errors import MissingError
from elmpeg.core.base.record import record
from elmpeg.core.build.components import Component, Wheel
from elmpeg.core.build.drivelines import DEFAULT_SERIES, CarriedAxle, Driveline, JointSeries, LengthReading, ShaftOrder, SlopeReading
from elmpeg.core.build.hardware import Chain, Match, Pattern, Plate
from elmpeg.core.build.limits import Limits
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import Option
from elmpeg.core.build.rooms import Room
from elmpeg.core.build.rounds import Round
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
