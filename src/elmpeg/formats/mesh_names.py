"""The names that mesh files are kept under, and those that a build's shapes came from."""

from __future__ import annotations

import re
from hashlib import sha256

from elmpeg.core.build.document import Build
from elmpeg.core.methods.shapes.solids import Mesh

MESH_NAME = re.compile(r"[0-9a-f]{24}\.(stl|obj|ply|3mf)")
ID_LETTERS = 24


def mesh_id(kind: str, data: bytes) -> str:
    """The name a mesh file is kept under, taken from its content."""
    return f"{sha256(data).hexdigest()[:ID_LETTERS]}.{kind}"


def meshes_of(build: Build) -> tuple[str, ...]:
    """The original files that a build's shapes come from."""
    solids = (*build.solids, *(s for c in build.components for s in c.solids))
    return tuple(dict.fromkeys(s.file for s in solids if isinstance(s, Mesh) and s.file))
