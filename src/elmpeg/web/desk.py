"""What every page has at hand: the store, the person, their way of reading values, and the templates."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import datetime
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from jinja2 import Environment, FileSystemLoader, StrictUndefined
from markupsafe import Markup, escape
from starlette.datastructures import FormData

from elmpeg import __version__
from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.document import Build
from elmpeg.core.build.options import Option
from elmpeg.core.evaluation.evaluate import Evaluation, evaluate
from elmpeg.devices.simulated import Simulated
from elmpeg.store.accounts import Accounts, BrowserSession, Person
from elmpeg.store.builds import Author, Builds, Conflict, Head, Saved, UndoState
from elmpeg.store.devices import Devices
from elmpeg.store.photos import Photos
from elmpeg.store.stock import Shelf
from elmpeg.web.clashes import ClashRow, in_words
from elmpeg.web.jobs import Jobs
from elmpeg.web.settings import Settings
from elmpeg.web.showing import Show
from elmpeg.web.streams import Hub

HERE = Path(__file__).parent
Bench = dict[tuple[int, str], tuple[Simulated, str]]
"""By person and kind: the simulated device on their bench, and its token."""
LOOSE_MARK = Markup("<!-- refusals without a field -->")
"""Where a page tells what it was refused for and shows no field of."""
KEPT_PER_OPTION = 3
KEPT_OPTIONS = 100
"""Evaluations kept: the newest few of each option that somebody looks at."""


class StaticNames:
    """Static files under names that change with their content, so that a browser never keeps a stale one."""

    def __init__(self, root: Path) -> None:
        self.root = root
        self._hashes: dict[str, str] = {}

    def __call__(self, name: str) -> str:
        """The path of a static file with its content's hash."""
        if name not in self._hashes:
            self._hashes[name] = hashlib.sha256((self.root / name).read_bytes()).hexdigest()[:12]
        return f"/static/{name}?v={self._hashes[name]}"


@dataclass
class Shop:
    """The application's own things, made once."""

    settings: Settings
    accounts: Accounts
    builds: Builds
    shelf: Shelf
    templates: Environment
    devices: Devices
    photos: Photos
    hub: Hub = field(default_factory=Hub)
    jobs: Jobs = field(default_factory=Jobs)
    bench: Bench = field(default_factory=dict)
    last_sequence: dict[int, int] = field(default_factory=dict)
    evaluations: dict[tuple[str, str], tuple[tuple[Build, Evaluation], ...]] = field(default_factory=dict)

    def evaluated(self, head: Head, option_id: str) -> Evaluation:
        """An option's evaluation; the same document always gives the same answer, so it is kept.

        What an evaluation does not look at (other options, rounds, which is agreed) may differ.
        """
        key = (head.build.id, option_id)
        asked = replace(head.build, options=(head.build.option(option_id),), agreed=None, rounds=())
        for document, found in self.evaluations.get(key, ()):
            if document == asked:
                return found
        made = evaluate(asked, option_id)
        self.evaluations[key] = ((asked, made), *self.evaluations.get(key, ()))[:KEPT_PER_OPTION]
        while len(self.evaluations) > KEPT_OPTIONS:
            self.evaluations.pop(next(iter(self.evaluations)), None)
        return made


def templates() -> Environment:
    """The page templates: everything escaped, an unknown name an error."""
    env = Environment(
        loader=FileSystemLoader(HERE / "templates"), autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True
    )
    env.globals["static"] = StaticNames(HERE / "static")
    env.globals["version"] = __version__
    return env


@dataclass
class Outcome:
    """What became of a change: saved, refused with words beside the fields, or in conflict with somebody else's."""

    saved: Saved | None = None
    errors: tuple[FieldError, ...] = ()
    conflict: Conflict | None = None
    notice: str = ""

    @property
    def status(self) -> int:
        """HTTP status of the page that tells it."""
        return 409 if self.conflict else 422 if self.errors else 200


class Addresses:
    """Paths of routes by their names; a page asks for the same few many times over."""

    def __init__(self, request: Request) -> None:
        self._app = request.app
        self._known: dict[tuple[object, ...], str] = {}

    def __call__(self, route: str, **params: Any) -> str:
        """The path of a route; raises where there is none of that name and parameters."""
        key = (route, *params.items())
        if key not in self._known:
            self._known[key] = str(self._app.url_path_for(route, **params))
        return self._known[key]


