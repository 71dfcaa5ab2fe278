"""Figures outside of what their fields declare."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import is_dataclass
from typing import Any

from elmpeg.core.base.declared import Within, declared, holds, inner_records, unit_of
from elmpeg.core.base.errors import InputError


def require_in_range(at: str, value: Any) -> None:
    """Raise InputError for the first figure that is outside of what its field declares."""
    for where, said in out_of_range(at, value):
        raise InputError(where, said)


def out_of_range(at: str, value: Any) -> Iterator[tuple[str, str]]:
    """Each figure of a record, or of rows of records, that is not within what its field declares: where it stands, what it must be."""
    if isinstance(value, tuple):
        for k, one in enumerate(value):
            yield from out_of_range(f"{at}.{k}", one)
    elif is_dataclass(value) and not isinstance(value, type) and holds(type(value), Within):
        cls: Any = type(value)
        for name, within in declared(cls, Within):
            said = getattr(value, name)
            for where, figure in [(f".{k}", v) for k, v in enumerate(said)] if isinstance(said, tuple) else [("", said)]:
                if figure is not None and not within.holds(figure):
                    yield f"{at}.{name}{where}", within.words(unit_of(cls, name) or "")
        for name, records in inner_records(cls):
            if any(holds(record, Within) for record in records):
                yield from out_of_range(f"{at}.{name}", getattr(value, name))
