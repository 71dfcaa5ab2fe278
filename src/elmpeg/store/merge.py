"""Two people change one build: what each changed since they parted is kept, unless both changed the same thing.

Works on the document as plain values. Lists whose entries carry an id are
matched entry by entry, and what came in stands beside the neighbours that it was put beside; everything else is compared as a whole.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cache
from typing import Any

from elmpeg.core.base.declared import Ordered, all_records, declared, inner_records
from elmpeg.core.build.document import Build

KEYS = ("id", "component", "mount", "code", "point", "stock")
"""What an entry of a list may be known by, in this order."""
WHOLE = ("pieces", "stock")
"""The list that makes sense only as one person put it together, and what its entries are known by: half of one stack of pieces and
half of another fill no gap. The pieces that a build makes have ids, and are each their own."""
ABSENT = object()
AT_THE_END = "\0"
ORDER = "order"
"""What a clash is about in which both sides gave the entries of one list another order."""


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
            return _merged_lists(path, keyed[0] or {}, keyed[1] or {}, keyed[2] or {}, clashes)
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


def _merged_lists(
    path: tuple[str, ...], before: dict[str, Any], mine: dict[str, Any], theirs: dict[str, Any], clashes: list[Clash]
) -> list[Any]:
    kept = _merged_fields(path, before, mine, theirs, clashes)
    order = _order(list(before), list(mine), list(theirs), strict=len(path) > 1 and (path[0], path[-1]) in ordered_lists())
    if order is None:
        clashes.append(Clash((*path, ORDER), *(_named(side) for side in (before, mine, theirs))))
        order = list(kept)
    return [kept[key] for key in dict.fromkeys((*order, *kept)) if key in kept]


def _order(before: list[str], mine: list[str], theirs: list[str], strict: bool) -> list[str] | None:
    """How the entries of both sides follow each other: as the side that moved some has them, with what the other put in behind the
    entry that it was put behind. None where both moved some, or, being ``strict``, where one moved some and the other put some in, or both did at one place."""
    stayed = [key for key in before if key in mine and key in theirs]
    as_mine, as_theirs = ([key for key in side if key in stayed] for side in (mine, theirs))
    moved = as_mine != stayed, as_theirs != stayed
    if all(moved) and as_mine != as_theirs:
        return None
    spine, other = (mine, theirs) if moved[0] and not moved[1] else (theirs, mine)
    gaps = [_gaps(side, set(before), set(stayed)) for side in (spine, other)]
    if strict and gaps[1] and (any(moved) or any(gap in gaps[0] and keys != gaps[0][gap] for gap, keys in gaps[1].items())):
        return None
    order = list(spine)
    for gap, keys in gaps[1].items():
        at = len(order) if gap == AT_THE_END else order.index(gap) + 1 if gap else 0
        # Behind what the spine's side put in at the same place.
        while at < len(order) and order[at] not in stayed:
            at += 1
        order[at:at] = [key for key in keys if key not in order]
    return order


def _gaps(entries: list[str], before: set[str], stayed: set[str]) -> dict[str, list[str]]:
    """What a side put in, by the entry that stayed which it follows (nothing at the front); what nothing follows is at the end."""
    found: dict[str, list[str]] = {}
    behind = ""
    for key in entries:
        if key in stayed:
            behind = key
        elif key not in before:
            found.setdefault(behind, []).append(key)
    if behind in found:
        found[AT_THE_END] = found.pop(behind)
    return found


def _named(entries: dict[str, Any]) -> list[Any]:
    return [entry.get("name") or key if isinstance(entry, dict) else key for key, entry in entries.items()]


@cache
def ordered_lists() -> frozenset[tuple[str, str]]:
    """The document's lists whose order says something, each by the list of the build that it is in and its own name."""
    return frozenset(
        (of, name)
        for of, records in inner_records(Build)
        for record in records
        for inner in all_records(record)
        for name, _ in declared(inner, Ordered)
    )


def _keyed(entries: list[Any]) -> dict[str, Any] | None:
    found: dict[str, Any] = {}
    for entry in entries:
        key = next((entry[k] for k in KEYS if k in entry), None) if isinstance(entry, dict) else None
        if not isinstance(key, str) or key in found:
            return None
        found[key] = entry
    return found
