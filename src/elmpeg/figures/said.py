"""Figures in words, as drawings write them."""

from __future__ import annotations

from elmpeg.core.base.quantities import Quantity, Unit, Words, deg, mm, words


def length(value_mm: float) -> Words:
    """A length."""
    return words("{0}", mm(value_mm))


def angle(value_deg: float) -> Words:
    """An angle."""
    return words("{0}", deg(value_deg))


def figure(value: float, unit: Unit) -> Words:
    """Any other figure."""
    return words("{0}", Quantity(value, unit))


def named(name: str, value: float, unit: Unit = "mm") -> Words:
    """A name and its figure."""
    return words(f"{plain(name)} {{0}}", Quantity(value, unit))


def plain(name: str) -> str:
    """A name, its braces never taken for places of figures."""
    return name.replace("{", "(").replace("}", ")")
