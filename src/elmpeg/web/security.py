"""Who may ask for what: sessions, tokens, forged requests, sizes, and the headers that keep a browser strict."""

from __future__ import annotations

import secrets
from collections.abc import Callable
from functools import partial
from typing import Annotated, ParamSpec, TypeVar
from urllib.parse import quote, urlsplit

from anyio import CapacityLimiter, to_thread
from anyio.lowlevel import RunVar
from fastapi import Depends, HTTPException, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.datastructures import FormData
from starlette.middleware.base import RequestResponseEndpoint
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from elmpeg.core.build.roles import ROLES
from elmpeg.store.accounts import BrowserSession, Person
from elmpeg.web.desk import Desk
from elmpeg.web.shop import Shop

COOKIE = "elmpeg_session"
SIGN_IN_COOKIE = "elmpeg_sign_in"
FIRST = "/first"
OPEN_PATHS = ("/sign-in", "/healthz", "/service-worker.js", FIRST)
OPEN_FOLDERS = ("/static/", "/welcome/")
STATIC = "/static/"
HSTS = "max-age=31536000"
"""Said where the page came over TLS: browsers then never ask for it without, for a year."""
THREADS_ASIDE = 8
P = ParamSpec("P")
T = TypeVar("T")
_LIMITER: RunVar[CapacityLimiter] = RunVar("threads aside")
API = "/api/"
SAFE = ("GET", "HEAD", "OPTIONS")
LARGEST_BODY = 13_000_000
"""A photograph of 12 MB with the form around it."""
MOST_FIELDS = 20_000
"""A round of the largest build is one form: three figures for each of 5000 points, and one for each prediction."""
LARGEST_ZIP = 200_000_000
LARGEST_MESH = 62_000_000
MESH_FILE = "/shapes/file"
NEW_BUILD, FILE_OF_BUILD = "/builds", "/file"
DEVICES = "/api/v1/readings"
STREAM = "/stream"
POLICY = (
    "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self' data:; font-src 'self'; connect-src 'self'; "
    "form-action 'self'; base-uri 'none'; frame-ancestors 'none'; manifest-src 'self'; worker-src 'self'"
)


def is_open(path: str) -> bool:
    """Whether a path answers without a session."""
    return path in OPEN_PATHS or path.startswith(OPEN_FOLDERS)


def _threads() -> CapacityLimiter:
    try:
        return _LIMITER.get()
    except LookupError:
        made = CapacityLimiter(THREADS_ASIDE)
        _LIMITER.set(made)
        return made


async def aside(work: Callable[P, T], *args: P.args, **kwargs: P.kwargs) -> T:
    """Do work that waits for a disk or hashes a password off the event loop, on threads of its own: savers who wait do not hold them."""
    return await to_thread.run_sync(partial(work, *args, **kwargs), limiter=_threads())


async def guard(request: Request, call_next: RequestResponseEndpoint) -> Response:
    """Let nothing through without a session or a token, and make every answer strict."""
    shop: Shop = request.app.state.shop
    request.state.session = request.state.bearer = None
    path, secure = request.url.path, request.url.scheme == "https"
    if path not in (FIRST, "/healthz", "/service-worker.js") and not path.startswith((STATIC, API)) and not shop.begun():
        return _strict(RedirectResponse(FIRST, 303), path, secure)
    if not is_open(path):
        refused = await aside(_identified, request, shop)
        if refused is not None:
            return _strict(refused, path, secure)
    if request.method not in SAFE and request.headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        return _strict(JSONResponse({"errors": [{"field": "request", "message": "comes from another site"}]}, 403), path, secure)
    return _strict(await call_next(request), path, secure)


def _identified(request: Request, shop: Shop) -> Response | None:
    api = request.url.path.startswith(API)
    header = request.headers.get("authorization", "")
    if request.url.path == DEVICES:
        # A device's token opens this one door and no other.
        request.state.device = shop.devices.of_token(header[7:].strip()) if header.lower().startswith("bearer ") else None
        if request.state.device is not None:
            return None
        said = [{"field": "authorization", "message": "needs the token of a device; its holder makes one on their own page"}]
        return JSONResponse({"errors": said}, 401, headers={"WWW-Authenticate": "Bearer"})
    if api and header.lower().startswith("bearer "):
        request.state.bearer = shop.accounts.bearer(header[7:].strip())
    if request.state.bearer is None:
        request.state.session = shop.accounts.session(request.cookies.get(COOKIE, ""))
    if request.state.bearer or request.state.session:
        return None
    if api:
        said = [{"field": "authorization", "message": "needs a signed-in session or a bearer token; a person makes one on their own page"}]
        return JSONResponse({"errors": said}, 401, headers={"WWW-Authenticate": "Bearer"})
    if request.url.path == STREAM:
        # A browser asks again and again for a stream that ended, and shows nobody where it is sent instead; this tells it to leave it.
        return Response(status_code=204)
    where = f"/sign-in?next={quote(_looked_at(request), safe='/')}"
    if request.headers.get("HX-Request") == "true":
        return Response(status_code=401, headers={"HX-Redirect": f"{where}&left=1"})
    return RedirectResponse(where, 303)


