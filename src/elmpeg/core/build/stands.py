"""Stands of plates that go into each other: which pieces stand where, and the bolts and captive nuts in them."""

from __future__ import annotations

from typing import Annotated

from elmpeg.core.base.declared import Called, SignedBy, Within
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.base.ways import Looks
from elmpeg.core.methods.shapes.outlines import Outline
from elmpeg.core.methods.sheet_metal.cutting_limits import CutBy
from elmpeg.core.methods.stands.assembly_order import FixingKind
from elmpeg.core.methods.stands.tab_joints import Tab

LEAST_MM = 0.1
"""A bolt, its head or its tool smaller than this is none."""


@record
class StandPart:
    """A piece of plate in a stand: where its flat's zero lies, which way its upper face looks, and its turn about that way.

    ``bare`` is its outline without the tabs of the stand; empty while it has none.
    """

    id: str
    piece: str
    at_mm: Annotated[Vec3, Called("where it is")]
    looks: Looks = "up"
    turn_deg: float = 0.0
    bare: Outline = ()


@record
class StandJoint:
    """Where one part's edge meets another's face, with its tabs."""

    id: str
    tabbed: str
    slotted: str
    tabs: tuple[Tab, ...]


@record
class StandBolt:
    """A bolt or a captive nut of a stand: where its head sits, which way it comes out, and its sizes and its tool's."""

    id: str
    name: str
    kind: FixingKind
    at_mm: Annotated[Vec3, Called("where it is")]
    out: Annotated[Looks, Called("taken out")]
    d_mm: Annotated[float, Within(LEAST_MM), Called("bolt")]
    long_mm: Annotated[float, Within(LEAST_MM), Called("length")]
    head_mm: Annotated[float, Within(LEAST_MM)]
    tool_mm: Annotated[float, Called("tool across")] = 0.0
    tool_long_mm: Annotated[float, Called("length of its tool")] = 0.0


@record
class StandTick:
    """A step of putting together that somebody did: its words, who, and when."""

    id: str
    said: str
    by: Annotated[str, SignedBy("put together")]
    at: str


@record
class Stand:
    """A stand in a frame of its own: x to the rear, y to the right, z up, as the vehicle's."""

    id: str
    name: str
    parts: tuple[StandPart, ...] = ()
    bolts: tuple[StandBolt, ...] = ()
    joints: tuple[StandJoint, ...] = ()
    cut_by: CutBy = "laser"
    ticks: tuple[StandTick, ...] = ()
