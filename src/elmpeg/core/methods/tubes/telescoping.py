"""Which tube slides into which: the play between them, and what the play does at the end of what sticks out."""

from __future__ import annotations

import math
from typing import Literal

from elmpeg.core.base.record import record

SLIDES_MM, RATTLES_MM, MOST_PLAY_MM = 0.1, 0.8, 2.0
"""Play across: below the first it must be pressed or reamed, above the second it is shimmed, above the last it is no telescope."""
ENGAGED_SHARE = 2.0
"""Of the outer tube's size: how far the inner one stays in at the least."""
FitWord = Literal["is pressed or reamed", "slides", "rattles: shim it"]
SIZES_MM: tuple[tuple[float, tuple[float, ...]], ...] = (
    (10.0, (1.0, 1.5)),
    (12.0, (1.0, 1.5, 2.0)),
    (14.0, (1.0, 1.5, 2.0)),
    (15.0, (1.0, 1.5, 2.0)),
    (16.0, (1.0, 1.5, 2.0)),
    (18.0, (1.0, 1.5, 2.0)),
    (20.0, (1.0, 1.5, 2.0, 2.5)),
    (22.0, (1.0, 1.5, 2.0, 2.5)),
    (25.0, (1.0, 1.5, 2.0, 2.5, 3.0)),
    (28.0, (1.5, 2.0, 2.5, 3.0)),
    (30.0, (1.5, 2.0, 2.5, 3.0)),
    (32.0, (1.5, 2.0, 2.5, 3.0)),
    (35.0, (1.5, 2.0, 2.5, 3.0)),
    (38.0, (1.5, 2.0, 2.5, 3.0, 4.0)),
    (40.0, (1.5, 2.0, 2.5, 3.0, 4.0)),
    (42.0, (2.0, 2.5, 3.0, 4.0)),
    (45.0, (2.0, 2.5, 3.0, 4.0)),
    (48.0, (2.0, 2.5, 3.0, 4.0)),
    (50.0, (2.0, 2.5, 3.0, 4.0, 5.0)),
    (55.0, (2.0, 2.5, 3.0, 4.0, 5.0)),
    (60.0, (2.0, 2.5, 3.0, 4.0, 5.0)),
    (70.0, (2.0, 3.0, 4.0, 5.0)),
    (76.0, (2.0, 3.0, 4.0, 5.0)),
    (80.0, (2.0, 3.0, 4.0, 5.0)),
)
"""Usual precision tubes, outside and walls, mm (sizes of EN 10305-1 that are commonly stocked)."""


@record
class RoundTube:
    """A round tube by its sizes; ``of`` says where it is from: the shelf, the table."""

    name: str
    outside_mm: float
    bore_mm: float
    of: str = "table"


@record
class Telescope:
    """One tube in another: the play across, how it goes in, how far it stays in at the least, and what it wags at a reach."""

    inner: RoundTube
    outer: RoundTube
    play_mm: float
    fits: FitWord
    engaged_mm: float

    def wags_mm(self, reach_mm: float) -> float:
        """How far the end of the inner tube moves sideways each way, sticking out by a reach: play (reach + engaged/2) / engaged."""
        return self.play_mm * (reach_mm + self.engaged_mm / 2) / self.engaged_mm

    @property
    def leans_deg(self) -> float:
        """How far the inner tube can lean in the outer, each way."""
        return math.degrees(math.atan2(self.play_mm, self.engaged_mm))


def table_tubes() -> tuple[RoundTube, ...]:
    """The usual sizes."""
    return tuple(RoundTube(f"{d:g} x {w:g}", d, d - 2 * w) for d, walls in SIZES_MM for w in walls)


def telescopes(tubes: tuple[RoundTube, ...], one: RoundTube) -> tuple[Telescope, ...]:
    """What goes into a tube and what it goes into, the least play first; none looser than is any use."""
    pairs = [(t, one) for t in tubes] + [(one, t) for t in tubes]
    found = []
    for inner, outer in pairs:
        play = outer.bore_mm - inner.outside_mm
        if -1e-9 <= play <= MOST_PLAY_MM and inner.outside_mm > 0:
            fits: FitWord = "is pressed or reamed" if play < SLIDES_MM else "slides" if play <= RATTLES_MM else "rattles: shim it"
            found.append(Telescope(inner, outer, max(play, 0.0), fits, ENGAGED_SHARE * outer.outside_mm))
    return tuple(sorted(found, key=lambda t: (t.play_mm < SLIDES_MM, t.play_mm, t.outer.outside_mm)))
