"""The measuring list for the tablet: one large quantity after the other, kept in the browser while the network is away."""

from __future__ import annotations

import json
import re
from datetime import datetime
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, JSONResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.stages.measure import measuring_list
from elmpeg.core.stages.measure.measuring_list import Entry, Quantity, Understood
from elmpeg.store.builds import TakenIn
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk, now
from elmpeg.web.drawing.survey import asked_sheet
from elmpeg.web.security import ChangeDesk, ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
KEY = re.compile(r"[a-z0-9\-]{8,40}")
MOST_ENTRIES = 500
DRAWN_AT_ONCE = 60
LONGEST_TEXT = 120


def page(desk: Desk, build_id: str) -> HTMLResponse:
    """The list."""
    at = build_page(desk, build_id, "Measure")
    scopes = {"missing": "still missing", VEHICLE: "all on the vehicle"} | {
        c.id: f"on {c.name}" for c in at.build.components if any(p.on == c.id for p in at.build.points)
    }
    if at.build.drivelines:
        scopes[measuring_list.LINES] = "lengths and slopes of drivelines"
    scope = desk.text("scope") if desk.text("scope") in scopes else "missing"
    listed = measuring_list.quantities(at.build, scope)
    data = {
        "build": build_id,
        "unit": desk.show.length_unit,
        "person": desk.person.name,
        "queue": str(desk.request.app.url_path_for("take_queue", build_id=build_id)),
        "understand": str(desk.request.app.url_path_for("understand", build_id=build_id)),
        "quantities": [_plain(desk, q) for q in listed],
        "drawing": str(desk.request.app.url_path_for("asked_drawing", build_id=build_id)),
    }
    # The first ones come with the page, so that a walk round the vehicle needs no network; of a long list the rest is fetched.
    drawings = [(q.id, asked_sheet(at.build, q, desk.show)) for q in listed[:DRAWN_AT_ONCE]]
    return desk.render(
        "measure/measuring_list.html",
        page=at,
        scopes=scopes,
        scope=scope,
        listed=listed,
        data=data,
        drawings=drawings,
        tools=at.build.tools,
        tab="list",
    )


def _plain(desk: Desk, q: Quantity) -> dict[str, Any]:
    before = "" if q.before is None else str(desk.show.value(q.before, q.unit))
    return {
        "id": q.id, "title": q.title, "what": q.what, "unit": "°" if q.unit == "deg" else desk.show.length_unit,
        "kind": q.unit, "tool": q.tool, "before": before, "wanted": q.wanted,
    }  # fmt: skip


@router.get("/builds/{build_id}/measure/list", name="measuring_list")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The list, one quantity at a time."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/measure/list/drawing", name="asked_drawing")
def drawing(build_id: str, desk: ReadDesk) -> Response:
    """Where one figure of the list is taken; empty for one that hangs on no point, or is no longer asked."""
    build = desk.shop.builds.head(build_id).build
    on = next((p.on for p in build.points if desk.text("asked").startswith(f"p:{p.id}:")), VEHICLE)
    quantity = next((q for q in measuring_list.quantities(build, on) if q.id == desk.text("asked")), None)
    return HTMLResponse(asked_sheet(build, quantity, desk.show) if quantity else "", headers={"Cache-Control": "no-store"})


@router.get("/builds/{build_id}/measure/understood", name="understand")
def understand(build_id: str, desk: ReadDesk) -> Response:
    """What a text would be taken for, before it is kept."""
    build = desk.shop.builds.head(build_id).build
    entry = Entry("echo", desk.text("asked"), _tidy(desk.text("text")), "tape", now())
    try:
        said = measuring_list.understood(build, entry, desk.show.length_unit)
    except InputError as refused:
        return JSONResponse({"refused": refused.message})
    return JSONResponse({"echo": echo(desk, said), "asks": _asks(desk, said)})


def echo(desk: Desk, said: Understood) -> str:
    """What was understood, in words."""
    figures = ", ".join(str(desk.show.value(v, said.unit)) for v in said.values)
    return f"{said.title} {said.what} = {figures}"


