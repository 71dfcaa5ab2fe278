"""A stand as it goes together: its plates in space, where they meet, the order, and what could go in wrong."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import combinations

from shapely.affinity import affine_transform

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, cross, scale, unit
from elmpeg.core.base.ways import WAYS
from elmpeg.core.build.pieces import Cutout
from elmpeg.core.build.stands import Stand, StandPart
from elmpeg.core.methods.shapes.outlines import chords
from elmpeg.core.methods.sheet_metal.folded_sheet import Frame
from elmpeg.core.methods.sheet_metal.tabs_and_slots import Opening, ways_in
from elmpeg.core.methods.stands.assembly_order import AssemblyOrder, Item, StandFixing, StandPlate
from elmpeg.core.methods.stands.tab_joints import PLAY_MM, Halving, TabJoint, joint_between
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape

SYMMETRIC_SHARE = 0.004
P2 = tuple[float, float]
NEARLY_MM = 1.0
"""Tabs that lack no more than this are filed until they go in."""


@record
class WrongFit:
    """A plate that goes in otherwise than it should: how, what its tabs lack there, and how much wider one is made to stop it."""

    part: str
    how: str
    short_mm: float
    tab: str
    wider_mm: float


@record
class StandState:
    """A stand worked out."""

    stand: str
    items: tuple[Item, ...] = ()
    joints: tuple[TabJoint, ...] = ()
    halvings: tuple[Halving, ...] = ()
    order: AssemblyOrder | None = None
    wrong: tuple[WrongFit, ...] = ()
    overlaps: tuple[tuple[str, str], ...] = ()
    trouble: str = ""


def frame_of(part: StandPart) -> Frame:
    """Where a part's flat lies in the stand: of one that lies x to the rear, of one that stands y upwards; then turned."""
    up = WAYS[part.looks]
    x = (1.0, 0.0, 0.0) if abs(up[2]) > 0.5 else cross((0.0, 0.0, 1.0), up)
    y = cross(up, x)
    t = math.radians(part.turn_deg)
    turned = add(scale(x, math.cos(t)), scale(y, math.sin(t)))
    return Frame(part.at_mm, turned, cross(up, turned))


def stand_plate(scene: Scene, part: StandPart, bare: bool = False) -> StandPlate:
    """A part as it stands, or without the stand's own tabs and slots. Raises InputError for a piece without a flat."""
    piece = scene.build.piece(part.piece)
    if piece.tube is not None or piece.turned is not None:
        raise InputError("parts", f"has {piece.name}, which is not of plate")
    if piece.faces or piece.lower:
        raise InputError("parts", f"has {piece.name}, which follows what it joins; the plates of a stand are drawn by themselves")
    if bare:
        piece = replace(piece, outline=part.bare or piece.outline, cutouts=tuple(c for c in piece.cutouts if not is_slot(c)))
    shape = piece_shape(scene, piece)
    if shape.bends:
        raise InputError("parts", f"has {piece.name}, which is folded; flat plates go into each other")
    edge = chords(shape.outline)
    holes = [tuple((float(x), float(y)) for x, y in h.opening.exterior.coords[:-1]) for h in shape.holes]
    openings = (*holes, *(chords(c) for c in shape.cutouts))
    return StandPlate(part.id, piece.name, edge, openings, piece.thick_mm, frame_of(part))


SLOT = "slot for "


def is_slot(cutout: Cutout) -> bool:
    """Whether an opening is a slot that a stand cut."""
    return cutout.id.startswith(SLOT)


def stand_items(scene: Scene, stand: Stand) -> tuple[Item, ...]:
    """Every plate, bolt and captive nut of a stand as it stands."""
    bolts = tuple(
        StandFixing(b.id, b.name, b.kind, b.at_mm, WAYS[b.out], b.d_mm, b.long_mm, b.head_mm, b.tool_mm, b.tool_long_mm)
        for b in stand.bolts
    )
    return (*(stand_plate(scene, p) for p in stand.parts), *bolts)


def joints_of(scene: Scene, stand: Stand) -> tuple[tuple[TabJoint, ...], tuple[Halving, ...]]:
    """Where the bare plates meet, with the tabs that are kept or proposed."""
    plates = [stand_plate(scene, p, bare=True) for p in stand.parts]
    kept = {(j.tabbed, j.slotted): j.tabs for j in stand.joints}
    joints: list[TabJoint] = []
    halvings: list[Halving] = []
    for one, other in combinations(plates, 2):
        found = joint_between(one, other, len(joints))
        if isinstance(found, TabJoint):
            joints.append(replace(found, tabs=kept.get((found.tabbed, found.slotted), found.tabs)))
        elif found is not None:
            halvings.append(found)
    return tuple(joints), tuple(halvings)


