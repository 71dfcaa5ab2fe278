"""Revisions: what each saved change says of itself, and the document after it, whole or as what changed since the one before."""

from __future__ import annotations

import json
import zlib
from dataclasses import dataclass
from datetime import UTC, datetime
from functools import lru_cache
from typing import Any

from sqlalchemy import bindparam, select
from sqlalchemy.orm import Session

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.document import Build
from elmpeg.core.build.roles import RoleName
from elmpeg.formats import build_file
from elmpeg.store.deltas import applied, delta
from elmpeg.store.tables import Revision

READ_WHOLE = 128
"""Documents stored whole that a process keeps as they were read."""
WHOLE_EVERY = 50
"""After so many revisions that tell changes only, one is kept whole: that bounds what is read to open any of them."""
LONGEST_WORDS = 300
# What every save and page asks, put together once: putting a statement together takes longer than the disk does.
_DEPTH = select(Revision.version, Revision.depth).where(Revision.build_id == bindparam("of"), Revision.number == bindparam("at"))
_LINKS = select(
    Revision.number, Revision.before, Revision.kind, Revision.person, Revision.at, Revision.words, Revision.undo, Revision.redo
).where(Revision.build_id == bindparam("of"), Revision.number == bindparam("at"))


@dataclass(frozen=True, slots=True)
class Author:
    """Who makes a change; without a role it is the shop itself, which may do anything."""

    user_id: int | None
    name: str
    role: RoleName | None = None
    alone: bool = False
    """Whether nobody else in the shop may change builds."""


@dataclass(frozen=True, slots=True)
class Step:
    """One line of a build's history."""

    number: int
    kind: str
    person: str
    at: datetime
    words: str


class DamagedError(InputError):
    """What is stored of a build is not what was written there."""

    def __init__(self, build_id: str, number: int) -> None:
        self.build_id, self.number = build_id, number
        super().__init__(
            "build", f"what is kept of “{build_id}” at revision {number} cannot be read: the disk holds other than was written"
        )


def built(session: Session, build_id: str, number: int) -> Build:
    """A revision's build. One that is stored whole is read once in a process: the same text is the same value, and what is
    known of it stays known. Raises MissingError, and DamagedError where the disk has changed it."""
    row = _stored(session, build_id, number)
    try:
        return (
            _read_whole(row.document, row.version, build_file.VERSION)
            if row.since is None
            else build_file.from_plain(_plain(session, build_id, number))
        )
    except (zlib.error, ValueError, LookupError, TypeError, AttributeError) as trouble:
        # Whatever a changed byte makes of it on the way from the disk to a build.
        raise DamagedError(build_id, number) from trouble


def readable(session: Session, build_id: str, newest: int) -> int | None:
    """The newest revision of a build, at or before one, that can be read; None where none can."""
    for number in range(newest, 0, -1):
        try:
            built(session, build_id, number)
        except (DamagedError, MissingError):
            continue
        return number
    return None


@lru_cache(maxsize=READ_WHOLE)
def _read_whole(document: bytes, version: int, now: int) -> Build:
    """``now`` is the version that it is brought up to: the same text means another build to another version."""
    del now
    return build_file.from_plain(build_file.upgraded(json.loads(zlib.decompress(document)), version))


def _plain(session: Session, build_id: str, number: int) -> dict[str, Any]:
    """A revision's build as plain values, of this version: the nearest whole one before it, and the changes since.

    Raises MissingError for a revision that is not there.
    """
    waiting = []
    row = _stored(session, build_id, number)
    while row.since is not None:
        waiting.append(row)
        row = _stored(session, build_id, row.since)
    plain = json.loads(zlib.decompress(row.document))
    for change in reversed(waiting):
        plain = applied(plain, json.loads(zlib.decompress(change.document)))
    return build_file.upgraded(plain, row.version)


