"""Two people change one build: what each changed since they parted is kept, unless both changed the same thing.

Works on the document as plain values. Lists whose entries carry an id are
matched entry by entry; everything else is compared as a whole.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

KEYS = ("id", "component", "mount", "code", "point", "stock")
"""What an entry of a list may be known by, in this order."""
WHOLE = ("pieces", "stock")
"""The list that makes sense only as one person put it together, and what its entries are known by: half of one stack of pieces and
half of another fill no gap. The pieces that a build makes have ids, and are each their own."""
ABSENT = object()


@dataclass(frozen=True, slots=True)
class Clash:
    """One thing both changed: where, and its value before and on each side."""

    path: tuple[str, ...]
    before: Any
    mine: Any
    theirs: Any


@dataclass(slots=True)
class Merged:
    """The merged value, and where the two sides could not both be kept (theirs stands there)."""

    value: Any
    clashes: list[Clash] = field(default_factory=list)


def merged(before: Any, mine: Any, theirs: Any) -> Merged:
    """Merge two changed copies of one document."""
    clashes: list[Clash] = []
    value = _merged((), before, mine, theirs, clashes)
    return Merged(value, clashes)


def only_adds(before: Any, after: Any) -> bool:
    """Whether a changed document has all that it had before, as it was, and some entries more."""
    if after == before:
        return True
    if isinstance(before, dict) and isinstance(after, dict):
        return before.keys() == after.keys() and all(
            (not _is_whole(k, before[k], after[k]) and only_adds(before[k], after[k])) or after[k] == before[k] for k in before
        )
    if isinstance(before, list) and isinstance(after, list):
        had, has = _keyed(before), _keyed(after)
        return had is not None and has is not None and had.keys() <= has.keys() and all(only_adds(had[k], has[k]) for k in had)
    return False


def _is_whole(name: str, *sides: Any) -> bool:
    return name == WHOLE[0] and any(isinstance(e, dict) and WHOLE[1] in e for side in sides if isinstance(side, list) for e in side)


def _merged(path: tuple[str, ...], before: Any, mine: Any, theirs: Any, clashes: list[Clash]) -> Any:
    if mine in (theirs, before):
        return theirs
    if theirs == before:
        return mine
    if isinstance(mine, dict) and isinstance(theirs, dict):
        return _merged_fields(path, before if isinstance(before, dict) else {}, mine, theirs, clashes)
    if isinstance(mine, list) and isinstance(theirs, list) and not (path and _is_whole(path[-1], mine, theirs)):
        keyed = [_keyed(side) for side in (before if isinstance(before, list) else [], mine, theirs)]
        if all(k is not None for k in keyed):
            return list(_merged_fields(path, keyed[0] or {}, keyed[1] or {}, keyed[2] or {}, clashes).values())
    clashes.append(
        Clash(path, None if before is ABSENT else before, None if mine is ABSENT else mine, None if theirs is ABSENT else theirs)
    )
    return theirs


def _merged_fields(
    path: tuple[str, ...], before: dict[str, Any], mine: dict[str, Any], theirs: dict[str, Any], clashes: list[Clash]
) -> dict[str, Any]:
    result = {}
    for key in [*theirs, *(k for k in mine if k not in theirs)]:
        value = _merged((*path, key), before.get(key, ABSENT), mine.get(key, ABSENT), theirs.get(key, ABSENT), clashes)
        if value is not ABSENT:
            result[key] = value
    return result


def _keyed(entries: list[Any]) -> dict[str, Any] | None:
    found: dict[str, Any] = {}
    for entry in entries:
        key = next((entry[k] for k in KEYS if k in entry), None) if isinstance(entry, dict) else None
        if not isinstance(key, str) or key in found:
            return None
        found[key] = entry
    return found
