"""What the pieces of a build are cut from: which bar and which sheet, what there is too little of, what remains, what is bought."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable
from dataclasses import replace
from typing import Literal

from elmpeg.core.base.record import record
from elmpeg.core.build.pieces import Piece
from elmpeg.core.methods.cutting.bar_cutting import BarCuts, BarStock, WantedLength, cut_bars
from elmpeg.core.methods.cutting.sheet_cutting import SheetCuts, SheetStock, WantedPlate, cut_sheets
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.piece_shape import PieceShape
from elmpeg.core.stages.make.structure_members import body_of
from elmpeg.core.stages.make.tube_checks import PieceState
from elmpeg.core.stages.make.tube_shape import inside_mm
from elmpeg.core.stages.mount.bolt_section import Section
from elmpeg.core.stages.mount.shelf import StockItem

SAME_MM = 0.15
"""Sizes of tube and sheet that differ by less are one size."""
NEW = "new"
OFFCUT_MM = 100.0
"""A shorter remainder is scrap."""
OFFCUT_SHEET_MM = 80.0
ROUND_BARS_MM = (
    6,
    8,
    10,
    12,
    14,
    16,
    18,
    20,
    22,
    25,
    28,
    30,
    32,
    35,
    38,
    40,
    42,
    45,
    50,
    55,
    60,
    65,
    70,
    75,
    80,
    90,
    100,
    110,
    120,
    130,
    140,
    150,
    160,
    180,
    200,
)
"""Usual bright round bars."""
Kind = Literal["tube", "bar", "sheet"]


@record
class CutRules:
    """What the saw and the cutter take, and in which lengths and sheets the shop buys."""

    saw_mm: float = 2.0
    gap_mm: float = 8.0
    bar_mm: float = 6000.0
    sheet_mm: tuple[float, float] = (2000.0, 1000.0)
    buys: bool = True


@record
class StuffOf:
    """One size of tube, bar or sheet."""

    kind: Kind
    material: str
    called: str
    across_mm: float = 0.0
    high_mm: float = 0.0
    bore_mm: float = 0.0
    thick_mm: float = 0.0


@record
class BarsOfOne:
    """All lengths of one size, dealt to bars; without buying it is told what the shelf alone gives."""

    of: StuffOf
    cuts: BarCuts
    shelf_alone: BarCuts
    names: tuple[tuple[str, str, float], ...]
    """Each length: its id, what it is for, and its length."""


@record
class SheetsOfOne:
    """All plates of one thickness and material, laid on sheets."""

    of: StuffOf
    cuts: SheetCuts
    names: tuple[tuple[str, str], ...]


@record
class FastenersOfOne:
    """Bolts of one thread and length, how many are wanted and how many the shelf has."""

    called: str
    wanted: int
    there: int

    @property
    def short(self) -> int:
        """How many are to be bought."""
        return max(self.wanted - self.there, 0)


@record
class CutList:
    """A whole cut list."""

    bars: tuple[BarsOfOne, ...]
    sheets: tuple[SheetsOfOne, ...]
    fasteners: tuple[FastenersOfOne, ...]
    pieces: tuple[str, ...]
    """Ids of the pieces that are cut by it."""
    left_out: tuple[tuple[str, str], ...]
    """Pieces without a shape, or folded from more than one: and why."""

    @property
    def to_buy(self) -> tuple[tuple[str, int], ...]:
        """What is bought, and how many of it."""
        found: Counter[str] = Counter()
        for bars in self.bars:
            for bar in bars.cuts.bars:
                if bar.buy:
                    found[f"{bars.of.called}, {bar.mm:g} mm"] += 1
        for sheets in self.sheets:
            for sheet in sheets.cuts.sheets:
                if sheet.buy:
                    found[f"{sheets.of.called}, {sheet.wide_mm:g} by {sheet.high_mm:g} mm"] += 1
        for one in self.fasteners:
            if one.short:
                found[one.called] += one.short
        return tuple(found.items())


def cut_list(
    scene: Scene,
    states: Iterable[PieceState],
    shelf: tuple[StockItem, ...],
    rules: CutRules,
    only: frozenset[str] = frozenset(),
    joints: Iterable[Section] = (),
    cut: frozenset[str] = frozenset(),
) -> CutList:
    """What the pieces that are neither made nor ``cut`` yet, or those named, are cut from; with the bolts and nuts of the mounts' joints."""
    build = scene.build
    by_id = {p.id: p for p in build.pieces}
    lengths: dict[StuffOf, list[tuple[str, str, float]]] = {}
    plates: dict[StuffOf, list[tuple[str, str, float, float]]] = {}
    left_out, pieces = [], []
    for state in states:
        piece = by_id.get(state.piece)
        if piece is None or (only and piece.id not in only) or (not only and (piece.id in cut or _is_made(piece))):
            continue
        if not state.drawn:
            left_out.append((piece.name, state.trouble or "It has no shape yet."))
            continue
        pieces.append(piece.id)
        if state.shape is not None:
            _add_plate(plates, piece, state.shape)
        else:
            _add_length(lengths, scene, piece, state)
    bars = tuple(_bars_of(of, rows, shelf, rules) for of, rows in sorted(lengths.items(), key=lambda r: r[0].called))
    sheets = tuple(_sheets_of(of, rows, shelf, rules) for of, rows in sorted(plates.items(), key=lambda r: r[0].called))
    return CutList(bars, sheets, _fasteners(joints, shelf), tuple(pieces), tuple(left_out))


