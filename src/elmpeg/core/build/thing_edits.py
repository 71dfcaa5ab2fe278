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
    if entity.named:
        thing = replace(thing, name=cleaned_name(thing.name))
        if any(t.id != thing.id and t.name.lower() == thing.name.lower() for t in things):
            raise InputError("name", f"another {entity.noun} is called “{thing.name}” already; choose a different name")
    if thing.id:
        item_of(build, of, thing.id)
        return _with_list(build, of, tuple(thing if t.id == thing.id else t for t in things))
    made = replace(thing, id=new_id(getattr(thing, "name", "") or entity.noun, (t.id for t in things)))
    return _with_list(build, of, (*things, made))


def _with_list(build: Build, of: str, things: tuple[Any, ...]) -> Build:
    changed: dict[str, Any] = {of: things}
    return replace(build, **changed)


def without_thing(build: Build, of: str, thing_id: str, with_users: bool = False) -> Build:
    """The build without a thing and what goes with it. Raises InputError naming what still needs it, unless that goes too."""
    made: Build = taken_out(build, of, thing_id, with_users)
    return made
