"""Things of a build's lists made, changed and taken out, whatever kind they are: what the table of entities says is enough."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.document import ENTITIES, Build
from elmpeg.core.build.entities import item_of, taken_out


def with_thing(build: Build, of: str, thing: Any) -> Build:
    """The build with a thing added last (no id) or changed in its place.

    Raises InputError for a name that is empty, too long or another's, MissingError for an id that is not there.
    """
    entity, things = ENTITIES[of], getattr(build, of)
    if thing.id:
        item_of(build, of, thing.id)
    return _with_list(build, of, with_entry(things, thing, entity.noun, entity.named))


def with_entry(entries: tuple[Any, ...], entry: Any, noun: str, named: bool = True) -> tuple[Any, ...]:
    """Entries with one added last (no id) or changed in its place. Raises InputError for a name that is empty, too long or another's."""
    if named:
        entry = replace(entry, name=cleaned_name(entry.name))
        if any(e.id != entry.id and e.name.lower() == entry.name.lower() for e in entries):
            raise InputError("name", f"another {noun} is called “{entry.name}” already; choose a different name")
    if entry.id:
        return tuple(entry if e.id == entry.id else e for e in entries)
    return (*entries, replace(entry, id=new_id(getattr(entry, "name", "") or noun, (e.id for e in entries))))


def _with_list(build: Build, of: str, things: tuple[Any, ...]) -> Build:
    changed: dict[str, Any] = {of: things}
    return replace(build, **changed)


def without_thing(build: Build, of: str, thing_id: str, with_users: bool = False) -> Build:
    """The build without a thing and what goes with it. Raises InputError naming what still needs it, unless that goes too."""
    made: Build = taken_out(build, of, thing_id, with_users)
    return made
