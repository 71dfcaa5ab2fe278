"""The ends of a tube that meets something: its edge turn by turn, for the outside and the inside of its wall.

Along the tube's axis the edge lies so far from where the axes meet. A turn is counted
round the tube from the side of the obtuse angle, as in ``cope``: a turn of 90 is the
side of a positive offset.
"""

from __future__ import annotations

import math
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.methods.tubes.cope import cope

Cut = Literal["square", "mitre", "flat", "cope"]
CUTS: tuple[Cut, ...] = ("square", "mitre", "flat", "cope")
LEAST_DEG = 15.0
MOST_DEG = 165.0
EVERY_DEG = 1.0


@record
class TubeEnd:
    """How a tube ends: ``square``; ``mitre`` with a like tube at ``angle_deg`` between the two; ``flat`` against a flat face, or
    ``cope`` round a tube, ``onto_mm`` being its size across and ``angle_deg`` the angle between the axes.

    ``turn_deg`` is where the obtuse side lies round the tube, from its seam line; ``gap_mm`` what is left open for the weld.
    """

    cut: Cut = "square"
    angle_deg: float = 90.0
    onto_mm: float = 0.0
    offset_mm: float = 0.0
    turn_deg: float = 0.0
    gap_mm: float = 0.0


def require_end(end: TubeEnd, across_mm: float, field: str = "end") -> None:
    """Raises InputError for an end that cannot be cut."""
    if end.cut != "square" and not LEAST_DEG <= end.angle_deg <= MOST_DEG:
        raise InputError(field, f"meets at {end.angle_deg:g}°; {LEAST_DEG:g}° to {MOST_DEG:g}° can be cut")
    if end.cut == "cope":
        cope(across_mm, end.onto_mm, end.angle_deg, end.offset_mm, ())


def edge_mm(end: TubeEnd, radius_mm: float, turn_deg: float) -> float:
    """From where the axes meet to the edge, along the tube, at a turn from the obtuse side, for a wall's surface of a radius.

    s = (√(R² − (e + r sin turn)²) − r cos turn cos angle) / sin angle for a cope; a flat face lies R off whatever the turn; of a
    mitre R is 0 and the angle half of that between the tubes.
    """
    if end.cut == "square":
        return end.gap_mm
    a = math.radians(turn_deg)
    tilt = math.radians(end.angle_deg / 2 if end.cut == "mitre" else end.angle_deg)
    reach = 0.0 if end.cut == "mitre" else end.onto_mm / 2
    if end.cut == "cope":
        reach = math.sqrt(max(0.0, reach * reach - (end.offset_mm + radius_mm * math.sin(a)) ** 2))
    return (reach + end.gap_mm - radius_mm * math.cos(a) * math.cos(tilt)) / math.sin(tilt)


@record
class EndEdge:
    """An end worked out: the edge by turn from the seam line, outside and inside, its nearest and farthest place, and how deep it is."""

    turns_deg: tuple[float, ...]
    outside_mm: tuple[float, ...]
    inside_mm: tuple[float, ...]
    nearest_mm: float
    """The longest point of the tube: nearest to where the axes meet."""
    farthest_mm: float

    @property
    def deepest_mm(self) -> float:
        """What is cut back at the most, from the longest point."""
        return self.farthest_mm - self.nearest_mm


def end_edge(end: TubeEnd, outside_mm: float, inside_mm: float, every_deg: float = EVERY_DEG) -> EndEdge:
    """The edge of an end, by turn from the tube's seam line. Raises InputError where the tube stands out beside what it meets."""
    require_end(end, outside_mm)
    turns = tuple(k * every_deg for k in range(round(360.0 / every_deg) + 1))
    out = tuple(edge_mm(end, outside_mm / 2, t - end.turn_deg) for t in turns)
    inner = tuple(edge_mm(end, inside_mm / 2, t - end.turn_deg) for t in turns)
    nearest, farthest = _extremes(end, outside_mm / 2)
    return EndEdge(turns, out, inner, nearest, farthest)


def _extremes(end: TubeEnd, radius_mm: float) -> tuple[float, float]:
    if end.cut == "cope":
        found = cope(2 * radius_mm, end.onto_mm, end.angle_deg, end.offset_mm, ())
        more = end.gap_mm / math.sin(math.radians(end.angle_deg))
        return found.centre_to_longest_mm + more, found.centre_to_longest_mm + found.deepest_mm + more
    ends = [edge_mm(end, radius_mm, t) for t in (0.0, 180.0)]
    return min(ends), max(ends)
