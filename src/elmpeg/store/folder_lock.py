"""One server to a data folder: a second one, or a fresh demo, would take the files from under the first."""

from __future__ import annotations

import fcntl
import os
from pathlib import Path
from typing import IO

from elmpeg.core.base.errors import InputError
from elmpeg.store.troubles import disk_troubles


class FolderLock:
    """Held for as long as the process lives, or until let go."""

    def __init__(self, folder: Path) -> None:
        """Take the folder. Raises InputError, saying who holds it, where another process has it."""
        with disk_troubles(folder, "data"):
            folder.mkdir(mode=0o700, parents=True, exist_ok=True)
            self._file: IO[str] = (folder / "lock").open("a+")
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self._file.seek(0)
            holder = self._file.read(20).strip()
            self._file.close()
            said = f"process {holder}" if holder.isdigit() else "another process"
            raise InputError(
                "data", f"{folder} is in use by {said}; stop that server first, or name another folder in ELMPEG_DATA"
            ) from None
        self._file.truncate(0)
        self._file.write(str(os.getpid()))
        self._file.flush()

    def let_go(self) -> None:
        """Give the folder free."""
        self._file.close()
