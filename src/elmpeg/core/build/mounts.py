"""Mounts: a part held to the vehicle by a bolt, and the stacks that fill their gaps."""

from __future__ import annotations

from typing import Annotated

from elmpeg.core.base.declared import NOT_NEGATIVE, POSITIVE, Called, Ordered, Within
from elmpeg.core.base.record import record
from elmpeg.core.build.hardware import Around, Boxed, Bush, Fastener, Hanger, Hold, Layer


@record
class Mount:
    """A component's point held to a seat on the vehicle by a bolt, with what lies between.

    ``layers`` are what the bolt goes through besides the stack: the foot's first, then
    the seat's. ``uses`` are the vehicle's own holes that a bracket is bolted to.
    """

    id: str
    name: str
    component_point: Annotated[str, Called("foot")]
    seat_point: str
    bolt_mm: Annotated[float, POSITIVE]
    tolerance_mm: Annotated[float, NOT_NEGATIVE, Called("gap may be off by")] = 0.5
    hold: Annotated[Hold, Called("held by")] = "spacers"
    layers: Annotated[tuple[Layer, ...], Ordered("as the bolt goes through them")] = ()
    fastener: Fastener | None = None
    around: Around | None = None
    bush: Bush | None = None
    boxed: Boxed | None = None
    hanger: Hanger | None = None
    plate: str = ""
    uses: tuple[str, ...] = ()


@record
class StackPiece:
    """So many pieces of one kind from the shelf; ``reserved`` of them are held there for as long as the stack stands."""

    stock: str
    name: str
    mm: Annotated[float, POSITIVE]
    count: Annotated[int, Within(1)]
    reserved: Annotated[int, NOT_NEGATIVE] = 0


@record
class MountStack:
    """The stack that an option uses at one mount."""

    mount: str
    pieces: tuple[StackPiece, ...]

    @property
    def total_mm(self) -> float:
        """Thickness along the bolt."""
        return sum(p.mm * p.count for p in self.pieces)
