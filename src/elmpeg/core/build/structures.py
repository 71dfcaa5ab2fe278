"""Structures of tube: nodes in space, members between them. Each member is made as a piece."""

from __future__ import annotations

from typing import Annotated

from elmpeg.core.base.declared import NOT_NEGATIVE, POSITIVE, Called, Within
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.build.hardware import Material
from elmpeg.core.build.pieces import Section

MOST_GAP_MM = 10.0


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
    start: Annotated[str, Called("from node")]
    end: Annotated[str, Called("to node")]
    across_mm: Annotated[float, POSITIVE]
    wall_mm: Annotated[float, NOT_NEGATIVE]
    section: Section = "round"
    runs: bool = False


@record
class Structure:
    """A structure of tube, and the gap that is left for its welds."""

    id: str
    name: str
    nodes: tuple[Node, ...] = ()
    members: tuple[Member, ...] = ()
    gap_mm: Annotated[float, Within(0.0, MOST_GAP_MM)] = 0.5
    material: Material = "steel"