def _is_made(piece: Piece) -> bool:
    last = piece.revisions[-1] if piece.revisions else None
    return (
        bool(piece.fitted)
        or bool(last and last.made_of == "metal")
        or any(s.state in ("sent", "received", "tried") for s in piece.sendings)
    )


def _count(piece: Piece) -> int:
    return piece.count


def _add_length(lengths: dict[StuffOf, list[tuple[str, str, float]]], scene: Scene, piece: Piece, state: PieceState) -> None:
    if state.turned is not None:
        size = next((s for s in ROUND_BARS_MM if s >= state.turned.bar_mm - 1e-9), math.ceil(state.turned.bar_mm))
        of = StuffOf("bar", piece.material, f"{piece.material} round bar {size:g}", float(size))
        long = state.turned.bar_long_mm
    else:
        assert state.tube is not None
        body = body_of(scene, piece)
        bore = inside_mm(body)
        shape = "tube" if body.section == "round" else "box section"
        high = body.high_mm or body.across_mm
        across = f"{body.across_mm:g}" if body.section == "round" or high == body.across_mm else f"{body.across_mm:g} x {high:g}"
        solid = "round bar" if body.section == "round" else "square bar"
        called = f"{piece.material} {shape} {across} x {body.wall_mm:g}" if body.wall_mm else f"{piece.material} {solid} {across}"
        of = StuffOf(
            "tube" if body.wall_mm else "bar", piece.material, called, body.across_mm, 0.0 if body.section == "round" else high, bore
        )
        long = state.tube.blank_mm
    rows = lengths.setdefault(of, [])
    rows += [(f"{piece.id} {k}" if _count(piece) > 1 else piece.id, piece.name, long) for k in range(1, _count(piece) + 1)]


def _add_plate(plates: dict[StuffOf, list[tuple[str, str, float, float]]], piece: Piece, shape: PieceShape) -> None:
    of = StuffOf("sheet", piece.material, f"{piece.material} sheet {piece.thick_mm:g}", thick_mm=piece.thick_mm)
    wide, high = shape.size_mm
    rows = plates.setdefault(of, [])
    rows += [(f"{piece.id} {k}" if _count(piece) > 1 else piece.id, piece.name, wide, high) for k in range(1, _count(piece) + 1)]


def _bars_of(of: StuffOf, rows: list[tuple[str, str, float]], shelf: tuple[StockItem, ...], rules: CutRules) -> BarsOfOne:
    stock = tuple(BarStock(i.id, i.mm, i.qty) for i in shelf if i.qty and is_of(i, of))
    wanted = tuple(WantedLength(i, long) for i, _, long in rows)
    alone = cut_bars(wanted, stock, rules.saw_mm)
    cuts = alone
    if alone.missing and rules.buys:
        cuts = cut_bars(wanted, (*stock, BarStock(NEW, rules.bar_mm, 0, True)), rules.saw_mm)
    return BarsOfOne(of, cuts, alone, tuple(rows))


