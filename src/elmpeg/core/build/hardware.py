"""What holds a part: layers a bolt goes through, the bolt and its end, bushes, boxed sections, hangers; patterns, plates, chains.

Lengths are mm. Things refer to each other by id.
"""

from __future__ import annotations

from typing import Annotated, Literal

from elmpeg.core.base.declared import NOT_NEGATIVE, POSITIVE, Called, Ordered
from elmpeg.core.base.record import record
from elmpeg.core.build.survey import Axis3
from elmpeg.core.methods.fastening.bolt_length import Parent
from elmpeg.core.methods.fastening.fasteners import HeadKind

Material = Literal["steel", "stainless", "aluminium", "cast_iron", "rubber", "plastic"]
Hold = Literal["direct", "spacers", "bush", "bracket", "hanger", "boxed", "tapped", "weld_nut"]
"""How a mount holds: faces together, through spacers, on rubber, by a bracket from pattern to pattern, hung, through a
boxed rail, into tapped bar, or into a nut welded on."""
BoltEnd = Literal["nut", "locking nut", "tapped", "weld nut"]
Side = Literal["foot", "seat"]
SIDES: tuple[Side, ...] = ("foot", "seat")
DENSITY_KG_M3: dict[Material, float] = {
    "steel": 7850.0,
    "stainless": 7930.0,
    "aluminium": 2700.0,
    "cast_iron": 7200.0,
    "rubber": 1150.0,
    "plastic": 1150.0,
}
"""Common handbook densities."""


@record
class Layer:
    """One thickness that the bolt goes through, on the foot's side or the seat's, from the head on.

    ``edge_mm`` is from the hole's centre to the nearest edge; ``wall_mm`` to the nearest
    wall or weld standing on its free face. ``plus_mm`` and ``minus_mm`` are how far it
    may be off.
    """

    id: str
    name: str
    mm: Annotated[float, POSITIVE]
    side: Side
    material: Material = "steel"
    edge_mm: Annotated[float | None, NOT_NEGATIVE] = None
    wall_mm: Annotated[float | None, NOT_NEGATIVE] = None
    plus_mm: Annotated[float, NOT_NEGATIVE] = 0.2
    minus_mm: Annotated[float, NOT_NEGATIVE] = 0.2


@record
class Fastener:
    """The bolt of a mount, its washers, and what it ends in.

    ``length_mm`` is what was chosen, None to take the shortest of the stock that fits.
    ``structural`` joints want their grade noted. A ``single_use`` bolt must be new each
    time (``new_fitted``). ``mock_up`` bolts are for trying only.
    """

    thread: str
    head: HeadKind = "hex"
    length_mm: Annotated[float | None, NOT_NEGATIVE] = None
    head_washer_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    nut_washer_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    end: BoltEnd = "nut"
    nut_mm: Annotated[float | None, NOT_NEGATIVE] = None
    thread_depth_mm: Annotated[float | None, NOT_NEGATIVE] = None
    parent: Parent = "steel"
    blind: bool = False
    grade: str = ""
    structural: bool = False
    single_use: bool = False
    new_fitted: bool = False
    mock_up: bool = False


@record
class Around:
    """What stands near the bolt: from its axis to the nearest thing beside the head and the nut, and free length in line."""

    head_wall_mm: Annotated[float | None, NOT_NEGATIVE] = None
    nut_wall_mm: Annotated[float | None, NOT_NEGATIVE] = None
    head_room_mm: Annotated[float | None, NOT_NEGATIVE] = None
    nut_room_mm: Annotated[float | None, NOT_NEGATIVE] = None


@record
class Bush:
    """A rubber bush in the gap: height free and under load, and what its maker allows."""

    name: str
    free_mm: Annotated[float, NOT_NEGATIVE]
    loaded_mm: Annotated[float, POSITIVE]
    width_mm: Annotated[float, NOT_NEGATIVE]
    most_squash_mm: Annotated[float, NOT_NEGATIVE]
    most_shear_mm: Annotated[float, NOT_NEGATIVE]


@record
class Boxed:
    """The boxed rail a bolt goes through on the seat's side; ``sleeve_mm`` is the length of the sleeve in it, None for none."""

    depth_mm: Annotated[float, NOT_NEGATIVE]
    wall_mm: Annotated[float, NOT_NEGATIVE]
    sleeve_mm: Annotated[float | None, NOT_NEGATIVE] = None
    sleeve_wide_mm: Annotated[float, NOT_NEGATIVE] = 0.0


@record
class Hanger:
    """How a hanging part is hung, and what catches it besides (a strap, a split pin); empty for nothing."""

    by: Annotated[Literal["studs", "bolts"], Called("hung by")]
    caught_by: str = ""


@record
class PatternHole:
    """One hole of a pattern, in the pattern's own plane."""

    id: str
    x_mm: float
    y_mm: float
    hole_mm: Annotated[float, NOT_NEGATIVE]


@record
class CentreDistance:
    """A distance between two holes' centres, as typed and as understood."""

    a: Annotated[str, Called("from hole")]
    b: Annotated[str, Called("to hole")]
    text: str
    mm: Annotated[float, POSITIVE]


@record
class Pattern:
    """Holes or studs in a plane. Taken from ``points`` they follow these; from ``distances`` they were solved once.

    ``bolt_mm`` is what goes through, or the studs' own diameter.
    """

    id: str
    name: str
    got: Annotated[Literal["coordinates", "distances", "points", "drawing"], Called("got by")]
    holes: tuple[PatternHole, ...] = ()
    distances: tuple[CentreDistance, ...] = ()
    points: tuple[str, ...] = ()
    bolt_mm: Annotated[float, POSITIVE] = 10.0
    note: str = ""


@record
class Match:
    """A plate's pattern that must drop over another's bolts; ``mirror`` where it may be turned over."""

    id: str
    name: str
    holes: str
    studs: str
    mirror: bool = False


@record
class ChainLink:
    """One link of a chain of dimensions: a distance between points along an axis, a layer of a mount, or a figure.

    With points or a layer its size follows the build; else ``mm`` is it.
    """

    id: str
    name: str
    direction: Literal[1, -1]
    plus_mm: Annotated[float, NOT_NEGATIVE]
    minus_mm: Annotated[float, NOT_NEGATIVE]
    mm: float = 0.0
    from_point: Annotated[str, Called("from point")] = ""
    to_point: Annotated[str, Called("to point")] = ""
    axis: Axis3 = "z"
    mount: str = ""
    layer: str = ""


@record
class Chain:
    """A chain of dimensions whose end must come out within limits."""

    id: str
    name: str
    links: Annotated[tuple[ChainLink, ...], Ordered("one after the other along the chain")]
    low_mm: Annotated[float | None, Called("at least")] = None
    high_mm: Annotated[float | None, Called("at most")] = None
