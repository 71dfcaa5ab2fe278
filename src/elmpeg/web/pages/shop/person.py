"""A person's own page: units, theme, tokens for the JSON interface."""

from __future__ import annotations

from typing import get_args

from fastapi import APIRouter
from fastapi.responses import Response

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.store.accounts import Units
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import COOKIE, PostedDesk, ReadDesk

router = APIRouter()

UNITS: dict[Units, str] = {
    "mm": "millimetres",
    "in_fraction_16": "inches, in sixteenths",
    "in_fraction_32": "inches, in thirty-seconds",
    "in_decimal": "inches, decimal",
}
THEMES = {"light": "Paper, for the day", "dark": "Dark, for night work"}


def _page(desk: Desk, outcome: Outcome | None = None, secret: str = "", device_secret: str = "") -> Response:
    return desk.render(
        "shop/person.html",
        outcome,
        units=UNITS,
        themes=THEMES,
        tokens=desk.shop.accounts.tokens(desk.person),
        devices=desk.shop.devices.held_by(desk.person.id),
        tools=desk.shop.records.get().tools,
        secret=secret,
        device_secret=device_secret,
        build=None,
    )


@router.get("/me", name="person")
def show(desk: ReadDesk) -> Response:
    """One's own page."""
    return _page(desk)


@router.post("/me", name="prefer")
def prefer(desk: PostedDesk) -> Response:
    """Keep units and theme."""
    units = next((u for u in get_args(Units) if u == desk.text("units")), None)
    if units is None or desk.text("theme") not in THEMES:
        return _page(desk, Outcome(errors=(FieldError("units", "Choose units and a theme from the lists."),)))
    desk.shop.accounts.prefer(desk.person, units, desk.text("theme"), desk.text("keys") == "1")
    return desk.go(str(desk.request.app.url_path_for("person")))


@router.post("/me/password", name="change_password")
def change_password(desk: PostedDesk) -> Response:
    """Choose another password; other browsers are signed out."""
    keep = desk.request.cookies.get(COOKIE, "")
    try:
        desk.shop.accounts.change_password(desk.person, desk.text("old_password"), desk.text("new_password"), keep)
    except InputError as refused:
        return _page(desk, Outcome(errors=refused.errors))
    desk.shop.hub.look_again(desk.person.id)
    return _page(
        desk,
        Outcome(notice="Your password is changed; your other browsers are signed out, and your tokens and devices are no longer known."),
    )


@router.post("/me/tokens", name="make_token")
def make_token(desk: PostedDesk) -> Response:
    """Make a token and show it this once."""
    try:
        return _page(desk, secret=desk.shop.accounts.make_token(desk.person, desk.text("name")))
    except InputError as refused:
        return _page(desk, Outcome(errors=refused.errors))


@router.post("/me/devices", name="add_device")
def add_device(desk: PostedDesk) -> Response:
    """Take a measuring device on; its token is shown this once."""
    tool = next((t.id for t in desk.shop.records.get().tools if t.id == desk.text("tool")), "tape")
    try:
        return _page(desk, device_secret=desk.shop.devices.add(desk.person.id, desk.text("device_name"), tool))
    except InputError as refused:
        return _page(desk, Outcome(errors=(FieldError("device_name", refused.message),)))


@router.post("/me/devices/{device_id}/drop", name="drop_device")
def drop_device(device_id: int, desk: PostedDesk) -> Response:
    """Make a device's token useless."""
    desk.shop.devices.drop(desk.person.id, device_id)
    return _page(desk)


@router.post("/me/tokens/{token_id}/drop", name="drop_token")
def drop_token(token_id: int, desk: PostedDesk) -> Response:
    """Make a token useless."""
    desk.shop.accounts.drop_token(desk.person, token_id)
    return _page(desk)
