"""Meshes read from files of other programs: checked before they are unpacked, and simplified for views and distances.

Reading runs in a process of its own (``python -m elmpeg.formats.mesh_reading``), which is given only so much memory
and time: a broken or hostile file takes nothing down with it, and whoever waits can stop it. It tells how far it is
line by line, and leaves its answer in a file of arrays.
"""

from __future__ import annotations

import io
import resource
import struct
import sys
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.errors import InputError

KINDS = ("stl", "obj", "ply", "3mf")
LARGEST_BYTES = 60_000_000
MOST_TRIANGLES = 2_000_000
MOST_KEPT = 800
"""Triangles of a simplified mesh: a few hundredths of its size off, and drawn in a hundredth of a second."""
MOST_BODIES, LEAST_OF_A_BODY = 60, 24
COARSE, HASTES, NEARLY = 25, (3, 5, 7), 1.25
"""A body is first brought down to so many times what it is to have, in haste; then with care, and with more haste only
where care leaves more than about what was asked for."""
STUCK, FINEST_CELL = 1.6, 0.004
"""Where a body is left with more than so many times what was asked for, its corners are drawn together, first in cells
of this share of its size."""
LOOKED_AT = 12_000
"""Corners of the original whose distance from the simplified surface is looked at."""
MEMORY_BYTES = 6_000_000_000
PROCESSOR_S = 90
UNPACKED_BYTES = 400_000_000
Array = NDArray[Any]


def kind_of(name: str, data: bytes) -> str:
    """The kind of a file by its name; refused where its content says otherwise, or where it is too large."""
    kind = name.lower().rsplit(".", 1)[-1]
    if kind not in KINDS:
        raise InputError("file", f"“{name[-60:]}” is none of {', '.join(k.upper() for k in KINDS)}")
    if len(data) > LARGEST_BYTES:
        raise InputError("file", f"is {len(data) / 1e6:.0f} MB; a mesh has at most {LARGEST_BYTES / 1e6:.0f} MB")
    if len(data) < 40:
        raise InputError("file", "is empty or cut short")
    return kind


def refuse_absurd(kind: str, data: bytes) -> None:
    """Raise InputError for a file whose own words about its size cannot be, or that would unpack to far too much."""
    if kind == "3mf":
        try:
            with zipfile.ZipFile(io.BytesIO(data)) as packed:
                unpacked = sum(i.file_size for i in packed.infolist())
        except (zipfile.BadZipFile, NotImplementedError, OSError, ValueError, RuntimeError):
            raise InputError("file", "is not a readable 3MF file; it may be cut short") from None
        if unpacked > UNPACKED_BYTES:
            raise InputError("file", f"unpacks to more than {UNPACKED_BYTES / 1e6:.0f} MB")
    if kind == "stl" and data.lstrip()[:5].lower() != b"solid":
        _refuse_short_stl(data)
    if kind == "ply" and not data.startswith(b"ply"):
        raise InputError("file", "is not a PLY file, whatever its name says")


def _refuse_short_stl(data: bytes) -> None:
    if len(data) < 84:
        raise InputError("file", "is cut short: a binary STL file has a head of 84 bytes")
    told = struct.unpack("<I", data[80:84])[0]
    if told > MOST_TRIANGLES:
        raise InputError("file", f"says it has {told:,} triangles; at most {MOST_TRIANGLES:,} are taken")
    if len(data) < 84 + 50 * told:
        raise InputError("file", f"is cut short: it says it has {told:,} triangles and holds {(len(data) - 84) // 50:,}")


def loaded(kind: str, data: bytes) -> tuple[Array, Array]:
    """Vertices and triangles of a file, put together where it has several bodies. Raises InputError."""
    import trimesh

    refuse_absurd(kind, data)
    try:
        scene = trimesh.load_scene(io.BytesIO(data), file_type=kind, resolver=None, process=False, skip_materials=True)
        whole = scene.to_mesh()
    except InputError:
        raise
    except Exception as broken:
        # Each kind of file breaks in its own way inside the library; whatever it was, the file cannot be read.
        raise InputError("file", f"cannot be read as {kind.upper()}; it is broken or cut short ({type(broken).__name__})") from None
    vertices, triangles = np.asarray(whole.vertices, dtype=np.float64), np.asarray(whole.faces, dtype=np.int64)
    if not len(triangles):
        raise InputError("file", "has no triangles in it")
    if len(triangles) > MOST_TRIANGLES:
        raise InputError("file", f"has {len(triangles):,} triangles; at most {MOST_TRIANGLES:,} are taken")
    if triangles.min() < 0 or triangles.max() >= len(vertices):
        raise InputError("file", "has triangles with corners that are not there; it is broken")
    if not np.isfinite(vertices).all():
        raise InputError("file", "has corners that are no numbers")
    return vertices, triangles


