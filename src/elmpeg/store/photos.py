"""Photographs, as files beside the database, each under a name taken from its content."""

from __future__ import annotations

import re
from pathlib import Path

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.document import Build
from elmpeg.formats.photographs import Picture
from elmpeg.store.whole_files import put_down

NAME = re.compile(r"[0-9a-f]{24}\.(jpg|png|webp)")
TYPES = {"jpg": "image/jpeg", "png": "image/png", "webp": "image/webp"}


class Photos:
    """The folder of pictures."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def keep(self, picture: Picture) -> None:
        """Keep a picture and its small copy; the same picture twice is one file."""
        put_down(self._folder / f"{picture.id}.thumb", picture.thumb)
        put_down(self._folder / picture.id, picture.data)

    def require(self, build: Build) -> None:
        """Raise InputError where a build lists photographs that are not kept here."""
        lacking = [p for p in build.photos if not NAME.fullmatch(p.id) or not (self._folder / p.id).is_file()]
        if lacking:
            says = f"names {len(lacking)} photographs that are not here, “{lacking[0].name}” among them; bring the build in as a zip"
            raise InputError("file", says)

    def path(self, photo_id: str, thumb: bool = False) -> Path:
        """Where a picture lies, or its small copy; raises MissingError."""
        path = self._folder / (f"{photo_id}.thumb" if thumb else photo_id)
        if not NAME.fullmatch(photo_id) or not path.is_file():
            raise MissingError("there is no such photograph")
        return path

    def read(self, photo_id: str, thumb: bool = False) -> bytes:
        """A picture, or its small copy; raises MissingError."""
        return self.path(photo_id, thumb).read_bytes()

    def type_of(self, photo_id: str, thumb: bool = False) -> str:
        """The media type of a picture."""
        return "image/jpeg" if thumb else TYPES.get(photo_id.rsplit(".", 1)[-1], "application/octet-stream")
