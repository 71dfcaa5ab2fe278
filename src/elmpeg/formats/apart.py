"""Drawings of other programs read in a process of their own (``python -m elmpeg.formats.apart``), which is given only so much memory
and time: a few bytes may ask a reader for all that there is. What goes beyond is refused in words, and the server stands.
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import threading
from collections.abc import Callable
from importlib import import_module
from typing import Any, Literal

from pydantic import TypeAdapter, ValidationError

from elmpeg.core.base.errors import InputError
from elmpeg.formats.stopping import STOPPED, FilesUnderWay

Reader = Literal["circles", "outlines", "contours"]
READERS: dict[Reader, tuple[str, str]] = {
    "circles": ("elmpeg.formats.dxf", "read_circles"),
    "outlines": ("elmpeg.formats.dxf_outlines", "read"),
    "contours": ("elmpeg.formats.dxf_outlines", "read_contours"),
}
"""What is read, with the function that reads it."""
MEMORY_BYTES = 800_000_000
PROCESSOR_S, LONGEST_S = 20, 40
AT_ONCE = 2
"""Drawings read beside each other; who brings another in waits for as long as one may take."""
_PLACES = threading.BoundedSemaphore(AT_ONCE)
TOO_MUCH = "takes more memory or time than a drawing may; save the part that is wanted as a drawing of its own"
BUSY = "cannot be read just now, since others are being read; try again in a minute"


def read(what: Reader, data: bytes, *more: object, under_way: FilesUnderWay | None = None) -> Any:
    """A drawing read by its reader, ``more`` being its further arguments; whoever has the ``under_way`` can stop it. Raises InputError
    as the reader does, and where it takes too much or is stopped."""
    under_way = under_way or FilesUnderWay()
    if not _PLACES.acquire(timeout=LONGEST_S):
        raise InputError("file", BUSY)
    asked = [sys.executable, "-m", "elmpeg.formats.apart", what, json.dumps(more)]
    try:
        process = subprocess.Popen(asked, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        with process, under_way.by(process):
            try:
                said = json.loads(process.communicate(data, LONGEST_S)[0])
            except (subprocess.TimeoutExpired, ValueError):
                # It was ended for memory, for time or by somebody, and said nothing.
                process.kill()
                raise InputError("file", STOPPED if under_way.was_stopped(process) else TOO_MUCH) from None
    finally:
        _PLACES.release()
    if "refused" in said:
        field, message = said["refused"]
        raise InputError(field, message)
    try:
        return _answers(what).validate_python(said["read"], strict=False)
    except ValidationError:
        raise InputError("file", "has figures in it that are none, or larger than anything that is drawn; it is broken") from None


def _reader(what: Reader) -> Callable[..., Any]:
    module, name = READERS[what]
    found: Callable[..., Any] = getattr(import_module(module), name)
    return found


def _answers(what: Reader) -> TypeAdapter[Any]:
    """How an answer of a reader is written and read again."""
    from elmpeg.core.build.hardware import PatternHole
    from elmpeg.formats.dxf_outlines import DrawnContours, DrawnOutlines

    kinds: dict[Reader, Any] = {"circles": tuple[PatternHole, ...], "outlines": DrawnOutlines, "contours": DrawnContours}
    return TypeAdapter(kinds[what])


def main() -> int:
    """Read one drawing from standard input and say what is in it."""
    what: Reader = sys.argv[1]  # type: ignore[assignment]
    answers, reader, more = _answers(what), _reader(what), json.loads(sys.argv[2])
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (PROCESSOR_S, PROCESSOR_S))
    try:
        said: dict[str, Any] = {"read": answers.dump_python(reader(sys.stdin.buffer.read(), *more), mode="json")}
    except InputError as refused:
        said = {"refused": [refused.errors[0].field, refused.errors[0].message]}
    except MemoryError:
        said = {"refused": ["file", TOO_MUCH]}
    except Exception:
        # Whatever a broken file brings a reader to.
        said = {"refused": ["file", "cannot be read as a drawing; it is broken"]}
    sys.stdout.write(json.dumps(said))
    return 0


if __name__ == "__main__":
    sys.exit(main())
