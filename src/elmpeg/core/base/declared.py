"""What a field of a record says of itself, at the record: its unit and range, who vouches by it, who alone may change it.

A declaration stands in the field's type: ``by: Annotated[str, SignedBy("welded")]``. Whoever needs to know asks here.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields, is_dataclass
from functools import cache
from typing import Annotated, Any, Literal, TypeVar, get_args, get_origin, get_type_hints

from elmpeg.core.base.quantities import Unit

D = TypeVar("D")
SCHEMA_KEYS = {
    "SignedBy": "x-signed-by",
    "LeadOnly": "x-lead-only",
    "Frozen": "x-frozen",
    "In": "x-unit",
    "Within": "x-within",
    "Called": "x-called",
    "Ordered": "x-ordered",
}
ENDINGS: tuple[tuple[str, Unit], ...] = (
    ("n_mm", "n_mm"), ("kg_m3", "kg_m3"), ("rad_s2", "rad_s2"), ("mm2", "mm2"), ("nm", "nm"), ("mm", "mm"), ("deg", "deg"), ("kmh", "kmh"),
    ("pct", "pct"), ("rpm", "rpm"), ("kg", "kg"), ("px", "px"), ("days", "days"), ("share", "ratio"), ("ratio", "ratio"),
)  # fmt: skip
"""The unit that the end of a field's name says, the longest first: ``rate_n_mm`` is a rate, not a length."""
SAID = ("rpm", "px", "days", "share", "ratio")
"""Endings that are part of what people call the figure."""
WORDS: dict[str, str] = {
    "deg": "°",
    "pct": " %",
    "n_mm": " N/mm",
    "nm": " N·m",
    "kg_m3": " kg/m³",
    "kmh": " km/h",
    "ratio": "",
    "rad_s2": " rad/s²",
}
"""A unit as it stands behind a figure in a refusal; one that is not here is its own word."""


class Declared:
    """Something that a field says of itself; a schema of the record tells it too."""

    __slots__ = ()

    def __get_pydantic_json_schema__(self, schema: Any, handler: Callable[[Any], dict[str, Any]]) -> dict[str, Any]:
        return {**handler(schema), SCHEMA_KEYS[type(self).__name__]: self.told}

    @property
    def told(self) -> str:
        """As a schema says it."""
        raise NotImplementedError


@dataclass(frozen=True, slots=True)
class SignedBy(Declared):
    """The field holds the name of who ``did`` what its record says: only they make it, and only they or a lead take it back.

    It vouches for the record's fields that it ``covers`` (empty: all but those ``apart``, other signatures and records with
    signatures of their own). With ``where`` it does so only where that field is set, and is otherwise a name that a colleague
    may write down too, as every one ``for_others`` is; what then stands there stays as it was written.
    """

    did: str
    covers: tuple[str, ...] = ()
    apart: tuple[str, ...] = ()
    where: str = ""
    for_others: bool = False

    @property
    def told(self) -> str:
        """As a schema says it."""
        return self.did


@dataclass(frozen=True, slots=True)
class In(Declared):
    """The unit of a figure whose name does not end in it: of a plain share or direction ``ratio``, of things counted ``count``.

    With ``beside`` that field of the record says it, or, in words, what the record belongs to.
    """

    unit: Unit
    beside: str = ""

    @property
    def told(self) -> str:
        """As a schema says it."""
        return f"as {self.beside} says" if self.beside else self.unit


@dataclass(frozen=True, slots=True)
class Within(Declared):
    """The least and the largest that a figure, or each of several in a row, may be. ``open`` ends are not reached themselves."""

    least: float | None = None
    most: float | None = None
    open: Literal["", "least", "most", "both"] = ""

    def holds(self, value: float) -> bool:
        """Whether a figure is within."""
        low = self.least is None or (value > self.least if self.open in ("least", "both") else value >= self.least)
        return low and (self.most is None or (value < self.most if self.open in ("most", "both") else value <= self.most))

    def words(self, unit: str) -> str:
        """What a figure in a unit must be."""
        said = WORDS.get(unit, f" {unit}") if unit not in ("", "count") else ""
        low = "" if self.least is None else f"{'above' if self.open in ('least', 'both') else 'at least'} {self.least:g}{said}"
        high = "" if self.most is None else f"{'below' if self.open in ('most', 'both') else 'at most'} {self.most:g}{said}"
        if self.least is not None and self.most is not None and not self.open:
            return f"must be {self.least:g} to {self.most:g}{said}"
        return f"must be {' and '.join(filter(None, (low, high)))}"

    @property
    def told(self) -> str:
        """As a schema says it."""
        return self.words("").removeprefix("must be ")


