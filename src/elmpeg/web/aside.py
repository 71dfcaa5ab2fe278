"""Work on a file that takes a while, done in a process of its own: told how far it is, bounded in time, and stopped when nobody
waits for it."""

from __future__ import annotations

import secrets
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Generic, TypeVar

T = TypeVar("T")
REFUSED = "refused "
"""Begins the line in which a process says why it does not do what it was asked; any other line says what it is at."""


@dataclass
class Work(Generic[T]):
    """One file that is worked on, for one person. ``about`` says which file and how; ``result`` is there once it is done."""

    id: str
    person: int
    build_id: str
    about: str
    name: str
    started: float
    words: str = "waiting"
    trouble: str = ""
    result: T | None = None
    took_s: float = 0.0
    stopped: bool = False
    process: subprocess.Popen[str] | None = None
    done: threading.Event = field(default_factory=threading.Event)


@dataclass(frozen=True)
class Kind(Generic[T]):
    """What is done with files of one kind: the module that does it, how what it leaves is taken, and its bounds."""

    module: str
    taken: Callable[[Path], T]
    too_much: str
    """Said where a process was ended for its memory or its time."""
    at_once: int = 3
    longest_s: float = 120.0
    kept: int = 24


class Aside(Generic[T]):
    """The files of one kind under way and the newest that are done."""

    def __init__(self, kind: Kind[T]) -> None:
        self._kind = kind
        self._all: dict[str, Work[T]] = {}
        self._lock = threading.Lock()
        self._places = threading.Semaphore(kind.at_once)

    def start(self, person: int, build_id: str, about: str, name: str, asked: Sequence[str]) -> Work[T]:
        """Begin to work on a file, ``asked`` being what the module is told before the file that its answer goes to; what the person
        has under way in the same build is stopped."""
        one: Work[T] = Work(secrets.token_urlsafe(9), person, build_id, about, name, time.monotonic())
        with self._lock:
            for other in self._all.values():
                if other.person == person and other.build_id == build_id and not other.done.is_set():
                    self.stop(other)
            self._all[one.id] = one
            for old in list(self._all)[: -self._kind.kept]:
                self.stop(self._all.pop(old))
        threading.Thread(target=self._run, args=(one, tuple(asked)), daemon=True).start()
        return one

    def of(self, work_id: str, person: int) -> Work[T] | None:
        """A person's own."""
        one = self._all.get(work_id)
        return one if one and one.person == person else None

    def newest(self, person: int, build_id: str, about: str = "") -> Work[T] | None:
        """The newest of a person's own in a build that was not stopped, or of those that are about so; None where there is none."""
        found = (w for w in reversed(list(self._all.values())) if (w.person, w.build_id) == (person, build_id) and not w.stopped)
        return next((w for w in found if not about or w.about == about), None)

    def stop(self, one: Work[T]) -> None:
        """Stop it; what is done stays."""
        if one.done.is_set():
            return
        one.stopped = True
        if one.process is not None:
            one.process.kill()

    def _run(self, one: Work[T], asked: tuple[str, ...]) -> None:
        try:
            with self._places, tempfile.TemporaryDirectory() as folder:
                if not one.stopped:
                    self._work(one, asked, Path(folder) / "answer")
        finally:
            one.took_s = time.monotonic() - one.started
            one.done.set()

    def _work(self, one: Work[T], asked: tuple[str, ...], answer: Path) -> None:
        command = [sys.executable, "-m", self._kind.module, *asked, str(answer)]
        with subprocess.Popen(command, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True) as process:
            one.process = process
            if one.stopped:
                process.kill()
            watch = threading.Timer(self._kind.longest_s, process.kill)
            watch.start()
            try:
                for line in process.stdout or ():
                    words = line.strip()
                    if words.startswith(REFUSED):
                        one.trouble = words.removeprefix(REFUSED)
                    else:
                        one.words = words
                code = process.wait()
            finally:
                watch.cancel()
        if code == 0 and answer.exists():
            one.result = self._kind.taken(answer)
        elif not one.trouble and not one.stopped:
            one.trouble = self._kind.too_much
