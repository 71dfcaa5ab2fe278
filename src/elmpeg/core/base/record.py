"""The decorator of every value in the build document and its evaluation."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar, dataclass_transform

T = TypeVar("T")


@dataclass_transform(frozen_default=True)
def record(cls: type[T]) -> type[T]:
    """Make a class an immutable, slotted value that refuses unknown fields when read from a file.

    The configuration attribute is plain data; a reader that knows it applies it,
    and the core depends on no reader.
    """
    made = dataclass(frozen=True, slots=True)(cls)
    made.__pydantic_config__ = {"extra": "forbid", "allow_inf_nan": False, "strict": True}  # type: ignore[attr-defined]
    return made
