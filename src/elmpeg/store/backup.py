"""The whole shop in one file: the database as it is at one moment, the photographs and the mesh files, each with its checksum.

A backup is made while people work. It is trusted only when it has been opened again: every file as long and as it was, the
database sound in itself.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import shutil
import sqlite3
import tempfile
import zipfile
from contextlib import closing
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path

from sqlalchemy import create_engine
from sqlalchemy.orm import Session

from elmpeg import __version__
from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.store.troubles import disk_troubles
from elmpeg.store.whole_files import PIECE

DATABASE = "elmpeg.db"
FOLDERS = ("photos", "meshes")
MANIFEST = "MANIFEST.json"
FORMAT = "elm-peg backup"
KEPT_DAILY = 7
DAILY = "backups"
ASIDE = ".aside-"
"""Begins the name of what is being made and is not yet whole."""
_NAME = re.compile(r"(elmpeg\.db|(photos|meshes)/[\w.\-]{1,120})")
_DAILY_NAME = re.compile(r"elmpeg-(\d{4}-\d{2}-\d{2})\.zip")
_CHUNK = 1 << 20


@dataclass(frozen=True, slots=True)
class Backup:
    """What a backup holds, as it was found on opening it again."""

    path: Path
    files: int
    builds: int
    size_bytes: int
    made: str
    unreadable: tuple[str, ...] = ()
    """The builds in it whose newest document is not what was written; they are in it as they are."""


def back_up(data: Path, to: Path) -> Backup:
    """Write the whole shop in a data folder to one file, and open it again. The file is there whole or not at all.

    Raises InputError where there is no shop, or what was written does not open.
    """
    database = data / DATABASE
    if not database.is_file():
        raise InputError("data", f"{data} holds no shop; nothing was backed up")
    to.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    with tempfile.TemporaryDirectory(dir=to.parent, prefix=ASIDE) as aside:
        snapshot, whole = Path(aside) / DATABASE, Path(aside) / "whole.zip"
        with disk_troubles(database, "data"):
            write_snapshot(database, snapshot)
        # Pictures are kept before the database names them, so those that the snapshot names are all there by now.
        files = [(DATABASE, snapshot)]
        for folder in FOLDERS:
            files += [
                (f"{folder}/{p.name}", p)
                for p in sorted((data / folder).glob("*"))
                if p.is_file() and _NAME.fullmatch(f"{folder}/{p.name}")
            ]
        sums = {}
        with zipfile.ZipFile(whole, "w", zipfile.ZIP_DEFLATED) as out:
            for name, path in files:
                sums[name] = {"sha256": _sum(path), "bytes": path.stat().st_size}
                out.write(path, name)
            manifest = {"format": FORMAT, "version": __version__, "made": datetime.now().replace(microsecond=0).isoformat(), "files": sums}
            out.writestr(MANIFEST, json.dumps(manifest, indent=1))
        opened(whole)
        whole.chmod(0o600)
        with whole.open("rb") as written:
            os.fsync(written.fileno())
        _put_where_nothing_is(whole, to)
    return opened(to)


def require_elsewhere(data: Path, to: Path) -> None:
    """Raise InputError for a file that is there already, or one among a shop's own."""
    if to.exists() or to.is_symlink():
        raise InputError("file", f"{to} is there already and stays as it is; name another file")
    if to.resolve().is_relative_to(data.resolve()):
        raise InputError("file", f"{to} lies in the shop's own folder, where the next loss would take both; name a file outside {data}")


def _put_where_nothing_is(file: Path, to: Path) -> None:
    """Move a file to a name that nothing has, also not since it was looked."""
    try:
        os.link(file, to)
    except FileExistsError:
        raise InputError("file", f"{to} is there already and stays as it is; name another file") from None
    except OSError:
        # A disk that knows no second names, as a stick may be.
        if to.exists():
            raise
        os.replace(file, to)


def sweep(data: Path) -> None:
    """Take away what killed backups, restores and uploads left behind; for whoever holds the folder's lock."""
    for folder in (data, data / DAILY):
        for left in folder.glob(f"{ASIDE}*"):
            shutil.rmtree(left, ignore_errors=True)
    for part in (data / DAILY).glob("*.part"):
        part.unlink(missing_ok=True)
    for name in FOLDERS:
        for left in (data / name).glob(f"{PIECE}*"):
            left.unlink(missing_ok=True)


