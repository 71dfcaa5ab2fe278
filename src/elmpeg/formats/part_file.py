"""A part of the book as plain JSON values, read back by the same steps as build files."""

from __future__ import annotations

import json
from typing import Any

from pydantic import TypeAdapter

from elmpeg.core.starters.book_part import BookPart
from elmpeg.formats import build_file

VERSION = build_file.VERSION
_PART: TypeAdapter[BookPart] = TypeAdapter(BookPart)


def to_plain(part: BookPart) -> dict[str, Any]:
    """The part as plain values."""
    plain: dict[str, Any] = _PART.dump_python(part, mode="json")
    return plain


def from_plain(plain: dict[str, Any], version: int) -> BookPart:
    """A part from plain values as a version of the build file wrote them."""
    upgraded = build_file.upgraded({"solids": plain.get("solids", []), "points": plain.get("points", [])}, version)
    return _PART.validate_json(json.dumps({**plain, **upgraded}))
