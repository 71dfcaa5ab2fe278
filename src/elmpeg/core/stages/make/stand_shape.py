"""A stand as it goes together: its plates in space, where they meet, the order, and what could go in wrong."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace
from itertools import combinations, pairwise

from shapely.affinity import affine_transform

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, cross, scale, unit
from elmpeg.core.base.ways import WAYS
from elmpeg.core.build.pieces import Cutout
from elmpeg.core.build.stands import Stand, StandPart
from elmpeg.core.methods.shapes.outlines import chords
from elmpeg.core.methods.sheet_metal.folded_sheet import Frame
from elmpeg.core.methods.stands.assembly_order import AssemblyOrder, Item, StandFixing, StandPlate
from elmpeg.core.methods.stands.tab_joints import PLAY_MM, Halving, TabJoint, joint_between
from elmpeg.core.methods.stands.wrong_ways import Feature, OtherWay, Turn, features_of, held_too, moved_tab, other_ways, short_of
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape

SYMMETRIC_SHARE = 0.004
NEARLY_MM = 1.0
"""Tabs that lack no more than this are filed until they go in."""


@record
class TabChange:
    """A tab made wider, or moved along its joint, with its slot; and whether nothing but the right way is left then."""

    slotted: str
    tab: str
    wider_mm: float
    along_mm: float
    only: bool


@record
class WrongFit:
    """A plate that goes in otherwise than it should: how it is turned, in whose place, which of its tabs then stand in another plate
    than theirs, what it lacks there, which plate then does not go in and shows it, and the tab to change; None where no tab helps."""

    part: str
    turn: str
    place: str
    swaps: tuple[tuple[str, str], ...]
    short_mm: float
    shown_by: str = ""
    change: TabChange | None = None


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


def wrong_fits(scene: Scene, stand: Stand, joints: tuple[TabJoint, ...], halvings: tuple[Halving, ...]) -> tuple[WrongFit, ...]:
    """Plates that go in turned, turned over or moved along and are not the same then, and pairs that go into each other's place."""
    held = {p.id: features_of(p.id, joints, halvings) for p in stand.parts}
    held = {part: own for part, own in held.items() if own}
    play = PLAY_MM[stand.cut_by]
    found = []
    for part, own in held.items():
        ways = other_ways(own, own, play, NEARLY_MM)
        bad = [way for way in ways if not _same_there(scene, stand, way, part, part)]
        if bad:
            minded = {way.turn for way in ways if way not in bad}
            change = _changed_tab(bad, own, joints, part, play, minded) or _changed_tab(bad[:1], own, joints, part, play)
            found.append(_wrong_fit(bad[0], part, "", own, own, play, change))
    for one, other in combinations([p for p, own in held.items() if any(f.kind == "tab" for f in own)], 2):
        there = other_ways(held[one], held[other], play, NEARLY_MM)
        back = other_ways(held[other], held[one], play, NEARLY_MM)
        if there and back and not _same_there(scene, stand, there[0], one, other):
            worse = replace(there[0], short_mm=max(there[0].short_mm, back[0].short_mm))
            change = _changed_tab(there, held[one], joints, one, play, elsewhere=True)
            found.append(_wrong_fit(worse, one, other, held[one], held[other], play, change))
    return tuple(sorted(found, key=lambda w: (w.shown_by != "", w.short_mm)))


def _wrong_fit(
    way: OtherWay, part: str, place: str, own: tuple[Feature, ...], there: tuple[Feature, ...], play: float, change: TabChange | None
) -> WrongFit:
    turn = "turned over" if way.over else f"turned by {way.turned_deg:.0f}°" if way.turned_deg > 1.0 else "" if place else "moved along"
    if not way.over and way.turned_deg > 179.0:
        turn = "turned end for end"
    swaps = tuple(dict.fromkeys((a.mate, b.mate) for a, b in way.pairs if a.kind == "tab" and a.mate != b.mate))
    return WrongFit(part, turn, place, swaps, way.short_mm, held_too(way, own, there, play, NEARLY_MM), change)


def _changed_tab(
    ways: Sequence[OtherWay], own: tuple[Feature, ...], joints: tuple[TabJoint, ...], part: str, play: float,
    minded: set[Turn] | None = None, elsewhere: bool = False,
) -> TabChange | None:  # fmt: skip
    """Which tab, made how much wider or moved how far with its slot, stops all of some ways: the least that does.

    With ``minded``, turns in which the plate is the same, no other way may be left in its own place.
    """
    tabs = {(f.mate, f.id): f for f in own if f.kind == "tab"}
    for step in range(1, 121):
        by = 0.5 * step
        for (mate, tab_id), tab in tabs.items():
            joint = next(j for j in joints if (j.tabbed, j.slotted) == (part, mate))
            for wider, along in ((by, 0.0), (0.0, by), (0.0, -by)):
                if not _room_for(joint, tab_id, wider, along):
                    continue
                moved = moved_tab(tab, wider, along if _forward(joint) else -along)
                if any(short_of(way, tab, moved, not elsewhere, play) <= NEARLY_MM for way in ways):
                    continue
                after = tuple(moved if f is tab else f for f in own)
                if minded is None or all(w.turn in minded for w in other_ways(after, after, play, NEARLY_MM)):
                    return TabChange(mate, tab_id, wider, along, minded is not None)
    return None


LEAST_WEB_MM = 3.0
"""Between two tabs, and between a tab and the end of its joint."""


def _room_for(joint: TabJoint, tab_id: str, wider_mm: float, along_mm: float) -> bool:
    spans = []
    for t in joint.tabs:
        at, wide = (t.at_mm + along_mm, t.wide_mm + wider_mm) if t.id == tab_id else (t.at_mm, t.wide_mm)
        spans.append((at - wide / 2, at + wide / 2))
    spans.sort()
    ends = spans[0][0] >= LEAST_WEB_MM and spans[-1][1] <= joint.long_mm - LEAST_WEB_MM
    return ends and all(b[0] - a[1] >= LEAST_WEB_MM for a, b in pairwise(spans))


def _forward(joint: TabJoint) -> bool:
    """Whether along the joint is a quarter turn to the left of where its tabs point."""
    return (joint.b[0] - joint.a[0]) * -joint.out[1] + (joint.b[1] - joint.a[1]) * joint.out[0] > 0


def _same_there(scene: Scene, stand: Stand, way: OtherWay, part: str, place: str) -> bool:
    """Whether a plate put so is, all round, what should be there, so that nobody minds."""
    metals = [
        piece_shape(scene, scene.build.piece(next(p for p in stand.parts if p.id == part_id).piece)).metal for part_id in (part, place)
    ]
    (a, b, c, d), (x, y) = way.turn, way.shift_mm
    laid = affine_transform(metals[0], [a, b, c, d, x, y])
    return bool(metals[1].symmetric_difference(laid).area < SYMMETRIC_SHARE * metals[1].area)


def exploded(items: tuple[Item, ...], order: AssemblyOrder, apart_mm: float) -> tuple[tuple[Item, Vec3], ...]:
    """Each thing moved back along the way that it goes in, further the later it comes."""
    found = []
    by_id = {i.id: i for i in items}
    for k, step in enumerate(order.steps):
        found.append((by_id[step.item], scale(unit(step.along), -apart_mm * k if k else 0.0)))
    return tuple(found)
