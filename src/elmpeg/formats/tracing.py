"""A template traced in a process of its own (``python -m elmpeg.formats.tracing``), which is given only so much memory and time: a
picture of something else may hold a hundred thousand edges, and whoever waits can stop it."""

from __future__ import annotations

import resource
import sys
from pathlib import Path

from pydantic import TypeAdapter

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.measuring.plane_projection import Mark
from elmpeg.formats.traced import Traced, traced

MEMORY_BYTES = 2_000_000_000
PROCESSOR_S = 60
TOO_MUCH = "shows more than can be traced; put the marks near to the template, or make the picture smaller"
MARKS: TypeAdapter[tuple[Mark, ...]] = TypeAdapter(tuple[Mark, ...])
TRACED: TypeAdapter[Traced] = TypeAdapter(Traced)


def main(argv: list[str]) -> int:
    """Trace a picture with its marks and leave what was found; 0 when that went well, 2 with words when it is refused."""
    source, marks, answer = argv
    resource.setrlimit(resource.RLIMIT_DATA, (MEMORY_BYTES, MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_CPU, (PROCESSOR_S, PROCESSOR_S))
    try:
        found = traced(Path(source).read_bytes(), MARKS.validate_json(marks), lambda words, _: print(words, flush=True))
    except InputError as refused:
        print(f"refused {refused.message}", flush=True)
        return 2
    except MemoryError:
        print(f"refused {TOO_MUCH}", flush=True)
        return 2
    Path(answer).write_bytes(TRACED.dump_json(found))
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
