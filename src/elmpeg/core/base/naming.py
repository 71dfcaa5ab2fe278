"""Names and ids: how each is cleaned, kept short and made different from all others."""

from __future__ import annotations

import re
from collections.abc import Iterable

from elmpeg.core.base.errors import InputError

LONGEST_NAME = 80


def cleaned_name(name: str, field: str = "name") -> str:
    """A name as it will be kept; raises InputError where it is empty or too long."""
    tidy = " ".join(name.split())
    if not tidy:
        raise InputError(field, "is empty; write a short name that people will recognise")
    if len(tidy) > LONGEST_NAME:
        raise InputError(field, f"has {len(tidy)} characters; keep it to {LONGEST_NAME}")
    return tidy


def new_id(name: str, taken: Iterable[str]) -> str:
    """A short id made from a name, different from all that are taken."""
    base = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:40] or "item"
    used = set(taken)
    if base not in used:
        return base
    return next(f"{base}-{n}" for n in range(2, len(used) + 3) if f"{base}-{n}" not in used)


ID = re.compile(r"[\w][\w .\-]{0,79}")
"""Ids stand in addresses and in the codes of checks."""


SHORTEST_REASON = 3


LONGEST_REASON = 300


def of_whole(whole: str, part: str) -> str:
    """A part's name after that of the whole it belongs to; the whole is named once where the part's name begins with it."""
    return part if part.lower().startswith(whole.lower()) else f"{whole}, {part}"
