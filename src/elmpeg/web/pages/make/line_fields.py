"""Rows of figures in one field, a line each, with semicolons between: nodes, members, plates, bolts, seams."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import TypeVar

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import Vec3
from elmpeg.web.showing import MINUS, Show

MOST_LINES = 100
T = TypeVar("T")


class Cells:
    """One line's parts, read by their place, each refused by the line and what was wanted."""

    def __init__(self, field: str, n: int, parts: list[str], show: Show) -> None:
        self._field, self.n, self._parts, self._show = field, n, parts, show

    def text(self, k: int, most: int = 80) -> str:
        """A part as text; empty where the line ends before it."""
        return self._parts[k][:most] if len(self._parts) > k else ""

    def name(self, k: int) -> str:
        """A part that must be there."""
        found = self.text(k, 40)
        if not found:
            raise self.refused("has no name")
        return found

    def length(self, k: int, default: float | None = None) -> float:
        """A length in the reader's unit."""
        text = self.text(k)
        if not text:
            if default is not None:
                return default
            raise self.refused(f"ends before its part {k + 1}, a length")
        return self._show.read(text, "mm", self._field)

    def place(self, k: int) -> Vec3:
        """Three lengths from a part on."""
        return (self.length(k, 0.0), self.length(k + 1, 0.0), self.length(k + 2, 0.0))

    def number(self, k: int, default: float) -> float:
        """A plain number."""
        text = self.text(k).rstrip("°").strip()
        if not text:
            return default
        try:
            value = float(text)
        except ValueError:
            raise self.refused(f"“{text[:20]}” is not a number") from None
        if not abs(value) < 1e6:
            raise self.refused(f"{text[:20]} is out of range")
        return value

    def one_of(self, k: int, among: Iterable[T], default: T) -> T:
        """One of some words."""
        text = self.text(k).lower()
        if not text:
            return default
        found = next((a for a in among if str(a).lower() == text), None)
        if found is None:
            raise self.refused(f"“{text[:20]}” is none of {', '.join(str(a) for a in among)}")
        return found

    def refused(self, why: str) -> InputError:
        """A refusal that names the line."""
        return InputError(self._field, f"line {self.n}: {why}")


def rows(text: str, field: str, show: Show, read: Callable[[Cells], T]) -> tuple[T, ...]:
    """Every line of a field, read."""
    lines = [(n, line) for n, line in enumerate(text.replace(MINUS, "-").splitlines(), 1) if line.strip()]
    if len(lines) > MOST_LINES:
        raise InputError(field, f"has {len(lines)} lines; at most {MOST_LINES} are read")
    return tuple(read(Cells(field, n, [c.strip() for c in line.split(";")], show)) for n, line in lines)


def joined(*parts: str) -> str:
    """A line, without the empty parts at its end."""
    return "; ".join(parts).rstrip("; ")


def kept(text: str, as_shown: str, old: T, read: Callable[[str], T]) -> T:
    """What a field says, or what stands, to its last digit, where nobody typed anything else."""
    return old if " ".join(text.split()) == " ".join(as_shown.split()) else read(text)