@dataclass
class Desk:
    """One request's surroundings."""

    request: Request
    shop: Shop
    session: BrowserSession
    form: FormData = field(default_factory=FormData)

    @property
    def person(self) -> Person:
        """Who asks."""
        return self.session.person

    @property
    def show(self) -> Show:
        """How they read values."""
        return Show(self.person.units)

    @property
    def author(self) -> Author:
        """Who a change is by."""
        return Author(self.person.id, self.person.name)

    def text(self, name: str, default: str = "") -> str:
        """A field of the form or, without one, of the address."""
        value = self.form.get(name)
        if value is None:
            value = self.request.query_params.get(name)
        return value if isinstance(value, str) else default

    def number(self, name: str, default: int = 0) -> int:
        """A whole number among the fields; the default for anything else."""
        try:
            return int(self.text(name, str(default)))
        except ValueError:
            return default

    def change(self, build_id: str, words: str | Callable[[Build], str], edit: Callable[[Build], Build]) -> Outcome:
        """Save an edit of the build as this page showed it (field ``base``), and say what became of it."""
        builds = self.shop.builds
        base = self.number("base") or builds.head(build_id).number
        try:
            text = words(builds.at(build_id, base)) if callable(words) else words
            saved = builds.change(build_id, base, self.author, text, edit)
        except Conflict as conflict:
            return Outcome(conflict=conflict)
        except InputError as refused:
            return Outcome(errors=refused.errors)
        notice = f"Kept together with what came in meanwhile. {'; '.join(saved.brought_in)}." if saved.brought_in else ""
        return Outcome(saved=saved, notice=notice)

    def render(self, name: str, outcome: Outcome | None = None, **context: Any) -> HTMLResponse:
        """A page, or just its shell when the page asks for it itself."""
        outcome = outcome or Outcome()
        htmx = self.request.headers.get("HX-Request") == "true"
        errors = {e.field: e.message for e in outcome.errors}
        page = self.shop.templates.get_template(name).render(
            layout="shell.html" if htmx else "base.html",
            request=self.request,
            url=Addresses(self.request),
            person=self.person,
            csrf=self.session.csrf,
            show=self.show,
            typed=self.form,
            errors=errors,
            loose_mark=LOOSE_MARK,
            outcome=outcome,
            clashes=self._clashes(outcome.conflict),
            posted=[(k, v) for k, v in self.form.multi_items() if isinstance(v, str) and k not in ("csrf", "base")],
            **context,
        )
        loose = {f: m for f, m in errors.items() if "." not in f and f'id="error-{escape(f)}"' not in page}
        page = page.replace(LOOSE_MARK, self.shop.templates.get_template("_refused.html").render(loose=loose))
        # The browser is shown refusals as pages; their status says what they are.
        return HTMLResponse(page, status_code=outcome.status, headers={"Cache-Control": "no-store", "Vary": "HX-Request"})

    def _clashes(self, conflict: Conflict | None) -> list[ClashRow]:
        return in_words(conflict, self.show) if conflict else []

    @staticmethod
    def query(**fields: str) -> str:
        """Fields as the query of an address."""
        return urlencode({k: v for k, v in fields.items() if v})

    def go(self, path: str) -> Response:
        """Send the browser to another page."""
        if self.request.headers.get("HX-Request") == "true":
            return Response(status_code=204, headers={"HX-Redirect": path})
        return RedirectResponse(path, status_code=303)


def now() -> str:
    """The time as readings keep it."""
    return datetime.now().replace(microsecond=0).isoformat()


@dataclass
class BuildPage:
    """What every page about one build shows around its own subject."""

    head: Head
    option: Option
    evaluation: Evaluation
    undo: UndoState
    counts: dict[str, dict[Verdict, int]]
    stage: str

    @property
    def build(self) -> Build:
        """The build."""
        return self.head.build

    @property
    def agreed(self) -> bool:
        """Whether the option being looked at is the agreed one."""
        return self.build.agreed == self.option.id


def chosen_option(build: Build, wanted: str) -> Option:
    """The option asked for, else the first that is not agreed, else the first."""
    for option in build.options:
        if option.id == wanted:
            return option
    return next((o for o in build.options if o.id != build.agreed), build.options[0])


def build_page(desk: Desk, build_id: str, stage: str, head: Head | None = None) -> BuildPage:
    """A build's page as it stands; raises MissingError."""
    head = head or desk.shop.builds.head(build_id)
    option = chosen_option(head.build, desk.text("option"))
    evaluation = desk.shop.evaluated(head, option.id)
    counts: dict[str, dict[Verdict, int]] = {}
    for check in evaluation.checks:
        of_stage = counts.setdefault(check.stage, {})
        of_stage[check.verdict] = of_stage.get(check.verdict, 0) + 1
    return BuildPage(head, option, evaluation, desk.shop.builds.undo_state(build_id), counts, stage)
