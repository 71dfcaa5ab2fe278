"""The web application, put together."""

from __future__ import annotations

from pathlib import Path

import structlog
from fastapi import FastAPI, HTTPException, Request
from fastapi.exceptions import RequestValidationError
from fastapi.middleware.gzip import GZipMiddleware
from fastapi.responses import FileResponse, HTMLResponse, JSONResponse, Response
from fastapi.routing import APIRoute
from fastapi.staticfiles import StaticFiles
from sqlalchemy.exc import DBAPIError
from starlette.exceptions import HTTPException as StarletteHTTPException
from starlette.requests import ClientDisconnect

from elmpeg import __version__
from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.judging.kinds import Runner
from elmpeg.store.accounts import Accounts
from elmpeg.store.book import Book
from elmpeg.store.builds import Builds
from elmpeg.store.database import Database
from elmpeg.store.devices import Devices
from elmpeg.store.glances import Glances
from elmpeg.store.meshes import Meshes
from elmpeg.store.notebook import Notebook
from elmpeg.store.photos import Photos
from elmpeg.store.revisions import DamagedError
from elmpeg.store.shop_record import ShopRecords
from elmpeg.store.stock import Shelf
from elmpeg.store.troubles import in_words
from elmpeg.web import api, device_api
from elmpeg.web.pages.reckoner import calculation, reckoner, slips
from elmpeg.web.pages.shop import (
    about_build,
    bench,
    book,
    builds,
    first,
    history,
    kit,
    new_build,
    people,
    person,
    photos,
    shelf,
    shop_page,
    sign_in,
    stop_reading,
    things,
)
from elmpeg.web.patience import Patience
from elmpeg.web.security import API, BodyLimit, guard
from elmpeg.web.settings import Settings
from elmpeg.web.shop import HERE, Shop, templates
from elmpeg.web.stage_list import page_modules

log = structlog.get_logger()


def tell_of_trouble(runner: Runner, thing: object, trouble: Exception) -> None:
    """Log what could not be worked out."""
    log.error("not worked out", of=runner.name, thing=getattr(thing, "id", ""), exc_info=trouble)


def make_app(settings: Settings | None = None, database: Database | None = None, accounts: Accounts | None = None) -> FastAPI:
    """An application over one database."""
    settings = settings or Settings()
    database = database or Database(Path(settings.data) / "elmpeg.db")
    app = FastAPI(title="Elm Peg", version=__version__, openapi_url="/api/v1/openapi.json", docs_url=None, redoc_url=None)
    app.state.database = database
    app.state.shop = Shop(
        settings,
        accounts or Accounts(database),
        Builds(database),
        Shelf(database),
        templates(),
        Devices(database),
        Photos(database.path.with_name("photos")),
        ShopRecords(database),
        Book(database),
        Meshes(database.path.with_name("meshes")),
        Notebook(database),
        Glances(database),
    )
    app.state.shop.url.app = app
    app.add_middleware(Patience, templates=app.state.shop.templates, settings=settings)
    app.middleware("http")(guard)
    app.add_middleware(BodyLimit)
    # Pages are much of one kind; the quickest setting already takes nine tenths off them.
    app.add_middleware(GZipMiddleware, minimum_size=1000, compresslevel=1)
    named: dict[str, str] = {}
    app.mount("/static", StaticFiles(directory=HERE / "static"), name="static")
    for module in (
        *(
            first,
            sign_in,
            stop_reading,
            new_build,
            builds,
            about_build,
            history,
            things,
            shelf,
            book,
            shop_page,
            people,
            person,
            bench,
            kit,
            photos,
        ),
        *(reckoner, calculation, slips),
        *page_modules(),
    ):
        pages = [r for r in module.router.routes if isinstance(r, APIRoute)]
        for route in pages:
            # Of two addresses with one name a page would silently reach the first.
            if named.setdefault(route.name, route.path) != route.path:
                raise ValueError(f"{route.path} and {named[route.name]} are both called {route.name}")
            route.include_in_schema = False
        # They need nothing that including them would add, and that would work each of them out anew for every application.
        app.router.routes += pages
        app.state.shop.page_routes += [r for r in pages if "GET" in (r.methods or ())]
    app.include_router(api.router)
    app.include_router(device_api.router)

    @app.get("/service-worker.js", include_in_schema=False)
    def service_worker() -> FileResponse:
        # At the root, since a worker reaches only what lies beneath it.
        return FileResponse(HERE / "static" / "service-worker.js", media_type="text/javascript", headers={"Cache-Control": "no-cache"})

    @app.get("/healthz", include_in_schema=False)
    async def healthz() -> dict[str, str]:
        return {"status": "ok", "version": __version__}

    _explain_errors(app)
    return app


def _explain_errors(app: FastAPI) -> None:
    """No user ever sees a raw exception: words for people, field and message for machines."""

    def said(request: Request, status: int, field: str, message: str) -> Response:
        if request.url.path.startswith(API):
            return JSONResponse({"errors": [{"field": field, "message": message}]}, status)
        page = request.app.state.shop.templates.get_template("shell/error.html").render(status=status, message=message)
        return HTMLResponse(page, status)

    @app.exception_handler(StarletteHTTPException)
    def refused(request: Request, error: HTTPException) -> Response:
        message = "There is no such page." if error.status_code == 404 and error.detail == "Not Found" else str(error.detail)
        return said(request, error.status_code, "request", message)

    @app.exception_handler(MissingError)
    def missing(request: Request, error: MissingError) -> Response:
        return said(request, 404, "id", f"{str(error)[0].upper()}{str(error)[1:]}.")

    @app.exception_handler(InputError)
    def impossible(request: Request, error: InputError) -> Response:
        if request.url.path.startswith(API):
            return JSONResponse({"errors": [{"field": e.field, "message": e.message} for e in error.errors]}, 422)
        words = f"{error.message[0].upper()}{error.message[1:]}." if isinstance(error, DamagedError) else str(error)
        return said(request, 422, error.errors[0].field, words)

    @app.exception_handler(RequestValidationError)
    def malformed(request: Request, error: RequestValidationError) -> Response:
        return said(request, 422, "request", "is not as described in the interface's schema")

    @app.exception_handler(ClientDisconnect)
    def left(request: Request, error: ClientDisconnect) -> Response:
        # Somebody went on to another page while this was being sent: nobody hears the answer, and nothing is wrong.
        return Response(status_code=400)

    @app.exception_handler(OverflowError)
    def too_large(request: Request, error: OverflowError) -> Response:
        return said(request, 422, "request", "A number here is larger than anything that is counted; write a smaller one.")

    @app.exception_handler(DBAPIError)
    @app.exception_handler(OSError)
    def disk(request: Request, error: DBAPIError | OSError) -> Response:
        words = in_words(error, request.app.state.database.path)
        if words is None:
            return broken(request, error)
        return said(request, 507, "disk", f"{words[0].upper()}{words[1:]}.")

    @app.exception_handler(Exception)
    def broken(request: Request, error: Exception) -> Response:
        log.error("request failed", path=request.url.path, exc_info=error)
        return said(request, 500, "request", "Something went wrong here. Nothing was changed; please try again.")
