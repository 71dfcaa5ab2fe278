"""Mesh files on their way in: each read and simplified in a process of its own."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3
from elmpeg.web.aside import Aside, Kind, Work


@record
class ReadMesh:
    """A simplified mesh in its file's own unit and frame."""

    vertices: tuple[Vec3, ...]
    triangles: tuple[tuple[int, int, int], ...]
    closed: bool
    off: float
    before: int


Import = Work[ReadMesh]


class MeshImports(Aside[ReadMesh]):
    """The files under way and the newest that came in."""

    def __init__(self) -> None:
        words = "took more time or memory than there is for one file; simplify it before bringing it in"
        super().__init__(Kind("elmpeg.formats.mesh_reading", _taken, words))

    def read(self, person: int, build_id: str, file: str, name: str, path: Path, kind: str) -> Import:
        """Begin to read a file."""
        return self.start(person, build_id, file, name, (str(path), kind))


def _taken(answer: Path) -> ReadMesh:
    with np.load(answer, allow_pickle=False) as arrays:
        vertices = tuple((float(x), float(y), float(z)) for x, y, z in arrays["vertices"])
        triangles = tuple((int(a), int(b), int(c)) for a, b, c in arrays["triangles"])
        return ReadMesh(vertices, triangles, bool(arrays["closed"]), float(arrays["off"]), int(arrays["before"]))
