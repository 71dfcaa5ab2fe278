"""What is made: pieces of plate with their outline, holes, bends and marks, what was tried in card and metal, prints, orders.

A piece's shape comes from two patterns laid on each other (an adapter plate), from faces
with holes that it must join (a bracket), or from an outline of its own that was drawn,
read or traced. Lengths are mm. A flat's x and y lie in its own plane, its upper face
towards whoever looks at it.
"""

from __future__ import annotations

from dataclasses import field
from typing import Annotated, Literal

from elmpeg.core.base.declared import NOT_NEGATIVE, POSITIVE, Called, Frozen, In, Ordered, SignedBy, Within
from elmpeg.core.base.record import record
from elmpeg.core.build.hardware import Material
from elmpeg.core.methods.measuring.plane_projection import Mark
from elmpeg.core.methods.shapes.outlines import Outline
from elmpeg.core.methods.sheet_metal.bracket_profile import Form
from elmpeg.core.methods.sheet_metal.bracket_tree import FaceJoin
from elmpeg.core.methods.sheet_metal.cutting_limits import CutBy
from elmpeg.core.methods.sheet_metal.folded_sheet import BendLine
from elmpeg.core.methods.tubes.tube_bends import TubeBend
from elmpeg.core.methods.tubes.tube_ends import TubeEnd

HoleKind = Literal["through", "tapped", "countersunk"]
PieceForm = Literal["", Form]
"""How a piece joins its faces; empty where it joins none, or nothing was chosen yet."""
Hand = Literal["either", "left", "right", "pair"]
TriedIn = Literal["card", "board", "print", "metal"]
Result = Literal["", "good", "change"]
SendingState = Literal["drafted", "checked", "sent", "received", "tried"]
Side = Literal["", "along", "against"]
"""On which side of a face's holes the metal lies: along their axes, against them, or away from the part that they are in."""


OnlyIn = Literal["", "as drawn", "other hand"]
"""Which hand of a piece has something; empty for both."""
Section = Literal["round", "box"]
TurnedAs = Literal["one piece", "nut welded to tube", "tapped bar", "stepped washer and bush"]


@record
class PlateHole:
    """How one hole is made, and for which thread. ``pattern`` is lower, upper, or the face that it is in.

    ``drill_mm`` is what it is drilled to where that was said; at 0 its thread or what it meets says it.
    """

    pattern: str
    hole: str
    kind: HoleKind
    thread: str = ""
    drill_mm: Annotated[float, NOT_NEGATIVE] = 0.0


@record
class PieceFace:
    """A face that a piece touches, by the points of the holes that it must meet there."""

    id: str
    name: str
    points: tuple[str, ...]
    side: Side = ""


@record
class OwnHole:
    """A hole of a piece that no pattern and no point gives it; with ``slot_mm`` it is a slot so long between its ends' centres,
    turned by ``turn_deg`` from x."""

    id: str
    x_mm: float
    y_mm: float
    hole_mm: Annotated[float, POSITIVE]
    slot_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    turn_deg: float = 0.0
    why: str = ""


@record
class Cutout:
    """An opening in a piece; one that only one hand of it has is cut when a pair is parted."""

    id: str
    corners: Outline
    why: str = ""
    only: OnlyIn = ""


@record
class DrawnHole:
    """A hole as it was when a drawing was kept."""

    id: str
    xy_mm: tuple[float, float]
    hole_mm: float


@record
class PieceDrawing:
    """What a piece looked like when something was made after it."""

    outline: Outline
    holes: tuple[DrawnHole, ...]
    bends: tuple[BendLine, ...] = ()
    cutouts: tuple[Outline, ...] = ()
    thick_mm: float = 0.0


@record
class PieceRevision:
    """One making of a piece: of what, what changed and why, from which finding, and what came of it."""

    id: str
    number: int
    made_of: TriedIn
    changed: str
    by: Annotated[str, SignedBy("made", apart=("result", "learnt"))]
    at: str
    drawing: PieceDrawing
    why: str = ""
    finding: str = ""
    result: Result = ""
    learnt: str = ""


