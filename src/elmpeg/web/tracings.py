"""Templates traced from photographs, aside: a picture and its marks are traced once, and what was found is at hand afterwards."""

from __future__ import annotations

from pathlib import Path

from elmpeg.core.methods.measuring.plane_projection import Mark
from elmpeg.formats.traced import Traced
from elmpeg.formats.tracing import MARKS, TOO_MUCH, TRACED
from elmpeg.web.aside import Aside, Kind, Work

Tracing = Work[Traced]
LONGEST_S = 90.0


class Tracings(Aside[Traced]):
    """The pictures under way and the newest that were traced."""

    def __init__(self) -> None:
        super().__init__(Kind("elmpeg.formats.tracing", _taken, TOO_MUCH, at_once=2, longest_s=LONGEST_S))

    def trace(self, person: int, build_id: str, path: Path, marks: tuple[Mark, ...]) -> Tracing:
        """A picture traced with its marks: the one that is under way or done, else one that is begun; what was refused is tried
        again, since a busy machine may have ended it."""
        there = self.at_hand(person, build_id, path, marks)
        if there and not there.trouble:
            return there
        return self.start(person, build_id, _about(path, marks), path.name, (str(path), MARKS.dump_json(marks).decode()))

    def at_hand(self, person: int, build_id: str, path: Path, marks: tuple[Mark, ...]) -> Tracing | None:
        """The tracing of a picture with such marks that is under way or done."""
        return self.newest(person, build_id, _about(path, marks))


def _about(path: Path, marks: tuple[Mark, ...]) -> str:
    return f"{path.name} {MARKS.dump_json(marks).decode()}"


def _taken(answer: Path) -> Traced:
    return TRACED.validate_json(answer.read_bytes())