def _looked_at(request: Request) -> str:
    """The page that was looked at when something was asked for: that itself, or where it was asked from."""
    asked_from = request.headers.get("HX-Current-URL") or ("" if request.method == "GET" else request.headers.get("Referer", ""))
    if not asked_from and request.method != "GET":
        return "/"
    there = urlsplit(asked_from) if asked_from else request.url
    return there.path + (f"?{there.query}" if there.query else "")


def _strict(response: Response, path: str, secure: bool) -> Response:
    response.headers["Content-Security-Policy"] = POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    response.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    if secure:
        response.headers["Strict-Transport-Security"] = HSTS
    if path.startswith(STATIC):
        response.headers["Cache-Control"] = "public, max-age=31536000, immutable"
    else:
        # Whoever takes the tablet next is served nothing that was answered to somebody else.
        response.headers.setdefault("Cache-Control", "no-store")
    return response


class BodyLimit:
    """Refuses bodies above a size, whether they say how long they are or not."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Count what comes in and stop at the limit."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        whole = scope["path"] == NEW_BUILD or (scope["path"].endswith(FILE_OF_BUILD) and not scope["path"].endswith(MESH_FILE))
        largest = LARGEST_ZIP if whole else LARGEST_MESH if scope["path"].endswith(MESH_FILE) else LARGEST_BODY
        declared = next((int(v) for k, v in scope["headers"] if k == b"content-length" and v.isdigit()), 0)
        if declared > largest:
            said = {"errors": [{"field": "file", "message": f"is too large; at most {largest // 1_000_000} MB are taken"}]}
            await JSONResponse(said, 413)(scope, receive, send)
            return
        taken = 0

        async def counted() -> Message:
            nonlocal taken
            message = await receive()
            taken += len(message.get("body", b""))
            if taken > largest:
                return {"type": "http.disconnect"}
            return message

        await self.app(scope, counted, send)


def desk(request: Request) -> Desk:
    """The desk of a signed-in browser."""
    session: BrowserSession | None = request.state.session
    if session is None:
        raise HTTPException(403, "This needs a signed-in browser.")
    return Desk(request, request.app.state.shop, session)


async def posted(request: Request) -> Desk:
    """The desk of a signed-in browser that changes something: the request must carry the session's own secret."""
    at = desk(request)
    form: FormData = await request.form(max_files=1, max_fields=MOST_FIELDS)
    given = request.headers.get("X-CSRF-Token") or form.get("csrf") or ""
    if not isinstance(given, str) or not secrets.compare_digest(given.encode(), at.session.csrf.encode()):
        raise HTTPException(403, "This page is out of date. Load it again and repeat the change; nothing was saved.")
    at.form = form
    return at


def changer(at: Annotated[Desk, Depends(posted)]) -> Desk:
    """A desk whose person may change builds."""
    if not at.person.may_change:
        raise HTTPException(403, ROLES[at.person.role].refused)
    return at


def lead(at: Annotated[Desk, Depends(posted)]) -> Desk:
    """A desk whose person leads."""
    if not at.person.leads:
        raise HTTPException(403, ROLES[at.person.role].refused)
    return at


def caller(request: Request) -> Person:
    """Who uses the JSON interface, by token or by session."""
    person: Person | None = request.state.bearer or (request.state.session.person if request.state.session else None)
    if person is None:
        raise HTTPException(401, "needs a session or a token")
    return person


def calling_changer(request: Request, person: Annotated[Person, Depends(caller)]) -> Person:
    """Who changes something through the JSON interface; a session must prove itself, a token is proof enough."""
    if request.state.bearer is None:
        given = request.headers.get("X-CSRF-Token", "")
        if not secrets.compare_digest(given.encode(), request.state.session.csrf.encode()):
            raise HTTPException(403, "a signed-in browser must send its X-CSRF-Token")
    if not person.may_change:
        raise HTTPException(403, ROLES[person.role].refused)
    return person


ReadDesk = Annotated[Desk, Depends(desk)]
PostedDesk = Annotated[Desk, Depends(posted)]
ChangeDesk = Annotated[Desk, Depends(changer)]
LeadDesk = Annotated[Desk, Depends(lead)]
Caller = Annotated[Person, Depends(caller)]
CallingChanger = Annotated[Person, Depends(calling_changer)]
