"""Original mesh files, beside the database, each under a name taken from its content."""

from __future__ import annotations

from pathlib import Path

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.document import Build
from elmpeg.formats.mesh_names import MESH_NAME, mesh_id, meshes_of
from elmpeg.store.whole_files import put_down


class Meshes:
    """The folder of mesh files."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def keep(self, kind: str, data: bytes) -> str:
        """Keep a file; its name. The same file twice is one."""
        name = mesh_id(kind, data)
        put_down(self._folder / name, data)
        return name

    def path(self, name: str) -> Path:
        """Where a file is; raises MissingError."""
        if not MESH_NAME.fullmatch(name) or not (self._folder / name).is_file():
            raise MissingError("there is no such mesh file")
        return self._folder / name

    def read(self, name: str) -> bytes:
        """A file's content; raises MissingError."""
        return self.path(name).read_bytes()

    def require(self, build: Build) -> None:
        """Raise InputError where a build's shapes come from files that are not kept here."""
        lacking = [n for n in meshes_of(build) if not MESH_NAME.fullmatch(n) or not (self._folder / n).is_file()]
        if lacking:
            raise InputError("file", f"names {len(lacking)} mesh files that are not here; bring the build in as a zip")
