"""Who is on which build now. Kept in memory: it is worth nothing after a minute, and no page should wait for a disk for it."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from threading import Lock

HERE_FOR = timedelta(seconds=45)
"""Somebody counts as being on a build for so long after their page last asked."""


class Presence:
    """Who was last seen looking at which build."""

    def __init__(self) -> None:
        self._seen: dict[str, dict[int, tuple[str, datetime]]] = {}
        self._lock = Lock()

    def here(self, build_id: str, user_id: int, name: str) -> tuple[str, ...]:
        """Note that somebody is looking at a build, and name all who are."""
        now = datetime.now(UTC)
        with self._lock:
            there = self._seen.setdefault(build_id, {})
            there[user_id] = (name, now)
            for one in [u for u, (_, at) in there.items() if now - at > HERE_FOR]:
                del there[one]
            return tuple(sorted(name for name, _ in there.values()))
