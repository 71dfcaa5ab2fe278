"""The shelf as CSV, out and in: one line a kind, all of a file or none of it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import get_args

from elmpeg.core.base.errors import InputError
from elmpeg.core.stages.mount.shelf import StockForm, StockItem, require_item
from elmpeg.formats.csv_table import Column, Head, LengthUnit, Line, Read, Reader, figure, refuse_unknown, table, written

SHELF_COLUMNS = (
    Column("id", "short id; empty for a new kind, or to find it by its name"),
    Column("name", "as people call it"),
    Column("form", f"one of {', '.join(get_args(StockForm))}"),
    Column("size", "thickness along the bolt; a bolt's or tube's length; a drill's diameter", True),
    Column("bore", "hole through it; empty for none", True),
    Column("outside", "outside diameter; empty where nobody has said", True),
    Column("thread", "for bolts and nuts, such as M12x1.75"),
    Column("material", "steel unless it says otherwise"),
    Column("quantity", "how many lie there"),
    Column("place", "where they lie"),
    Column("wide", "of sheets; empty for the rest", True),
    Column("long", "of sheets; empty for the rest", True),
)
SAME_MM = 5e-4


@dataclass(frozen=True, slots=True)
class ShelfPreview(Read):
    """What a whole file would do; ``items`` are the kinds to keep, None where a line is refused."""

    items: tuple[StockItem, ...] | None


def written_shelf(items: tuple[StockItem, ...], unit: LengthUnit = "mm") -> bytes:
    """Everything on the shelf."""
    rows = (
        (
            *(i.id, i.name, i.form, figure(i.mm, unit), figure(i.bore_mm, unit) if i.bore_mm else ""),
            *(figure(i.outside_mm, unit) if i.outside_mm else "", i.thread, i.material, str(i.qty), i.place),
            *(figure(v, unit) if v else "" for v in (i.wide_mm, i.long_mm)),
        )
        for i in items
    )
    return written(SHELF_COLUMNS, rows, unit)


def read(items: tuple[StockItem, ...], data: bytes) -> ShelfPreview:
    """What a file would change on the shelf. Raises InputError for what is no such file."""
    found = table(data, SHELF_COLUMNS)
    if not {"name", "form", "size", "quantity"} <= set(found.header):
        raise InputError("csv", "needs the columns name, form, size and quantity; see the list beside")
    refuse_unknown(found.header, SHELF_COLUMNS)
    reader = _Shelf(items, found.header)
    told = [reader.line(number, cells) for number, cells in found.rows]
    return ShelfPreview(tuple(told), None if any(t.verdict == "refused" for t in told) else tuple(reader.kept))


class _Shelf(Reader):
    def __init__(self, items: tuple[StockItem, ...], header: dict[str, Head]) -> None:
        super().__init__(header)
        self.by_id, self.by_name = {i.id: i for i in items}, {i.name.lower(): i for i in items}
        self.seen: dict[str, int] = {}
        self.kept: list[StockItem] = []

    def name(self, cells: list[str]) -> str:
        return self.raw(cells, "name")[:80] or self.raw(cells, "id")[:80]

    def taken(self, number: int, cells: list[str]) -> Line:
        wanted, name = self.text(cells, "id"), self.text(cells, "name")
        old = self.by_id.get(wanted) if wanted else self.by_name.get(name.lower())
        key = old.id if old else wanted or name.lower()
        if key in self.seen:
            raise InputError("name", f"“{name or wanted}” stands on line {self.seen[key]} already")
        self.seen[key] = number
        quantity = self.text(cells, "quantity")
        if not quantity.isdigit():
            raise InputError("quantity", f"“{quantity[:20]}” is not a whole number, 0 or more")
        size = self.length(cells, "size")
        if size is None or size <= 0:
            raise InputError("size", "is empty" if size is None else "must be above 0")
        item = require_item(
            StockItem(
                old.id if old else wanted,
                name or (old.name if old else ""),
                self.one_of(cells, "form", get_args(StockForm), old.form if old else ""),  # type: ignore[arg-type]
                size,
                self.length(cells, "bore") or 0.0,
                int(quantity),
                self.text(cells, "place"),
                self.text(cells, "material"),
                self.length(cells, "outside") or 0.0,
                self.text(cells, "thread"),
                self.length(cells, "wide") or 0.0,
                self.length(cells, "long") or 0.0,
            )
        )
        if old is not None and _same(old, item):
            return Line(number, "same", old.name)
        self.kept.append(item)
        if old is None:
            return Line(number, "new", f"{item.qty} × {item.name}")
        return Line(number, "changed", f"{old.name}: {_change(old, item)}")


def _same(a: StockItem, b: StockItem) -> bool:
    close = all(
        abs(u - v) < SAME_MM
        for u, v in ((a.mm, b.mm), (a.bore_mm, b.bore_mm), (a.outside_mm, b.outside_mm), (a.wide_mm, b.wide_mm), (a.long_mm, b.long_mm))
    )
    none = {"mm": 0.0, "bore_mm": 0.0, "outside_mm": 0.0, "wide_mm": 0.0, "long_mm": 0.0}
    return close and replace(a, **none) == replace(b, **none)  # type: ignore[arg-type]


def _change(a: StockItem, b: StockItem) -> str:
    words = [f"{n} {u} → {v}" for n, u, v in (("quantity", a.qty, b.qty), ("name", a.name, b.name), ("place", a.place, b.place)) if u != v]
    return "; ".join(words) or "size, form or material"
