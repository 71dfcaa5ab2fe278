"""The letters by which the holes of a piece are called, the same on every page, sheet and file."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product
from string import ascii_uppercase

SAME_ROW_DIGITS = 1
"""Holes whose heights differ by less than this decimal of a millimetre stand in one row."""


def in_rows(places_mm: Sequence[tuple[float, float]]) -> tuple[int, ...]:
    """The numbers of the holes row by row from the lower left on."""
    return tuple(sorted(range(len(places_mm)), key=lambda k: tuple(round(v, SAME_ROW_DIGITS) for v in reversed(places_mm[k]))))


def letters(places_mm: Sequence[tuple[float, float]]) -> tuple[str, ...]:
    """The letter of each hole: A is the lower left one; after Z come AA, AB."""
    names = ("".join(p) for n in (1, 2) for p in product(ascii_uppercase, repeat=n))
    by_number = dict(zip(in_rows(places_mm), names, strict=False))
    return tuple(by_number[k] for k in range(len(places_mm)))
