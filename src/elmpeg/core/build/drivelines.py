"""What a driveline is made of, how its axle is carried, and its order to the shaft maker.

Lengths are mm, angles deg, speeds rpm or km/h. Things refer to each other by id.
"""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, Literal

from elmpeg.core.base.declared import NOT_NEGATIVE, POSITIVE, Called, Frozen, In, LeadOnly, Ordered, SignedBy, Within
from elmpeg.core.base.record import record
from elmpeg.core.build.survey import NOTED, READ, Source
from elmpeg.core.methods.driveline.axle_travel import TravelKind
from elmpeg.core.methods.driveline.joint_limits import LineUse
from elmpeg.core.methods.driveline.joint_motion import JointKind
from elmpeg.core.methods.driveline.shaft_tubes import TubeMaterial

Arrangement = Literal["", "equal_opposite", "pointed", "two_piece"]
"""The school a line is laid out by: two equal and opposite joints, a double joint with the pinion pointed at it, or two
shafts with a carrier; none where it follows no school, such as a steering shaft."""
Perches = Literal["welded", "loose"]
Way = Literal["one_piece", "two_piece", "double_joint"]
Stance = Literal["", "ride", "stands"]
"""How the vehicle stood: on its wheels at ride height, or on stands with axles hanging; empty where nobody said."""
GaugeZero = Literal["level", "drive end"]
"""What an angle gauge was zeroed on."""
DRIVE_END: GaugeZero = "drive end"
OrderState = Literal["drafted", "checked", "sent", "received", "fitted"]
FASTEST_RPM = 100_000.0
STEEPEST_SLOPE_DEG = 90.0
STEEPEST_ROLL_DEG = 40.0
BEND = Within(0.0, 90.0, "both")
ORDERED = Frozen("what stands on an order that was called final", once="final")


@record
class LineJoint:
    """A joint of a driveline, at a point that moves with its component."""

    id: str
    point: str
    kind: JointKind = "cardan"
    max_angle_deg: Annotated[float | None, BEND] = None


@record
class JointSeries:
    """A size of joint: how far it bends at most, and the diameter it sweeps."""

    id: str
    name: str
    max_angle_deg: Annotated[float, BEND, Called("largest joint angle")]
    swing_mm: Annotated[float, POSITIVE]


DEFAULT_SERIES = (
    JointSeries("24x62", "small, 24 x 62 caps", 24.0, 84.0),
    JointSeries("27x80", "medium, 27 x 80 caps", 22.0, 104.0),
    JointSeries("30x92", "large, 30 x 92 caps", 20.0, 120.0),
    JointSeries("35x106", "heavy, 35 x 106 caps", 18.0, 138.0),
)
"""Sizes to start from, by diameter and spread of the bearing caps; a shop writes its own makers' figures."""


@record
class Shaft:
    """One shaft as it is to be made: its tube, its joints' size, what it bolts to, and how far its slip goes from ride height."""

    od_mm: Annotated[float, NOT_NEGATIVE]
    wall_mm: Annotated[float, POSITIVE]
    material: TubeMaterial = "steel"
    series: str = ""
    drive_flange: str = ""
    driven_flange: str = ""
    slip_in_mm: Annotated[float | None, NOT_NEGATIVE] = None
    slip_out_mm: Annotated[float | None, NOT_NEGATIVE] = None
    note: str = ""


@record
class LineRoad:
    """What turns road speed into the speed of a line's driven end."""

    top_speed_kmh: Annotated[float, POSITIVE]
    tyre_mm: Annotated[float, POSITIVE]
    axle_ratio: Annotated[float, POSITIVE]


@record
class LineDecision:
    """Which way a line is to be built, and why."""

    way: Annotated[Way, Called("way chosen")]
    reason: str
    person: Annotated[str, SignedBy("decided")]
    decided_at: str


@record
class Driveline:
    """Joints in order from the drive end. The first and last points' axes are the line's input and output.

    ``phases_deg``: how far each shaft's far fork is turned from its near one. ``shafts``
    is empty until somebody says what they are made of, else one a shaft. ``axle`` is the
    carried axle that moves the line's end, ``stations_mm`` the places along the vehicle
    (X) where its ground clearance is compared.
    """

    id: str
    name: str
    rpm: Annotated[float, Within(0.0, FASTEST_RPM, "least")]
    joints: Annotated[tuple[LineJoint, ...], Ordered("from the drive end on")]
    phases_deg: tuple[float, ...]
    use: Annotated[LineUse, Called("drives")] = "propeller"
    arrangement: Arrangement = ""
    axle: str = ""
    shafts: tuple[Shaft, ...] = ()
    road: LineRoad | None = None
    stations_mm: tuple[float, ...] = ()
    decision: Annotated[LineDecision | None, LeadOnly("which way {name} is built")] = None

    def shaft(self, index: int) -> Shaft | None:
        """What the shaft behind a joint is made of, if that is known."""
        return self.shafts[index] if 0 <= index < len(self.shafts) else None


@record
class ControlLink:
    """A link from the frame to an axle, by the points at its ends; ``thread`` where it can be adjusted.

    ``engaged_mm`` is how much thread is in each adjustable end now; ``ends`` is how
    many ends turn together, right-hand and left-hand thread being two.
    """

    frame_point: str
    axle_point: str
    thread: str = ""
    engaged_mm: Annotated[float | None, NOT_NEGATIVE] = None
    ends: Literal[1, 2] = 1

    @property
    def is_placed(self) -> bool:
        """Whether both its ends are chosen."""
        return bool(self.frame_point and self.axle_point)


