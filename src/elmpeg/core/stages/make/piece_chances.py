"""How surely the holes of a piece go over what they must meet, from the doubt of the points they were made after.

A hole's centre scatters about its bolt's in both directions of its plane; the piece goes
on where that stays within the hole's play. Source: the Rayleigh distribution of a
two-dimensional normal miss, P = 1 − exp(−play² / 2 sd²); holes are taken as measured
each by itself, which is what repeated readings of one person rarely are, so the chance
is the better of what can be known.
"""

from __future__ import annotations

import math

from elmpeg.core.base.record import record
from elmpeg.core.stages.make.piece_shape import PieceShape

FAR_DOUBTS = 40.0


@record
class HoleChance:
    """One hole's chance of going over its bolt."""

    hole: str
    called: str
    play_mm: float
    sd_mm: float
    chance: float


@record
class GoesOn:
    """The chance that all holes go on, and each hole's, the worst first."""

    chance: float
    holes: tuple[HoleChance, ...]


def goes_on(shape: PieceShape) -> GoesOn | None:
    """The chance of a piece's going on; None where none of its holes is made after a measured point."""
    doubt = dict(pair for face in shape.faces for pair in face.sd_mm)
    found = []
    for hole in shape.holes:
        if hole.id not in doubt:
            continue
        play, sd = max((hole.drill_mm - hole.bolt_mm) / 2, 0.0), doubt[hole.id]
        found.append(HoleChance(hole.id, hole.named, play, sd, chance_within(play, sd)))
    if not found:
        return None
    return GoesOn(math.prod(h.chance for h in found), tuple(sorted(found, key=lambda h: h.chance)))


def chance_within(play_mm: float, sd_mm: float) -> float:
    """The chance that a miss in a plane, of one standard deviation in each direction, stays within a play."""
    if sd_mm <= 0 or play_mm / sd_mm > FAR_DOUBTS:
        return 1.0
    return 1.0 - math.exp(-((play_mm / sd_mm) ** 2) / 2)


def play_needed_mm(sd_mm: float, sure: float, holes: int) -> float:
    """The play that each of so many like holes needs for all of them to go on that surely."""
    each = sure ** (1.0 / max(holes, 1))
    return sd_mm * math.sqrt(-2.0 * math.log(1.0 - each))
