"""Mounts: what fills each gap, from the shelf."""

from __future__ import annotations

from dataclasses import dataclass

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core import edits, shelf
from elmpeg.core.checks import Check
from elmpeg.core.errors import InputError
from elmpeg.core.model import Build, Mount, MountStack, stack_of
from elmpeg.core.rules.mounts import MountState
from elmpeg.core.verdicts import Verdict, worst
from elmpeg.web.desk import Desk, Outcome, build_page
from elmpeg.web.security import ChangeDesk, ReadDesk

router = APIRouter()


@dataclass(frozen=True, slots=True)
class MountRow:
    """One mount with its checks, gravest first."""

    mount: Mount
    state: MountState | None
    checks: dict[str, Check]
    verdict: Verdict
    stack: MountStack | None


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The Mounts page as it stands."""
    at = build_page(desk, build_id, "Mount", outcome.saved.head if outcome and outcome.saved else None)
    states = {m.mount.id: m for m in at.evaluation.mounts}
    rows = []
    for mount in at.build.mounts:
        checks = {c.family: c for c in at.evaluation.checks if c.code.startswith(f"mount.{mount.id}.")}
        verdict = worst(tuple(c.verdict for c in checks.values()))
        rows.append(MountRow(mount, states.get(mount.id), checks, verdict, stack_of(at.option, mount.id)))
    order = {"fails": 0, "near": 1, "unknown": 2, "holds": 3}
    rows.sort(key=lambda r: (order[r.verdict], r.mount.id))
    wanted = desk.text("mount")
    chosen = next((r for r in rows if r.mount.id == wanted), rows[0] if rows else None)
    stacks: tuple[shelf.ShelfStack, ...] = ()
    fitting: tuple[shelf.StockItem, ...] = ()
    if chosen is not None:
        stock = desk.shop.shelf.items()
        stacks = shelf.stacks_for(at.build, at.evaluation, chosen.mount.id, stock)
        fitting = shelf.left_for(at.build, at.option.id, chosen.mount.id, stock)
    return desk.render("mounts.html", outcome, page=at, rows=rows, chosen=chosen, stacks=stacks, fitting=fitting)


@router.get("/builds/{build_id}/mounts", name="mounts")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The Mounts page."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/mounts/stack", name="use_stack")
def use_stack(build_id: str, desk: ChangeDesk) -> Response:
    """Use a stack at a mount, or take it out."""
    option_id, mount_id = desk.text("option"), desk.text("mount")
    stock = desk.shop.shelf.items()
    try:
        wanted = _wanted(desk.text("pieces"))
    except InputError as refused:
        return page(desk, build_id, Outcome(errors=refused.errors))

    def edit(build: Build) -> Build:
        pieces = shelf.pieces_from(build, option_id, mount_id, stock, wanted) if wanted else ()
        return edits.with_stack(build, option_id, mount_id, pieces)

    def words(build: Build) -> str:
        place = f"{build.mount(mount_id).name} in “{build.option(option_id).name}”"
        if not wanted:
            return f"Took the stack out at {place}"
        names = {i.id: i.name for i in stock}
        return f"Used {', '.join(f'{n} × {names.get(k, k)}' for k, n in wanted.items())} at {place}"

    return page(desk, build_id, desk.change(build_id, words, edit))


def _wanted(text: str) -> dict[str, int]:
    """“plate-4:1,washer-25:2” as counts by stock id."""
    wanted: dict[str, int] = {}
    for part in filter(None, text.split(",")):
        stock_id, _, count = part.rpartition(":")
        if not stock_id or not count.isdigit():
            raise InputError("stack", "was not understood; choose one from the list")
        wanted[stock_id] = int(count)
    return wanted