def simplified(vertices: Array, triangles: Array, most: int = MOST_KEPT) -> tuple[Array, Array, bool]:
    """The surface with about so many triangles at most, and whether it is closed.

    Bodies that do not touch are simplified each for itself, by its share of the whole's area: put together, small
    ones would be given up for the sake of large ones.
    """
    import trimesh

    # Corners of one place are put together; to look for doubled triangles as well takes long, and simplifying sees to them.
    whole: Any = trimesh.Trimesh(vertices, triangles, process=True, validate=len(triangles) <= most)
    if len(whole.faces) > most:
        bodies = whole.split(only_watertight=False) if 1 < whole.body_count <= MOST_BODIES else [whole]
        area = sum(body.area for body in bodies) or 1.0
        parts = [_reduced(body, max(LEAST_OF_A_BODY, round(most * body.area / area))) for body in bodies]
        whole = trimesh.util.concatenate([trimesh.Trimesh(v, f, process=True, validate=True) for v, f in parts])
    if len(whole.faces) < 4:
        raise InputError("file", "is flat or too small to have an inside; look at it in the program that wrote it")
    if whole.is_watertight:
        whole.fix_normals()
    return np.asarray(whole.vertices), np.asarray(whole.faces), bool(whole.is_watertight and whole.is_winding_consistent)


def _reduced(body: Any, most: int) -> tuple[Array, Array]:
    """One body with about so many triangles: by quadric errors, and by drawing corners together where those get stuck."""
    import fast_simplification  # type: ignore[import-untyped]

    if len(body.faces) <= most:
        return np.asarray(body.vertices), np.asarray(body.faces)
    middle, size = body.vertices.mean(axis=0), max(float(np.ptp(body.vertices, axis=0).max()), 1e-9)
    unit = ((body.vertices - middle) / size).astype(np.float32)
    points, faces = unit, np.asarray(body.faces, dtype=np.int32)
    if len(faces) > COARSE * most:
        points, faces = fast_simplification.simplify(points, faces, target_count=COARSE * most)
    coarse = (np.asarray(points, dtype=np.float32), np.asarray(faces, dtype=np.int32))
    for haste in HASTES:
        points, faces = fast_simplification.simplify(*coarse, target_count=most, agg=haste)
        if len(faces) <= NEARLY * most:
            break
    cell = FINEST_CELL
    while len(faces) > STUCK * most and cell < 0.5:
        points, faces = _drawn_together(unit, np.asarray(body.faces), cell)
        cell *= 1.3
    return points.astype(np.float64) * size + middle, faces


def _drawn_together(points: Array, faces: Array, cell: float) -> tuple[Array, Array]:
    """Corners in one cell of a grid become one, at their mean; triangles that lose a corner go."""
    _, which = np.unique(np.round(points / cell).astype(np.int64), axis=0, return_inverse=True)
    which = which.reshape(-1)
    counts = np.bincount(which).astype(np.float64)
    means = np.column_stack([np.bincount(which, weights=points[:, i]) / counts for i in range(3)])
    turned = which[faces]
    sound = (turned[:, 0] != turned[:, 1]) & (turned[:, 1] != turned[:, 2]) & (turned[:, 2] != turned[:, 0])
    return means, turned[sound]


def off_by(vertices: Array, kept_vertices: Array, kept_triangles: Array) -> float:
    """How far the original's corners lie from the simplified surface at most, of those looked at."""
    from elmpeg.core.methods.shapes.room import nearest
    from elmpeg.core.methods.shapes.solids import FIXED, Cylinder, Mesh

    chosen = np.random.default_rng(7).choice(len(vertices), min(LOOKED_AT, len(vertices)), replace=False)
    size = max(float(np.ptp(kept_vertices, axis=0).max()), 1e-9)
    surface = Mesh("m", "m", tuple(map(tuple, kept_vertices / size * 1000)), tuple(map(tuple, kept_triangles.tolist())), closed=False)
    pin = 1e-4
    found = 0.0
    for x, y, z in vertices[chosen] / size * 1000:
        needle = Cylinder("p", "p", (x, y, z - pin), (x, y, z + pin), 2 * pin)
        found = max(found, nearest.__wrapped__(surface, FIXED, needle, FIXED).distance_mm)
    return found * size / 1000


def main(argv: list[str]) -> int:
    """Read a file, simplify it and leave the arrays; 0 when that went well, 2 with words when the file is refused."""
    source, kind, answer = argv
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (PROCESSOR_S, PROCESSOR_S))
    try:
        _tell("reading")
        vertices, triangles = loaded(kind, Path(source).read_bytes())
        _tell(f"simplifying {len(triangles):,} triangles")
        kept, faces, closed = simplified(vertices, triangles)
        _tell("comparing")
        off = off_by(vertices, kept, faces)
    except InputError as refused:
        _tell(f"refused {refused.message}")
        return 2
    except MemoryError:
        _tell("refused takes more memory than there is for one file; simplify it before bringing it in")
        return 2
    with open(answer, "wb") as left:
        np.savez(left, vertices=kept, triangles=faces, closed=closed, off=off, before=len(triangles))
    _tell("done")
    return 0


def _tell(words: str) -> None:
    print(words, flush=True)


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
