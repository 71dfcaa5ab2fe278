"""Builds and their revisions: every saved change is kept with who, when and what in words."""

from __future__ import annotations

import zlib
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from threading import Lock

from sqlalchemy import select
from sqlalchemy.orm import Session

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import new_id
from elmpeg.core.build.document import Build
from elmpeg.core.integrity.sound import require_sound
from elmpeg.formats import build_file
from elmpeg.store.database import Database
from elmpeg.store.merge import Clash, merged, only_adds
from elmpeg.store.tables import Presence, Revision, StoredBuild, TakenReading, User

CACHED_BUILDS = 64
LONGEST_UNDO = 500
"""How many revisions back undo can reach."""
HERE_FOR = timedelta(seconds=45)
"""Somebody counts as being on a build for so long after their page last asked."""
LONGEST_WORDS = 300


@dataclass(frozen=True, slots=True)
class Author:
    """Who makes a change."""

    user_id: int | None
    name: str


@dataclass(frozen=True, slots=True)
class Head:
    """A build at a revision."""

    build: Build
    number: int


@dataclass(frozen=True, slots=True)
class Saved:
    """A saved change; ``brought_in`` says in words what others had changed meanwhile and was kept."""

    head: Head
    brought_in: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Step:
    """One line of a build's history."""

    number: int
    kind: str
    person: str
    at: datetime
    words: str


@dataclass(frozen=True, slots=True)
class UndoState:
    """What undo and redo would do now; None where there is nothing."""

    undo: Step | None
    redo: Step | None


@dataclass(frozen=True, slots=True)
class TakenIn:
    """The build with what was queued, the keys that are in it now, and what came in, in words."""

    build: Build
    keys: tuple[str, ...]
    words: str


class Conflict(Exception):
    """Two people changed the same thing. Nothing was saved."""

    def __init__(self, head: Head, clashes: list[Clash], steps: tuple[Step, ...]) -> None:
        self.head, self.clashes, self.steps = head, clashes, steps
        super().__init__(f"{len(clashes)} things were changed by somebody else meanwhile")


