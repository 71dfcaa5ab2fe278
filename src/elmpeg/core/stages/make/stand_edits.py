"""Stands added and changed: plates with their tabs, slots and halvings, a tab made wider, a hole for a tool."""

from __future__ import annotations

import math
from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.pieces import Cutout, OwnHole, Piece
from elmpeg.core.build.stands import Stand, StandJoint
from elmpeg.core.methods.shapes.outlines import chords, polygon_of, with_arcs
from elmpeg.core.methods.stands.assembly_order import StandFixing, StandPlate, tool_hole
from elmpeg.core.methods.stands.tab_joints import Tab, slots_of, with_halving, with_tabs
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import piece_shape
from elmpeg.core.stages.make.stand_shape import SLOT, is_slot, joints_of, stand_items


def with_stand(build: Build, stand: Stand) -> Build:
    """The build with a stand added or changed. Raises InputError for a part that is there twice."""
    ids = [p.id for p in stand.parts] + [b.id for b in stand.bolts]
    doubled = next((i for i in ids if ids.count(i) > 1), None)
    if doubled is not None:
        raise InputError("parts", f"has two called {doubled}; give each its own name")
    pieces = [p.piece for p in stand.parts]
    twice = next((p for p in pieces if pieces.count(p) > 1), None)
    if twice is not None and stand.joints:
        raise InputError("parts", f"has {build.piece(twice).name} twice; with tabs of its own each place needs a piece of its own")
    known = any(s.id == stand.id for s in build.stands)
    return replace(build, stands=with_item(build.stands, stand) if known else (*build.stands, stand))


def with_joints(build: Build, scene: Scene, stand_id: str, tabs: dict[tuple[str, str], tuple[Tab, ...]] | None = None) -> Build:
    """The stand's plates with tabs, slots and halvings where they meet: as kept, as given, or as proposed.

    Raises InputError for plates that do not meet, and for a piece that stands in two places.
    """
    stand = build.stand(stand_id)
    if tabs is not None:
        kept = {(j.tabbed, j.slotted): j for j in stand.joints}
        changed = tuple(replace(j, tabs=tabs.get(k, j.tabs)) for k, j in kept.items())
        stand = replace(stand, joints=changed)
    joints, halvings = joints_of(scene, stand)
    if not joints and not halvings:
        raise InputError("parts", "do not meet: stand each plate's edge on another's face, or let two cross")
    parts = {p.id: p for p in stand.parts}
    pieces: dict[str, Piece] = {}
    for part in stand.parts:
        piece = build.piece(part.piece)
        bare = part.bare or piece.outline or piece_shape(scene, piece).outline
        parts[part.id] = replace(part, bare=bare)
        pieces[part.id] = replace(piece, outline=bare, cutouts=tuple(c for c in piece.cutouts if not is_slot(c)))
    for joint in joints:
        tabbed = pieces[joint.tabbed]
        edge = with_tabs(chords(tabbed.outline), joint, stand.cut_by)
        pieces[joint.tabbed] = replace(tabbed, outline=with_arcs(list(edge)))
        slots = tuple(
            Cutout(f"{SLOT}{joint.tabbed} {t.id}", with_arcs(list(ring)), f"tab of {tabbed.name}")
            for t, ring in zip(joint.tabs, slots_of(joint, stand.cut_by), strict=True)
        )
        pieces[joint.slotted] = replace(pieces[joint.slotted], cutouts=(*pieces[joint.slotted].cutouts, *slots))
    for half in halvings:
        for part_id, slot, wide in ((half.one, half.one_slot, half.one_wide_mm), (half.other, half.other_slot, half.other_wide_mm)):
            piece = pieces[part_id]
            pieces[part_id] = replace(piece, outline=with_arcs(list(with_halving(chords(piece.outline), slot, wide, stand.cut_by))))
    for piece in pieces.values():
        polygon_of(piece.outline)
    joined = tuple(StandJoint(f"j{k}", j.tabbed, j.slotted, j.tabs) for k, j in enumerate(joints, 1))
    changed_pieces = {p.id: p for p in pieces.values()}
    made = replace(build, pieces=tuple(changed_pieces.get(p.id, p) for p in build.pieces))
    return with_stand(made, replace(stand, parts=tuple(parts.values()), joints=joined))


def without_joints(build: Build, stand_id: str) -> Build:
    """The stand's plates as they were before its tabs and slots."""
    stand = build.stand(stand_id)
    bare = {p.piece: p.bare for p in stand.parts if p.bare}
    pieces = tuple(
        replace(p, outline=bare[p.id], cutouts=tuple(c for c in p.cutouts if not is_slot(c))) if p.id in bare else p for p in build.pieces
    )
    parts = tuple(replace(p, bare=()) for p in stand.parts)
    return with_stand(replace(build, pieces=pieces), replace(stand, parts=parts, joints=()))


def with_tool_hole(build: Build, scene: Scene, stand_id: str, bolt_id: str, part_id: str) -> Build:
    """A hole in a plate that lets a bolt's tool through. Raises InputError where none would help."""
    stand = build.stand(stand_id)
    items = {i.id: i for i in stand_items(scene, stand)}
    bolt, plate = items.get(bolt_id), items.get(part_id)
    if not isinstance(bolt, StandFixing) or not isinstance(plate, StandPlate):
        raise InputError("parts", "have no such bolt and plate")
    found = tool_hole(bolt, plate)
    if found is None:
        raise InputError("parts", f"a hole in {plate.name} does not help: the tool runs along it")
    piece = build.piece(next(p.piece for p in stand.parts if p.id == part_id))
    (x, y), wide = found
    taken = {h.id for h in piece.own_holes}
    name = next(f"tool{k}" for k in range(1, 999) if f"tool{k}" not in taken)
    changed = replace(piece, own_holes=(*piece.own_holes, OwnHole(name, x, y, math.ceil(wide), why=f"tool for {bolt.name}"[:120])))
    return replace(build, pieces=with_item(build.pieces, changed))


def with_tab_changed(
    build: Build, scene: Scene, stand_id: str, joint_of: tuple[str, str], tab_id: str, wider_mm: float = 0.0, along_mm: float = 0.0
) -> Build:
    """The stand with one tab of a joint, and its slot, made wider or moved along; ``joint_of`` are the tabbed plate and the slotted."""
    stand = build.stand(stand_id)
    joint = next((j for j in stand.joints if (j.tabbed, j.slotted) == joint_of), None)
    if joint is None or all(t.id != tab_id for t in joint.tabs):
        raise InputError("tabs", "has no such tab")
    tabs = tuple(replace(t, wide_mm=t.wide_mm + wider_mm, at_mm=t.at_mm + along_mm) if t.id == tab_id else t for t in joint.tabs)
    return with_joints(build, scene, stand_id, {joint_of: tabs})
