"""Answers kept for the newest few documents: the same parts of a document always give the same answer.

Documents are immutable and a change shares all that it leaves alone, so the parts
are compared by identity, which costs nothing.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Generic, TypeVar

T = TypeVar("T")


class Kept(Generic[T]):
    """The newest few answers, each beside the parts of the document that it was worked out from."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._rows: list[tuple[tuple[object, ...], T]] = []

    def get(self, parts: tuple[object, ...], make: Callable[[], T]) -> T:
        """The answer for these parts, worked out where it is not kept."""
        for kept, answer in self._rows:
            if all(a is b for a, b in zip(kept, parts, strict=True)):
                return answer
        made = make()
        self._rows.insert(0, (parts, made))
        del self._rows[self._most :]
        return made
