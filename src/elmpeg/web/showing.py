"""Values as people read them: in their own units, with their doubt, never finer than it."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Literal, cast, get_args

from elmpeg.core.base.days import day_said
from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import Quantity, Unit, Words
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.base.verdicts import margin_within
from elmpeg.core.judging.checks import Check
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH, inch_fraction, parse_angle, parse_length
from elmpeg.figures.projection import round_length
from elmpeg.store.accounts import Units

_NOTED = re.compile(rf"\{{({'|'.join(get_args(Unit))}) (-?[\d.]+(?:e[-+]?\d+)?)\}}")
_PLACE = re.compile(r"\{(\d+)\}")
_UNIT_WORDS: dict[Unit, str] = {
    "deg": "°", "rad_s2": "\u00a0rad/s²", "pct": "\u00a0%", "rpm": "\u00a0rpm", "count": "", "kg": "\u00a0kg", "n_mm": "\u00a0N/mm",
    "nm": "\u00a0N·m", "kg_m3": "\u00a0kg/m³", "mm2": "\u00a0mm²", "kmh": "\u00a0km/h", "days": "\u00a0days", "ratio": "", "px": "\u00a0px",
}  # fmt: skip
_PLACES: dict[Unit, int] = {
    "rad_s2": 0,
    "rpm": 0,
    "count": 0,
    "mm2": 0,
    "kmh": 0,
    "pct": 2,
    "n_mm": 2,
    "nm": 1,
    "kg_m3": 0,
    "days": 2,
    "ratio": 3,
}
"""Decimal places of what is not a length, an angle or a weight."""
_INCH = float(MM_PER_INCH)
MINUS = "\u2212"
_PM = "\u00a0±\u00a0"
ROUNDED_SLACK = 1e-6
COARSE_IN = 0.25
"""From which doubt on inches are told to hundredths."""
MOST_PLACES = 6
HIDDEN_SHARE = 0.03
"""What share of a value a fraction of an inch may hide without a word."""
HIDDEN_MOST_MM = _INCH / 64
"""And never more than a thirty-second rounds away, so that a length is the same fraction with its doubt and in a sentence."""
HIDDEN_OF_DOUBT = 0.5
"""What share of the doubt, or of the room to a limit, it may hide."""
FINEST_PARTS = 64
"""Sixty-fourths are the finest that a rule shows."""
BOUGHT_OFF_MM = 0.011
"""What is bought by a round size is that size to within this."""


@dataclass(frozen=True, slots=True)
class Shown:
    """A value on screen: the text, and the full value for its tooltip."""

    text: str
    full: str

    def __str__(self) -> str:
        return self.text


@dataclass(frozen=True, slots=True)
class Show:
    """One person's way of reading values."""

    units: Units = "mm"
    decimal: bool = False
    """Whether inches are told in decimals even where this person reads fractions: in a column that needs them somewhere."""

    @property
    def length_unit(self) -> Literal["mm", "in"]:
        """The unit that a bare length is taken in when this person types it: mm or in."""
        return "mm" if self.units == "mm" else "in"

    def value(self, value: float, unit: Unit, sd: float | None = None, digits: int | None = None, room_mm: float | None = None) -> Shown:
        """A value with its unit and, where known, its doubt; ``room_mm`` is how far a length is from its nearest limit."""
        inches = unit == "mm" and self.length_unit == "in"
        fraction = self._fraction(value, sd, room_mm) if inches else ""
        if fraction:
            return Shown(f"{fraction}\u00a0in", _full(value, unit))
        # A digit of an inch says far more than one of a millimetre; nought is what whole units are asked for with.
        places = self._places(unit, sd) if digits is None or (inches and not digits) else digits + inches
        return self._written(value, unit, sd, places)

    def _fraction(self, value_mm: float, sd_mm: float | None, room_mm: float | None = None) -> str:
        """A length and its doubt as fractions of an inch, as fine as they must be; empty where only a decimal would do."""
        if self.decimal or self.units not in ("in_fraction_16", "in_fraction_32"):
            return ""
        most = min(HIDDEN_SHARE * abs(value_mm), HIDDEN_MOST_MM)
        if sd_mm:
            if sd_mm < _INCH / (2 * FINEST_PARTS):
                return ""
            most = min(HIDDEN_OF_DOUBT * sd_mm, HIDDEN_MOST_MM)
        if room_mm is not None:
            most = min(most, HIDDEN_OF_DOUBT * abs(room_mm))
        parts = 16 if self.units == "in_fraction_16" else 32
        while parts <= FINEST_PARTS:
            if abs(value_mm - round(value_mm / _INCH * parts) / parts * _INCH) <= most:
                doubt = f"{_PM}{inch_fraction(max(sd_mm, _INCH / FINEST_PARTS), FINEST_PARTS)}" if sd_mm else ""
                return inch_fraction(value_mm, parts).replace("-", MINUS) + doubt
            parts *= 2
        return ""

    def column(self, lengths: Iterable[tuple[float, float | None, float | None]]) -> Show:
        """How lengths under each other are told: all as fractions, or all in decimals where one of them needs it.

        Each is a length, its doubt and its room to the nearest limit, mm.
        """
        if self.length_unit == "mm" or self.units == "in_decimal":
            return self
        return self if all(self._fraction(v, sd, room) for v, sd, room in lengths) else replace(self, decimal=True)

    def alike(self, *lengths_mm: Iterable[float | None]) -> Show:
        """How bare lengths under each other are told."""
        return self.column((v, None, None) for some in lengths_mm for v in some if v is not None)

    @property
    def fine(self) -> Show:
        """How lengths are told of which some are hundredths of a millimetre: in decimals, whoever reads them."""
        return replace(self, decimal=True)

    def checks(self, checks: Iterable[Check]) -> Show:
        """How the lengths among checks are told under each other."""
        return self.column((c.value, c.sd, c.margin) for c in checks if c.unit == "mm" and c.value is not None)

    def bar(self, most_mm: float) -> tuple[float, str]:
        """The longest round length in this person's unit that is not above another, mm, and in words; for scale bars and grids."""
        unit = 1.0 if self.length_unit == "mm" else _INCH
        length = round_length(most_mm / unit)
        if unit != 1.0 and length < 1:
            length = next((1 / n for n in (2, 4, 8, 16) if 1 / n <= most_mm / unit), length)
        words = inch_fraction(length * _INCH, 16) if unit != 1.0 and length < 1 and self.units != "in_decimal" else f"{length:g}"
        return length * unit, f"{words}\u00a0{self.length_unit}"

    def bought(self, mm: float, inch: bool | None = None) -> Shown:
        """A size that is bought by name: in the unit it is sold by, and beside it what that is in the reader's own.

        ``inch`` says which, where a name tells it, such as a thread; else a round size does.
        """
        full = _full(mm, "mm")
        if inch is None:
            round_mm = abs(2 * mm - round(2 * mm)) <= 2 * BOUGHT_OFF_MM
            inch = not round_mm and abs(mm / _INCH * 32 - round(mm / _INCH * 32)) <= 32 * BOUGHT_OFF_MM / _INCH
            if not inch and not round_mm:
                return self.value(mm, "mm")
        own = f"{inch_fraction(mm, 32)}\u00a0in" if inch else f"{mm:.4g}\u00a0mm"
        if inch == (self.length_unit == "in"):
            return Shown(own, full)
        other = f"{mm:.1f}\u00a0mm" if inch else f"{mm / _INCH:.3f}\u00a0in"
        return Shown(f"{own} ({other})", full)

    def quantity(self, quantity: Quantity) -> Shown:
        """A quantity with its unit."""
        if quantity.bought:
            return self.bought(quantity.value)
        if quantity.only_doubt:
            return self.doubt(quantity.value, quantity.unit, quantity.sd or 0.0, *quantity.within)
        if quantity.rounds == "fine":
            return self.known_to(quantity.value, quantity.unit)
        if quantity.rounds:
            return self._rounded(quantity.value, up=quantity.rounds == "up")
        if quantity.at_most is None:
            return self.value(quantity.value, quantity.unit, quantity.sd)
        digits = _digits(quantity.unit, quantity.sd)
        told, at_most = (self.value(v, quantity.unit, None, digits) for v in (quantity.value, quantity.at_most))
        return Shown(_as_much_as(told, at_most), told.full)

    def known_to(self, value: float, unit: Unit) -> Shown:
        """How well something must be known: two digits of it, whatever its size, rounded down."""
        inches = unit == "mm" and self.length_unit == "in"
        own = value / _INCH if inches else value
        places = max(0, 1 - math.floor(math.log10(own))) if own > 0 else 0
        least = math.floor(own * 10**places + ROUNDED_SLACK) / 10**places
        text = _number(least, places)
        text = text.rstrip("0").rstrip(".") if "." in text else text
        behind = f"\u00a0{self.length_unit}" if unit == "mm" else _UNIT_WORDS[unit]
        return Shown(f"{text}{behind}", _full(value, unit))

    def _rounded(self, mm: float, up: bool) -> Shown:
        """A length to what a person reads off a rule in their unit, never past it the wrong way."""
        step = 0.1 if self.units == "mm" else _INCH * (1 / 1000 if self.units == "in_decimal" or self.decimal else 1 / FINEST_PARTS)
        count = mm / step
        whole = math.ceil(count - ROUNDED_SLACK) if up else math.floor(count + ROUNDED_SLACK)
        return Shown(str(self.value(whole * step, "mm")), _full(mm, "mm"))

    def words(self, words: Words) -> str:
        """A sentence with its quantities in place."""

        def fill(match: re.Match[str]) -> str:
            index = int(match[1])
            if index >= len(words.quantities):
                return match[0]
            return str(self.quantity(words.quantities[index]))

        return _PLACE.sub(fill, words.template)

    def noted(self, text: str) -> str:
        """A kept text with the figures that are noted in it."""
        return _NOTED.sub(lambda m: str(self.value(float(m[2]), cast(Unit, m[1]))), text)

    def judged(self, value: float, unit: Unit, sd: float | None, low: float | None, high: float | None) -> Shown:
        """A value beside its limits: with as many digits as its doubt bears, and more only where rounding would hide the verdict."""
        return self._beside(value, unit, sd, low, high)[0]

    def _beside(self, value: float, unit: Unit, sd: float | None, low: float | None, high: float | None) -> tuple[Shown, list[str]]:
        """A value and its limits, the least first, as they stand beside each other: in one unit, so that whoever compares them as
        they are shown comes to what was found."""
        limits = [limit for limit in (low, high) if limit is not None]
        fractions = self._fractions_beside(value, sd, low, high) if unit == "mm" and limits else None
        if fractions:
            return Shown(f"{fractions[0]}\u00a0in", _full(value, unit)), [f"{text}\u00a0in" for text in fractions[1:]]
        by = _INCH if unit == "mm" and self.length_unit == "in" else 1.0
        places, of_limits = self._places(unit, sd), self._places(unit, None)
        scaled = [None if limit is None else limit / by for limit in (low, high)]
        while places < MOST_PLACES and _hides(value / by, places, scaled, max(places, of_limits)):
            places += 1
        of_limits = max(places, of_limits) if _hides(value / by, places, scaled, of_limits) else of_limits
        shown = self._written(value, unit, sd, places)
        return shown, [str(self._written(limit, unit, None, of_limits)) for limit in limits]

    def _places(self, unit: Unit, sd: float | None) -> int:
        """Decimal places, in this person's unit, that a value's doubt bears."""
        if unit != "mm" or self.length_unit == "mm":
            return _digits(unit, sd)
        return 3 if not sd or sd < COARSE_IN * _INCH else 2

    def _written(self, value: float, unit: Unit, sd: float | None, places: int) -> Shown:
        """A value and its doubt in decimals, ending at one digit, with so many places in this person's unit."""
        inches = unit == "mm" and self.length_unit == "in"
        by = _INCH if inches else 1.0
        behind = f"\u00a0{self.length_unit}" if unit == "mm" else _UNIT_WORDS[unit]
        doubt = f"{_PM}{_number(max(sd / by, 10**-places), places)}" if sd else ""
        degrees = "°" if unit == "deg" and doubt else ""
        return Shown(f"{_number(value / by, places)}{degrees}{doubt}{behind}", _full(value, unit))

    def _fractions_beside(self, value: float, sd: float | None, low: float | None, high: float | None) -> list[str] | None:
        """A length as a fraction of an inch and its limits, in decimals where they are none; None where that would not tell the verdict."""
        if self.decimal or self.units not in ("in_fraction_16", "in_fraction_32"):
            return None
        room = room_mm_of(value, low, high)
        told = self._fraction(value, sd, room)
        if not told:
            return None
        places = self._places("mm", None)
        of_limits = [None if v is None else self._fraction(v, None, room) or _number(v / _INCH, places) for v in (low, high)]
        as_read = [None if text is None else _read_in(text) for text in of_limits]
        if _beyond(_read_in(told.partition(_PM)[0]), as_read) != _beyond(value, [low, high]):
            return None
        return [told, *(text for text in of_limits if text is not None)]

    def doubt(self, value: float, unit: Unit, sd: float, low: float | None = None, high: float | None = None) -> Shown:
        """A value's doubt alone, in the very digits in which it stands behind the value."""
        whole = self.judged(value, unit, sd, low, high)
        return Shown(str(whole).partition(_PM)[2], _full(sd, unit)) if sd else self.value(0.0, unit)

    def bare(self, check: Check) -> Shown:
        """A check's value alone, for a row that has no room for its doubt."""
        return self.judged(check.value or 0.0, check.unit, None, check.low, check.high)

    def check(self, check: Check) -> Shown:
        """A check's value beside its limits, with its doubt; of a size that may as well be nothing, what it stays below."""
        if check.value is None:
            return Shown("–", "")
        if check.at_most is None:
            return self.judged(check.value, check.unit, check.sd, check.low, check.high)
        told, at_most = (self.judged(v, check.unit, None, check.low, check.high) for v in (check.value, check.at_most))
        return Shown(_as_much_as(told, at_most), told.full)

    def limits(self, check: Check) -> str:
        """A check's limits in words, as they stand beside its value."""
        return self.limit(check.low, check.high, check.unit, check.value, check.sd if check.at_most is None else None)

    def chance(self, share: float) -> str:
        """A chance in percent, never told as certain where it is not."""
        if share > 0.9995:
            return "over 99.9 %"
        if share < 0.0005:
            return "under 0.1 %"
        return f"{100 * share:.1f} %" if share > 0.9 or share < 0.1 else f"{100 * share:.0f} %"

    def limit(self, low: float | None, high: float | None, unit: Unit, value: float | None = None, sd: float | None = None) -> str:
        """Limits in words: “at most 3.0°”, “0.5° to 3.0°”, “± 1.0 mm”; as fine as the ``value`` needs that stands beside them."""
        limits = [limit for limit in (low, high) if limit is not None]
        told = [str(self.value(limit, unit)) for limit in limits] if value is None else self._beside(value, unit, sd, low, high)[1]
        if low is not None and high is not None:
            return f"within ± {told[1]}" if math.isclose(low, -high) else f"{told[0]} to {told[1]}"
        return f"{'at most' if high is not None else 'at least'} {told[0]}" if told else ""

    def change(self, now: float, before: float, unit: Unit) -> str:
        """How far a value has moved, with its sign."""
        moved = now - before
        sign = "+" if moved > 0 else ""
        return f"{sign}{self.value(moved, unit)}"

    def some_changes(self, xyz_mm: Vec3, axes: str) -> str:
        """Differences along those of the axes that were measured."""
        if axes == "xyz":
            return self.changes(xyz_mm)
        return ", ".join(f"{a.upper()} {self.fine.change(v, 0, 'mm')}" for a, v in zip("xyz", xyz_mm, strict=True) if a in axes)

    def some_coordinates(self, xyz_mm: Vec3, axes: str) -> str:
        """Those coordinates of a place that were measured."""
        if axes == "xyz":
            return self.coordinates(xyz_mm)
        return ", ".join(f"{a.upper()} {self.value(v, 'mm')}" for a, v in zip("xyz", xyz_mm, strict=True) if a in axes)

    def changes(self, xyz_mm: Vec3) -> str:
        """Three differences with their signs and one unit."""
        texts = [str(self.fine.value(v, "mm")).split("\u00a0")[0] for v in xyz_mm]
        signed = (f"+{t}" if v > 0 and t.strip("0.") else t for v, t in zip(xyz_mm, texts, strict=True))
        return ", ".join(signed) + f"\u00a0{self.length_unit}"

    def entered(self, value: float, unit: Unit) -> str:
        """A value as it stands in a field for typing: no unit, this person's own."""
        if unit == "mm" and self.units != "mm":
            return f"{value / _INCH:.3f}"
        return f"{value:.1f}" if unit in ("mm", "deg") else f"{value:g}"

    def entered_fine(self, mm: float) -> str:
        """A small length, such as a doubt, as it stands in a field: as fine as it was said."""
        return f"{mm / _INCH:.3g}" if self.units != "mm" else f"{mm:g}"

    def entered_exact(self, mm: float) -> str:
        """A length as it stands in a field of several: to seven figures, so that it comes back as it was."""
        return f"{mm / _INCH if self.units != 'mm' else mm:.7g}"

    def corners(self, corners: Iterable[tuple[float, ...]]) -> str:
        """Corners as they stand in a field: one a line, with semicolons."""
        return "\n".join("; ".join(self.entered(v, "mm") for v in corner) for corner in corners)

    def coordinates(self, xyz_mm: Vec3) -> str:
        """A place as X, Y and Z with their unit."""
        return ", ".join(self.entered(v, "mm").replace("-", MINUS) for v in xyz_mm) + f"\u00a0{self.length_unit}"

    def read(self, text: str, unit: Unit, field: str) -> float:
        """A typed length, angle or other figure in its unit; raises InputError naming the field."""
        if unit == "deg":
            return parse_angle(text, field)
        if unit != "mm":
            try:
                return float(text.strip().replace(",", "."))
            except ValueError:
                raise InputError(field, f"“{text.strip()[:40]}” is not a number of {self.unit_words(unit)}") from None
        return parse_length(text, self.length_unit, field).mm

    def unit_words(self, unit: Unit | None) -> str:
        """A unit as it stands behind a field for typing."""
        return self.length_unit if unit == "mm" else _UNIT_WORDS[unit].strip() if unit else ""

    @property
    def length_words(self) -> str:
        """The unit of lengths in a sentence: “in inches” reads where “in in” does not."""
        return "mm" if self.units == "mm" else "inches"

    @staticmethod
    def day(moment: str) -> str:
        """A day as people say it."""
        return day_said(moment)

    def when(self, moment: datetime | str) -> str:
        """A time as people say it; one that a file brought in and that is no time stays as it was written."""
        try:
            at = datetime.fromisoformat(moment) if isinstance(moment, str) else moment.astimezone()
        except ValueError:
            return str(moment)
        return f"{at.day} {at:%b %H:%M}"


