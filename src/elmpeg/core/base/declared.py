"""What a field of a record says of itself, at the record: who vouches by it, who alone may change it, when it stays as it is.

A declaration stands in the field's type: ``by: Annotated[str, SignedBy("welded")]``. Whoever needs to know asks here.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields, is_dataclass
from functools import cache
from typing import Annotated, Any, TypeVar, get_args, get_origin, get_type_hints

D = TypeVar("D")
SCHEMA_KEYS = {"SignedBy": "x-signed-by", "LeadOnly": "x-lead-only", "Frozen": "x-frozen"}


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
def holds(cls: Any, kind: Any) -> bool:
    """Whether a record, or one inside it at any depth, declares something of a kind."""
    return bool(declared(cls, kind)) or any(holds(inner, kind) for _, records in inner_records(cls) for inner in records)
