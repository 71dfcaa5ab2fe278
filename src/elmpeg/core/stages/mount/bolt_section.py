"""A mount as a section through its bolt: every thickness from the head to the end, and what the bolt does there."""

from __future__ import annotations

from typing import Literal

from elmpeg.core.base.record import record
from elmpeg.core.build.hardware import Fastener, Material
from elmpeg.core.build.mounts import Mount, MountStack
from elmpeg.core.build.pieces import Piece
from elmpeg.core.methods.fastening.bolt_length import BoltChoice, NutEnd, TappedEnd, bolt_choice
from elmpeg.core.methods.fastening.fasteners import LOCKING_NUT_MM, Head, Thread, size_of, thread

PieceKind = Literal["head washer", "layer", "stack", "bush", "open", "wall", "sleeve", "nut washer", "tapped"]
PIECE_WIDE = 2.4
"""Width of a spacer or layer drawn without one, over the bolt's diameter."""


@record
class Thickness:
    """One thickness of the section, ``from_mm`` counted from under the head; ``wide_mm`` is 0 for what goes on to both sides."""

    kind: PieceKind
    name: str
    from_mm: float
    mm: float
    material: Material
    wide_mm: float
    hole_mm: float
    side: str = ""
    ref: str = ""

    @property
    def to_mm(self) -> float:
        """Where it ends."""
        return self.from_mm + self.mm


@record
class Section:
    """The whole joint. ``head`` is None where the standard has no such head for the size; lengths under the head."""

    thread: Thread
    head: Head | None
    pieces: tuple[Thickness, ...]
    nut_mm: float
    nut_across_mm: float
    end: NutEnd | TappedEnd
    choice: BoltChoice
    open_mm: float
    length_mm: float | None

    @property
    def sunk_mm(self) -> float:
        """How far a countersunk head lies within the first layer."""
        return self.head.height_mm if self.head is not None and self.head.kind == "countersunk" else 0.0


def nut_height_mm(found: Thread, fastener: Fastener) -> float:
    """Height of a mount's nut: as given, else by the standard it is made to.

    A locking nut of a size that its standard does not have is taken as high as that of the next larger size.
    A weld nut is taken as high as a plain one.
    """
    if fastener.nut_mm is not None:
        return fastener.nut_mm
    if fastener.end == "locking nut":
        return LOCKING_NUT_MM[found.size] if found.size in LOCKING_NUT_MM else LOCKING_NUT_MM["M20"]
    return size_of(found).nut.height_mm


def section(
    mount: Mount,
    fastener: Fastener,
    stack: MountStack | None,
    gap_mm: float,
    foot_hole_mm: float,
    seat_hole_mm: float,
    plate: Piece | None = None,
) -> Section:
    """A mount's section with the stack it has now. Raises InputError for a thread that is not known.

    Where nothing fills the gap yet the bolt is chosen for the gap itself, which shows as open.
    """
    found = thread(fastener.thread)
    size = size_of(found)
    pieces: list[Thickness] = []
    at = 0.0

    def put(kind: PieceKind, name: str, mm: float, material: Material, wide: float, hole: float, side: str = "", ref: str = "") -> None:
        nonlocal at
        if mm > 0:
            pieces.append(Thickness(kind, name, at, mm, material, wide, hole, side, ref))
            at += mm

    wide = PIECE_WIDE * found.d_mm
    if fastener.head != "countersunk":
        put("head washer", "washer", fastener.head_washer_mm, "steel", size.washer.outside_mm, size.washer.inside_mm)
    for layer in (x for x in mount.layers if x.side == "foot"):
        put("layer", layer.name, layer.mm, layer.material, 0.0, foot_hole_mm, "foot", layer.id)
    filled = 0.0
    if mount.bush is not None:
        put("bush", mount.bush.name, mount.bush.loaded_mm, "rubber", mount.bush.width_mm, foot_hole_mm)
        filled += mount.bush.loaded_mm
    if plate is not None:
        put("layer", plate.name, plate.thick_mm, plate.material, 0.0, seat_hole_mm, "seat", plate.id)
        filled += plate.thick_mm
    for piece in stack.pieces if stack else ():
        for _ in range(piece.count):
            put("stack", piece.name, piece.mm, "steel", wide, found.d_mm + 1.0, "", piece.stock)
        filled += piece.mm * piece.count
    open_mm = max(gap_mm - filled, 0.0)
    if not filled:
        put("open", "open", open_mm, "steel", 0.0, 0.0)
    if mount.boxed is not None:
        inside = mount.boxed.depth_mm - 2 * mount.boxed.wall_mm
        put("wall", "rail wall", mount.boxed.wall_mm, "steel", 0.0, seat_hole_mm, "seat")
        sleeve = mount.boxed.sleeve_mm
        put("sleeve", "sleeve" if sleeve is not None else "hollow", inside, "steel", mount.boxed.sleeve_wide_mm, found.d_mm + 1.0, "seat")
        put("wall", "rail wall", mount.boxed.wall_mm, "steel", 0.0, seat_hole_mm, "seat")
    for layer in (x for x in mount.layers if x.side == "seat"):
        put("layer", layer.name, layer.mm, layer.material, 0.0, seat_hole_mm, "seat", layer.id)
    grip_washers = (fastener.head_washer_mm if fastener.head != "countersunk" else 0.0, fastener.nut_washer_mm)
    tapped = fastener.end == "tapped"
    nut = 0.0 if tapped else nut_height_mm(found, fastener)
    if not tapped:
        put("nut washer", "washer", fastener.nut_washer_mm, "steel", size.washer.outside_mm, size.washer.inside_mm)
    layers = tuple(p.mm for p in pieces if p.kind not in ("head washer", "nut washer"))
    washers = grip_washers if not tapped else grip_washers[:1]
    end = TappedEnd(fastener.thread_depth_mm or found.d_mm, fastener.parent, fastener.blind) if tapped else NutEnd(nut)
    choice = bolt_choice(found, layers, tuple(w for w in washers if w), end, None, fastener.length_mm)
    if tapped:
        name = f"tapped {fastener.parent.replace('_', ' ')}"
        material: Material = "aluminium" if fastener.parent == "aluminium" else "cast_iron" if fastener.parent == "cast_iron" else "steel"
        bottom = found.pitch_mm if fastener.blind else 0.0
        put("tapped", name, (fastener.thread_depth_mm or found.d_mm) + bottom, material, 0.0, found.d_mm)
    return Section(found, size.head(fastener.head), tuple(pieces), nut, size.nut.across_mm, end, choice, open_mm, choice.length_mm)