@record
class PrintedSquare:
    """The square of a print as it was measured both ways, which proves the print or tells how to print it again."""

    id: str
    paper: str
    x_nominal_mm: Annotated[float, POSITIVE]
    x_mm: Annotated[float, POSITIVE]
    y_nominal_mm: Annotated[float, POSITIVE]
    y_mm: Annotated[float, POSITIVE]
    by: Annotated[str, SignedBy("measured")]
    at: str


@record
class Sending:
    """A piece sent to be cut: to whom, at what price, and how far it has come."""

    id: str
    to: Annotated[str, Called("sent to")]
    process: str
    state: SendingState
    by: Annotated[str, SignedBy("drafted", covers=("id",))]
    at: str
    count: int = 1
    price: str = ""
    days: float | None = None
    checked_by: Annotated[str, SignedBy("checked", covers=("to", "process", "count", "alone"))] = ""
    note: str = ""
    drawing: Annotated[PieceDrawing | None, Frozen("the drawing that was sent", once="drawing")] = None
    alone: str = ""
    """Of who checks their own drawing, since nobody else is there: how it was gone over again."""


@record
class CrossHole:
    """A hole through a tube: how far along it from where its first end's axes meet, how far round from the seam line, and its slant.

    ``slant_deg`` is its angle to the tube, 90 square; ``both`` whether it goes through the wall behind too.
    """

    id: str
    at_mm: Annotated[float, Called("along the tube")]
    turn_deg: float
    hole_mm: float
    slant_deg: float = 90.0
    both: bool = True
    why: str = ""


@record
class TubeBody:
    """A tube or a bar: its section, its legs from corner to corner with the bends between them, its two ends, its holes.

    ``wall_mm`` is 0 for a solid bar. Of a box section ``high_mm`` is the other side, 0 for a square one. Legs are measured
    from where the axes meet at a mitre or a cope, from the end itself where it is square.
    """

    section: Section = "round"
    across_mm: Annotated[float, POSITIVE] = 25.0
    wall_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    high_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    legs_mm: Annotated[tuple[float, ...], NOT_NEGATIVE] = (100.0,)
    bends: tuple[TubeBend, ...] = ()
    start: TubeEnd = field(default_factory=TubeEnd)
    end: TubeEnd = field(default_factory=TubeEnd)
    holes: tuple[CrossHole, ...] = ()
    member: str = ""
    """The member of a structure that it is, as structure/member; empty for one of its own."""


@record
class TurnedStep:
    """A length of a turned part at one diameter, its fit by ISO 286, its thread; a groove is a step of its own."""

    long_mm: Annotated[float, POSITIVE, Called("length")]
    outside_mm: Annotated[float, POSITIVE, Called("diameter")]
    fit: str = ""
    thread: str = ""
    chamfer_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    keyway: str = ""
    """Width x depth x length of a keyway in it; empty for none."""


@record
class TurnedBore:
    """A bore from one end: so deep, 0 for through; its fit or its thread."""

    side: Literal["left", "right"]
    bore_mm: Annotated[float, POSITIVE, Called("diameter")]
    deep_mm: Annotated[float, NOT_NEGATIVE, Called("depth")] = 0.0
    fit: str = ""
    thread: str = ""
    chamfer_mm: Annotated[float, NOT_NEGATIVE] = 0.0


@record
class TurnedBody:
    """A turned part from left to right, what it was measured from, and how it is put together where it is not of one piece."""

    steps: tuple[TurnedStep, ...]
    bores: tuple[TurnedBore, ...] = ()
    measured: str = ""
    made_as: TurnedAs = "one piece"


@record
class Between:
    """A plate between two castings, dowelled to both: what its thickness takes from a shaft's reach, from dowels and from bolts.

    The reach is of the shaft in its bearing without the plate: typed with its doubt, or what a ``chain`` of dimensions comes
    to. A dowel sits ``dowel_deep_mm`` in the first casting and goes on through the plate. ``turned_by`` says who felt that all
    turns freely when it was bolted up.
    """

    reach_mm: Annotated[float, NOT_NEGATIVE]
    reach_sd_mm: Annotated[float, NOT_NEGATIVE]
    needs_mm: Annotated[float, NOT_NEGATIVE]
    chain: str = ""
    dowel_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    dowel_long_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    dowel_deep_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    dowel_least_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    thread: str = ""
    bolt_long_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    engaged_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    turned_by: Annotated[str, SignedBy("felt to turn freely", covers=("turned_at",))] = ""
    turned_at: str = ""


