"""What somebody waits for while a file is read in a process of its own, and how they stop it."""

from __future__ import annotations

import subprocess
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

STOPPED = "was stopped; nothing of it was kept"


class FilesUnderWay:
    """The processes that read files for one person just now, and that the person can stop."""

    def __init__(self) -> None:
        self._processes: set[subprocess.Popen[Any]] = set()
        self._stopped: set[subprocess.Popen[Any]] = set()
        self._lock = threading.Lock()

    @contextmanager
    def by(self, process: subprocess.Popen[Any]) -> Iterator[None]:
        """For as long as a process reads."""
        with self._lock:
            self._processes.add(process)
        try:
            yield
        finally:
            with self._lock:
                self._processes.discard(process)

    def was_stopped(self, process: subprocess.Popen[Any]) -> bool:
        """Whether a process ended because somebody stopped it."""
        with self._lock:
            return process in self._stopped

    def stop(self) -> int:
        """End what reads just now; how many there were."""
        with self._lock:
            ended = self._processes - self._stopped
            # Those that are gone are forgotten; these are asked for once more by whoever waits for them.
            self._stopped = self._stopped & self._processes | ended
            for process in ended:
                process.kill()
            return len(ended)


class EverybodysFiles:
    """By person, the files that are read for them."""

    def __init__(self) -> None:
        self._of: dict[int, FilesUnderWay] = {}
        self._lock = threading.Lock()

    def of(self, person: int) -> FilesUnderWay:
        """A person's own."""
        with self._lock:
            return self._of.setdefault(person, FilesUnderWay())
