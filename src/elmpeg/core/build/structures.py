"""Structures of tube: nodes in space, members between them. Each member is made as a piece."""

from __future__ import annotations

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.hardware import Material
from elmpeg.core.build.pieces import Section


@record
class Node:
    """Where members begin and end: a place in the vehicle, or a point of the build that it follows, with so much beside it."""

    id: str
    xyz_mm: Vec3
    point: str = ""


@record
class Member:
    """A tube between two nodes. ``runs``: it runs through, and the others are cut to it."""

    id: str
    start: str
    end: str
    across_mm: float
    wall_mm: float
    section: Section = "round"
    runs: bool = False


@record
class Structure:
    """A structure of tube, and the gap that is left for its welds."""

    id: str
    name: str
    nodes: tuple[Node, ...] = ()
    members: tuple[Member, ...] = ()
    gap_mm: float = 0.5
    material: Material = "steel"
