"""Files that are there whole or not at all."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from elmpeg.store.troubles import disk_troubles

PIECE = ".piece-"
"""Begins the name of a file that is not yet whole; one that is left was cut off."""


def put_down(path: Path, data: bytes) -> None:
    """Write a file aside and move it into place, so that nobody ever reads half of it; one that is there already stays.

    Raises InputError in words where the disk is full or closed; nothing is left behind then.
    """
    with disk_troubles(path):
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        if path.exists():
            return
        with tempfile.NamedTemporaryFile(dir=path.parent, prefix=PIECE, delete=False) as out:
            try:
                out.write(data)
                out.flush()
            except OSError:
                os.unlink(out.name)
                raise
        os.replace(out.name, path)
