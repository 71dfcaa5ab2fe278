"""The decorator of every value in the build document and its evaluation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar, dataclass_transform

T = TypeVar("T")


def changed(one: T, **fields: object) -> T:
    """A record with some of its fields changed: ``dataclasses.replace`` for records, in a fifth of the time. Raises TypeError for
    a field that it has not."""
    cls = type(one)
    made = object.__new__(cls)
    names: tuple[str, ...] = cls.__slots__  # type: ignore[attr-defined]
    for name in names:
        _set(made, name, fields.pop(name) if name in fields else getattr(one, name))
    if fields:
        raise TypeError(f"{cls.__name__} has no field {', '.join(fields)}")
    return made


def filled(one: T, **fields: object) -> T:
    """A record that its maker has just made, and nobody else holds yet, with what its maker could not know."""
    for name, value in fields.items():
        _set(one, name, value)
    return one


_set = object.__setattr__


@dataclass_transform(frozen_default=True)
def record(cls: type[T]) -> type[T]:
    """Make a class an immutable, slotted value that refuses unknown fields when read from a file.

    The configuration attribute is plain data; a reader that knows it applies it,
    and the core depends on no reader.
    """
    made = dataclass(frozen=True, slots=True)(cls)
    made.__pydantic_config__ = {"extra": "forbid", "allow_inf_nan": False, "strict": True}  # type: ignore[attr-defined]
    return made
