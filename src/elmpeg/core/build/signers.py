"""Whose name stands in a signed field: somebody's of this shop, who signed here, or one that vouches for nothing here."""

from __future__ import annotations

ELSEWHERE = " (signed elsewhere)"
"""Behind the name of who signed in another shop or for another build."""
UNSIGNED = " (unsigned)"
"""Behind a name that was a text which anybody could write, before it was a signature."""
MARKS = (ELSEWHERE, UNSIGNED)
"""No account of a shop may be called so."""


def signed_elsewhere(name: str) -> str:
    """The name as it stands once what it signed has come from elsewhere; empty stays empty, and a mark stays what it is."""
    return name if not name or name.endswith(MARKS) else f"{name}{ELSEWHERE}"


def unsigned(name: str) -> str:
    """The name of a text that nobody signed."""
    return name if not name or name.endswith(MARKS) else f"{name}{UNSIGNED}"


def same_person(one: str, other: str) -> bool:
    """Whether two names are one person's, however they are written."""
    return one.strip().casefold() == other.strip().casefold()


def signed_here(name: str) -> bool:
    """Whether a field is signed, and in this shop and for this build: what opens a gate asks this."""
    return bool(name.strip()) and not name.endswith(MARKS)