@record
class Piece:
    """Something to be made of plate, of ``tube`` or bar, or ``turned``.

    With ``lower`` and ``upper`` it is an adapter plate: the lower pattern lies as it is, the upper one shifted and turned
    on it, that part standing ``upper_on_mm`` above the plate. With ``faces`` it is a bracket of a ``form``,
    its folds running one of the ``way``s that they can; over three faces and more it says in ``joins`` how each hangs on another. The outline goes around all holes by ``margin_mm`` unless
    ``outline`` gives it; one that was traced lies over its ``photo`` by ``marks``. ``up`` and ``forward`` are the marks that stop it from being fitted by the wrong hand.
    """

    id: str
    name: str
    thick_mm: Annotated[float, POSITIVE, Called("thickness")]
    lower: Annotated[str, Called("lower pattern")] = ""
    upper: Annotated[str, Called("upper pattern")] = ""
    material: Material = "steel"
    shift_mm: tuple[float, float] = (0.0, 0.0)
    turn_deg: Annotated[float, Called("turned by")] = 0.0
    margin_mm: Annotated[float, NOT_NEGATIVE] = 15.0
    upper_on_mm: Annotated[float, NOT_NEGATIVE, Called("upper pattern shifted by")] = 0.0
    outline: Outline = ()
    holes: tuple[PlateHole, ...] = ()
    up: Annotated[str, Called("face marked up")] = ""
    forward: Annotated[str, Called("edge marked forward")] = ""
    faces: tuple[PieceFace, ...] = ()
    form: PieceForm = ""
    way: Annotated[int, Called("which way")] = 0
    joins: tuple[FaceJoin, ...] = ()
    chosen_because: Annotated[str, Called("this form because")] = ""
    radius_mm: Annotated[float, NOT_NEGATIVE] = 3.0
    k: Annotated[float | None, In("ratio"), Called("K factor")] = None
    own_holes: tuple[OwnHole, ...] = ()
    cutouts: tuple[Cutout, ...] = ()
    bends: Annotated[tuple[BendLine, ...], Ordered("as they are folded")] = ()
    count: Annotated[int, Within(1), Called("how many")] = 1
    hand: Annotated[Hand, Called("hand")] = "either"
    used_at: Annotated[str, Called("used at")] = ""
    came_from: Annotated[str, Called("drawing came from")] = ""
    conducts: bool = False
    cut_by: Annotated[CutBy, Called("cut by")] = "laser"
    tube: TubeBody | None = None
    turned: TurnedBody | None = None
    between: Between | None = None
    revisions: tuple[PieceRevision, ...] = ()
    squares: tuple[PrintedSquare, ...] = ()
    sendings: tuple[Sending, ...] = ()
    fitted: Annotated[str, Called("bolted up")] = ""
    photo: str = ""
    marks: tuple[Mark, ...] = ()
    zero: str = ""
    """The hole that its hole table counts from, by its id; empty for the lower left corner of its outline."""


@record
class TestStrip:
    """A strip of the shop's that was folded to learn where its neutral line lies."""

    id: str
    name: str
    material: Material
    thick_mm: Annotated[float, POSITIVE, Called("thickness")]
    flat_mm: Annotated[float, POSITIVE, Called("flat length")]
    flanges_mm: Annotated[tuple[float, float], POSITIVE]
    angle_deg: Annotated[float, Within(0.0, 180.0, "both"), Called("folded by")]
    inside_radius_mm: Annotated[float, NOT_NEGATIVE]


@record
class Brake:
    """What the shop's folding machine can do."""

    least_flange_mm: Annotated[float, NOT_NEGATIVE] = 0.0
    widest_mm: Annotated[float, POSITIVE] = 1250.0
    channel_share: Annotated[float, POSITIVE] = 1.0
    most_thick_mm: Annotated[float, POSITIVE] = 6.0
