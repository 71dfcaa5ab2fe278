"""Rectangles cut from sheets and offcuts, by guillotine-free packing: on the fewest sheets, the smallest offcuts first."""

from __future__ import annotations

from itertools import product

import rectpack

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

MOST_PLATES = 300
MOST_SHEETS = 40
ROUNDED = 100.0
"""Places are told to a hundredth of a millimetre; the packer works in whole numbers, which never overlap."""


@record
class WantedPlate:
    """A rectangle to be cut; it may be turned by a quarter."""

    id: str
    wide_mm: float
    high_mm: float


@record
class SheetStock:
    """Sheets of one size: how many there are; ``buy`` for what is bought as it is wanted."""

    id: str
    wide_mm: float
    high_mm: float
    count: int
    buy: bool = False


@record
class LaidPlate:
    """A rectangle where it lies on a sheet, by its lower left corner."""

    id: str
    x_mm: float
    y_mm: float
    wide_mm: float
    high_mm: float
    turned: bool


@record
class CutSheet:
    """One sheet with what is cut from it, and the largest rectangle that remains beside it."""

    sheet: str
    wide_mm: float
    high_mm: float
    buy: bool
    plates: tuple[LaidPlate, ...]
    left_mm: tuple[float, float]

    @property
    def used_share(self) -> float:
        """Of the sheet's area, what becomes plates."""
        return sum(p.wide_mm * p.high_mm for p in self.plates) / (self.wide_mm * self.high_mm)


@record
class SheetCuts:
    """Every sheet that is cut into, and what finds no place."""

    sheets: tuple[CutSheet, ...]
    missing: tuple[str, ...]


def cut_sheets(wanted: tuple[WantedPlate, ...], stock: tuple[SheetStock, ...], gap_mm: float) -> SheetCuts:
    """Lays rectangles on sheets with a gap between them. The best of several ways of packing: the fewest missing, then the fewest
    bought, then the least area cut into. Raises InputError for sizes that make no sense."""
    if len(wanted) > MOST_PLATES:
        raise InputError("wanted", f"are {len(wanted)}; up to {MOST_PLATES} are laid at once")
    if any(min(w.wide_mm, w.high_mm) <= 0 for w in wanted) or any(min(s.wide_mm, s.high_mm) <= 0 for s in stock) or gap_mm < 0:
        raise InputError("wanted", "need sizes above 0, and a gap of 0 or more")
    found = [
        _packed(wanted, stock, gap_mm, sorting, algorithm)
        for sorting, algorithm in product(
            (rectpack.SORT_LSIDE, rectpack.SORT_AREA, rectpack.SORT_SSIDE),
            (rectpack.MaxRectsBssf, rectpack.MaxRectsBlsf, rectpack.SkylineMwfl),
        )
    ]
    return min(found, key=_worth, default=SheetCuts((), tuple(w.id for w in wanted)))


def _worth(one: SheetCuts) -> tuple[int, int, float, float]:
    return (
        len(one.missing), sum(1 for s in one.sheets if s.buy), sum(s.wide_mm * s.high_mm for s in one.sheets),
        -max((s.left_mm[0] * s.left_mm[1] for s in one.sheets), default=0.0),
    )  # fmt: skip


def _packed(wanted: tuple[WantedPlate, ...], stock: tuple[SheetStock, ...], gap_mm: float, sorting: object, algorithm: object) -> SheetCuts:
    packer = rectpack.newPacker(
        mode=rectpack.PackingMode.Offline, bin_algo=rectpack.PackingBin.BFF, pack_algo=algorithm, sort_algo=sorting, rotation=True
    )
    kinds = sorted(stock, key=lambda s: (s.buy, s.wide_mm * s.high_mm))
    bins: list[SheetStock] = []
    for kind in kinds:
        for _ in range(min(kind.count if not kind.buy else len(wanted), MOST_SHEETS)):
            packer.add_bin(_whole(kind.wide_mm + gap_mm), _whole(kind.high_mm + gap_mm), bid=len(bins))
            bins.append(kind)
    for k, plate in enumerate(wanted):
        packer.add_rect(-_whole(-plate.wide_mm - gap_mm), -_whole(-plate.high_mm - gap_mm), rid=k)
    packer.pack()
    laid: dict[int, list[LaidPlate]] = {}
    for number, x, y, w, _, k in packer.rect_list():
        plate = wanted[k]
        turned = abs(w / ROUNDED - gap_mm - plate.wide_mm) > abs(w / ROUNDED - gap_mm - plate.high_mm)
        wide, high = (plate.high_mm, plate.wide_mm) if turned else (plate.wide_mm, plate.high_mm)
        laid.setdefault(packer[number].bid, []).append(LaidPlate(plate.id, x / ROUNDED, y / ROUNDED, wide, high, turned))
    sheets = tuple(
        CutSheet(bins[b].id, bins[b].wide_mm, bins[b].high_mm, bins[b].buy, tuple(own), _left(bins[b], own, gap_mm))
        for b, own in sorted(laid.items())
    )
    placed = {p.id for s in sheets for p in s.plates}
    return SheetCuts(sheets, tuple(w.id for w in wanted if w.id not in placed))


def _whole(mm: float) -> int:
    """Rounded down for what there is, up (of its negative) for what is wanted: so nothing is laid where it does not fit."""
    return int((mm * ROUNDED + 1e-6) // 1)


def _left(sheet: SheetStock, plates: list[LaidPlate], gap_mm: float) -> tuple[float, float]:
    """The largest rectangle that keeps a whole side of the sheet: beyond all plates across, or above them."""
    right = max(p.x_mm + p.wide_mm for p in plates) + gap_mm
    top = max(p.y_mm + p.high_mm for p in plates) + gap_mm
    beside, above = (max(sheet.wide_mm - right, 0.0), sheet.high_mm), (sheet.wide_mm, max(sheet.high_mm - top, 0.0))
    best = max((beside, above), key=lambda r: r[0] * r[1])
    return best if min(best) > 0 else (0.0, 0.0)
