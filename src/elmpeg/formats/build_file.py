"""The build as a JSON file: versioned, with a published schema, refused whole when anything is wrong.

``{"format": "elm-peg build", "version": 9, "build": {...}}``. Lengths mm, angles
deg. Files of earlier versions stay readable: each version has a step in
``UPGRADES`` that turns its plain values into those of the next.
"""

from __future__ import annotations

import json
from collections.abc import Callable
from functools import cache
from pathlib import Path
from typing import Any, Literal, get_type_hints

import pydantic_core
from pydantic import TypeAdapter, ValidationError

from elmpeg.core.base.declared import all_records, unit_of
from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build
from elmpeg.core.build.signers import unsigned
from elmpeg.core.calculators.registry import explained
from elmpeg.core.integrity.sound import require_sound

FORMAT = "elm-peg build"
VERSION = 10
LARGEST_BYTES = 8_000_000
"""A real build with sixty parts and its rounds takes a twentieth of this."""
ROLES = {"rail": "frame", "crossmember": "frame", "body": "body"}
"""What shapes were said to be before their roles were a list, by what that is called now."""


def _with_roles(plain: dict[str, Any]) -> dict[str, Any]:
    """Shapes with one of the roles of today; whatever else somebody had written there said nothing to anybody."""

    def solids(holder: Any) -> Any:
        if not isinstance(holder, dict) or not isinstance(holder.get("solids"), list):
            return holder
        told = [{**s, "role": ROLES.get(str(s.get("role", "")), "")} if isinstance(s, dict) else s for s in holder["solids"]]
        return {**holder, "solids": told}

    build = solids(plain.get("build"))
    if isinstance(build, dict) and isinstance(build.get("components"), list):
        build = {**build, "components": [solids(c) for c in build["components"]]}
    return {**plain, "version": 6, "build": build}


def _with_pieces(plain: dict[str, Any]) -> dict[str, Any]:
    """Adapter plates as what they are since: pieces, whose outline's corners say how the way to the next one bulges."""
    build = plain.get("build")
    if isinstance(build, dict) and "plates" in build:
        plates = build.get("plates")
        rest = {k: v for k, v in build.items() if k != "plates"}
        build = {**rest, "pieces": [_as_piece(p) for p in plates] if isinstance(plates, list) else plates}
    return {**plain, "version": 8, "build": build}


def _as_piece(plate: Any) -> Any:
    if not isinstance(plate, dict) or "outline_mm" not in plate:
        return plate
    corners = plate["outline_mm"]
    rest = {k: v for k, v in plate.items() if k != "outline_mm"}
    if isinstance(corners, list) and all(isinstance(c, list) and len(c) == 2 for c in corners):
        corners = [{"x_mm": x, "y_mm": y} for x, y in corners]
    return {**rest, "outline": corners}


def _with_unsigned(plain: dict[str, Any]) -> dict[str, Any]:
    """Who checked an order to a cutter was a text that anybody could write: the name stays, and says that nobody signed it."""

    def marked(piece: Any) -> Any:
        if not isinstance(piece, dict) or not isinstance(piece.get("sendings"), list):
            return piece
        sendings = [
            {**s, "checked_by": unsigned(s["checked_by"])} if isinstance(s, dict) and isinstance(s.get("checked_by"), str) else s
            for s in piece["sendings"]
        ]
        return {**piece, "sendings": sendings}

    build = plain.get("build")
    if isinstance(build, dict) and isinstance(build.get("pieces"), list):
        build = {**build, "pieces": [marked(p) for p in build["pieces"]]}
    return {**plain, "version": 10, "build": build}


UPGRADES: dict[int, Callable[[dict[str, Any]], dict[str, Any]]] = {
    1: lambda plain: {**plain, "version": 2},
    2: lambda plain: {**plain, "version": 3},
    3: lambda plain: {**plain, "version": 4},
    4: lambda plain: {**plain, "version": 5},
    5: _with_roles,
    6: lambda plain: {**plain, "version": 7},
    7: _with_pieces,
    8: lambda plain: {**plain, "version": 9},
    9: _with_unsigned,
}
"""Version 2 added what points are measured from, levelling, the before sheet, marks and photographs; version 3 what a mount
is made of, patterns, plates and chains of dimensions; version 4 what shafts are made of, how axles are carried, and
shaft orders; version 5 which pieces of a stack are reserved on the shelf; version 6 roles of shapes from a list, where shapes' figures come
from and their doubt, tubes along a path, and parts' mass and origin; version 7 which coordinates of a point a round measured; version 8 pieces
in place of adapter plates, the shop's test strips and its brake; version 9 which hand of a piece an opening is in; version 10
who checked an order to a cutter as a signature, not as a text that anybody wrote. All of these may be left out.

From a file's version to the next one."""
SCHEMA_PATH = Path(__file__).with_name("build.schema.json")