def _stored(session: Session, build_id: str, number: int) -> _Stored:
    columns = (Revision.since, Revision.version, Revision.document)
    row = session.execute(select(*columns).where(Revision.build_id == build_id, Revision.number == number)).one_or_none()
    if row is None:
        raise MissingError(f"build “{build_id}” has no revision {number}")
    return _Stored(*row)


@dataclass(frozen=True, slots=True)
class _Stored:
    since: int | None
    version: int
    document: bytes


def revision_of(build: Build, number: int, kind: str, author: Author, words: str) -> dict[str, Any]:
    """What a revision says of itself, all but its document."""
    who = {"user_id": author.user_id, "person": author.name, "at": datetime.now(UTC), "words": words[:LONGEST_WORDS]}
    return {"build_id": build.id, "number": number, "kind": kind, "version": build_file.VERSION, **who}


def whole(build: Build) -> dict[str, Any]:
    """A revision's document where it stands for itself."""
    return {"since": None, "depth": 0, "document": zlib.compress(build_file.to_json(build), 6)}


def written(session: Session, before: Build, number: int, build: Build) -> dict[str, Any]:
    """A revision's document: what changed since the one before, that of ``number``; the whole now and then, and after a new version."""
    version, depth = session.execute(_DEPTH, {"of": build.id, "at": number}).one()
    if version != build_file.VERSION or depth >= WHOLE_EVERY:
        return whole(build)
    change = json.dumps(delta(before, build) or {"fields": {}}, separators=(",", ":"))
    return {"since": number, "depth": depth + 1, "document": zlib.compress(change.encode(), 6)}


@dataclass(frozen=True, slots=True)
class _Row:
    number: int
    before: int | None
    kind: str
    person: str
    at: datetime
    words: str


def revisions(session: Session, build_id: str, most: int, before: int = 0) -> list[_Row]:
    """A build's newest revisions in order, of all or of those older than one, without their documents."""
    columns = (Revision.number, Revision.before, Revision.kind, Revision.person, Revision.at, Revision.words)
    wanted = select(*columns).where(Revision.build_id == build_id)
    if before:
        wanted = wanted.where(Revision.number < before)
    return [_Row(*row) for row in reversed(session.execute(wanted.order_by(Revision.number.desc()).limit(most)).all())]


@dataclass(frozen=True, slots=True)
class NextStep:
    """A step that undo or redo would take: the change it is about, the revision whose document it leads to, and what undo and
    redo would do after it (``redo`` 0 stands for nothing; an undoing leads to itself)."""

    made: Step
    leads_to: int
    undo: int
    redo: int

    @property
    def words(self) -> str:
        """What the change was."""
        return self.made.words


@dataclass(frozen=True, slots=True)
class _Linked:
    row: _Row
    undo: int
    redo: int


def next_step(session: Session, build_id: str, head: int, kind: str) -> NextStep | None:
    """What undo or redo would do at a build's newest revision; None for nothing. Follows the links that each revision keeps: no more than a handful of rows is read, however long the history is."""

    def row(number: int) -> _Linked | None:
        found = session.execute(_LINKS, {"of": build_id, "at": number}).one_or_none()
        return None if found is None else _Linked(_Row(*found[:6]), found.undo, found.redo)

    here = row(head)
    if here is None:
        return None
    if kind == "undo":
        change = row(here.undo) if here.undo else None
        made_on = row(change.row.before) if change and change.row.before else None
        if change is None or made_on is None:
            return None
        return NextStep(step_of(change.row), made_on.row.number, made_on.undo, head + 1)
    undoing = row(here.redo) if here.redo else None
    undone_on = row(undoing.row.before) if undoing and undoing.row.before else None
    change = row(undone_on.undo) if undone_on and undone_on.undo else None
    if change is None or undone_on is None:
        return None
    return NextStep(step_of(change.row), change.row.number, change.row.number, undone_on.redo)


def step_of(row: _Row) -> Step:
    """A revision as a line of the history."""
    return Step(row.number, row.kind, row.person, row.at, row.words)
