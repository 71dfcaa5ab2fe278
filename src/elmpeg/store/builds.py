"""Builds and their revisions: every saved change is kept with who, when and what in words."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, replace
from datetime import UTC, datetime, timedelta
from threading import Lock
from typing import Literal, cast, get_args

from sqlalchemy import ColumnElement, Table, bindparam, func, insert, select, update
from sqlalchemy.orm import Session

from elmpeg.core.advice.agreeing import unnamed
from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.naming import new_id
from elmpeg.core.base.turns import Turns
from elmpeg.core.build.document import Build
from elmpeg.core.build.roles import ROLES
from elmpeg.core.integrity.permitted import Doer, refusals
from elmpeg.core.integrity.sound import require_sound
from elmpeg.core.stages.mount.stack_edits import with_reserved, without_reservations
from elmpeg.store.database import Database
from elmpeg.store.merge import Clash
from elmpeg.store.revisions import (
    Author,
    DamagedError,
    Step,
    built,
    next_step,
    readable,
    revision_of,
    revisions,
    step_of,
    whole,
    written,
)
from elmpeg.store.stock import UseState, keep_reserved, mark, use_of
from elmpeg.store.tables import Revision, StockUse, StoredBuild, TakenReading
from elmpeg.store.together import together

CACHED_BUILDS = 128
MOST_HISTORY = 200


Where = Literal["in work", "archived", "removed"]
PLACES: tuple[Where, ...] = get_args(Where)
KEPT_REMOVED = timedelta(days=30)
"""How long a removed build can be brought back."""


@dataclass(frozen=True, slots=True)
class Head:
    """A build at a revision."""

    build: Build
    number: int
    where: Where = "in work"


@dataclass(frozen=True, slots=True)
class Saved:
    """A saved change; ``brought_in`` says in words what others had changed meanwhile and was kept."""

    head: Head
    brought_in: tuple[str, ...] = ()
    changed: bool = True
    """Whether there was anything to save: an edit may leave all as it was."""


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


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a build stands in the shop, and since when it is not in work."""

    where: Where
    since: datetime | None

    @property
    def forgotten_on(self) -> datetime | None:
        """When a removed build is deleted for good."""
        return self.since + KEPT_REMOVED if self.where == "removed" and self.since else None


class Conflict(Exception):
    """Two people changed the same thing. Nothing was saved."""

    def __init__(self, head: Head, clashes: list[Clash], steps: tuple[Step, ...]) -> None:
        self.head, self.clashes, self.steps = head, clashes, steps
        super().__init__(f"{len(clashes)} things were changed by somebody else meanwhile")

    @property
    def takes_out(self) -> bool:
        """Whether what this person changed is not there any more, so that nothing can be done on top of it."""
        return any(isinstance(clash.before, dict) and clash.theirs is None for clash in self.clashes)


# As in revisions: put together once.
_HEAD = select(StoredBuild.head, StoredBuild.archived, StoredBuild.removed).where(StoredBuild.id == bindparam("of"))
_BUILDS, _REVISIONS = (cast(Table, kept.__table__) for kept in (StoredBuild, Revision))
_HEAD_MOVES = update(_BUILDS).where(_BUILDS.c.id == bindparam("of")).values(head=bindparam("head"), name=bindparam("name"))
_REVISION_IN = insert(_REVISIONS)


def stands_there(where: Where) -> tuple[ColumnElement[bool], ...]:
    """What is true of the row of a build that stands there."""
    gone, away = StoredBuild.removed, StoredBuild.archived
    return {
        "in work": (gone.is_(None), away.is_(None)),
        "archived": (gone.is_(None), away.is_not(None)),
        "removed": (gone.is_not(None),),
    }[where]


def _row_of(session: Session, build_id: str) -> StoredBuild:
    row = session.get(StoredBuild, build_id)
    if row is None:
        raise MissingError(f"there is no build “{build_id}”")
    return row


def _still_stands(session: Session, head: Head) -> bool:
    """Whether a build in work is what it was when it was read: nobody saved, archived or removed it meanwhile."""
    row = session.execute(_HEAD, {"of": head.build.id}).first()
    return row is not None and row.head == head.number and row.archived is None and row.removed is None


