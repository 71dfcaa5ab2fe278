"""A backup put back: the shop that was there is moved aside whole, the other takes its place, and neither is ever mixed with the other.

Everything is unpacked and looked through first. Then a note beside the shop says how far the exchange has come, so that one that was
cut off, at whichever step, is finished by whoever opens the folder next: first all of the old goes aside, then all of the new
comes in, the database last.
"""

from __future__ import annotations

import json
import os
import shutil
import tempfile
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from elmpeg.core.base.errors import InputError
from elmpeg.store.backup import ASIDE, DATABASE, FOLDERS, Backup, unpacked

NOTE = "restoring.json"
LOGS = (f"{DATABASE}-wal", f"{DATABASE}-shm", f"{DATABASE}-journal")
"""What the database writes beside itself; a left one would be read into another database."""
OLD_AS = "before-restore-"


@dataclass(frozen=True, slots=True)
class Restored:
    """What was put back, and where the shop lies that was there before; None where there was none."""

    backup: Backup
    old: Path | None


def restore(path: Path, data: Path) -> Restored:
    """Put the shop of a backup into a data folder that nobody has open. Raises InputError where the backup is not whole; nothing is
    changed then."""
    data.mkdir(mode=0o700, parents=True, exist_ok=True)
    finish(data)
    new = Path(tempfile.mkdtemp(dir=data, prefix=ASIDE))
    try:
        told = unpacked(path, new)
    except InputError:
        shutil.rmtree(new, ignore_errors=True)
        raise
    old = _free(data / f"{OLD_AS}{datetime.now():%Y-%m-%dT%H-%M-%S}")
    there = any((data / name).exists() for name in (DATABASE, *LOGS, *FOLDERS))
    for file in new.rglob("*"):
        if file.is_file():
            _on_disk(file)
    _note(data, {"new": new.name, "old": old.name, "step": "old goes aside"})
    finish(data)
    return Restored(told, old if there else None)


def under_way(data: Path) -> bool:
    """Whether a restore was cut off in a data folder."""
    return (data / NOTE).exists()


def finish(data: Path) -> bool:
    """Finish a restore that was cut off; whether there was one. To be called by whoever holds the folder's lock."""
    if not under_way(data):
        return False
    said = json.loads((data / NOTE).read_text("utf-8"))
    new, old = data / said["new"], data / said["old"]
    if said["step"] == "old goes aside":
        # Nothing of the new is in its place yet: whatever stands there is of the old, its logs with it.
        for name in (DATABASE, *LOGS, *FOLDERS):
            if (data / name).exists():
                old.mkdir(mode=0o700, exist_ok=True)
                os.replace(data / name, old / name)
        _note(data, {**said, "step": "new comes in"})
    # Nothing of the old is there any more: what has come in already is no longer among the new.
    for name in (*FOLDERS, DATABASE):
        if (new / name).exists():
            os.replace(new / name, data / name)
    _on_disk(data)
    (data / NOTE).unlink()
    shutil.rmtree(new, ignore_errors=True)
    return True


def require_whole(data: Path) -> None:
    """Raise InputError where a restore was cut off and has not been finished."""
    if under_way(data):
        raise InputError("data", f"in {data} a restore was cut off; start the server, or restore again, and it is finished")


def _note(data: Path, said: dict[str, str]) -> None:
    aside = data / f"{NOTE}.new"
    aside.write_text(json.dumps(said), "utf-8")
    _on_disk(aside)
    os.replace(aside, data / NOTE)
    _on_disk(data)


def _free(path: Path) -> Path:
    """A name that nothing has yet."""
    return next(p for p in (path, *(path.with_name(f"{path.name}-{k}") for k in range(2, 1000))) if not p.exists())


def _on_disk(path: Path) -> None:
    opened = os.open(path, os.O_RDONLY)
    try:
        os.fsync(opened)
    finally:
        os.close(opened)
