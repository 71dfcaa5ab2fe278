"""Centre lines of a structure: each end on a node, on a point of the build, or at a place; a node is made where there is none."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import count, product
from string import ascii_uppercase

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add
from elmpeg.core.build.structures import Member, Node, Structure
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.structure_members import node_places

SAME_PLACE_MM = 0.05
"""Ends nearer to each other are one node."""


@record
class LineEnd:
    """One end of a centre line: a node there is, or a point, or a place in the vehicle, mm."""

    node: str = ""
    point: str = ""
    place_mm: Vec3 | None = None


def with_centre_line(scene: Scene, structure: Structure, start: LineEnd, end: LineEnd, member: Member) -> Structure:
    """The structure with a member more, and with the nodes that its ends needed. A member without a name gets a free one.

    Raises InputError for ends at one place, and for a node that is not there.
    """
    made, a = _with_end(scene, structure, start, "line_start")
    made, b = _with_end(scene, made, end, "line_end")
    if a == b:
        raise InputError("line_end", "is where the line starts; choose or pick another place")
    known = {m.id for m in made.members}
    name = member.id or next(f"m{k}" for k in count(len(known) + 1) if f"m{k}" not in known)
    if name in known:
        raise InputError("member_name", f"there is a member {name} already")
    return replace(made, members=(*made.members, replace(member, id=name, start=a, end=b)))


def with_node_moved(structure: Structure, node_id: str, by_mm: Vec3) -> Structure:
    """The structure with a node moved; one that follows a point is then so much further beside it. Raises InputError."""
    if all(n.id != node_id for n in structure.nodes):
        raise InputError("node", f"there is no node “{node_id[:40]}” in {structure.name}")
    nodes = tuple(replace(n, xyz_mm=add(n.xyz_mm, by_mm)) if n.id == node_id else n for n in structure.nodes)
    return replace(structure, nodes=nodes)


def _with_end(scene: Scene, structure: Structure, end: LineEnd, field: str) -> tuple[Structure, str]:
    """The structure with a node for an end, and that node's name."""
    places = node_places(scene, structure)
    if end.node:
        if end.node not in places:
            raise InputError(field, f"there is no node “{end.node[:40]}” in {structure.name}")
        return structure, end.node
    if end.point:
        there = next((n.id for n in structure.nodes if n.point == end.point and n.xyz_mm == (0.0, 0.0, 0.0)), None)
        if there is not None:
            return structure, there
        made = Node(_free(places, end.point), (0.0, 0.0, 0.0), scene.build.point(end.point).id)
    else:
        if end.place_mm is None:
            raise InputError(field, "pick it in a view, or choose where it is")
        at = end.place_mm
        near = next((name for name, place in places.items() if math.dist(place, at) < SAME_PLACE_MM), None)
        if near is not None:
            return structure, near
        made = Node(_free(places, ""), at)
    return replace(structure, nodes=(*structure.nodes, made)), made.id


def _free(taken: dict[str, Vec3], wanted: str) -> str:
    """A name that no node has: as wanted, else the next letter."""
    if wanted and wanted[:40] not in taken:
        return wanted[:40]
    return next(name for n in count(1) for name in map("".join, product(ascii_uppercase, repeat=n)) if name not in taken)
