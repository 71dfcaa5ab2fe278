"""Limits and fits by ISO 286: from a size and a class such as H7 or g6 to its two limits.

The tables are those of ISO 286-1 and ISO 286-2 for sizes up to 250 mm (120 mm for r and
s), in micrometres.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

RANGES_MM = (3.0, 6.0, 10.0, 18.0, 30.0, 50.0, 80.0, 120.0, 180.0, 250.0)
"""Each range reaches to its figure, that included."""
_GRADES: dict[int, tuple[int, ...]] = {
    5: (4, 5, 6, 8, 9, 11, 13, 15, 18, 20),
    6: (6, 8, 9, 11, 13, 16, 19, 22, 25, 29),
    7: (10, 12, 15, 18, 21, 25, 30, 35, 40, 46),
    8: (14, 18, 22, 27, 33, 39, 46, 54, 63, 72),
    9: (25, 30, 36, 43, 52, 62, 74, 87, 100, 115),
    10: (40, 48, 58, 70, 84, 100, 120, 140, 160, 185),
    11: (60, 75, 90, 110, 130, 160, 190, 220, 250, 290),
    12: (100, 120, 150, 180, 210, 250, 300, 350, 400, 460),
}
_BELOW: dict[str, tuple[int, ...]] = {
    "d": (20, 30, 40, 50, 65, 80, 100, 120, 145, 170),
    "e": (14, 20, 25, 32, 40, 50, 60, 72, 85, 100),
    "f": (6, 10, 13, 16, 20, 25, 30, 36, 43, 50),
    "g": (2, 4, 5, 6, 7, 9, 10, 12, 14, 15),
    "h": (0,) * 10,
}
"""How far a shaft's upper limit lies below its size."""
_ABOVE: dict[str, tuple[int, ...]] = {
    "k": (0, 1, 1, 1, 2, 2, 2, 3, 3, 4),
    "m": (2, 4, 6, 7, 8, 9, 11, 13, 15, 17),
    "n": (4, 8, 10, 12, 15, 17, 20, 23, 27, 31),
    "p": (6, 12, 15, 18, 22, 26, 32, 37, 43, 50),
}
"""How far a shaft's lower limit lies above its size; of k for grades up to 7 only."""
_FINE_MM = (3.0, 6.0, 10.0, 18.0, 30.0, 50.0, 65.0, 80.0, 100.0, 120.0)
_ABOVE_FINE: dict[str, tuple[int, ...]] = {
    "r": (10, 15, 19, 23, 28, 34, 41, 43, 51, 54),
    "s": (14, 19, 23, 28, 35, 43, 53, 59, 71, 79),
}
CLASS = re.compile(r"(js|JS|[d-hkmnprsD-HKMNPRS])\s?(\d{1,2})")
DELTA_GRADES = {"k": 8, "m": 8, "n": 8, "p": 7, "r": 7, "s": 7}
"""Up to which grade the hole of a letter is set off by the difference of two grades."""
Fit = Literal["clearance", "transition", "interference"]


@record
class Limits:
    """A size with its two limits, mm."""

    nominal_mm: float
    low_mm: float
    high_mm: float

    @property
    def upper_um(self) -> float:
        """Upper deviation, micrometres."""
        return round(1000 * (self.high_mm - self.nominal_mm), 3)

    @property
    def lower_um(self) -> float:
        """Lower deviation, micrometres."""
        return round(1000 * (self.low_mm - self.nominal_mm), 3)


def grade_um(nominal_mm: float, grade: int) -> int:
    """The tolerance of a grade at a size."""
    return _GRADES[grade][_range(nominal_mm, RANGES_MM)]


def _range(nominal_mm: float, ranges: tuple[float, ...]) -> int:
    if not 0 < nominal_mm <= ranges[-1]:
        raise InputError("fit", f"is known for sizes above 0 and up to {ranges[-1]:g} mm; this is {nominal_mm:g} mm")
    return bisect_left(ranges, nominal_mm)


def limits_of(nominal_mm: float, fit: str) -> Limits:
    """The limits of a size by its class: small letters are shafts, capitals holes. Raises InputError for one that is not known."""
    found = CLASS.fullmatch(fit.strip())
    if not found or int(found[2]) not in _GRADES:
        raise InputError("fit", f"“{fit[:12]}” is no class; write one such as h6, g6, k6 for a shaft, H7, G7, N7 for a hole")
    letter, grade = found[1], int(found[2])
    width = grade_um(nominal_mm, grade)
    if letter.lower() == "js":
        low, high = -width / 2, width / 2
    elif letter.islower():
        low, high = _shaft(nominal_mm, letter, grade, width)
    else:
        low, high = _hole(nominal_mm, letter.lower(), grade, width)
    return Limits(nominal_mm, nominal_mm + low / 1000, nominal_mm + high / 1000)


def _shaft(nominal_mm: float, letter: str, grade: int, width: int) -> tuple[float, float]:
    if letter in _BELOW:
        upper = -_BELOW[letter][_range(nominal_mm, RANGES_MM)]
        return upper - width, upper
    lower = _lower(nominal_mm, letter, grade)
    return lower, lower + width


def _lower(nominal_mm: float, letter: str, grade: int) -> int:
    if letter in _ABOVE_FINE:
        return _ABOVE_FINE[letter][_range(nominal_mm, _FINE_MM)]
    if letter == "k" and grade > 7:
        return 0
    return _ABOVE[letter][_range(nominal_mm, RANGES_MM)]


def _hole(nominal_mm: float, letter: str, grade: int, width: int) -> tuple[float, float]:
    """A hole is the shaft's mirror; of k to s in the finer grades set off by the difference to the next finer grade."""
    if letter in _BELOW:
        lower = _BELOW[letter][_range(nominal_mm, RANGES_MM)]
        return lower, lower + width
    if letter in ("k", "m", "n") and grade > DELTA_GRADES[letter]:
        if letter == "n":
            return -width, 0
        raise InputError("fit", f"{letter.upper()}{grade} is not in use; {letter.upper()}7 or {letter.upper()}8 is")
    fine = grade <= DELTA_GRADES[letter] and nominal_mm > RANGES_MM[0]
    delta = width - grade_um(nominal_mm, grade - 1) if fine and grade > min(_GRADES) else 0
    base = _lower(nominal_mm, letter, min(grade, 7))
    upper = -base + delta
    return upper - width, upper


@record
class Mating:
    """A shaft in a hole: the least and the most play, negative where it is pressed."""

    hole: Limits
    shaft: Limits
    least_play_mm: float
    most_play_mm: float
    fit: Fit


def mating(nominal_mm: float, hole: str, shaft: str) -> Mating:
    """What a shaft's class does in a hole's. Raises InputError where one of the two is no such class."""
    if hole[:1].islower() or not shaft[:1].islower():
        raise InputError("fit", f"{hole}/{shaft}: the hole's class comes first and in capitals, then the shaft's")
    one, other = limits_of(nominal_mm, hole), limits_of(nominal_mm, shaft)
    least, most = one.low_mm - other.high_mm, one.high_mm - other.low_mm
    kind: Fit = "clearance" if least >= -1e-9 else "interference" if most <= 1e-9 else "transition"
    return Mating(one, other, least, most, kind)
