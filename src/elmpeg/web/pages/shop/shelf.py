"""The shop's shelf: what lies there, who has reserved what, and what there is to buy or make."""

from __future__ import annotations

from dataclasses import replace
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from starlette.datastructures import UploadFile

from elmpeg.core.advice import stack_choice
from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.stages.mount.bolt_section import Section
from elmpeg.core.stages.mount.shelf import StockForm, StockItem, bolt_lengths_mm
from elmpeg.formats import csv_table, shelf_csv
from elmpeg.formats.shelf_csv import SHELF_COLUMNS, ShelfPreview
from elmpeg.store.stock import UseState
from elmpeg.web.build_page import BuildPage, build_page
from elmpeg.web.desk import Desk
from elmpeg.web.downloads import named
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.mount.mounts import joint_of, rows_of
from elmpeg.web.security import ChangeDesk, ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
MOVES_SHOWN = 40
FORMS: tuple[StockForm, ...] = get_args(StockForm)


def page(
    desk: Desk, outcome: Outcome | None = None, preview: ShelfPreview | None = None, content: str = "", name: str = ""
) -> HTMLResponse:
    """The shelf, and what a build holds and lacks where one is named."""
    build_id = desk.text("build")
    at: BuildPage | None = None
    if build_id:
        try:
            at = build_page(desk, build_id, "Mount")
        except MissingError:
            at = None
    stock = desk.shop.shelf.items_for(build_id) if at else ()
    return desk.render(
        "shop/shelf.html",
        outcome,
        at=at,
        lines=desk.shop.shelf.lines(),
        held=desk.shop.shelf.held(),
        moves=desk.shop.shelf.moves(MOVES_SHOWN),
        to_make=stack_choice.to_make(at.build, at.evaluation, stock) if at else (),
        bolts=_bolts(at, stock) if at else [],
        builds=desk.shop.glances.listed(),
        forms=FORMS,
        columns=SHELF_COLUMNS,
        preview=preview,
        content=content,
        file_name=name,
    )


def _bolts(at: BuildPage, stock: tuple[StockItem, ...]) -> list[tuple[str, Section, bool]]:
    """Each mount's bolt, and whether the shelf has it."""
    found = []
    for row in rows_of(at):
        joint = joint_of(at, row)
        if joint is not None and joint.length_mm is not None:
            there = any(abs(v - joint.length_mm) < 0.05 for v in bolt_lengths_mm(stock, joint.thread.name))
            found.append((row.mount.name, joint, there))
    return sorted(found, key=lambda f: (f[2], f[0]))


@router.get("/shelf", name="shelf")
def show(desk: ReadDesk) -> Response:
    """The shelf."""
    return page(desk)


@router.get("/shelf.csv", name="shelf_csv")
def out(desk: ReadDesk) -> Response:
    """The shelf as CSV."""
    data = shelf_csv.written_shelf(desk.shop.shelf.items(), desk.show.length_unit)
    return Response(data, media_type="text/csv; charset=utf-8", headers=named("shelf.csv"))


@router.post("/shelf", name="keep_stock")
def keep(desk: ChangeDesk) -> Response:
    """Add a kind, count one anew, or take one off the shelf."""
    try:
        if desk.text("do") == "drop":
            desk.shop.shelf.drop(desk.text("id"), desk.person.name)
            return page(desk, Outcome(notice="Taken off the shelf."))
        old = next((i for i in desk.shop.shelf.items() if i.id == desk.text("id")), None)
        if desk.text("do") == "count" and old is not None:
            counted = _counted(old, desk.text("qty"))
            kept = desk.shop.shelf.keep(counted, desk.person.name, f"Counted {old.name}: {counted.qty}, it was {old.qty}")
        else:
            new = _item(desk)
            kept = desk.shop.shelf.keep(new, desk.person.name, f"Put {new.qty} × {new.name} there")
    except InputError as refused:
        return page(desk, Outcome(errors=refused.errors))
    return page(desk, Outcome(notice=f"{kept.qty} × {kept.name} on the shelf."))


def _counted(item: StockItem, text: str) -> StockItem:
    if not text.strip().isdigit():
        raise InputError("qty", "write how many there are, a whole number")
    return replace(item, qty=int(text))


def _item(desk: Desk) -> StockItem:
    def length(field: str) -> float:
        text = desk.text(field).replace(MINUS, "-").strip()
        return desk.show.read(text, "mm", field) if text else 0.0

    if not desk.text("qty").strip().isdigit():
        raise InputError("qty", "write how many there are, a whole number")
    form = next((f for f in FORMS if f == desk.text("form")), None)
    if form is None:
        raise InputError("form", "choose one from the list")
    return StockItem(
        "",
        desk.text("name"),
        form,
        length("mm"),
        length("bore"),
        int(desk.text("qty")),
        desk.text("place"),
        desk.text("material"),
        length("outside"),
        desk.text("thread"),
        length("wide"),
        length("long"),
    )


@router.post("/shelf/back", name="take_back_move")
def take_back(desk: ChangeDesk) -> Response:
    """Take a movement of the shelf back."""
    try:
        desk.shop.shelf.take_back(desk.number("move"), desk.person.name)
    except InputError as refused:
        return page(desk, Outcome(errors=refused.errors))
    return page(desk, Outcome(notice="Taken back: the shelf lies as if that had not been; what was moved since stays."))


@router.post("/shelf/held", name="mark_held")
def mark_held(desk: ChangeDesk) -> Response:
    """Note that reserved pieces are used, or have come back."""
    state: UseState = "used" if desk.text("do") == "used" else "returned"
    try:
        desk.shop.builds.mark_held(desk.text("of_build"), desk.number("use"), state, desk.author)
    except InputError as refused:
        return page(desk, Outcome(errors=refused.errors))
    return page(desk)


@router.post("/shelf/csv", name="read_shelf_csv")
def read_csv(desk: ChangeDesk) -> Response:
    """Show what a file would change on the shelf."""
    upload = desk.form.get("csv")
    try:
        if not isinstance(upload, UploadFile) or not upload.filename:
            raise InputError("csv", "choose a file first")
        with upload.file as file:
            data = file.read(csv_table.LARGEST_BYTES + 1)
        preview = shelf_csv.read(desk.shop.shelf.items(), data)
        content = csv_table.decoded(data)
    except InputError as refused:
        return page(desk, Outcome(errors=refused.errors))
    return page(desk, None, preview, content, upload.filename[:80])


@router.post("/shelf/csv/accept", name="accept_shelf_csv")
def accept_csv(desk: ChangeDesk) -> Response:
    """Put all of a file on the shelf, or nothing."""
    try:
        preview = shelf_csv.read(desk.shop.shelf.items(), desk.text("content").encode())
        if preview.items is None:
            raise InputError("csv", "some lines are refused now; bring the file in again")
        desk.shop.shelf.keep_all(preview.items, desk.person.name, f"Brought in {desk.text('file_name')[:80]}")
    except InputError as refused:
        return page(desk, Outcome(errors=refused.errors))
    return page(desk, Outcome(notice=f"{desk.text('file_name')[:80]} is in."))