@dataclass(frozen=True, slots=True)
class Called(Declared):
    """What people read for the field, where its name in the record says it shorter or otherwise; without its unit."""

    words: str

    @property
    def told(self) -> str:
        """As a schema says it."""
        return self.words


@dataclass(frozen=True, slots=True)
class Ordered(Declared):
    """How the entries of a list follow each other says something: what two people put in at one place is not put in any order."""

    follows: str
    """What their order is."""

    @property
    def told(self) -> str:
        """As a schema says it."""
        return self.follows


POSITIVE = Within(0.0, open="least")
NOT_NEGATIVE = Within(0.0)


@dataclass(frozen=True, slots=True)
class LeadOnly(Declared):
    """Only a lead changes the field. ``said`` is what it is, in a sentence that begins “only leads change”."""

    said: str

    @property
    def told(self) -> str:
        """As a schema says it."""
        return self.said


@dataclass(frozen=True, slots=True)
class Frozen(Declared):
    """The field stays as it is for as long as its record is there; with ``once`` while that field of the record stands and is set.

    ``said`` completes “… stays as it is”; {name} and {number} are the record's own.
    """

    said: str
    once: str = ""

    @property
    def told(self) -> str:
        """As a schema says it."""
        return f"once {self.once.replace('_', ' ')}" if self.once else "from the start"


def declared(cls: type, kind: type[D]) -> tuple[tuple[str, D], ...]:
    """Each field of a record that declares something of a kind, in the record's order, with what it declares."""
    return tuple((name, note) for name, note in _declared(cls) if isinstance(note, kind))


@cache
def _declared(cls: Any) -> tuple[tuple[str, Any], ...]:
    hints, found = get_type_hints(cls, include_extras=True), []
    for f in fields(cls):
        notes = get_args(hints[f.name])[1:] if get_origin(hints[f.name]) is Annotated else ()
        found += [(f.name, note) for note in notes]
    return tuple(found)


def unit_of(cls: Any, name: str) -> Unit | None:
    """The unit of a field: as it declares it, else as its name ends; None where neither says one."""
    said = next((note.unit for field, note in declared(cls, In) if field == name), None)
    return said or unit_named(name)


def unit_named(name: str) -> Unit | None:
    """The unit that the end of a name says, None where it says none."""
    return next((unit for ending, unit in ENDINGS if name == ending or name.endswith(f"_{ending}")), None)


def without_unit(name: str) -> str:
    """A field's name without its unit; what is left must still say what it is, as an axle's ratio or a crawler's rpm would not."""
    return next((name.removesuffix(f"_{ending}") for ending, _ in ENDINGS if ending not in SAID and name.endswith(f"_{ending}")), name)


@cache
def called(cls: Any, name: str) -> str:
    """What people read for a field, without its unit."""
    said = next((note.words for field, note in declared(cls, Called) if field == name), None)
    return said or plainly(name)


def plainly(name: str) -> str:
    """A field's name as people read it, where nothing more is known of it."""
    return without_unit(name).removesuffix("_point").replace("_", " ")


@cache
def inner_records(cls: Any) -> tuple[tuple[str, tuple[type, ...]], ...]:
    """The fields of a record that hold records or rows of them, each with the records' types."""
    found = [(name, _records(hint)) for name, hint in get_type_hints(cls).items() if name in {f.name for f in fields(cls)}]
    return tuple((name, records) for name, records in found if records)


def _records(hint: Any) -> tuple[type, ...]:
    if isinstance(hint, type) and is_dataclass(hint):
        return (hint,)
    return tuple(record for arg in get_args(hint) for record in _records(arg))


@cache
def all_records(cls: Any) -> tuple[type, ...]:
    """A record and every kind of record inside it, at any depth, each once."""
    found: dict[type, None] = {cls: None}
    for _, records in inner_records(cls):
        for inner in records:
            found.update(dict.fromkeys(all_records(inner)))
    return tuple(found)


@cache
def holds(cls: Any, kind: Any) -> bool:
    """Whether a record, or one inside it at any depth, declares something of a kind."""
    return bool(declared(cls, kind)) or any(holds(inner, kind) for _, records in inner_records(cls) for inner in records)