def opened(path: Path) -> Backup:
    """Open a backup and look through all of it. Raises InputError for anything that is not as its list says."""
    with tempfile.TemporaryDirectory() as aside:
        return unpacked(path, Path(aside))


def daily(data: Path, today: str | None = None) -> Backup | None:
    """Today's backup in the folder of a shop, where there is none yet; of the daily ones the newest seven are kept."""
    folder = data / DAILY
    to = folder / f"elmpeg-{today or datetime.now().date().isoformat()}.zip"
    if to.exists() or not (data / DATABASE).is_file():
        return None
    made = back_up(data, to)
    if made.unreadable:
        # Older ones may hold whole what this one does not.
        return made
    # Those of days ahead were made before the clock was set back; they count for nothing here, else today's would go for them.
    for old in [p for p in kept(data) if p.name <= to.name][KEPT_DAILY:]:
        old.unlink(missing_ok=True)
    return made


def kept(data: Path) -> list[Path]:
    """The daily backups, the newest first."""
    return sorted((p for p in (data / DAILY).glob("*.zip") if _DAILY_NAME.fullmatch(p.name)), reverse=True)


def write_snapshot(database: Path, to: Path) -> None:
    """The database as it is at one moment, others writing on."""
    with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as live, closing(sqlite3.connect(to)) as copy:
        live.backup(copy)
        copy.execute("PRAGMA journal_mode=DELETE")


def unpacked(path: Path, to: Path) -> Backup:
    """Unpack a backup into a folder and look through all of it. Raises InputError for anything that is not as its list says."""
    try:
        with zipfile.ZipFile(path) as packed:
            manifest = json.loads(packed.read(MANIFEST))
            if manifest.get("format") != FORMAT:
                raise InputError("file", "is not a backup of this application")
            sums = manifest["files"]
            if {*sums, MANIFEST} != set(packed.namelist()) or not all(_NAME.fullmatch(name) for name in sums) or DATABASE not in sums:
                raise InputError("file", "does not hold what its list says")
            for name, told in sums.items():
                target = to / name
                target.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
                target.touch(mode=0o600)
                with packed.open(name) as source, target.open("wb") as out:
                    while chunk := source.read(_CHUNK):
                        out.write(chunk)
                if _sum(target) != told["sha256"]:
                    raise InputError("file", f"is damaged: {name} is not as it was")
    except (OSError, zipfile.BadZipFile, ValueError, KeyError, TypeError, AttributeError) as refused:
        if isinstance(refused, InputError):
            raise
        raise InputError("file", f"cannot be read as a backup: {path}") from None
    builds, unreadable = _builds(to / DATABASE)
    return Backup(path, len(sums), builds, path.stat().st_size, str(manifest.get("made", "")), unreadable)


def _builds(database: Path) -> tuple[int, tuple[str, ...]]:
    """How many builds a database holds, and the names of those that cannot be opened as they stand."""
    try:
        with closing(sqlite3.connect(database)) as copy:
            if copy.execute("PRAGMA integrity_check").fetchone() != ("ok",):
                raise InputError("file", "holds a database that is damaged")
            heads = copy.execute("SELECT id, name, head FROM build").fetchall()
            columns = {row[1] for row in copy.execute("PRAGMA table_info(revision)")}
        if not {"since", "version"} <= columns:
            # Of a version that kept them otherwise; they are opened once it has been brought up to this one.
            return len(heads), ()
        return len(heads), _unreadable(database, heads)
    except sqlite3.Error:
        raise InputError("file", "holds no database of this application") from None


def _unreadable(database: Path, heads: list[tuple[str, str, int]]) -> tuple[str, ...]:
    from elmpeg.store.revisions import DamagedError, built

    found = []
    engine = create_engine(f"sqlite:///{database}")
    try:
        with Session(engine) as session:
            for build_id, name, head in heads:
                try:
                    built(session, build_id, head)
                except (DamagedError, MissingError):
                    found.append(f"{name} (revision {head})")
    finally:
        engine.dispose()
    return tuple(found)


def _sum(path: Path) -> str:
    found = hashlib.sha256()
    with path.open("rb") as source:
        while chunk := source.read(_CHUNK):
            found.update(chunk)
    return found.hexdigest()