class Builds:
    """The shop's builds in the store."""

    def __init__(self, database: Database) -> None:
        self._db = database
        self._cache: OrderedDict[tuple[str, int], Build] = OrderedDict()
        self._lock = Lock()

    def ids(self) -> tuple[str, ...]:
        """All builds, oldest first."""
        with self._db.reading() as session:
            return tuple(session.scalars(select(StoredBuild.id).order_by(StoredBuild.created, StoredBuild.id)))

    def head(self, build_id: str) -> Head:
        """A build as it stands; raises MissingError."""
        with self._db.reading() as session:
            return self._head(session, build_id)

    def _head(self, session: Session, build_id: str) -> Head:
        stored = session.get(StoredBuild, build_id)
        if stored is None:
            raise MissingError(f"there is no build “{build_id}”")
        return Head(self._document(session, build_id, stored.head), stored.head)

    def at(self, build_id: str, number: int) -> Build:
        """A build as it stood after a revision; raises MissingError."""
        with self._db.reading() as session:
            return self._document(session, build_id, number)

    def _document(self, session: Session, build_id: str, number: int) -> Build:
        key = (build_id, number)
        with self._lock:
            if key in self._cache:
                self._cache.move_to_end(key)
                return self._cache[key]
        packed = session.scalar(select(Revision.document).where(Revision.build_id == build_id, Revision.number == number))
        if packed is None:
            raise MissingError(f"build “{build_id}” has no revision {number}")
        build = build_file.from_json(zlib.decompress(packed))
        self._remember(key, build)
        return build

    def _remember(self, key: tuple[str, int], build: Build) -> None:
        with self._lock:
            self._cache[key] = build
            while len(self._cache) > CACHED_BUILDS:
                self._cache.popitem(last=False)

    def add(self, build: Build, author: Author, words: str) -> Head:
        """Keep a new build; its id is changed where another build has it."""
        require_sound(build)
        with self._db.writing() as session:
            taken = set(session.scalars(select(StoredBuild.id)))
            if build.id in taken or not build.id:
                build = replace(build, id=new_id(build.id or build.name, taken))
            session.add(StoredBuild(id=build.id, name=build.name, head=1, created=datetime.now(UTC)))
            session.flush()
            self._write(session, build, 1, None, "change", author, words)
        return Head(build, 1)

    def change(self, build_id: str, seen: int, author: Author, words: str, edit: Callable[[Build], Build]) -> Saved:
        """Save an edit of the build as the person saw it at revision ``seen``.

        What others saved since is kept as well. Raises Conflict, with nothing
        saved, where both changed the same thing; InputError where the edit or the
        two together make no sense.
        """
        return self._kept(self._change(build_id, seen, author, words, edit))

    def _change(self, build_id: str, seen: int, author: Author, words: str, edit: Callable[[Build], Build]) -> Saved:
        with self._db.writing() as session:
            head = self._head(session, build_id)
            base = head.build if seen == head.number else self._document(session, build_id, seen)
            mine = edit(base)
            if mine == base:
                return Saved(head)
            if seen == head.number:
                return Saved(self._save(session, head, mine, "change", author, words))
            steps = tuple(_step(r) for r in _revisions(session, build_id, head.number - seen) if r.number > seen)
            outcome = merged(build_file.to_plain(base), build_file.to_plain(mine), build_file.to_plain(head.build))
            if outcome.clashes:
                added = _added_on_top(head.build, edit)
                if added is None:
                    raise Conflict(head, outcome.clashes, steps)
                together = added
            else:
                together = build_file.from_plain(outcome.value)
            others = tuple(dict.fromkeys(f"{s.person}: {s.words}" for s in steps))
            return Saved(self._save(session, head, together, "change", author, words), others)

    def take(self, build_id: str, author: Author, keys: tuple[str, ...], edit: Callable[[Build, tuple[str, ...]], TakenIn]) -> TakenIn:
        """Take in what a browser had queued, each key once, on top of the build as it stands.

        ``edit`` gets the build and those of the keys that have not come in before, and
        says which it took. Keys and change are kept together or not at all.
        """
        with self._db.writing() as session:
            head = self._head(session, build_id)
            known = set(session.scalars(select(TakenReading.key).where(TakenReading.build_id == build_id, TakenReading.key.in_(keys))))
            taken = edit(head.build, tuple(k for k in dict.fromkeys(keys) if k not in known))
            saved = Saved(head)
            if taken.build != head.build:
                saved = Saved(self._save(session, head, taken.build, "change", author, taken.words))
            now = datetime.now(UTC)
            session.add_all(TakenReading(build_id=build_id, key=key, at=now) for key in taken.keys)
        self._kept(saved)
        return taken

    def _kept(self, saved: Saved) -> Saved:
        """Remember what has been committed, as the very values it was made of; what did not change stays the same object."""
        self._remember((saved.head.build.id, saved.head.number), saved.head.build)
        return saved

    def undo(self, build_id: str, seen: int, author: Author) -> Saved:
        """Take the last change back. Raises Conflict where the build has changed since ``seen``, InputError with nothing to undo."""
        return self._kept(self._step_back(build_id, seen, author, "undo"))

    def redo(self, build_id: str, seen: int, author: Author) -> Saved:
        """Bring the last undone change back."""
        return self._kept(self._step_back(build_id, seen, author, "redo"))

    def _step_back(self, build_id: str, seen: int, author: Author, kind: str) -> Saved:
        with self._db.writing() as session:
            head = self._head(session, build_id)
            revisions = _revisions(session, build_id)
            if head.number != seen:
                raise Conflict(head, [], tuple(_step(r) for r in revisions if r.number > seen))
            done, undone = _stacks(revisions)
            stack = done if kind == "undo" else undone
            if not stack:
                raise InputError(kind, f"there is nothing to {kind}")
            target = stack[-1]
            number = target.before if kind == "undo" else target.number
            if number is None:
                raise InputError(kind, f"there is nothing to {kind}")
            words = f"{'Undid' if kind == 'undo' else 'Redid'}: {target.words}"
            return Saved(self._save(session, head, self._document(session, build_id, number), kind, author, words))

    def _save(self, session: Session, head: Head, build: Build, kind: str, author: Author, words: str) -> Head:
        require_sound(build)
        if build.id != head.build.id:
            raise InputError("build", "a build keeps its id")
        stored = session.get_one(StoredBuild, build.id)
        number = head.number + 1
        stored.head, stored.name = number, build.name
        self._write(session, build, number, head.number, kind, author, words)
        return Head(build, number)

    def _write(self, session: Session, build: Build, number: int, before: int | None, kind: str, author: Author, words: str) -> None:
        session.add(
            Revision(
                build_id=build.id,
                number=number,
                before=before,
                kind=kind,
                user_id=author.user_id,
                person=author.name,
                at=datetime.now(UTC),
                words=words[:LONGEST_WORDS],
                document=zlib.compress(build_file.to_json(build), 6),
            )
        )

    def history(self, build_id: str, most: int = 200) -> tuple[Step, ...]:
        """A build's revisions, newest first."""
        with self._db.reading() as session:
            return tuple(_step(r) for r in reversed(_revisions(session, build_id, most)))

    def undo_state(self, build_id: str) -> UndoState:
        """What undo and redo would do now."""
        with self._db.reading() as session:
            done, undone = _stacks(_revisions(session, build_id))
        return UndoState(_step(done[-1]) if done else None, _step(undone[-1]) if undone else None)

    def here(self, build_id: str, user_id: int) -> tuple[str, ...]:
        """Note that somebody is looking at a build, and name all who are."""
        now = datetime.now(UTC)
        with self._db.writing() as session:
            session.merge(Presence(build_id=build_id, user_id=user_id, seen=now))
            rows = session.execute(
                select(User.name, Presence.seen).join(User, User.id == Presence.user_id).where(Presence.build_id == build_id)
            ).all()
        return tuple(sorted(name for name, seen in rows if now - seen <= HERE_FOR))


