"""What goes wrong with a disk or a database, in words that say what to do."""

from __future__ import annotations

import errno
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from alembic.util import CommandError
from sqlalchemy.exc import DBAPIError

from elmpeg.core.base.errors import InputError

FULL = (errno.ENOSPC, errno.EDQUOT)
FORBIDDEN = (errno.EACCES, errno.EPERM, errno.EROFS)
DAMAGED = "{path} is damaged; put it aside and bring a backup back with elmpeg restore"
_SAID = (
    ("disk is full", "the disk is full and nothing was saved; free some room, then press again"),
    ("readonly database", "{path} cannot be written; give this user the file and its folder, or name another folder in ELMPEG_DATA"),
    ("unable to open", "{path} cannot be opened; give this user the file and its folder, or name another folder in ELMPEG_DATA"),
    ("not a database", "{path} is not a database; put it aside and bring a backup back with elmpeg restore"),
    ("malformed", DAMAGED),
    ("is locked", "another program holds {path}; close that one, then press again"),
    ("can't locate revision", "{path} was made by a newer version of Elm Peg; start that version or a newer one"),
)


def in_words(trouble: Exception, path: Path) -> str | None:
    """What is the matter and what to do about it; None for what is no matter of the disk."""
    if isinstance(trouble, OSError):
        if trouble.errno in FULL:
            return "the disk is full and nothing was saved; free some room, then press again"
        if trouble.errno in FORBIDDEN:
            return f"{trouble.filename or path} cannot be written; give this user that folder, or name another in ELMPEG_DATA"
        return None
    told = str(trouble.orig if isinstance(trouble, DBAPIError) else trouble).lower()
    return next((words.format(path=path) for sign, words in _SAID if sign in told), None)


@contextmanager
def disk_troubles(path: Path, field: str = "disk") -> Iterator[None]:
    """Raise InputError in words for a disk that is full or closed, or a database that is not one; all else as it is."""
    try:
        yield
    except (OSError, DBAPIError, CommandError, sqlite3.Error) as trouble:
        said = in_words(trouble, path)
        if said is None:
            raise
        raise InputError(field, said) from trouble
