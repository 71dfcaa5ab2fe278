"""Opening the database: SQLite with a write-ahead log, foreign keys on, and patience for other writers."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import datetime
from functools import cache
from pathlib import Path
from threading import local
from typing import Any

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, create_engine, event
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.turns import Turn
from elmpeg.store.backup import DAILY, FOLDERS, write_snapshot
from elmpeg.store.troubles import DAMAGED, disk_troubles

BUSY_MS = 30_000
"""How long a writer waits for one of another program before it gives up; writers of this one queue for as long as it takes."""
KEPT_CONNECTIONS = 50
OWNER_ONLY = 0o600


class Database:
    """One SQLite file, brought up to the newest schema when opened.

    What the disk refuses, there and at every save, is an InputError in words.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        self._writer = Turn()
        self._own = local()
        with disk_troubles(path, "data"):
            _require_no_stray_log(path)
            _require_not_emptied(path)
            path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
            # Made before the engine makes it: what lies beside it while it is open gets the same mode.
            path.touch(mode=OWNER_ONLY)
            path.chmod(OWNER_ONLY)
            self._engine = _engine(path)
            _require_whole(self._engine, path)
            self._writing = self._engine.execution_options(writes=True)
            stands_at = _revision(self._engine)
            if stands_at != _newest():
                if stands_at is not None:
                    _keep_before_upgrade(path, stands_at)
                migrate(self._engine)

    @contextmanager
    def reading(self) -> Iterator[Session]:
        """A session that sees one moment and changes nothing; within ``writing``, what that has changed so far."""
        joined = self._joined()
        if joined is not None:
            yield joined
            return
        with Session(self._engine, expire_on_commit=False) as session:
            yield session

    @contextmanager
    def writing(self) -> Iterator[Session]:
        """A session that holds the only writer's place from its first statement, and commits at the end or not at all.

        Whoever comes meanwhile waits for their turn. Within another of the same thread it is part of that one.
        """
        joined = self._joined()
        if joined is not None:
            yield joined
            joined.flush()
            return
        writing = Session(self._writing, expire_on_commit=False)
        with disk_troubles(self.path), self._writer, writing as session, session.begin():
            self._own.session = session
            try:
                yield session
            finally:
                self._own.session = None

    def _joined(self) -> Session | None:
        return getattr(self._own, "session", None)

    def close(self) -> None:
        """Let go of the file, with everything in it: what the write-ahead log still holds is brought in first."""
        try:
            with self._engine.connect() as connection:
                connection.exec_driver_sql("COMMIT")
                connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
        except DBAPIError:
            # Somebody else still has the file open; nothing is lost, the log stays beside it.
            pass
        self._engine.dispose()


def _engine(path: Path) -> Engine:
    asked = {"timeout": BUSY_MS / 1000, "check_same_thread": False}
    engine = create_engine(f"sqlite:///{path}", connect_args=asked, pool_size=KEPT_CONNECTIONS, max_overflow=-1)

    @event.listens_for(engine, "connect")
    def prepare(connection: Any, _record: object) -> None:
        # The driver's own transaction handling begins too late to take the writer's place; it is switched off.
        connection.isolation_level = None
        for pragma in ("journal_mode=WAL", "foreign_keys=ON", f"busy_timeout={BUSY_MS}", "synchronous=FULL"):
            connection.execute(f"PRAGMA {pragma}")

    @event.listens_for(engine, "begin")
    def begin(connection: Connection) -> None:
        writes = connection.get_execution_options().get("writes", False)
        connection.exec_driver_sql("BEGIN IMMEDIATE" if writes else "BEGIN")

    return engine


def _require_no_stray_log(path: Path) -> None:
    """Raise InputError where a database's log lies there without its database: it would be read into the new one."""
    log = path.with_name(f"{path.name}-wal")
    if log.exists() and log.stat().st_size and not (path.exists() and path.stat().st_size):
        raise InputError(
            "data", f"{log} lies there without its database; put {path.name} back beside it, or move the log away before a new shop begins"
        )


def _require_not_emptied(path: Path) -> None:
    """Raise InputError for a file with nothing in it beside what belongs to a shop: it was one, and a new one would begin in its place."""
    beside = [folder for folder in (*FOLDERS, DAILY) if any((path.parent / folder).glob("*"))]
    if beside and path.exists() and not path.stat().st_size:
        raise InputError(
            "data",
            f"{path} is empty, though {' and '.join(beside)} of a shop lie beside it; bring a backup back with elmpeg restore, or move all of it "
            "away before a new shop begins",
        )


def _require_whole(engine: Engine, path: Path) -> None:
    """Raise InputError for a database that was written in part: it would open, and fail at the first page that is not there."""
    with engine.connect() as connection:
        if connection.exec_driver_sql("PRAGMA quick_check(1)").scalar() != "ok":
            raise InputError("data", DAMAGED.format(path=path))


def _revision(engine: Engine) -> str | None:
    """The schema that a database has, None for an empty one."""
    with engine.connect() as connection:
        found = MigrationContext.configure(connection).get_current_revision()
        connection.rollback()
        return found


def _keep_before_upgrade(path: Path, stands_at: str) -> None:
    """Keep a copy of a database that a newer version is about to change, beside the backups."""
    folder = path.parent / DAILY
    folder.mkdir(mode=0o700, exist_ok=True)
    copy = folder / f"{path.stem}-before-upgrade-from-{stands_at}-{datetime.now():%Y-%m-%dT%H-%M-%S}.db"
    whole = copy.with_suffix(".part")
    whole.touch(mode=OWNER_ONLY)
    write_snapshot(path, whole)
    os.replace(whole, copy)


def migrate(engine: Engine, revision: str = "head") -> None:
    """Bring the schema to a revision, each step in one transaction."""
    with engine.begin() as connection:
        if revision == "head" and MigrationContext.configure(connection).get_current_revision() == _newest():
            return
        config = _config()
        config.attributes["connection"] = connection
        command.upgrade(config, revision)


def _config() -> Config:
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).with_name("migrations")))
    return config


@cache
def _newest() -> str | None:
    """The revision that this version brings a database to."""
    return ScriptDirectory.from_config(_config()).get_current_head()