class Builds:
    """The shop's builds in the store."""

    def __init__(self, database: Database) -> None:
        self._db = database
        self._cache: OrderedDict[tuple[str, int], Build] = OrderedDict()
        self.damaged: set[tuple[str, int]] = set()
        """Revisions that were asked for and could not be read."""
        self._undo: dict[str, tuple[int, UndoState]] = {}
        self._lock = Lock()
        self._turns = Turns()

    def ids(self, where: Where = "in work") -> tuple[str, ...]:
        """The shop's builds that are in work, put away in the archive, or removed and still kept; oldest first."""
        with self._db.reading() as session:
            return tuple(session.scalars(select(StoredBuild.id).where(*stands_there(where)).order_by(StoredBuild.created, StoredBuild.id)))

    def counts(self) -> dict[Where, int]:
        """How many builds stand where."""
        with self._db.reading() as session:
            return {w: session.scalar(select(func.count()).select_from(StoredBuild).where(*stands_there(w))) or 0 for w in PLACES}

    def named(self, name: str) -> tuple[str, ...]:
        """The builds in work of a name."""
        with self._db.reading() as session:
            return tuple(session.scalars(select(StoredBuild.id).where(*stands_there("in work"), StoredBuild.name == name)))

    def standing(self, build_id: str) -> Standing:
        """Whether a build is in work, archived or removed, and since when. Raises MissingError."""
        with self._db.reading() as session:
            row = _row_of(session, build_id)
            return Standing("removed" if row.removed else "archived" if row.archived else "in work", row.removed or row.archived)

    def put(self, build_id: str, where: Where, author: Author) -> None:
        """Archive a build, remove it, or bring it back into work; what a removed one had reserved lies on the shelf again.

        Raises MissingError.
        """
        now, saved = datetime.now(UTC), None
        with self._db.writing() as session:
            row = _row_of(session, build_id)
            if where == "removed":
                # One that cannot be read is put away as it is.
                with suppress(DamagedError):
                    head = replace(self._head(session, build_id), where="in work")
                    free = without_reservations(head.build)
                    if free != head.build:
                        words = "Gave back what was reserved, since the build was removed"
                        saved = Saved(self._save(session, head, free, "change", author, words))
            row.archived = now if where == "archived" else None if where == "in work" else row.archived
            row.removed = now if where == "removed" else None
        if saved:
            self._kept(saved)

    def forget_removed(self, before: datetime) -> int:
        """Delete for good what was removed before a time; how many builds that were. What they reserved is free again."""
        with self._db.writing() as session:
            rows = session.scalars(select(StoredBuild).where(StoredBuild.removed < before)).all()
            gone = {row.id for row in rows}
            for row in rows:
                session.delete(row)
        with self._lock:
            for key in [k for k in self._cache if k[0] in gone]:
                self._cache.pop(key)
            for build_id in gone:
                self._undo.pop(build_id, None)
            self.damaged -= {key for key in self.damaged if key[0] in gone}
        return len(gone)

    def head(self, build_id: str) -> Head:
        """A build as it stands; raises MissingError."""
        with self._db.reading() as session:
            return self._head(session, build_id)

    def _head(self, session: Session, build_id: str) -> Head:
        row = session.execute(_HEAD, {"of": build_id}).first()
        if row is None:
            raise MissingError(f"there is no build “{build_id}”")
        where: Where = "removed" if row.removed else "archived" if row.archived else "in work"
        return Head(self._document(session, build_id, row.head), row.head, where)

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
        try:
            build = built(session, build_id, number)
        except DamagedError:
            self.damaged.add(key)
            raise
        self._remember(key, build)
        return build

    def _remember(self, key: tuple[str, int], build: Build) -> None:
        with self._lock:
            self._cache[key] = build
            while len(self._cache) > CACHED_BUILDS:
                self._cache.popitem(last=False)

    def add(self, build: Build, author: Author, words: str, reserves: bool = False) -> Head:
        """Keep a new build; its id is changed where another build has it. It holds nothing of the shelf, unless it ``reserves``."""
        require_sound(build)
        build = build if reserves else without_reservations(build)
        with self._db.writing() as session:
            taken = set(session.scalars(select(StoredBuild.id)))
            if build.id in taken or not build.id:
                build = replace(build, id=new_id(build.id or build.name, taken))
            session.add(StoredBuild(id=build.id, name=build.name, head=1, created=datetime.now(UTC)))
            session.flush()
            build = keep_reserved(session, None, build, author.name, may_give_up=True)
            session.execute(_REVISION_IN, {**revision_of(build, 1, "change", author, words), **whole(build)})
        return Head(build, 1)

    def change(self, build_id: str, seen: int, author: Author, words: str, edit: Callable[[Build], Build]) -> Saved:
        """Save an edit of the build as the person saw it at revision ``seen``.

        What others saved since is kept as well. Raises Conflict, with nothing
        saved, where both changed the same thing; InputError where the edit or the
        two together make no sense.
        """
        # One person of a build after the other works out and checks; the writer's place is taken for the write alone.
        with self._turns.of(build_id):
            while True:
                saved = self._change(build_id, seen, author, words, edit)
                if saved is not None:
                    return self._kept(saved)

    def _change(self, build_id: str, seen: int, author: Author, words: str, edit: Callable[[Build], Build]) -> Saved | None:
        """None where somebody else's save came between working it out and writing it down."""
        with self._db.reading() as session:
            head = self._head(session, build_id)
            base = head.build if seen == head.number else self._document(session, build_id, seen)
            steps = tuple(step_of(r) for r in revisions(session, build_id, head.number - seen) if r.number > seen)
        mine = edit(base)
        if mine == base:
            return Saved(head, changed=False)
        kept = mine
        if seen != head.number:
            both = together(base, mine, head.build, edit)
            if both.build is None:
                raise Conflict(head, list(both.clashes), steps)
            kept = both.build
        _require_savable(head, kept, author, "change")
        with self._db.writing() as session:
            if not _still_stands(session, head):
                return None
            others = tuple(dict.fromkeys(f"{s.person}: {s.words}" for s in steps))
            return Saved(self._write(session, head, kept, "change", author, words), others)

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

    def mark_held(self, build_id: str, use_id: int, state: UseState, author: Author) -> None:
        """Note that pieces which a build holds are used, or came back; what a stack had reserved it has no longer.

        Raises InputError where that cannot be, MissingError for what is not held.
        """
        saved: Saved | None = None
        with self._db.writing() as session:
            use = use_of(session, build_id, use_id)
            place = (use.option, use.mount, use.stock_id)
            speaks = use.state == "reserved" and bool(use.option)
            if speaks and state == "used":
                made = {"build_id": build_id, "option": use.option, "mount": use.mount, "stock_id": use.stock_id, "count": use.count}
                used = StockUse(**made, state="reserved", person=author.name, at=datetime.now(UTC))
                session.add(used)
                mark(session, used, state, author.name)
            elif not speaks:
                mark(session, use, state, author.name)
            if speaks:
                head = self._head(session, build_id)
                words = f"{'Used' if state == 'used' else 'Gave back'} what was reserved at {head.build.mount(place[1]).name}"
                build = with_reserved(head.build, *place, reserved=False)
                saved = Saved(self._save(session, head, build, "change", author, words))
        if saved:
            self._kept(saved)

    def undo(self, build_id: str, seen: int, author: Author) -> Saved:
        """Take the last change back. Raises Conflict where the build has changed since ``seen``, InputError with nothing to undo."""
        return self._kept(self._step_back(build_id, seen, author, "undo"))

    def redo(self, build_id: str, seen: int, author: Author) -> Saved:
        """Bring the last undone change back."""
        return self._kept(self._step_back(build_id, seen, author, "redo"))

    def _step_back(self, build_id: str, seen: int, author: Author, kind: Literal["undo", "redo"]) -> Saved:
        # As with a change: worked out and checked in turn with others of this build, and the writer's place taken for the write alone.
        with self._turns.of(build_id):
            while True:
                with self._db.reading() as session:
                    head = self._head(session, build_id)
                    if head.number != seen:
                        steps = revisions(session, build_id, max(0, head.number - seen))
                        raise Conflict(head, [], tuple(step_of(r) for r in steps))
                    step = next_step(session, build_id, head.number, kind)
                    if step is None:
                        raise InputError(kind, f"there is nothing to {kind}")
                    document = self._document(session, build_id, step.leads_to)
                words = f"{'Undid' if kind == 'undo' else 'Redid'}: {step.words}"
                _require_savable(head, document, author, kind)
                with self._db.writing() as session:
                    if _still_stands(session, head):
                        return Saved(self._write(session, head, document, kind, author, words, (step.undo, step.redo)))

    def _save(self, session: Session, head: Head, build: Build, kind: str, author: Author, words: str) -> Head:
        _require_savable(head, build, author, kind)
        return self._write(session, head, build, kind, author, words)

    def _write(
        self, session: Session, head: Head, build: Build, kind: str, author: Author, words: str, links: tuple[int, int] | None = None
    ) -> Head:
        number = head.number + 1
        build = keep_reserved(session, head.build, build, author.name, may_give_up=kind != "change")
        undo, redo = links or (number, 0)
        made = revision_of(build, number, kind, author, words) | {"before": head.number, "undo": undo, "redo": redo}
        session.execute(_HEAD_MOVES, {"of": build.id, "head": number, "name": build.name})
        session.execute(_REVISION_IN, {**made, **written(session, head.build, head.number, build)})
        return Head(build, number)

    def go_back_to_readable(self, build_id: str, author: Author) -> Saved:
        """Make the newest revision that can be read the build's newest, where the newest cannot.

        Raises InputError where the newest can be read, or none can; MissingError.
        """
        with self._db.writing() as session:
            row = _row_of(session, build_id)
            number = readable(session, build_id, row.head)
            if number is None:
                raise InputError("build", f"no revision of “{row.name}” can be read; bring it in again from a file or a backup")
            if number == row.head:
                raise InputError("build", f"“{row.name}” can be read; nothing was done")
            build = self._document(session, build_id, number)
            words = f"Went back to revision {number}: what was saved after it cannot be read any more"
            made = revision_of(build, row.head + 1, "change", author, words) | {"before": number, "undo": 0, "redo": 0}
            session.execute(_HEAD_MOVES, {"of": build_id, "head": row.head + 1, "name": build.name})
            session.execute(_REVISION_IN, {**made, **whole(build)})
            return self._kept(Saved(Head(build, row.head + 1)))

    def history(self, build_id: str, most: int = MOST_HISTORY, before: int = 0) -> tuple[Step, ...]:
        """A build's revisions, newest first; with ``before`` those older than that one."""
        with self._db.reading() as session:
            return tuple(step_of(r) for r in reversed(revisions(session, build_id, most, before)))

    def undo_state(self, build_id: str) -> UndoState:
        """What undo and redo would do now."""
        with self._db.reading() as session:
            head = session.scalar(_HEAD, {"of": build_id})
            if head is None:
                return UndoState(None, None)
            known = self._undo.get(build_id)
            if known is not None and known[0] == head:
                return known[1]
            undo, redo = (next_step(session, build_id, head, kind) for kind in ("undo", "redo"))
        found = UndoState(undo.made if undo else None, redo.made if redo else None)
        # What a revision links to never changes.
        self._undo[build_id] = (head, found)
        return found


def _require_savable(head: Head, build: Build, author: Author, kind: str) -> None:
    if head.where != "in work":
        raise InputError("build", f"{head.build.name} is {head.where}; bring it back into work to change it")
    require_sound(build)
    if build.id != head.build.id:
        raise InputError("build", "a build keeps its id")
    if author.role is not None:
        doer = Doer(author.name, ROLES[author.role].leads, author.alone)
        refused = refusals(head.build, build, doer, restores=kind != "change")
        if not refused and kind == "change":
            refused = unnamed(head.build, build)
        if refused:
            raise InputError(refused[0].field, refused[0].message, *refused[1:])
