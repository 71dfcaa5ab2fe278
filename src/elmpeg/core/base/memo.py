"""Answers kept for the newest few documents: the same parts of a document always give the same answer.

Documents are immutable and a change shares all that it leaves alone, so the parts
are compared by identity, which costs nothing.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Any, ClassVar, Generic, TypeVar

T = TypeVar("T")


class Kept(Generic[T]):
    """The newest few answers, each beside the parts that it was worked out from."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._rows: OrderedDict[tuple[int, ...], tuple[tuple[object, ...], T]] = OrderedDict()
        # Several people's pages are worked out at once.
        self._lock = Lock()

    def get(self, parts: tuple[object, ...], make: Callable[[], T]) -> T:
        """The answer for these very parts, worked out where it is not kept."""
        key = tuple(map(id, parts))
        with self._lock:
            row = self._rows.get(key)
            if row is not None:
                self._rows.move_to_end(key)
                return row[1]
        made = make()
        with self._lock:
            # The parts are held on to, so that none of their identities can become another's.
            self._rows[key] = (parts, made)
            while len(self._rows) > self._most:
                self._rows.popitem(last=False)
        return made

    def clear(self) -> None:
        """Forget everything."""
        with self._lock:
            self._rows.clear()


class Memo(Kept[T]):
    """Answers about a document that rest on some of its fields only, ``reads``; all other fields may change and they stay.

    ``everywhere`` lists every memo there is, by name: a test works each answer out afresh and watches what it reads.
    """

    everywhere: ClassVar[dict[str, Memo[Any]]] = {}

    def __init__(self, name: str, reads: tuple[str, ...], most: int) -> None:
        super().__init__(most)
        if name in Memo.everywhere:
            raise ValueError(f"two memos are called {name}")
        self.name, self.reads = name, reads
        Memo.everywhere[name] = self

    def of(self, document: object, make: Callable[[], T]) -> T:
        """The answer for a document, worked out where none is kept for the fields that it rests on."""
        return self.get(tuple(getattr(document, name) for name in self.reads), make)
