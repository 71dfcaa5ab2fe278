"""Tables as CSV: documented columns, units in the header, and reading that forgives what spreadsheets do to a file.

A byte-order mark, semicolons, tabs and decimal commas are read; what the figures mean is
strict, and text that a spreadsheet would run as a formula never goes out or comes in as such.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH, parse_length

LengthUnit = Literal["mm", "in"]
Outcome = Literal["new", "changed", "same", "refused"]
LARGEST_BYTES = 800_000
MOST_LINES = 6000
FORMULA = re.compile(r"^[=+\-@\t\r]")
FIGURE = re.compile(r"[+\-]?[\d\s./,]+(?: ?(?:mm|in|°))?")
INCH = float(MM_PER_INCH)


@dataclass(frozen=True, slots=True)
class Column:
    """One column: its name in the header (a length's is followed by its unit), and what it means."""

    name: str
    means: str
    length: bool = False


@dataclass(frozen=True, slots=True)
class Line:
    """What one line of a file would do, and why not."""

    number: int
    verdict: Outcome
    what: str
    why: str = ""


@dataclass(frozen=True, slots=True)
class Read:
    """What reading a whole file told, line by line."""

    lines: tuple[Line, ...]

    def count(self, verdict: Outcome) -> int:
        """How many lines have a verdict."""
        return sum(line.verdict == verdict for line in self.lines)

    @property
    def lines_worst_first(self) -> list[Line]:
        """Refused lines first, then what changes."""
        order = {"refused": 0, "changed": 1, "new": 2, "same": 3}
        return sorted(self.lines, key=lambda line: (order[line.verdict], line.number))


def figure(mm: float, unit: LengthUnit) -> str:
    """A length as it stands in a cell."""
    return f"{round(mm / INCH, 5) + 0.0:.5f}" if unit == "in" else f"{round(mm, 4) + 0.0:.4f}".rstrip("0").rstrip(".")


def written(columns: tuple[Column, ...], rows: Iterable[tuple[str, ...]], unit: LengthUnit) -> bytes:
    """A whole file: the header with its units, then the rows."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow([f"{c.name} [{unit}]" if c.length else c.name for c in columns])
    for row in rows:
        writer.writerow([v if c.length or c.name.startswith("axis") else _defanged(v) for c, v in zip(columns, row, strict=True)])
    # The mark at the start tells spreadsheets that the file is UTF-8.
    return out.getvalue().encode("utf-8-sig")


def _defanged(text: str) -> str:
    """Text that a spreadsheet would run as a formula, kept as text."""
    return f"'{text}" if FORMULA.match(text) and not FIGURE.fullmatch(text) else text


@dataclass(frozen=True, slots=True)
class Head:
    """Where a column stands, and the unit its header gives."""

    at: int
    unit: LengthUnit | None


@dataclass(frozen=True, slots=True)
class Table:
    """A file's header by column name, and its lines with their numbers."""

    header: dict[str, Head]
    rows: list[tuple[int, list[str]]]


def table(data: bytes, *known: tuple[Column, ...]) -> Table:
    """A file as a table. Raises InputError for what is none, and for a length of the known columns without its unit."""
    if len(data) > LARGEST_BYTES:
        raise InputError("csv", f"is {len(data) / 1e6:.1f} MB; at most {LARGEST_BYTES / 1e6:g} MB are read at once")
    text = decoded(data)
    first = text.split("\n", 1)[0]
    # A length's unit in brackets never holds a separator, so the most frequent one is it.
    separator = max((";", "\t", ","), key=first.count)
    try:
        rows = list(csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True))
    except csv.Error as broken:
        raise InputError("csv", f"is not readable as CSV: {broken}") from None
    if not rows or not any(cell.strip() for cell in rows[0]):
        raise InputError("csv", "is empty or has no header in its first line")
    if len(rows) > MOST_LINES:
        raise InputError("csv", f"has {len(rows)} lines; at most {MOST_LINES} are read at once")
    header: dict[str, Head] = {}
    for at, cell in enumerate(rows[0]):
        # Blanks in a row are one before it is looked at: a pattern that may begin at each of them takes for ever.
        match = re.fullmatch(r"(.*?) ?(?:\[ ?(\w+) ?\])?", " ".join(cell.lower().split()))
        name, unit = (match[1], match[2]) if match else (cell, None)
        if not name:
            continue
        if name in header:
            raise InputError("csv", f"has the column “{name}” twice")
        if unit is not None and unit not in ("mm", "in"):
            raise InputError("csv", f"has “{name}” in [{unit}]; write [mm] or [in]")
        header[name] = Head(at, unit)  # type: ignore[arg-type]
    for columns in known:
        for column in columns:
            if column.length and column.name in header and header[column.name].unit is None:
                raise InputError("csv", f"does not say the unit of “{column.name}”; write “{column.name} [mm]” or “{column.name} [in]”")
    return Table(header, [(n, row) for n, row in enumerate(rows[1:], 2) if any(cell.strip() for cell in row)])


