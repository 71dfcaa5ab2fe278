"""A build with its photographs and its mesh files in one zip: ``build.json`` as the open file, ``photos/`` and ``meshes/`` beside it."""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass, replace
from lzma import LZMAError

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import Photo
from elmpeg.formats import build_file, mesh_reading, photographs
from elmpeg.formats.mesh_names import MESH_NAME, mesh_id, meshes_of
from elmpeg.formats.photographs import Picture
from elmpeg.formats.picture_process import PictureProcess
from elmpeg.formats.stopping import FilesUnderWay

BUILD, FOLDER, MESHES = "build.json", "photos/", "meshes/"
LARGEST_BYTES = 200_000_000
START = b"PK\x03\x04"


@dataclass(frozen=True, slots=True)
class Carried:
    """What a zip holds: the build, its pictures, and the files that its meshes came from, by their names."""

    build: Build
    pictures: tuple[Picture, ...]
    meshes: tuple[tuple[str, bytes], ...] = ()


def written(build: Build, read: Callable[[str], bytes], mesh: Callable[[str], bytes]) -> bytes:
    """The zip of a build; ``read`` gives a photograph's content by its id, ``mesh`` a mesh file's by its name."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr(BUILD, build_file.written(build))
        for photo in build.photos:
            # Pictures are compressed already.
            file.writestr(f"{FOLDER}{photo.id}", read(photo.id), zipfile.ZIP_STORED)
        for name in meshes_of(build):
            file.writestr(f"{MESHES}{name}", mesh(name))
    return out.getvalue()


def read(data: bytes, under_way: FilesUnderWay | None = None) -> Carried:
    """The build and all of its photographs; whoever has the ``under_way`` can stop it. Raises InputError with what is wrong; never gives back part of it."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as file:
            sizes = {i.filename: i.file_size for i in file.infolist()}
            if sum(sizes.values()) > LARGEST_BYTES:
                raise InputError("file", f"unpacks to more than {LARGEST_BYTES / 1e6:g} MB")
            if sizes.get(BUILD, 0) > build_file.LARGEST_BYTES or BUILD not in sizes:
                raise InputError("file", f"has no “{BUILD}”, or one too large to be a build")
            told = file.read(BUILD)
            build = build_file.read(told)
            pictures = _pictures(file, sizes, build, under_way)
            for photo, picture in zip(build.photos, pictures, strict=True):
                # One that had to be cleaned first is another file now; the build speaks of that one.
                told = told.replace(photo.id.encode(), picture.id.encode())
            build = build_file.read(told)
            build = replace(build, photos=tuple(_as_kept(p, k) for p, k in zip(build.photos, pictures, strict=True)))
            meshes = tuple((name, _mesh(file, sizes, name)) for name in meshes_of(build))
    except (zipfile.BadZipFile, zlib.error, LZMAError, RuntimeError, NotImplementedError, EOFError, OSError):
        raise InputError("file", "is not a readable zip; it may be cut short or locked") from None
    return Carried(build, pictures, meshes)


def _pictures(file: zipfile.ZipFile, sizes: dict[str, int], build: Build, under_way: FilesUnderWay | None) -> tuple[Picture, ...]:
    if not build.photos:
        return ()
    pictures = []
    with PictureProcess(under_way) as process:
        for photo in build.photos:
            name = f"{FOLDER}{photo.id}"
            if name not in sizes:
                raise InputError("file", f"lacks the photograph “{photo.name}” ({name})")
            if sizes[name] > photographs.LARGEST_KEPT_BYTES:
                raise InputError("file", f"has a photograph of {sizes[name] / 1e6:.0f} MB, “{photo.name}”")
            pictures.append(process.kept_before(photo.id, file.read(name), "file"))
    return tuple(pictures)


def _as_kept(photo: Photo, picture: Picture) -> Photo:
    """What a build says of a photograph, with its sizes as it is kept."""
    return replace(photo, width_px=picture.width_px, height_px=picture.height_px, size_bytes=len(picture.data))


def _mesh(file: zipfile.ZipFile, sizes: dict[str, int], name: str) -> bytes:
    """A mesh file out of a zip. Raises InputError where it is not there, is too large, or is not what its name says."""
    path = f"{MESHES}{name}"
    if path not in sizes:
        raise InputError("file", f"lacks the mesh file {path}")
    if sizes[path] > mesh_reading.LARGEST_BYTES:
        raise InputError("file", f"has a mesh file of {sizes[path] / 1e6:.0f} MB, {path}")
    data = file.read(path)
    if not MESH_NAME.fullmatch(name) or mesh_id(name.rsplit(".", 1)[-1], data) != name:
        raise InputError("file", f"holds a mesh file whose content is not that of “{name[:40]}”")
    return data