def is_of(item: StockItem, of: StuffOf) -> bool:
    """Whether a kind on the shelf is of a size."""
    if item.material != of.material:
        return False
    if of.kind == "sheet":
        return item.form == "sheet" and abs(item.mm - of.thick_mm) <= SAME_MM
    if item.form not in ("tube", "bar") or abs(item.outside_mm - of.across_mm) > SAME_MM:
        return False
    square = abs(item.wide_mm - of.high_mm) <= SAME_MM
    return square and abs(item.bore_mm - of.bore_mm) <= 2 * SAME_MM and item.mm >= OFFCUT_MM


def _sheets_of(of: StuffOf, rows: list[tuple[str, str, float, float]], shelf: tuple[StockItem, ...], rules: CutRules) -> SheetsOfOne:
    stock = tuple(SheetStock(i.id, i.wide_mm, i.long_mm, i.qty) for i in shelf if i.qty and is_of(i, of))
    wanted = tuple(WantedPlate(i, wide, high) for i, _, wide, high in rows)
    new = (SheetStock(NEW, *rules.sheet_mm, 0, True),) if rules.buys else ()
    return SheetsOfOne(of, cut_sheets(wanted, (*stock, *new), rules.gap_mm), tuple((i, name) for i, name, _, _ in rows))


def _fasteners(joints: Iterable[Section], shelf: tuple[StockItem, ...]) -> tuple[FastenersOfOne, ...]:
    """Bolts whose length follows, and the nuts that go on them."""
    bolts: Counter[tuple[str, float]] = Counter()
    nuts: Counter[str] = Counter()
    for joint in joints:
        if joint.length_mm is not None:
            bolts[(joint.thread.name, joint.length_mm)] += 1
            if joint.nut_mm:
                nuts[joint.thread.name] += 1
    rows = []
    for (thread, long), wanted in sorted(bolts.items()):
        there = sum(i.qty for i in shelf if i.form == "bolt" and i.thread == thread and abs(i.mm - long) < 0.05)
        rows.append(FastenersOfOne(f"bolt {thread} x {long:g}", wanted, there))
    for thread, wanted in sorted(nuts.items()):
        there = sum(i.qty for i in shelf if i.form == "nut" and i.thread == thread)
        rows.append(FastenersOfOne(f"nut {thread}", wanted, there))
    return tuple(rows)


def after_cutting(found: CutList, shelf: tuple[StockItem, ...], place: str) -> tuple[StockItem, ...]:
    """The shelf once everything is cut: what was cut into is one less, what remains of it lies at a place as an offcut of its own."""
    kinds = {i.id: i for i in shelf}
    added: dict[tuple[str, float, float], StockItem] = {}

    def put(item: StockItem) -> None:
        key = (item.name, round(item.mm, 1), round(item.long_mm, 1))
        same = next(
            (i for i in kinds.values() if i.name == item.name and abs(i.mm - item.mm) < 0.05 and abs(i.long_mm - item.long_mm) < 0.05), None
        )
        if same is not None:
            kinds[same.id] = replace(same, qty=same.qty + 1)
            return
        old = added.get(key)
        added[key] = replace(old, qty=old.qty + 1) if old else item

    for bars in found.bars:
        of = bars.of
        for bar in bars.cuts.bars:
            if bar.bar in kinds:
                kinds[bar.bar] = replace(kinds[bar.bar], qty=max(kinds[bar.bar].qty - 1, 0))
            if bar.left_mm >= OFFCUT_MM:
                left = math.floor(bar.left_mm)
                put(
                    StockItem(
                        "", f"{of.called}, {left:g} left"[:80], "tube" if of.kind == "tube" else "bar", float(left), of.bore_mm, 1, place, of.material,
                        of.across_mm, wide_mm=of.high_mm,
                    )
                )  # fmt: skip
    for sheets in found.sheets:
        for sheet in sheets.cuts.sheets:
            if sheet.sheet in kinds:
                kinds[sheet.sheet] = replace(kinds[sheet.sheet], qty=max(kinds[sheet.sheet].qty - 1, 0))
            wide, long = (math.floor(v) for v in sheet.left_mm)
            if min(wide, long) >= OFFCUT_SHEET_MM:
                name = f"{sheets.of.called}, {wide:g} by {long:g} left"[:80]
                put(
                    StockItem(
                        "", name, "sheet", sheets.of.thick_mm, 0.0, 1, place, sheets.of.material, wide_mm=float(wide), long_mm=float(long)
                    )
                )
    before = {i.id: i for i in shelf}
    return (*(i for k, i in kinds.items() if before[k] != i), *added.values())