def decoded(data: bytes) -> str:
    """The text of a file, whatever a spreadsheet wrote it in. Raises InputError for what is no text."""
    codings = ("utf-16",) if data[:2] in (b"\xff\xfe", b"\xfe\xff") else ("utf-8-sig", "cp1252")
    for coding in codings:
        try:
            text = data.decode(coding)
        except UnicodeDecodeError:
            continue
        if "\0" in text:
            break
        return text
    raise InputError("csv", "is not a text file")


def refuse_unknown(header: dict[str, Head], columns: tuple[Column, ...]) -> None:
    """Raise InputError for a column that is not one of these."""
    known = {c.name for c in columns}
    strange = [name for name in header if name not in known]
    if strange:
        raise InputError("csv", f"has the unknown column “{strange[0]}”; leave it out, so that nothing of it is lost unseen")


class Reader:
    """What reading a line needs, whichever kind it is."""

    def __init__(self, header: dict[str, Head]) -> None:
        self.header = header

    def line(self, number: int, cells: list[str]) -> Line:
        """Take one line in, or say why not."""
        try:
            if len(cells) > max(h.at for h in self.header.values()) + 1 and any(c.strip() for c in cells[len(self.header) :]):
                raise InputError("line", "has more cells than the header; is a decimal comma taken for a separator?")
            return self.taken(number, cells)
        except InputError as refused:
            return Line(number, "refused", self.name(cells), "; ".join(f"{e.field}: {e.message}" for e in refused.errors))

    def taken(self, number: int, cells: list[str]) -> Line:
        """Take one line in; raises InputError."""
        raise NotImplementedError

    def name(self, cells: list[str]) -> str:
        """What a line is about."""
        raise NotImplementedError

    def raw(self, cells: list[str], column: str) -> str:
        """A cell as it stands; empty where there is none."""
        at = self.header[column].at if column in self.header else len(cells)
        return cells[at].strip() if at < len(cells) else ""

    def text(self, cells: list[str], column: str) -> str:
        """A text cell; one that a spreadsheet would run is refused, one that was defanged on its way out is itself again."""
        raw = self.raw(cells, column)
        if raw.startswith("'") and FORMULA.match(raw[1:]):
            return raw[1:]
        if raw[:1] in "=@+" and raw:
            raise InputError(column, f"“{raw[:40]}” is a formula; write plain text")
        return raw

    def length(self, cells: list[str], column: str) -> float | None:
        """A length, mm; None for an empty cell."""
        raw = self.raw(cells, column)
        if not raw:
            return None
        if raw[:1] in "=@":
            raise InputError(column, f"“{raw[:40]}” is a formula; write the figure that it gives")
        return parse_length(raw.replace("\u2212", "-"), self.header[column].unit or "mm", column).mm

    def one_of(self, cells: list[str], column: str, allowed: tuple[str, ...], default: str) -> str:
        """A word out of a list."""
        text = self.text(cells, column).lower() or default
        if text not in allowed:
            raise InputError(column, f"“{text}” is not one of {', '.join(a for a in allowed if a)}")
        return text
