"""One way from an act to an outcome, and from an outcome to a page.

A route that changes a build says what it does with an ``Act`` and gives back an
``Outcome``; refusals of whatever it reads or edits become the page it was asked
from, with all that was typed still in its fields.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any
from urllib.parse import unquote, urlsplit

from fastapi import Request
from fastapi.responses import RedirectResponse, Response
from starlette.datastructures import FormData
from starlette.routing import Match

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.alone import AGAIN_WAYS
from elmpeg.core.build.document import Build
from elmpeg.web.desk import Desk
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ChangeDesk

Page = Callable[[Desk, str, Outcome], Response]
"""Shows a build's page with what became of a change."""


@dataclass
class Act:
    """One press of a button on a build's page: the build as that page showed it, and the form that came with it."""

    desk: Desk
    build_id: str
    build: Build
    form: Form

    def text(self, name: str, default: str = "") -> str:
        """A field of the form or of the address, as it stands."""
        return self.desk.text(name, default)

    def path(self, name: str) -> str:
        """A part of the address besides the build's id."""
        return str(self.desk.request.path_params[name])

    def go_to(self, name: str, **query: str) -> Response:
        """Send the browser to another page of the build, on the option that was shown."""
        return self.desk.go(f"{self.desk.shop.url(name, build_id=self.build_id)}?{self.desk.query(option=self.text('option'), **query)}")

    def looked_again(self) -> str:
        """How somebody who works alone says that they looked at their own work again: the way they chose, and a note."""
        return " ".join(filter(None, (self.form.choice("alone_way", AGAIN_WAYS), self.text("alone_note").strip())))

    def change(self, words: str | Callable[[Build], str], edit: Callable[[Build], Build]) -> Outcome:
        """Save an edit, unless a field that was read is refused; raises InputError with all refusals."""
        self.form.require()
        return self.desk.change(self.build_id, words, edit)


def answers(page: Page, needs: Any = ChangeDesk) -> Callable[[Callable[[Act], Outcome | Response]], Callable[..., Response]]:
    """Makes a route of a handler: its outcome, or what it refuses, is shown by ``page``.

    ``needs`` says who may press: anybody who changes builds, or leads only.
    """

    def made(handler: Callable[[Act], Outcome | Response]) -> Callable[..., Response]:
        def route(build_id: str, desk: Desk) -> Response:
            form = Form(desk.text, desk.has, desk.show)
            try:
                outcome = handler(Act(desk, build_id, desk.seen(build_id), form))
            except InputError as refused:
                outcome = Outcome(errors=(*form.errors, *(e for e in refused.errors if e not in form.errors)))
            except MissingError as gone:
                # Named by a page that was drawn before somebody took it out; what was typed about it is shown with this.
                desk.shop.builds.head(build_id)
                outcome = Outcome.of_gone(gone)
            if isinstance(outcome, Response):
                return outcome
            try:
                return page(desk, build_id, outcome)
            except MissingError:
                if not outcome.errors and not outcome.conflict:
                    raise
                return same_page(desk, build_id, outcome)

        route.__name__, route.__doc__ = handler.__name__, handler.__doc__
        route.__annotations__ = {"build_id": str, "desk": needs, "return": Response}
        return route

    return made


def same_page(desk: Desk, build_id: str, outcome: Outcome) -> Response:
    """The page and tab that a button was pressed on, drawn again with what became of it.

    What the page's own state fields say goes before what its address says.
    """
    request = desk.request
    where = urlsplit(request.headers.get("HX-Current-URL") or request.headers.get("Referer") or "")
    home = urlsplit(str(request.app.url_path_for("bay", build_id=build_id)))
    for place in (where, home):
        scope = {
            **request.scope,
            "path_params": {},
            "type": "http",
            "method": "GET",
            "path": unquote(place.path),
            "query_string": place.query.encode("latin-1", "replace"),
        }
        for route in desk.shop.page_routes:
            match, found = route.matches(scope)
            if match is Match.FULL and found["path_params"].get("build_id") == build_id and "desk" in route.endpoint.__annotations__:
                # The page that it was sent from reads its own fields of it; another one would take them for something else.
                form = desk.form if place is where else FormData()
                there = Desk(Request({**scope, **found}), desk.shop, desk.session, form, outcome, request.url.path, desk.form)
                try:
                    shown: Response = route.endpoint(**found["path_params"], desk=there)
                except MissingError:
                    # Of a thing that is gone: the build itself is still there.
                    break
                return shown
    return RedirectResponse(home.path, 303)
