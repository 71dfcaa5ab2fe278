"""Mesh files on their way in: each read in a process of its own, told how far it is, and stopped when nobody waits for it."""

from __future__ import annotations

import secrets
import subprocess
import sys
import tempfile
import threading
import time
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3

MOST_AT_ONCE = 3
MOST_KEPT = 24
LONGEST_S = 120.0


@record
class ReadMesh:
    """A simplified mesh in its file's own unit and frame."""

    vertices: tuple[Vec3, ...]
    triangles: tuple[tuple[int, int, int], ...]
    closed: bool
    off: float
    before: int


@dataclass
class Import:
    """One file on its way in."""

    id: str
    person: int
    build_id: str
    file: str
    name: str
    started: float
    words: str = "waiting"
    trouble: str = ""
    mesh: ReadMesh | None = None
    took_s: float = 0.0
    stopped: bool = False
    process: subprocess.Popen[str] | None = None
    done: threading.Event = field(default_factory=threading.Event)


class MeshImports:
    """The files under way and the newest that came in."""

    def __init__(self) -> None:
        self._all: dict[str, Import] = {}
        self._lock = threading.Lock()
        self._places = threading.Semaphore(MOST_AT_ONCE)

    def start(self, person: int, build_id: str, file: str, name: str, path: Path, kind: str) -> Import:
        """Begin to read a file; a person's earlier one in the same build is stopped."""
        one = Import(secrets.token_urlsafe(9), person, build_id, file, name, time.monotonic())
        with self._lock:
            for other in self._all.values():
                if other.person == person and other.build_id == build_id and not other.done.is_set():
                    self.stop(other)
            self._all[one.id] = one
            for old in list(self._all)[:-MOST_KEPT]:
                self.stop(self._all.pop(old))
        threading.Thread(target=self._run, args=(one, path, kind), daemon=True).start()
        return one

    def of(self, import_id: str, person: int) -> Import | None:
        """A person's own import."""
        one = self._all.get(import_id)
        return one if one and one.person == person else None

    def stop(self, one: Import) -> None:
        """Stop reading a file; what has come in stays."""
        if one.done.is_set():
            return
        one.stopped = True
        if one.process is not None:
            one.process.kill()

    def _run(self, one: Import, path: Path, kind: str) -> None:
        try:
            with self._places, tempfile.TemporaryDirectory() as folder:
                if not one.stopped:
                    self._read(one, path, kind, Path(folder) / "mesh.npz")
        finally:
            one.took_s = time.monotonic() - one.started
            one.done.set()

    def _read(self, one: Import, path: Path, kind: str, answer: Path) -> None:
        asked = [sys.executable, "-m", "elmpeg.formats.mesh_reading", str(path), kind, str(answer)]
        one.process = subprocess.Popen(asked, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True)
        watch = threading.Timer(LONGEST_S, one.process.kill)
        watch.start()
        try:
            for line in one.process.stdout or ():
                words = line.strip()
                if words.startswith("refused "):
                    one.trouble = words.removeprefix("refused ")
                else:
                    one.words = words
            code = one.process.wait()
        finally:
            watch.cancel()
        if code == 0 and answer.exists():
            one.mesh = _taken(answer)
        elif not one.trouble and not one.stopped:
            one.trouble = "took more time or memory than there is for one file; simplify it before bringing it in"


def _taken(answer: Path) -> ReadMesh:
    with np.load(answer, allow_pickle=False) as arrays:
        vertices = tuple((float(x), float(y), float(z)) for x, y, z in arrays["vertices"])
        triangles = tuple((int(a), int(b), int(c)) for a, b, c in arrays["triangles"])
        return ReadMesh(vertices, triangles, bool(arrays["closed"]), float(arrays["off"]), int(arrays["before"]))
