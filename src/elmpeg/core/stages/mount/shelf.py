"""The shop's shelf: what there is to fill a gap with, and which of it goes over a bolt."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Literal, get_args

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build
from elmpeg.core.build.mounts import StackPiece
from elmpeg.core.methods.fastening.fasteners import thread
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM
from elmpeg.core.stages.mount.stack_edits import used_elsewhere

StockForm = Literal["shim", "washer", "plate", "spacer", "tube", "bar", "bolt", "nut", "bush", "drill", "sheet"]


STACKED: tuple[StockForm, ...] = ("shim", "washer", "plate", "spacer", "tube")
"""What goes over a bolt to fill a gap. Of bolts and bars ``mm`` is the length, of drills the diameter, of sheets the thickness."""


LOOSEST_FIT_MM = 2.0
"""A piece whose bore is wider than the bolt by more than this wanders off centre."""


MOST_PIECES = 1_000_000


@record
class StockItem:
    """One kind of piece on the shelf: thickness along the bolt, bore, how many lie there, and where.

    ``outside_mm`` is 0 where nobody has said; ``thread`` is for bolts and nuts, ``wide_mm`` and ``long_mm`` for sheets.
    """

    id: str
    name: str
    form: StockForm
    mm: float
    bore_mm: float
    qty: int
    place: str = ""
    material: str = "steel"
    outside_mm: float = 0.0
    thread: str = ""
    wide_mm: float = 0.0
    long_mm: float = 0.0


def goes_over(item: StockItem, bolt_mm: float) -> bool:
    """Whether a piece goes over a bolt without wandering."""
    return item.form in STACKED and bolt_mm < item.bore_mm <= bolt_mm + LOOSEST_FIT_MM


def left_for(build: Build, option_id: str, mount_id: str, shelf: tuple[StockItem, ...]) -> tuple[StockItem, ...]:
    """What the shelf still has for one mount: pieces that go over its bolt, less what the option's other mounts use."""
    used, bolt_mm = used_elsewhere(build, option_id, mount_id), build.mount(mount_id).bolt_mm
    return tuple(replace(i, qty=max(0, i.qty - used.get(i.id, 0))) for i in shelf if goes_over(i, bolt_mm))


def pieces_from(
    build: Build, option_id: str, mount_id: str, shelf: tuple[StockItem, ...], wanted: dict[str, int]
) -> tuple[StackPiece, ...]:
    """Named pieces off the shelf for a mount; raises InputError where the shelf has too few or they do not fit the bolt."""
    there = {i.id: i for i in left_for(build, option_id, mount_id, shelf)}
    pieces = []
    for stock_id, count in wanted.items():
        item = there.get(stock_id)
        if item is None:
            raise InputError("stack", f"“{stock_id}” is not on the shelf in a size that goes over this bolt")
        if not 1 <= count <= item.qty:
            raise InputError("stack", f"{count} of {item.name} are wanted and {item.qty} are left; choose another stack")
        pieces.append(StackPiece(item.id, item.name, item.mm, count))
    return tuple(pieces)


def require_item(item: StockItem) -> StockItem:
    """The item as it will be kept; raises InputError beside the field."""
    name = cleaned_name(item.name)
    if item.form not in get_args(StockForm):
        raise InputError("form", f"is one of {', '.join(get_args(StockForm))}")
    if not 0 < item.mm <= LONGEST_MM:
        raise InputError("mm", "must be above 0 and at most 100 m")
    if not 0 <= item.bore_mm <= LONGEST_MM or not 0 <= item.outside_mm <= LONGEST_MM:
        raise InputError("bore", "must be 0 or more")
    if 0 < item.outside_mm <= item.bore_mm:
        raise InputError("outside", "must be more than the bore; leave it empty where nobody has measured it")
    if not 0 <= item.wide_mm <= LONGEST_MM or not 0 <= item.long_mm <= LONGEST_MM:
        raise InputError("wide", "must be 0 or more")
    if item.form == "sheet" and min(item.wide_mm, item.long_mm) <= 0:
        raise InputError("wide", "and long are needed for a sheet")
    if not 0 <= item.qty <= MOST_PIECES:
        raise InputError("qty", "must be a whole number, 0 or more")
    found = thread(item.thread, "thread").name if item.thread.strip() else ""
    if item.form in ("bolt", "nut") and not found:
        raise InputError("thread", "is needed for bolts and nuts")
    return replace(
        item, name=name, thread=found, place=" ".join(item.place.split())[:80], material=" ".join(item.material.split())[:20] or "steel"
    )


def bolt_lengths_mm(items: Iterable[StockItem], thread_name: str) -> tuple[float, ...]:
    """Lengths of bolts of a thread that lie on a shelf."""
    return tuple(sorted({i.mm for i in items if i.form == "bolt" and i.thread == thread_name and i.qty > 0}))