def _full(value: float, unit: Unit) -> str:
    """The whole value, for a tooltip."""
    return f"{value:.4f} mm = {value / _INCH:.5f} in" if unit == "mm" else f"{value:.6g}{_UNIT_WORDS[unit]}"


def _as_much_as(told: Shown, at_most: Shown) -> str:
    return f"{told}, could be as much as {at_most}"


def _read_in(inches: str) -> float:
    """What somebody reads out of inches as they are shown, mm."""
    return parse_length(inches.replace(MINUS, "-"), "in", "").mm


def _number(value: float, places: int) -> str:
    text = f"{value:.{places}f}"
    if float(text) == 0:
        text = text.lstrip("-")
    return text.replace("-", MINUS)


def _digits(unit: Unit, sd: float | None) -> int:
    """Decimal places that a value's doubt bears: to the second figure of the doubt at most."""
    if unit in _PLACES:
        places = _PLACES[unit]
        return places if not sd or unit in ("pct", "rad_s2", "rpm", "count") else max(0, min(places, 1 - math.floor(math.log10(sd))))
    if not sd:
        return 1
    return 0 if sd >= 10 else 1


def room_mm_of(value: float, low: float | None, high: float | None) -> float | None:
    return None if low is None and high is None else margin_within(value, low, high)


def _hides(value: float, places: int, limits: list[float | None], of_limits: int) -> bool:
    """Whether a value and its limits, rounded to so many places, tell another verdict than they do."""
    shown = [None if limit is None else float(f"{limit:.{of_limits}f}") for limit in limits]
    return _beyond(float(f"{value:.{places}f}"), shown) != _beyond(value, limits)


def _beyond(value: float, limits: list[float | None]) -> tuple[bool, bool]:
    """Whether a value lies below the first limit, and above the second."""
    low, high = limits
    return (low is not None and value < low, high is not None and value > high)
