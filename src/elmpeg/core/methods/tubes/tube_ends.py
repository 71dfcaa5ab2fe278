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


Half = Literal["", "obtuse", "acute"]
HALVES: tuple[Half, ...] = ("", "obtuse", "acute")


@record
class FurtherCut:
    """Another tube that an end is coped round besides, told as the first is: its angle, size, offset and the turn of its obtuse side.

    ``shift_mm`` is how far into the tube its axis meets, from where the first one's does. ``half`` names the side to which it goes
    from there, where it ends there; empty where it runs through.
    """

    angle_deg: float
    onto_mm: float
    offset_mm: float = 0.0
    turn_deg: float = 0.0
    shift_mm: float = 0.0
    half: Half = ""


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
    also: tuple[FurtherCut, ...] = ()
    """What it is cut round besides: the edge is where the first of them is met, from inside the tube."""


def require_end(end: TubeEnd, across_mm: float, field: str = "end") -> None:
    """Raises InputError for an end that cannot be cut."""
    if end.cut != "square" and not LEAST_DEG <= end.angle_deg <= MOST_DEG:
        raise InputError(field, f"meets at {end.angle_deg:g}°; {LEAST_DEG:g}° to {MOST_DEG:g}° can be cut")
    for one in end.also:
        if end.cut == "square" or not LEAST_DEG <= one.angle_deg <= MOST_DEG or one.onto_mm <= 0:
            raise InputError(field, f"is cut round a further tube at {one.angle_deg:g}°; {LEAST_DEG:g}° to {MOST_DEG:g}° can be cut")
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


def further_mm(one: FurtherCut, gap_mm: float, radius_mm: float, turn_deg: float) -> float:
    """The same of a further tube, from where the first one's axis meets; minus infinity where it is not met at that turn.

    ``turn_deg`` is from the seam line. At a place s along and t round the tube, s cos angle less r cos t sin angle is how far along
    the other's axis, towards the acute side, it is met.
    """
    a, tilt = math.radians(turn_deg - one.turn_deg), math.radians(one.angle_deg)
    reach, beside = one.onto_mm / 2, one.offset_mm + radius_mm * math.sin(a)
    if abs(beside) > reach:
        return -math.inf
    at = (math.sqrt(reach * reach - beside * beside) + gap_mm - radius_mm * math.cos(a) * math.cos(tilt)) / math.sin(tilt)
    acute = at * math.cos(tilt) - radius_mm * math.cos(a) * math.sin(tilt)
    met = not one.half or (acute if one.half == "acute" else -acute) >= 0
    return at + one.shift_mm if met else -math.inf


def whole_edge_mm(end: TubeEnd, radius_mm: float, turn_deg: float) -> float:
    """The edge of an end that may meet several, at a turn from the seam line."""
    first = edge_mm(end, radius_mm, turn_deg - end.turn_deg)
    return max((first, *(further_mm(one, end.gap_mm, radius_mm, turn_deg) for one in end.also)))


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
    out = tuple(whole_edge_mm(end, outside_mm / 2, t) for t in turns)
    inner = tuple(whole_edge_mm(end, inside_mm / 2, t) for t in turns)
    nearest, farthest = (min(out), max(out)) if end.also else _extremes(end, outside_mm / 2)
    return EndEdge(turns, out, inner, nearest, farthest)


def _extremes(end: TubeEnd, radius_mm: float) -> tuple[float, float]:
    if end.cut == "cope":
        found = cope(2 * radius_mm, end.onto_mm, end.angle_deg, end.offset_mm, ())
        more = end.gap_mm / math.sin(math.radians(end.angle_deg))
        return found.centre_to_longest_mm + more, found.centre_to_longest_mm + found.deepest_mm + more
    ends = [edge_mm(end, radius_mm, t) for t in (0.0, 180.0)]
    return min(ends), max(ends)
