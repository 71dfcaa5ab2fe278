"""Numbers with their unit inside sentences, so that each person reads them in their own units."""

from __future__ import annotations

import re
from typing import Literal

from elmpeg.core.base.record import record

_PLACE = re.compile(r"\{(\d+)\}")
Unit = Literal["mm", "deg", "rad_s2", "pct", "rpm", "count", "kg", "n_mm", "mm2", "kmh", "days", "ratio", "px", "nm", "kg_m3"]


@record
class Quantity:
    """A value with its unit, and its doubt where that is known: ± ``sd``, or, for a size that may as well be nothing, the
    figure that it stays below."""

    value: float
    unit: Unit
    sd: float | None = None
    at_most: float | None = None
    bought: bool = False
    """Whether it is a size that things are sold by, which keeps its own unit whoever reads it."""
    only_doubt: bool = False
    """Whether only its doubt is told, with the digits that it has behind the value."""
    within: tuple[float | None, float | None] = (None, None)
    """The limits that the value is told beside, which may ask for more digits."""
    rounds: Literal["", "down", "up", "fine"] = ""
    """Which way it may be rounded where it is told: a most is never told as more, a least never as less; how well something must be
    known is told as ``fine`` as it is, never as nothing and never as more."""


@record
class Words:
    """A sentence with numbered places, ``{0}``, for the quantities it names."""

    template: str
    quantities: tuple[Quantity, ...] = ()


def mm(value: float, sd: float | None = None, at_most: float | None = None) -> Quantity:
    """A length."""
    return Quantity(value, "mm", sd, at_most)


def most_mm(value: float) -> Quantity:
    """A length that is not to be exceeded."""
    return Quantity(value, "mm", rounds="down")


def least_mm(value: float) -> Quantity:
    """A length that is not to be fallen short of."""
    return Quantity(value, "mm", rounds="up")


def bought_mm(value: float) -> Quantity:
    """A size that is sold by name: of a bolt, a tube, a sheet."""
    return Quantity(value, "mm", bought=True)


def deg(value: float, sd: float | None = None, at_most: float | None = None) -> Quantity:
    """An angle."""
    return Quantity(value, "deg", sd, at_most)


def words(template: str, *quantities: Quantity) -> Words:
    """A sentence and the quantities that stand in it."""
    return Words(template, quantities)


def noted(value: float, unit: Unit) -> str:
    """A measured figure within a text that is kept; whoever reads the text later has it in a unit of their own."""
    return f"{{{unit} {value:.7g}}}"


def noted_words(words: Words) -> str:
    """A sentence as a text that is kept."""

    def fill(match: re.Match[str]) -> str:
        one = words.quantities[int(match[1])]
        return f"{one.value:g} mm" if one.bought else noted(one.value, one.unit)

    return _PLACE.sub(fill, words.template)


def joined(first: Words, second: Words) -> Words:
    """Two sentences as one text; the second's places count on from the first's."""
    return Words(f"{first.template} {counted_on(second.template, first)}", (*first.quantities, *second.quantities))


def counted_on(template: str, first: Words) -> str:
    """A text whose places count on from those of another that stands before it."""
    return _PLACE.sub(lambda found: f"{{{int(found[1]) + len(first.quantities)}}}", template)


def capitalised(text: str) -> str:
    """Text as a sentence begins; only its first letter changes."""
    return text[:1].upper() + text[1:]


def lowered(text: str) -> str:
    """A name as it stands within a sentence, its braces never taken for places of figures; one in capitals stays so."""
    first = text[:1].lower() if text[1:2].islower() else text[:1]
    return named(first + text[1:])


def named(text: str) -> str:
    """A name as it is, within a sentence's template, its braces never taken for places of figures."""
    return text.replace("{", "(").replace("}", ")")


def plain(text: str) -> str:
    """A name at the start of a sentence's template, its braces never taken for places of figures."""
    return named(capitalised(text))