def _asks(desk: Desk, said: Understood) -> str:
    return (
        "" if said.slip is None else f"This {said.slip.why}. In {said.slip.unit} it would be {desk.show.value(said.slip.meant_mm, 'mm')}."
    )


def _tidy(text: str) -> str:
    return " ".join(text.replace(MINUS, "-").split())[:LONGEST_TEXT]


@router.post("/builds/{build_id}/measure/queue", name="take_queue")
def take_queue(build_id: str, desk: ChangeDesk) -> Response:
    """Take in what a browser has queued: each key once, however often it is sent; what is refused goes back with its reason."""
    try:
        entries = _entries(desk.text("entries"))
    except InputError as refused:
        return JSONResponse({"errors": [{"field": e.field, "message": e.message} for e in refused.errors]}, 422)
    refusals: dict[str, dict[str, str]] = {}
    echoes: dict[str, str] = {}
    titles: list[str] = []

    def edit(build: Build, fresh: tuple[str, ...]) -> TakenIn:
        done: list[str] = []
        refusals.clear()
        titles.clear()
        for key, plain in entries.items():
            if key not in fresh:
                continue
            try:
                if "undo" in plain:
                    build = measuring_list.without_entry(build, plain["undo"])
                    refusals.pop(plain["undo"], None)
                    if plain["undo"] in fresh:
                        # What is undone before it has come in must not come in later.
                        done.append(plain["undo"])
                    echoes[key] = "Taken back"
                else:
                    entry = Entry(key, plain["asked"], _tidy(plain["text"]), plain["tool"], plain["taken_at"], plain["sure"])
                    taken = measuring_list.with_entry(build, entry, desk.show.length_unit, desk.person.name)
                    build, echoes[key] = taken.build, echo(desk, taken.understood)
                    titles.append(f"{taken.understood.title} {taken.understood.what} {entry.text}")
                done.append(key)
            except InputError as refused:
                refusals[key] = {"field": refused.errors[0].field, "message": refused.message}
        return TakenIn(build, tuple(dict.fromkeys(done)), f"Measuring list: {'; '.join(titles) or 'taken back'}")

    undone = tuple(p["undo"] for p in entries.values() if "undo" in p)
    try:
        desk.shop.builds.take(build_id, desk.author, (*entries, *undone), edit)
    except InputError as refused:
        return JSONResponse({"errors": [{"field": e.field, "message": e.message} for e in refused.errors]}, 422)
    return JSONResponse({"taken": [k for k in entries if k not in refusals], "refused": refusals, "echoes": echoes})


def _entries(text: str) -> dict[str, dict[str, Any]]:
    try:
        plain = json.loads(text)
    except (ValueError, RecursionError):
        raise InputError("entries", "is not readable JSON") from None
    if not isinstance(plain, list) or len(plain) > MOST_ENTRIES:
        raise InputError("entries", f"must be a list of at most {MOST_ENTRIES} readings")
    found: dict[str, dict[str, Any]] = {}
    for item in plain:
        key = item.get("key") if isinstance(item, dict) else None
        if not isinstance(key, str) or not KEY.fullmatch(key):
            raise InputError("entries", "each needs a key of 8 to 40 small letters, digits or hyphens")
        if isinstance(item.get("undo"), str) and KEY.fullmatch(item["undo"]):
            found[key] = {"undo": item["undo"]}
            continue
        texts = {name: item.get(name, "") for name in ("asked", "text", "tool")}
        if not all(isinstance(v, str) and len(v) <= 400 for v in texts.values()):
            raise InputError("entries", "each needs what was asked, the text and the tool")
        found[key] = {**texts, "taken_at": _moment(item.get("taken_at")), "sure": item.get("sure") is True}
    return found


def _moment(text: Any) -> str:
    """The time that the browser noted, or now where it makes no sense."""
    try:
        return datetime.fromisoformat(text).replace(microsecond=0, tzinfo=None).isoformat()
    except (TypeError, ValueError):
        return now()
