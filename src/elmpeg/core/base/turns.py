"""Whoever comes first is served first: a lock that is handed on in the order in which it was asked for.

The interpreter's own lock goes to whichever thread wakes first; among many savers some would wait many times as long as others.
"""

from __future__ import annotations

from collections import deque
from threading import Event, Lock
from types import TracebackType
from weakref import WeakValueDictionary


class Turn:
    """One at a time, in order of arrival."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._busy = False
        self._waiting: deque[Event] = deque()

    def locked(self) -> bool:
        """Whether somebody has it now."""
        return self._busy

    def __enter__(self) -> None:
        with self._lock:
            if not self._busy:
                self._busy = True
                return
            called = Event()
            self._waiting.append(called)
        called.wait()

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        with self._lock:
            if self._waiting:
                # It stays busy: the next one has it from here.
                self._waiting.popleft().set()
            else:
                self._busy = False


class Turns:
    """A turn for each of some things by name, for as long as somebody has it or waits for it."""

    def __init__(self) -> None:
        self._lock = Lock()
        self._by_name: WeakValueDictionary[str, Turn] = WeakValueDictionary()

    def of(self, name: str) -> Turn:
        """The turn of one thing: the same for all who ask while it is held."""
        with self._lock:
            turn = self._by_name.get(name)
            if turn is None:
                turn = self._by_name[name] = Turn()
            return turn
