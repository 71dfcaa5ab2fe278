"""An edit and what others saved since it was begun, kept together."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, fields
from functools import partial
from typing import Any

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.memo import Kept
from elmpeg.core.build.document import Build
from elmpeg.formats import build_file
from elmpeg.store.merge import Clash, merged, only_adds


@dataclass(frozen=True, slots=True)
class Together:
    """A build with both in it, or where the two clash."""

    build: Build | None
    clashes: tuple[Clash, ...] = ()


def together(base: Build, mine: Build, theirs: Build, edit: Callable[[Build], Build]) -> Together:
    """An edit of ``base``, and what it has become meanwhile, both kept; clashes where they changed the same thing."""
    plain = [_plain_of(build) for build in (base, mine, theirs)]
    outcome = merged(*plain)
    if not outcome.clashes:
        return Together(_of_their_parts(outcome.value, ((theirs, plain[2]), (mine, plain[1]))))
    # What somebody took out is not brought back by adding to what is left.
    taken_out = any(clash.theirs is None and clash.before is not None for clash in outcome.clashes)
    added = None if taken_out else _added_on_top(theirs, edit)
    return Together(added, () if added is not None else tuple(outcome.clashes))


_PLAIN: Kept[Any] = Kept(400)


def _plain_of(build: Build) -> dict[str, Any]:
    """A build as plain values that nobody may change: of what has been told so before nothing is told again."""
    return {f.name: _PLAIN.get((f.name, getattr(build, f.name)), partial(build_file.field_to_plain, build, f.name)) for f in fields(Build)}


def _of_their_parts(value: dict[str, Any], sides: tuple[tuple[Build, dict[str, Any]], ...]) -> Build:
    """A merged build made of the very parts of both sides wherever it says the same: what is known of those parts is then known
    of it. Only what both changed is read anew."""
    made: dict[str, Any] = {}
    for field in fields(Build):
        name = field.name
        of = next((build for build, plain in sides if value[name] is plain[name]), None)
        if of is not None:
            made[name] = getattr(of, name)
            continue
        read = build_file.field_from_plain(name, value[name])
        for build, _ in sides:
            had = getattr(build, name)
            if isinstance(read, tuple) and isinstance(had, tuple):
                by_id = {getattr(thing, "id", None): thing for thing in had}
                read = tuple(kept if (kept := by_id.get(getattr(thing, "id", ""))) == thing else thing for thing in read)
        made[name] = read
    return Build(**made)


def _added_on_top(build: Build, edit: Callable[[Build], Build]) -> Build | None:
    """An edit made on what somebody else saved meanwhile, where it takes nothing of theirs away.

    Two who each add something at once would else be told that they had changed one
    thing, only since both additions got the next free id.
    """
    try:
        made = edit(build)
    except (InputError, MissingError):
        return None
    return made if only_adds(_plain_of(build), _plain_of(made)) else None
