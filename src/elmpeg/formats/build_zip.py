"""A build with its photographs in one zip: ``build.json`` as the open file, and ``photos/`` beside it."""

from __future__ import annotations

import io
import zipfile
import zlib
from collections.abc import Callable
from dataclasses import dataclass
from lzma import LZMAError

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.formats import build_file, photographs
from elmpeg.formats.photographs import Picture

BUILD, FOLDER = "build.json", "photos/"
LARGEST_BYTES = 200_000_000
START = b"PK\x03\x04"


@dataclass(frozen=True, slots=True)
class Carried:
    """What a zip holds: the build and its pictures."""

    build: Build
    pictures: tuple[Picture, ...]


def written(build: Build, read: Callable[[str], bytes]) -> bytes:
    """The zip of a build; ``read`` gives a photograph's content by its id."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as file:
        file.writestr(BUILD, build_file.written(build))
        for photo in build.photos:
            # Pictures are compressed already.
            file.writestr(f"{FOLDER}{photo.id}", read(photo.id), zipfile.ZIP_STORED)
    return out.getvalue()


def read(data: bytes) -> Carried:
    """The build and all of its photographs. Raises InputError with what is wrong; never gives back part of it."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as file:
            sizes = {i.filename: i.file_size for i in file.infolist()}
            if sum(sizes.values()) > LARGEST_BYTES:
                raise InputError("file", f"unpacks to more than {LARGEST_BYTES / 1e6:g} MB")
            if sizes.get(BUILD, 0) > build_file.LARGEST_BYTES or BUILD not in sizes:
                raise InputError("file", f"has no “{BUILD}”, or one too large to be a build")
            build = build_file.read(file.read(BUILD))
            pictures = []
            for photo in build.photos:
                name = f"{FOLDER}{photo.id}"
                if name not in sizes:
                    raise InputError("file", f"lacks the photograph “{photo.name}” ({name})")
                if sizes[name] > photographs.LARGEST_BYTES:
                    raise InputError("file", f"has a photograph of {sizes[name] / 1e6:.0f} MB, “{photo.name}”")
                pictures.append(photographs.kept_before(photo.id, file.read(name), "file"))
    except (zipfile.BadZipFile, zlib.error, LZMAError, RuntimeError, NotImplementedError, EOFError, OSError):
        raise InputError("file", "is not a readable zip; it may be cut short or locked") from None
    return Carried(build, tuple(pictures))
