"""Who works alone in a shop: what asks for a second person is done again by the same one, and says so."""

from __future__ import annotations

from elmpeg.core.base.errors import InputError

LONGEST = 200
LEAST = 3
AGAIN_WAYS = ("from another end", "with another tool", "from another end and with another tool", "later, from the start")
"""How somebody reads again what they read themselves, so that the same slip is not made twice."""


def looked_again(field: str, text: str) -> str:
    """How the same person did it again, tidied. Raises InputError where too little is said."""
    tidy = " ".join(text.split())
    if not LEAST <= len(tidy) <= LONGEST:
        raise InputError(field, f"say in {LEAST} to {LONGEST} letters how you did it again: {', '.join(AGAIN_WAYS[:2])}")
    return tidy
