"""One figure of a build set by where it stands, whatever the thing is that holds it."""

from __future__ import annotations

from dataclasses import fields, is_dataclass, replace
from typing import Any

from elmpeg.core.base.errors import MissingError
from elmpeg.core.build.document import Build, with_item
from elmpeg.core.build.entities import item_of


def with_figure(build: Build, of: str, thing_id: str, path: str, to: float) -> Build:
    """The build with one figure of one thing set: ``of`` is the build's list, ``path`` leads on within the thing.

    It goes by fields' names through records, and by an id or a place through rows (``layers.a.edge_mm``, ``phases_deg.1``).
    Raises MissingError where it leads nowhere.
    """
    thing = item_of(build, of, thing_id)
    things: Any = with_item(getattr(build, of), _set(thing, path.split("."), to))
    return replace(build, **{of: things})


def _set(thing: Any, path: list[str], to: float) -> Any:
    if not path:
        return to
    first, rest = path[0], path[1:]
    if isinstance(thing, tuple):
        at, rest = _row(thing, path)
        return (*thing[:at], _set(thing[at], rest, to), *thing[at + 1 :])
    if not is_dataclass(thing) or isinstance(thing, type) or first not in {f.name for f in fields(thing)}:
        raise MissingError(f"there is no “{first}”")
    return replace(thing, **{first: _set(getattr(thing, first), rest, to)})


def _row(rows: tuple[Any, ...], path: list[str]) -> tuple[int, list[str]]:
    """Which of some rows a path leads to, and how it goes on there; an id may have dots in it."""
    known = {getattr(one, "id", None): k for k, one in enumerate(rows)}
    for count in range(len(path), 0, -1):
        at = known.get(".".join(path[:count]))
        if at is not None:
            return at, path[count:]
    if path[0].isdigit() and int(path[0]) < len(rows):
        return int(path[0]), path[1:]
    raise MissingError(f"nothing there is called “{path[0]}”")
