"""The shop itself: its name, usual units, rate, tools with their doubt, and the cautions that builds start with."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.verdicts import LEAST_SURE, MOST_SURE
from elmpeg.core.build.survey import Tool
from elmpeg.store.accounts import Units
from elmpeg.store.backup import kept
from elmpeg.store.shop_record import Paper, ShopRecord
from elmpeg.web.desk import Desk
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.shop.person import UNITS
from elmpeg.web.security import LeadDesk, ReadDesk

router = APIRouter()
Text = Callable[[str], str]


def page(desk: Desk, outcome: Outcome | None = None) -> HTMLResponse:
    """The shop's own page."""
    return desk.render(
        "shop/shop.html", outcome, record=desk.shop.records.get(), units=UNITS, papers=get_args(Paper), backups=backups(desk)
    )


def backups(desk: Desk) -> list[str]:
    """The days of the daily backups that are kept, the newest first."""
    return [p.stem.removeprefix("elmpeg-") for p in kept(desk.request.app.state.database.path.parent)]


@router.get("/shop", name="shop_page")
def show(desk: ReadDesk) -> Response:
    """The shop's own page."""
    return page(desk)


@router.post("/shop", name="keep_shop")
def keep(desk: LeadDesk) -> Response:
    """Keep the shop's name, units and rate; its cautions; or a tool."""
    form, record = Form(desk.text, desk.has, desk.show), desk.shop.records.get()
    try:
        do = form.choice("do", ("shop", "cautions", "tool", "tool_out"))
        form.require()
        made = {"shop": _said, "cautions": _cautions, "tool": _tool, "tool_out": _tool_out}[do](form, record, desk.text)
        form.require()
        desk.shop.records.keep(made)
    except InputError as refused:
        return page(desk, Outcome(errors=refused.errors))
    return page(desk, Outcome(notice="Kept. New builds start with it; those in work keep what they have."))


def _said(form: Form, record: ShopRecord, text: Text) -> ShopRecord:
    rate = form.number("hourly_rate", 0, 1e5) if form.given("hourly_rate") else None
    units = form.choice("units", get_args(Units))
    sure = form.number("sure_pct", 100 * LEAST_SURE, 100 * MOST_SURE, 100 * record.sure) / 100
    name = cleaned_name(text("shop_name"), "shop_name")
    paper = form.choice("paper", get_args(Paper), record.paper)
    return replace(record, name=name, units=units, currency=form.text("currency"), hourly_rate=rate, sure=sure, paper=paper)


def _cautions(form: Form, record: ShopRecord, text: Text) -> ShopRecord:
    lines = tuple(" ".join(line.split()) for line in text("cautions").splitlines() if line.strip())
    return replace(record, cautions=lines)


def _tool(form: Form, record: ShopRecord, text: Text) -> ShopRecord:
    name = cleaned_name(text("tool_name"), "tool_name")
    reads = form.choice("tool_reads", ("lengths", "angles"))
    sd = form.length("tool_sd") if reads == "lengths" else form.angle("tool_sd")
    tool_id = text("tool") or new_id(name, (t.id for t in record.tools))
    lengths = reads == "lengths"
    made = Tool(tool_id, name, sd if lengths else 0.0, 0.0 if lengths else sd, form.tick("tool_plumb") and lengths)
    if any(t.id == tool_id for t in record.tools):
        return replace(record, tools=tuple(made if t.id == tool_id else t for t in record.tools))
    return replace(record, tools=(*record.tools, made))


def _tool_out(form: Form, record: ShopRecord, text: Text) -> ShopRecord:
    left = tuple(t for t in record.tools if t.id != text("tool"))
    if len(left) == len(record.tools):
        raise InputError("tool", "is not among the shop's tools any more")
    if not any(t.sd_mm for t in left):
        raise InputError("tool", "is the last one for lengths; a shop needs one")
    return replace(record, tools=left)
