"""What a person types at the vehicle, turned into millimetres or degrees.

Nothing is guessed from the size of a number. Where a text can be read two ways
it is refused with both readings named, so that a slip is caught at the tape and
not in steel.
"""

from __future__ import annotations

import math
import re
import unicodedata
from fractions import Fraction
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.methods.measuring.sheet_gauges import TABLES, GaugeMaterial, gauge_name

LengthUnit = Literal["mm", "cm", "m", "in", "ft", "thou"]

MM_PER_INCH = Fraction(127, 5)
"""Exact by the international yard and pound agreement, 1959."""
MM_PER: dict[str, Fraction] = {
    "mm": Fraction(1),
    "cm": Fraction(10),
    "m": Fraction(1000),
    "in": MM_PER_INCH,
    "ft": MM_PER_INCH * 12,
    "thou": MM_PER_INCH / 1000,
}
LONGEST_MM = 100_000
"""Nothing in a workshop is longer than 100 m; a larger figure is a slip."""
LARGEST_TURN_DEG = 360
LONGEST_TEXT = 80
FINEST_DENOMINATOR = 128

_UNIT_WORDS = {
    "mm": "mm", "millimetre": "mm", "millimetres": "mm", "millimeter": "mm", "millimeters": "mm",
    "cm": "cm", "centimetre": "cm", "centimetres": "cm", "m": "m", "metre": "m", "metres": "m",
    '"': "in", "in": "in", "in.": "in", "inch": "in", "inches": "in",
    "'": "ft", "ft": "ft", "ft.": "ft", "foot": "ft", "feet": "ft", "thou": "thou",
}  # fmt: skip
_NUMBER = r"\d+(?:[.,]\d+)?|[.,]\d+"
_AMOUNT = rf"(?:(?P<whole>{_NUMBER})(?:\s*-\s*|\s+))?(?P<top>\d+)\s*/\s*(?P<bottom>\d+)|(?P<plain>{_NUMBER}|\d+\.)"
_AMOUNT_RE = re.compile(_AMOUNT)
_FEET_RE = re.compile(r"^(?P<feet>.+?)\s*(?:'|ft\.?|feet|foot)\s*-?\s*(?P<inches>[\d.,].*?)\s*(?:\"|inches|inch|in\.?)?$")
_UNIT_RE = re.compile(r"^(?P<amount>.*?)\s*(?P<unit>\"|'|[a-z]+\.?)?$")
_THOUSANDS_RE = re.compile(r"^[1-9]\d{0,2},\d{3}$")
_DEGREES_RE = re.compile(r"^(?P<amount>.+?)\s*(?:°|deg|degrees?|d)?$")
_ANGLE_RE = re.compile(
    rf"^(?:(?P<deg>{_NUMBER})\s*(?:°|degrees|degree|deg|d|\s)\s*)?"
    rf"(?:(?P<min>{_NUMBER})\s*(?:'|min|m))?\s*(?:(?P<sec>{_NUMBER})\s*(?:\"|sec|s))?$"
)
_GAUGE_RE = re.compile(r"^(?P<before>ga\.?|gauge|g|swg|#)?\s*(?P<number>\d+/0|0{2,7}|\d{1,2})\s*(?P<word>ga\.?|gauge|g|swg)?$")


@record
class Length:
    """A length as understood: value, and the unit in which it was typed."""

    mm: float
    unit: LengthUnit


@record
class Thickness:
    """A sheet gauge as understood, with the table that gave it."""

    mm: float
    table: str


def _tidied(text: str, field: str) -> tuple[str, int]:
    """Text in plain signs, and its sign as +1 or -1."""
    if len(text) > LONGEST_TEXT:
        raise InputError(field, f"is too long; write one figure in at most {LONGEST_TEXT} characters")
    plain = ""
    for ch in text.strip():
        if unicodedata.decomposition(ch).startswith("<fraction>"):
            plain += " " + unicodedata.normalize("NFKC", ch).replace("\u2044", "/")
        else:
            plain += ch
    for fancy, simple in (("\u2044", "/"), ("\u2032", "'"), ("\u2019", "'"), ("\u2033", '"'), ("\u201d", '"'),
                          ("\u201c", '"'), ("\u2212", "-"), ("\u2013", "-"), ("\u00ba", "°"), ("\u00a0", " ")):  # fmt: skip
        plain = plain.replace(fancy, simple)
    plain = plain.replace("''", '"').strip().lower()
    sign = 1
    if plain[:1] in "+-" and plain:
        sign = -1 if plain[0] == "-" else 1
        plain = plain[1:].strip()
    if not plain:
        raise InputError(field, "is empty; write a figure such as 12.5 mm or 9 7/16 in")
    return plain, sign


def _decimal(text: str, field: str) -> Fraction:
    if _THOUSANDS_RE.match(text):
        raise InputError(field, f"“{text}” is ambiguous: write {text.replace(',', '')} or {text.replace(',', '.')}, whichever you mean")
    return Fraction(text.replace(",", ".").rstrip("."))


def _amount(text: str, field: str) -> Fraction:
    """A plain number, a fraction or a mixed number, exactly."""
    match = _AMOUNT_RE.fullmatch(text)
    if match is None:
        raise InputError(field, f"“{text}” is not a figure; write for example 12.5, 9 7/16 or 2-1/2")
    if match["plain"] is not None:
        return _decimal(match["plain"], field)
    top, bottom = int(match["top"]), int(match["bottom"])
    if bottom == 0:
        raise InputError(field, f"“{text}” divides by zero; write a fraction such as 3/8")
    if match["whole"] is None:
        return Fraction(top, bottom)
    if not match["whole"].isdigit() or top >= bottom:
        raise InputError(field, f"“{text}” is not a mixed number; write a whole number and a fraction below one, such as 9 7/16")
    return int(match["whole"]) + Fraction(top, bottom)


