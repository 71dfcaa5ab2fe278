"""What a revision changes, as little as will do: only the parts of a document that are other objects than before.

A document is immutable and a change shares all that it leaves alone, so most of it
is passed over by identity. A delta is plain JSON: ``{"fields": {name: delta}}`` for
a record, ``{"entries": {id: delta}, "order": [...]}`` for a list whose entries have
ids (``order`` only where entries came, went or moved), else ``{"value": ...}``.
"""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from typing import Any

import pydantic_core

Delta = dict[str, Any]


def delta(before: object, after: object) -> Delta | None:
    """What leads from one value to another of its kind; None where nothing does."""
    if before is after:
        return None
    if is_dataclass(before) and type(before) is type(after):
        changed = {}
        for f in fields(before):
            part = delta(getattr(before, f.name), getattr(after, f.name))
            if part is not None:
                changed[f.name] = part
        return {"fields": changed} if changed else None
    if isinstance(before, tuple) and isinstance(after, tuple):
        return _of_lists(before, after)
    return None if type(before) is type(after) and before == after else {"value": pydantic_core.to_jsonable_python(after)}


def _of_lists(before: tuple[Any, ...], after: tuple[Any, ...]) -> Delta | None:
    had, has = _by_id(before), _by_id(after)
    if had is None or has is None:
        return None if before == after else {"value": pydantic_core.to_jsonable_python(after)}
    entries = {}
    for key, item in has.items():
        if key not in had:
            entries[key] = {"value": pydantic_core.to_jsonable_python(item)}
            continue
        part = delta(had[key], item)
        if part is not None:
            entries[key] = part
    made: Delta = {"entries": entries} if entries else {}
    if list(had) != list(has):
        made["order"] = list(has)
    return made or None


def _by_id(items: tuple[Any, ...]) -> dict[str, Any] | None:
    """Entries by their ids; None for a list whose entries have none, or two of one."""
    found: dict[str, Any] = {}
    for item in items:
        key = getattr(item, "id", None)
        if not isinstance(key, str) or key in found:
            return None
        found[key] = item
    return found


def applied(plain: Any, change: Delta) -> Any:
    """A plain value with a delta put into effect; what it was given is left as it was."""
    if "value" in change:
        return change["value"]
    if "fields" in change:
        return {**plain, **{name: applied(plain.get(name), part) for name, part in change["fields"].items()}}
    entries = {entry["id"]: entry for entry in plain}
    for key, part in change.get("entries", {}).items():
        entries[key] = applied(entries.get(key), part)
    return [entries[key] for key in change.get("order", [entry["id"] for entry in plain])]