@record
class BuildFile:
    """What stands in a file."""

    build: Build
    format: Literal["elm-peg build"] = "elm-peg build"
    version: Literal[10] = 10


_FILE: TypeAdapter[BuildFile] = TypeAdapter(BuildFile)
_BUILD: TypeAdapter[Build] = TypeAdapter(Build)


def schema() -> dict[str, Any]:
    """JSON Schema of the file, each figure with its unit."""
    made = {**_FILE.json_schema(), "title": "Elm Peg build file"}
    for cls in all_records(Build):
        for name, said in made["$defs"].get(cls.__name__, {}).get("properties", {}).items():
            if (unit := unit_of(cls, name)) and "x-unit" not in said:
                said["x-unit"] = unit
    return made


def schema_text() -> str:
    """The schema as it is committed beside this module."""
    return json.dumps(schema(), indent=2, sort_keys=True) + "\n"


def written(build: Build) -> bytes:
    """The file for a build."""
    return _FILE.dump_json(BuildFile(build), indent=1)


def read(data: bytes) -> Build:
    """The build in a file. Raises InputError with what is wrong and where; never gives back part of a build."""
    if len(data) > LARGEST_BYTES:
        raise InputError("file", f"is {len(data) / 1e6:.1f} MB; a build file has at most {LARGEST_BYTES / 1e6:g} MB")
    try:
        plain = pydantic_core.from_json(data, allow_inf_nan=False)
    except ValueError:
        raise InputError("file", "is not readable JSON; it may be cut short or of another kind") from None
    if not isinstance(plain, dict) or plain.get("format") != FORMAT:
        raise InputError("file", f"is not a build file: its “format” should be “{FORMAT}”")
    version = plain.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise InputError("version", "is missing or not a whole number from 1")
    if version > VERSION:
        raise InputError("version", f"is {version}, from a later Elm Peg; this one reads up to {VERSION}. Bring it up to date first")
    while plain["version"] < VERSION:
        plain = UPGRADES[plain["version"]](plain)
    try:
        build = _FILE.validate_json(json.dumps(plain)).build
    except ValidationError as refused:
        first, *rest = explained(refused)
        raise InputError(first.field, first.message, *rest) from None
    except (ValueError, RecursionError):
        raise InputError("file", "is nested deeper or holds larger numbers than any build") from None
    require_sound(build)
    return build


def upgraded(plain: dict[str, Any], version: int) -> dict[str, Any]:
    """A build's plain values as a version wrote them, brought up to this one by the same steps as files."""
    wrapped: dict[str, Any] = {"format": FORMAT, "version": version, "build": plain}
    while wrapped["version"] < VERSION:
        wrapped = UPGRADES[wrapped["version"]](wrapped)
    build: dict[str, Any] = wrapped["build"]
    return build


def to_plain(build: Build) -> dict[str, Any]:
    """The build as plain JSON values, for the store."""
    plain: dict[str, Any] = _BUILD.dump_python(build, mode="json")
    return plain


def field_to_plain(build: Build, name: str) -> Any:
    """One field of the build as plain JSON values."""
    return _BUILD.dump_python(build, mode="json", include={name})[name]


def field_from_plain(name: str, plain: Any) -> Any:
    """One field of a build from plain values; raises InputError where they make something impossible."""
    try:
        return _field(name).validate_json(json.dumps(plain))
    except ValidationError as refused:
        first, *rest = (FieldError(f"{name}.{e.field}", e.message) for e in explained(refused))
        raise InputError(first.field, first.message, *rest) from None


@cache
def _field(name: str) -> TypeAdapter[Any]:
    return TypeAdapter(get_type_hints(Build)[name])


def to_json(build: Build) -> bytes:
    """The build alone as compact JSON, for the store."""
    return _BUILD.dump_json(build)


def from_plain(plain: dict[str, Any]) -> Build:
    """The build from plain values; raises InputError where they make something impossible."""
    try:
        return _BUILD.validate_json(json.dumps(plain))
    except ValidationError as refused:
        first, *rest = explained(refused)
        raise InputError(first.field, first.message, *rest) from None


__all__ = [
    "FieldError", "field_from_plain", "field_to_plain", "from_plain", "read", "schema", "schema_text", "to_json", "to_plain", "upgraded", "written",
]  # fmt: skip
