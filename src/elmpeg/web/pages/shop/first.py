"""First start: an empty shop gets its name and its first lead. And the page where somebody chooses a password by a link."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.naming import cleaned_name
from elmpeg.store.accounts import SHORTEST_PASSWORD
from elmpeg.store.shop_record import ShopRecord
from elmpeg.web.pages.shop.person import UNITS
from elmpeg.web.pages.shop.sign_in import signed_in
from elmpeg.web.security import aside
from elmpeg.web.shop import Shop

router = APIRouter()
FIELDS = ("code", "shop_name", "name", "login", "password", "units")


def _page(request: Request, template: str, typed: dict[str, str], errors: tuple[FieldError, ...] = (), **more: Any) -> HTMLResponse:
    shop: Shop = request.app.state.shop
    told = {e.field: e.message for e in reversed(errors)}
    page = shop.templates.get_template(template).render(typed=typed, errors=told, units=UNITS, shortest=SHORTEST_PASSWORD, **more)
    return HTMLResponse(page, 422 if errors else 200, headers={"Cache-Control": "no-store", "Referrer-Policy": "no-referrer"})


@router.get("/first", name="first")
def show(request: Request) -> Response:
    """The page that makes the first lead; once there is one it leads to signing in."""
    shop: Shop = request.app.state.shop
    return RedirectResponse("/sign-in", 303) if shop.begun() else _page(request, "shop/first.html", {})


@router.post("/first")
async def begin(request: Request) -> Response:
    """Make the first lead of an empty shop, and sign them in."""
    form = await request.form(max_files=0, max_fields=20)
    typed = {k: str(form.get(k, "")) for k in FIELDS}
    shop: Shop = request.app.state.shop
    if shop.begun():
        return RedirectResponse("/sign-in", 303)
    try:
        shop.first.require(typed["code"])
        if typed["units"] not in UNITS:
            raise InputError("units", "choose one of the list")
        record = ShopRecord(name=cleaned_name(typed["shop_name"], "shop_name"), units=typed["units"])
        await aside(shop.accounts.add_first, typed["login"], typed["name"], typed["password"], record.units)
    except InputError as refused:
        return _page(request, "shop/first.html", typed, refused.errors)
    await aside(shop.records.keep, record)
    shop.first.done = True
    address = request.client.host if request.client else "unknown"
    return await signed_in(request, await aside(shop.accounts.sign_in, typed["login"], typed["password"], address), typed["login"], "/")


@router.get("/welcome/{secret}", name="welcome")
def welcome(secret: str, request: Request) -> Response:
    """Where somebody chooses their password by the link that a lead gave them."""
    shop: Shop = request.app.state.shop
    return _page(request, "shop/welcome.html", {}, whose=shop.accounts.of_link(secret))


@router.post("/welcome/{secret}")
async def choose(secret: str, request: Request) -> Response:
    """Choose a password, and be signed in with it."""
    form = await request.form(max_files=0, max_fields=10)
    shop: Shop = request.app.state.shop
    password = str(form.get("password", ""))
    try:
        whose = await aside(shop.accounts.choose_password, secret, password)
    except InputError as refused:
        return _page(request, "shop/welcome.html", {"password": password}, refused.errors, whose=shop.accounts.of_link(secret))
    address = request.client.host if request.client else "unknown"
    shop.hub.look_again(whose.id)
    return await signed_in(request, await aside(shop.accounts.sign_in, whose.login, password, address), whose.login, "/")