def wrong_fits(scene: Scene, stand: Stand, joints: tuple[TabJoint, ...]) -> tuple[WrongFit, ...]:
    """Plates that go into their own slots turned end for end and are not the same then, and pairs that go into each other's.

    Looked at are plates whose tabs all point the same way or the opposite one; one with tabs on two sides that stand square to
    each other is held by these.
    """
    found = []
    pieces = {p.id: p.piece for p in stand.parts}
    tabbed = {j.tabbed: tuple(k for k in joints if k.tabbed == j.tabbed) for j in joints}
    alike = {part: own for part, own in tabbed.items() if all(abs(_cosine(own[0].out, j.out)) > ALIKE for j in own)}
    for part_id, own in alike.items():
        short = _turned_short_mm(own, stand)
        if short <= NEARLY_MM and not _same_turned(scene, stand, own[0]):
            tab, wider = _wider(own, stand)
            found.append(WrongFit(part_id, "turned end for end", short, tab, wider))
    for one, other in combinations(alike, 2):
        if len(alike[one]) != 1 or len(alike[other]) != 1 or pieces[one] == pieces[other]:
            continue
        a, b = alike[one][0], alike[other][0]
        if len(a.tabs) != len(b.tabs):
            continue
        short = max(_into(a, b, stand), _into(b, a, stand))
        if short <= NEARLY_MM:
            # A tab wider by so much lacks half of it more on either side.
            wider = math.ceil(4.0 * (NEARLY_MM - short) + 1.0) / 2.0
            found.append(WrongFit(one, f"in the place of {other}", short, a.tabs[-1].id, wider))
    return tuple(sorted(found, key=lambda w: w.short_mm))


ALIKE = 0.999


def _cosine(a: P2, b: P2) -> float:
    return a[0] * b[0] + a[1] * b[1]


def _turned_short_mm(own: tuple[TabJoint, ...], stand: Stand) -> float:
    """What a plate's tabs lack where it is put in turned about the way that it goes in: all of them at once, with one shift."""
    first = own[0]
    u = ((first.b[0] - first.a[0]) / first.long_mm, (first.b[1] - first.a[1]) / first.long_mm)
    more = PLAY_MM[stand.cut_by]
    tabs, slots = [], []
    for n, joint in enumerate(own):
        sign = 1.0 if _cosine((joint.b[0] - joint.a[0], joint.b[1] - joint.a[1]), u) > 0 else -1.0
        for t in joint.tabs:
            at = _cosine(joint.a, u) + sign * t.at_mm
            # Tabs of one edge go to slots of that edge's mate only: each edge has a level of its own.
            tabs.append(Opening(f"{n}{t.id}", at, 1e4 * n, t.wide_mm, 1.0))
            slots.append(Opening(f"{n}{t.id}", at, 1e4 * n, t.wide_mm + more, 1.0 + more))
    return next(w.worst_short_mm for w in ways_in(tuple(tabs), tuple(slots)) if w.way == "turned over end for end")


def _into(tabs_of: TabJoint, slots_in: TabJoint, stand: Stand) -> float:
    """What one joint's tabs lack in another's slots, either way round."""
    more = PLAY_MM[stand.cut_by]
    tabs = tuple(Opening(t.id, t.at_mm - tabs_of.long_mm / 2, 0.0, t.wide_mm, tabs_of.thick_tabbed_mm) for t in tabs_of.tabs)
    slots = tuple(
        Opening(t.id, t.at_mm - slots_in.long_mm / 2, 0.0, t.wide_mm + more, slots_in.thick_tabbed_mm + more) for t in slots_in.tabs
    )
    return min(w.worst_short_mm for w in ways_in(tabs, slots) if w.way in ("as drawn", "turned end for end"))


def _same_turned(scene: Scene, stand: Stand, joint: TabJoint) -> bool:
    """Whether a plate is its own mirror about the middle of its joint, so that nobody minds how it stands."""
    part = next(p for p in stand.parts if p.id == joint.tabbed)
    shape = piece_shape(scene, scene.build.piece(part.piece)).metal
    long = joint.long_mm
    u = ((joint.b[0] - joint.a[0]) / long, (joint.b[1] - joint.a[1]) / long)
    mx, my = (joint.a[0] + joint.b[0]) / 2, (joint.a[1] + joint.b[1]) / 2
    a, b, d = 1 - 2 * u[0] * u[0], -2 * u[0] * u[1], 1 - 2 * u[1] * u[1]
    flipped = affine_transform(shape, [a, b, b, d, mx - a * mx - b * my, my - b * mx - d * my])
    return bool(shape.symmetric_difference(flipped).area < SYMMETRIC_SHARE * shape.area)


def _wider(own: tuple[TabJoint, ...], stand: Stand) -> tuple[str, float]:
    """Which tab of the first edge, made how much wider with its slot, stops a plate from going in turned: tried in steps."""
    joint = own[0]
    tab = max(joint.tabs, key=lambda t: abs(t.at_mm - joint.long_mm / 2))
    for k in range(1, 61):
        wider = 0.5 * k
        tabs = tuple(replace(t, wide_mm=t.wide_mm + wider) if t.id == tab.id else t for t in joint.tabs)
        if _turned_short_mm((replace(joint, tabs=tabs), *own[1:]), stand) > NEARLY_MM:
            return tab.id, wider
    return tab.id, 30.0


def exploded(items: tuple[Item, ...], order: AssemblyOrder, apart_mm: float) -> tuple[tuple[Item, Vec3], ...]:
    """Each thing moved back along the way that it goes in, further the later it comes."""
    found = []
    by_id = {i.id: i for i in items}
    for k, step in enumerate(order.steps):
        found.append((by_id[step.item], scale(unit(step.along), -apart_mm * k if k else 0.0)))
    return tuple(found)
