"""Pictures unpacked in a process of their own: a small file may hold a picture that takes all the memory there is.

One picture at a time, in the order in which they came, with a bound on its memory; what goes beyond it is refused in words, and
the server stands.
"""

from __future__ import annotations

import json
import resource
import struct
import subprocess
import sys
import threading
from types import TracebackType
from typing import IO

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.turns import Turn
from elmpeg.formats import photographs
from elmpeg.formats.photographs import Picture
from elmpeg.formats.stopping import STOPPED, FilesUnderWay

MEMORY_BYTES = 400_000_000
LONGEST_S = 60.0
_ONE_AT_A_TIME = Turn()
"""A picture's turn, not that of all that come together: another's small one waits for one of them at most."""
_LENGTH = struct.Struct(">Q")
TOO_MUCH = "takes more memory than there is for one picture; make it smaller"


class PictureProcess:
    """The process, for as many pictures as are brought in together; whoever has the ``under_way`` can stop it."""

    def __init__(self, under_way: FilesUnderWay | None = None) -> None:
        self._under_way = under_way or FilesUnderWay()

    def __enter__(self) -> PictureProcess:
        self._start()
        return self

    def __exit__(self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None) -> None:
        self._stop()

    def cleaned(self, data: bytes, field: str = "photo") -> Picture:
        """As ``photographs.cleaned``."""
        return self._asked({"do": "cleaned", "field": field}, data)

    def kept_before(self, photo_id: str, data: bytes, field: str = "file") -> Picture:
        """As ``photographs.kept_before``."""
        return self._asked({"do": "kept_before", "photo_id": photo_id, "field": field}, data)

    def _start(self) -> None:
        asked = [sys.executable, "-m", "elmpeg.formats.picture_process"]
        self._process = subprocess.Popen(asked, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)

    def _stop(self) -> None:
        self._process.kill()
        self._process.communicate()

    def _asked(self, job: dict[str, str], data: bytes) -> Picture:
        photographs.require_size(
            data, job["field"], photographs.LARGEST_KEPT_BYTES if job["do"] == "kept_before" else photographs.LARGEST_BYTES
        )
        with _ONE_AT_A_TIME, self._under_way.by(self._process):
            return self._answered(job, data)

    def _answered(self, job: dict[str, str], data: bytes) -> Picture:
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        watch = threading.Timer(LONGEST_S, self._process.kill)
        watch.start()
        try:
            _send(self._process.stdin, json.dumps(job).encode(), data)
            told = json.loads(_received(self._process.stdout))
            if "message" in told:
                raise InputError(told["field"], told["message"])
            kept, thumb = _received(self._process.stdout), _received(self._process.stdout)
        except (EOFError, OSError):
            # It was ended from outside, for memory, for time or by somebody; the next picture gets a fresh one.
            stopped = self._under_way.was_stopped(self._process)
            self._stop()
            self._start()
            raise InputError(job["field"], STOPPED if stopped else TOO_MUCH) from None
        finally:
            watch.cancel()
        return Picture(told["id"], kept, thumb, told["width_px"], told["height_px"])


def cleaned(data: bytes, field: str = "photo", under_way: FilesUnderWay | None = None) -> Picture:
    """One photograph cleaned, in a process of its own. Raises InputError as ``photographs.cleaned`` does."""
    with PictureProcess(under_way) as process:
        return process.cleaned(data, field)


def _send(to: IO[bytes], *parts: bytes) -> None:
    for part in parts:
        to.write(_LENGTH.pack(len(part)))
        to.write(part)
    to.flush()


def _received(source: IO[bytes]) -> bytes:
    """The next part. Raises EOFError where there is none, or not all of it."""
    head = source.read(_LENGTH.size)
    if len(head) < _LENGTH.size:
        raise EOFError
    (length,) = _LENGTH.unpack(head)
    part = source.read(length)
    if len(part) < length:
        raise EOFError
    return part


def _answer(job: dict[str, str], data: bytes) -> Picture:
    if job["do"] == "cleaned":
        return photographs.cleaned(data, job["field"])
    return photographs.kept_before(job["photo_id"], data, job["field"])


def main() -> int:
    """Answer one picture after the other until nothing more is asked."""
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY_BYTES, MEMORY_BYTES))
    while True:
        try:
            job, data = json.loads(_received(sys.stdin.buffer)), _received(sys.stdin.buffer)
        except EOFError:
            return 0
        try:
            made = _answer(job, data)
        except InputError as refused:
            _send(sys.stdout.buffer, json.dumps({"field": refused.errors[0].field, "message": refused.message}).encode())
        except MemoryError:
            _send(sys.stdout.buffer, json.dumps({"field": job["field"], "message": TOO_MUCH}).encode())
        else:
            told = {"id": made.id, "width_px": made.width_px, "height_px": made.height_px}
            _send(sys.stdout.buffer, json.dumps(told).encode(), made.data, made.thumb)


if __name__ == "__main__":
    sys.exit(main())