@dataclass(frozen=True, slots=True)
class _Row:
    number: int
    before: int | None
    kind: str
    person: str
    at: datetime
    words: str


def _revisions(session: Session, build_id: str, most: int | None = None) -> list[_Row]:
    """A build's newest revisions in order, without their documents."""
    columns = (Revision.number, Revision.before, Revision.kind, Revision.person, Revision.at, Revision.words)
    rows = session.execute(
        select(*columns).where(Revision.build_id == build_id).order_by(Revision.number.desc()).limit(most or LONGEST_UNDO)
    ).all()
    return [_Row(*row) for row in reversed(rows)]


def _stacks(revisions: list[_Row]) -> tuple[list[_Row], list[_Row]]:
    """Changes that can be undone and redone now, the next one last."""
    done: list[_Row] = []
    undone: list[_Row] = []
    for row in revisions:
        # A step whose counterpart lies further back than is looked has nothing to move.
        if row.kind == "undo":
            undone += [done.pop()] if done else []
        elif row.kind == "redo":
            done += [undone.pop()] if undone else []
        elif row.before is not None:
            done.append(row)
            undone.clear()
    return done, undone


def _added_on_top(build: Build, edit: Callable[[Build], Build]) -> Build | None:
    """An edit made on what somebody else saved meanwhile, where it takes nothing of theirs away.

    Two who each add something at once would else be told that they had changed one
    thing, only since both additions got the next free id.
    """
    try:
        made = edit(build)
    except InputError:
        return None
    return made if only_adds(build_file.to_plain(build), build_file.to_plain(made)) else None


def _step(row: _Row) -> Step:
    return Step(row.number, row.kind, row.person, row.at, row.words)
