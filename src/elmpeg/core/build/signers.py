"""Whose name stands in a signed field: somebody's of this shop, who signed here, or one that came with what was signed elsewhere."""

from __future__ import annotations

ELSEWHERE = " (signed elsewhere)"
"""Behind the name of who signed in another shop or another build. No account of a shop may be called so."""


def signed_elsewhere(name: str) -> str:
    """The name as it stands once what it signed has come from elsewhere; empty stays empty."""
    return name if not name or name.endswith(ELSEWHERE) else f"{name}{ELSEWHERE}"


def signed_here(name: str) -> bool:
    """Whether a field is signed, and in this shop and for this build: what opens a gate asks this."""
    return bool(name.strip()) and not name.endswith(ELSEWHERE)
