"""Ids that differ and can stand in an address, and names that people can read."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator

from elmpeg.core.base.naming import ID

LONGEST_NAME = 200


def doubles(field: str, ids: Iterable[str]) -> Iterator[tuple[str, str]]:
    for item, count in Counter(ids).items():
        if count > 1:
            yield field, f"has “{item}” {count} times; each needs an id of its own"
        yield from wrong_id(field, item)


def wrong_id(field: str, item: str) -> Iterator[tuple[str, str]]:
    if not ID.fullmatch(item):
        yield field, f"has the id “{item[:40]}”; an id has 1 to 80 letters, digits, spaces, dots, hyphens or underscores"


def unnamed(field: str, names: Iterable[str]) -> Iterator[tuple[str, str]]:
    """Each name that is empty or too long to be read."""
    for name in names:
        if not name.strip() or len(name) > LONGEST_NAME:
            yield field, f"has a name that is empty or over {LONGEST_NAME} characters"
