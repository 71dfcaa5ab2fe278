"""Signing in and out: the only page that answers anybody."""

from __future__ import annotations

import secrets
from urllib.parse import urlsplit

from fastapi import APIRouter, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.demo.seed import PASSWORD, PEOPLE
from elmpeg.store.accounts import SIGNED_IN_FOR, TooManyTries
from elmpeg.web.desk import Desk
from elmpeg.web.security import COOKIE, SIGN_IN_COOKIE, PostedDesk, aside
from elmpeg.web.shop import Shop

router = APIRouter()
KNOWN_COOKIE = "elmpeg_known"
MOST_KNOWN = 8
"""People whom a browser is known to have signed in, the newest; a tablet in a shop is everybody's."""
KNOWN_FOR_S = 365 * 24 * 3600


def _safe_next(wanted: str) -> str:
    """A path of ours to go on to; never another site."""
    try:
        parts = urlsplit(wanted)
    except ValueError:
        return "/"
    plain = wanted.startswith("/") and not wanted.startswith("//") and "\\" not in wanted
    return wanted if plain and not parts.scheme and not parts.netloc else "/"


def _page(request: Request, status: int = 200, login: str = "", error: str = "", after: str = "/", left: bool = False) -> HTMLResponse:
    shop: Shop = request.app.state.shop
    secret = secrets.token_urlsafe(24)
    page = shop.templates.get_template("shop/sign_in.html").render(
        login=login, error=error, after=after, left=left, secret=secret, demo=shop.settings.demo, people=PEOPLE, password=PASSWORD
    )
    response = HTMLResponse(page, status, headers={"Cache-Control": "no-store"})
    response.set_cookie(SIGN_IN_COOKIE, secret, httponly=True, samesite="strict", secure=request.url.scheme == "https", path="/sign-in")
    return response


@router.get("/sign-in", name="sign_in")
def show(request: Request, next: str = "/", left: str = "") -> Response:
    """The sign-in page; ``left`` says that somebody was signed out while a page of theirs was open."""
    return _page(request, after=_safe_next(next), left=left == "1")


@router.post("/sign-in")
async def sign_in(request: Request) -> Response:
    """Check a name and password, slowed down after several wrong ones."""
    form = await request.form(max_files=0, max_fields=10)
    login, password, after = (str(form.get(k, "")) for k in ("login", "password", "next"))
    given, kept = str(form.get("secret", "")), request.cookies.get(SIGN_IN_COOKIE, "")
    if not kept or not secrets.compare_digest(given.encode(), kept.encode()):
        return _page(request, 403, login, "This page was out of date. Please sign in again.", _safe_next(after))
    shop: Shop = request.app.state.shop
    address = request.client.host if request.client else "unknown"
    try:
        secret = await aside(shop.accounts.sign_in, login, password, address, _known(request))
    except InputError as refused:
        return _page(request, 429 if isinstance(refused, TooManyTries) else 422, login, refused.message, _safe_next(after))
    response = await signed_in(request, secret, login, _safe_next(after))
    response.delete_cookie(SIGN_IN_COOKIE, path="/sign-in")
    return response


def _known(request: Request) -> tuple[str, ...]:
    """What this browser keeps of the people who signed in with it."""
    return tuple(filter(None, request.cookies.get(KNOWN_COOKIE, "").split(".")))[:MOST_KNOWN]


async def signed_in(request: Request, secret: str, login: str, after: str) -> RedirectResponse:
    """The way on for a browser that has just been signed in, with the cookies that say so."""
    response = RedirectResponse(after, 303)
    secure = request.url.scheme == "https"
    response.set_cookie(COOKIE, secret, max_age=int(SIGNED_IN_FOR.total_seconds()), httponly=True, samesite="lax", secure=secure)
    mine = await aside(request.app.state.shop.accounts.known_browser, login)
    known = ".".join((mine, *(k for k in _known(request) if k != mine))[:MOST_KNOWN])
    response.set_cookie(KNOWN_COOKIE, known, max_age=KNOWN_FOR_S, httponly=True, samesite="strict", secure=secure, path="/sign-in")
    return response


@router.post("/sign-out/everywhere", name="sign_out_everywhere")
def sign_out_everywhere(desk: PostedDesk) -> Response:
    """Forget all of this person's browsers, this one among them."""
    desk.shop.accounts.sign_out_everywhere(desk.person)
    return _signed_out(desk)


@router.post("/sign-out", name="sign_out")
def sign_out(desk: PostedDesk) -> Response:
    """Forget this browser."""
    desk.shop.accounts.sign_out(desk.request.cookies.get(COOKIE, ""))
    return _signed_out(desk)


def _signed_out(desk: Desk) -> Response:
    """The way out; the browser is asked to forget every answer that it kept."""
    desk.shop.hub.look_again(desk.person.id)
    response = RedirectResponse("/sign-in", 303, headers={"Clear-Site-Data": '"cache"'})
    response.delete_cookie(COOKIE)
    return response