@record
class TravelReading:
    """One reading of how far an axle goes from ride height, up or down."""

    id: str
    way: Annotated[Literal["bump", "droop"], Called("which way")]
    text: str
    value_mm: Annotated[float, POSITIVE]
    tool: str
    person: Annotated[str, READ]
    taken_at: str
    dropped: str = ""


@record
class CarriedAxle:
    """How an axle is carried and how far it goes; its component's origin is the axle's centre at ride height.

    ``kind`` says which points count: ``pivot_point`` for a swing arm, ``upper`` and
    ``lower`` for four links, ``seat_point`` and ``eye_point`` for a leaf spring with its
    ``shackle_half_mm`` (None: as long as the other half). ``bump_mm`` and ``droop_mm``
    hold until readings say better, and are as sure as their ``source``. ``roll_deg`` is
    how far one wheel goes up with the other down; ``perch_mm`` the length of the pad
    that a wedge goes under; ``tube_mm`` the axle tube's diameter.
    """

    id: str
    name: str
    component: Annotated[str, Called("part that it is")]
    kind: TravelKind
    bump_mm: Annotated[float, NOT_NEGATIVE]
    droop_mm: Annotated[float, NOT_NEGATIVE]
    source: Source = "assumed"
    readings: tuple[TravelReading, ...] = ()
    roll_deg: Annotated[float, Within(0.0, STEEPEST_ROLL_DEG)] = 0.0
    apart_mm: Annotated[float, NOT_NEGATIVE, Called("springs apart")] = 0.0
    pivot_point: Annotated[str, Called("pivot")] = ""
    upper: ControlLink | None = None
    lower: ControlLink | None = None
    seat_point: str = ""
    eye_point: Annotated[str, Called("front spring eye")] = ""
    shackle_half_mm: Annotated[float | None, POSITIVE, Called("half the shackle")] = None
    perch_mm: Annotated[float | None, POSITIVE] = None
    perches: Perches = "welded"
    tube_mm: Annotated[float | None, POSITIVE] = None


@record
class LengthReading:
    """One taped length of a shaft, joint centre to joint centre; a tape counts once it says how the vehicle stood."""

    id: str
    line: str
    near: Annotated[str, Called("tape starts at")]
    far: Annotated[str, Called("tape ends at")]
    text: str
    value_mm: Annotated[float, POSITIVE]
    tool: str
    person: Annotated[str, NOTED]
    taken_at: str
    stance: Annotated[Stance, Called("standing at")] = ""
    note: str = ""
    dropped: str = ""


@record
class SlopeReading:
    """One reading of an angle gauge laid on a part of a line, tail down positive.

    ``near`` and ``far`` are the joints on either side of it: ``near`` is empty at the drive
    end, ``far`` at the driven end. Readings compare only where their ``zero`` is the same.
    """

    id: str
    line: str
    near: Annotated[str, Called("slope from")]
    far: Annotated[str, Called("slope up to")]
    text: str
    value_deg: Annotated[float, Within(-STEEPEST_SLOPE_DEG, STEEPEST_SLOPE_DEG, "both")]
    zero: Annotated[GaugeZero, Called("zeroed on")]
    tool: str
    person: Annotated[str, READ]
    taken_at: str
    stance: Annotated[Stance, Called("standing at")] = ""
    dropped: str = ""


@record
class OrderStep:
    """One step of an order: what it came to, by whom and when."""

    state: OrderState
    person: Annotated[str, SignedBy("signed")]
    taken_at: str
    note: str = ""
    alone: str = ""
    """Of who checks their own work, since nobody else is there: how it was read again."""


@record
class OrderFigure:
    """One figure as it went to the shaft maker."""

    name: str
    value: Annotated[float, In("mm", beside="unit")]
    unit: Literal["mm", "deg", "rpm"]
    sd: Annotated[float | None, In("mm", beside="unit")] = None


@record
class ShaftOrder:
    """An order for a line's shafts. ``final`` is who called it final and when; ``figures`` are then frozen as ordered."""

    id: str
    line: Annotated[str, ORDERED]
    option: Annotated[str, ORDERED]
    maker: Annotated[str, ORDERED]
    lead_days: Annotated[int, ORDERED, Within(0, 1000)]
    measured_how: Annotated[str, ORDERED, Called("measured")] = ""
    height: Annotated[str, ORDERED] = ""
    note: Annotated[str, ORDERED] = ""
    photos: Annotated[tuple[str, ...], ORDERED] = ()
    steps: tuple[OrderStep, ...] = ()
    final: OrderStep | None = None
    figures: Annotated[tuple[OrderFigure, ...], Frozen("the figures of an order that was called final", once="final")] = ()

    @property
    def state(self) -> OrderState:
        """Where it stands."""
        return self.steps[-1].state if self.steps else "drafted"


def shaft_pairs(line: Driveline) -> tuple[tuple[str, str], ...]:
    """Each shaft's joints' ids, near and far."""
    return tuple((a.id, b.id) for a, b in pairwise(line.joints))


def members_of(line: Driveline) -> tuple[Member, ...]:
    """All that a gauge can be laid on, in order: the drive end, each shaft, the driven end."""
    ids = ["", *(j.id for j in line.joints), ""]
    return tuple(pairwise(ids))


Member = tuple[str, str]
"""Joints' ids on either side of what a gauge is laid on: the first is empty at the drive end, the second at the driven end."""
