"""What is welded: seams in runs, what is done before, and who saw it."""

from __future__ import annotations

from typing import Annotated, Literal

from elmpeg.core.base.declared import NOT_NEGATIVE, POSITIVE, Called, Ordered, SignedBy, Within
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3

Bevel = Literal["none", "one side", "both sides"]
Heated = Literal["bush", "seal", "wire", "tank", "hose", "tight bolt head", "paint"]
GateKind = Literal["braced", "witness lines", "bolted to its mate", "clamped"]


MOST_RUNS = 12


@record
class Seam:
    """A seam by its two ends: its throat, in how many runs it is welded, its bevel, what it joins."""

    id: str
    name: str
    a_mm: Annotated[Vec3, Called("one end")]
    b_mm: Annotated[Vec3, Called("other end")]
    throat_mm: Annotated[float, POSITIVE] = 4.0
    runs: Annotated[int, Within(1, MOST_RUNS)] = 1
    bevel: Bevel = "none"
    joins: tuple[str, ...] = ()
    thick_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    """Of the thinner of the two it joins; 0 where nobody said."""
    room_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    """From the seam to the nearest thing that stands in the torch's way; 0 where nobody looked."""


@record
class HeatedThing:
    """Something near a seam that heat harms, by where it is: a bush, a seal, a wire, a tank, a bolt that is drawn tight."""

    id: str
    name: str
    kind: Heated
    at_mm: Annotated[Vec3, Called("where it is")]
    out: Annotated[bool, Called("taken out")] = False
    """Whether it is taken out, cooled or covered before welding starts."""


@record
class WeldGate:
    """Something that must be done before: who did it and who else saw it; empty while nobody did."""

    id: str
    kind: GateKind
    what: str
    by: Annotated[str, SignedBy("done", covers=("kind", "what", "at"))] = ""
    seen_by: Annotated[str, SignedBy("seen", covers=("kind", "what", "by", "alone"))] = ""
    at: Annotated[str, Called("when")] = ""
    alone: str = ""
    """Of who looks at their own work, since nobody else is there: how it was looked at again."""


@record
class WeldDone:
    """A run or a tack that is welded, by whom."""

    id: str
    by: Annotated[str, SignedBy("welded")]
    at: str


@record
class Weldment:
    """Things that are welded together: seams, what heat would harm, what is done first, who welds it."""

    id: str
    name: str
    seams: Annotated[tuple[Seam, ...], Ordered("as they are welded")] = ()
    heated: tuple[HeatedThing, ...] = ()
    gates: tuple[WeldGate, ...] = ()
    done: tuple[WeldDone, ...] = ()
    structural: bool = True
    welder: str = ""
    """Who welds it: that is the shop's to say, of structure a person qualified for it."""