def parse_length(text: str, default_unit: Literal["mm", "in"] | None, field: str = "text") -> Length:
    """Read a length: decimals, fractions, feet and inches, with or without a unit.

    A text without a unit takes ``default_unit``; when that is None a unit is asked for.
    A decimal comma is accepted where it cannot be a thousands comma.
    Raises InputError naming ``field``.
    """
    plain, sign = _tidied(text, field)
    feet = _FEET_RE.match(plain)
    if feet is not None:
        inches = _amount(feet["feet"], field) * 12 + _amount(feet["inches"], field)
        return _length(sign * inches * MM_PER_INCH, "ft", field, text)
    match = _UNIT_RE.match(plain)
    word = match["unit"] if match else None
    amount_text = match["amount"] if match else plain
    if word is None:
        if default_unit is None:
            raise InputError(field, "has no unit; write mm or in behind the figure, or say which is the default")
        unit: str = default_unit
    elif word in _UNIT_WORDS:
        unit = _UNIT_WORDS[word]
    elif not amount_text or not re.search(r"\d", amount_text) or re.search(r"[^\W\d_]{2,}", amount_text):
        raise InputError(field, f"“{text.strip()}” is not a figure; write for example 12.5 or 9 7/16")
    else:
        raise InputError(field, f"“{word}” is not a unit of length here; use mm, cm, m, in, ft or thou")
    return _length(sign * _amount(amount_text, field) * MM_PER[unit], unit, field, text)


def _length(mm: Fraction, unit: str, field: str, text: str) -> Length:
    if abs(mm) > LONGEST_MM:
        raise InputError(field, f"“{text.strip()}” is more than 100 m; check the unit")
    return Length(float(mm), unit)  # type: ignore[arg-type]


def parse_angle(text: str, field: str = "text") -> float:
    """Read an angle in degrees: decimal, or degrees, minutes and seconds. Raises InputError."""
    plain, sign = _tidied(text, field)
    match = _ANGLE_RE.match(plain)
    if match is not None and (match["min"] or match["sec"]):
        degrees = _decimal(match["deg"] or "0", field)
        for part, per_degree in (("min", 60), ("sec", 3600)):
            if match[part] is not None:
                value = _decimal(match[part], field)
                if value >= 60:
                    raise InputError(field, f"“{text.strip()}” has 60 or more minutes or seconds; carry them over")
                if degrees.denominator != 1 and part == "min":
                    raise InputError(field, "mixes decimal degrees with minutes; write one or the other")
                degrees += value / per_degree
    else:
        whole = _DEGREES_RE.match(plain)
        amount = whole["amount"] if whole else ""
        if _AMOUNT_RE.fullmatch(amount) is None:
            raise InputError(field, f"“{text.strip()}” is not an angle; write for example 2.5° or 2° 30'")
        degrees = _amount(amount, field)
    if degrees > LARGEST_TURN_DEG:
        raise InputError(field, f"“{text.strip()}” is more than a full turn; write at most 360°")
    return float(sign * degrees)


def parse_gauge(text: str, material: GaugeMaterial | None, field: str = "text") -> Thickness:
    """Read a sheet gauge; the material decides the table, unless the text itself says “swg”."""
    plain, sign = _tidied(text, field)
    match = _GAUGE_RE.match(plain)
    if match is None or sign < 0:
        raise InputError(field, f"“{text.strip()}” is not a gauge; write for example 16 ga or 16 swg")
    if "swg" in (match["word"], match["before"]):
        material = "swg"
    if material is None:
        raise InputError("material", f"needs one of {', '.join(TABLES)}: a gauge number differs between tables")
    digits = match["number"]
    if digits.endswith("/0") and int(digits[:-2]) < 1:
        raise InputError(field, f"“{text.strip()}” is not a gauge; noughts are written 1/0, 2/0 and so on")
    noughts = int(digits[:-2]) if digits.endswith("/0") else len(digits) if set(digits) == {"0"} else 0
    number = 1 - noughts if noughts else int(digits)
    table = TABLES[material]
    if number not in table.inches:
        first, last = min(table.inches), max(table.inches)
        raise InputError(field, f"{plain} is not in the {table.name}; it runs from {gauge_name(first)} to {gauge_name(last)}")
    return Thickness(float(Fraction(str(table.inches[number])) * MM_PER_INCH), table.name)


def inch_fraction(mm: float, denominator: int = 16) -> str:
    """Nearest fraction of an inch in lowest terms, halves away from zero, such as “-9 7/16”."""
    if not 1 <= denominator <= FINEST_DENOMINATOR:
        raise InputError("denominator", f"must be a whole number from 1 to {FINEST_DENOMINATOR}, such as 16 or 32")
    steps = Fraction(str(mm)) / MM_PER_INCH * denominator
    count = math.floor(abs(steps) + Fraction(1, 2))
    whole, rest = divmod(Fraction(count, denominator), 1)
    sign = "-" if steps < 0 and count else ""
    parts = [str(whole)] if whole or not rest else []
    if rest:
        parts.append(f"{rest.numerator}/{rest.denominator}")
    return sign + " ".join(parts)
