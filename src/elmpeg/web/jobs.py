"""Searches that take a while: run aside, with how far they are, and stopped when nobody wants them any more."""

from __future__ import annotations

import secrets
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from elmpeg.core.advice.smallest_change import Cancelled, NoSolution, Progress, Solution
from elmpeg.core.base.errors import ElmPegError
from elmpeg.core.build.document import Build

MOST_JOBS = 40
LONGEST_S = 60.0
"""A search that nobody stops is stopped after this."""
Search = Callable[[Callable[[Progress], None], Callable[[], bool]], Solution | NoSolution]


@dataclass
class Job:
    """One search: what it was asked, how far it is, and what came of it."""

    id: str
    person: int
    build: Build
    option: str
    line: str
    started: float
    progress: Progress = field(default_factory=lambda: Progress(0, 1, ""))
    result: Solution | NoSolution | None = None
    trouble: str = ""
    took_s: float = 0.0
    stopped: bool = False
    done: threading.Event = field(default_factory=threading.Event)
    stop: threading.Event = field(default_factory=threading.Event)


class Jobs:
    """The searches under way and the newest finished ones."""

    def __init__(self) -> None:
        self._jobs: dict[str, Job] = {}
        self._lock = threading.Lock()

    def start(self, person: int, build: Build, option: str, line: str, search: Search) -> Job:
        """Begin a search aside; a person's earlier one in the same build is stopped."""
        job = Job(secrets.token_urlsafe(9), person, build, option, line, time.monotonic())
        with self._lock:
            for other in self._jobs.values():
                if other.person == person and other.build.id == build.id:
                    other.stop.set()
            self._jobs[job.id] = job
            while len(self._jobs) > MOST_JOBS:
                self._jobs.pop(next(iter(self._jobs))).stop.set()
        threading.Thread(target=self._run, args=(job, search), daemon=True).start()
        return job

    def _run(self, job: Job, search: Search) -> None:
        def told(progress: Progress) -> None:
            job.progress = progress

        def stop() -> bool:
            return job.stop.is_set() or time.monotonic() - job.started > LONGEST_S

        try:
            job.result = search(told, stop)
        except Cancelled:
            job.stopped = True
        except ElmPegError as refused:
            job.trouble = str(refused).split(": ", 1)[-1]
        finally:
            job.took_s = time.monotonic() - job.started
            job.done.set()

    def of(self, job_id: str, person: int) -> Job | None:
        """A person's own search."""
        job = self._jobs.get(job_id)
        return job if job and job.person == person else None
