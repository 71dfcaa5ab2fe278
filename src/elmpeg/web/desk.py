"""What every page has at hand: the store, the person, their way of reading values, and the templates."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from datetime import datetime
from functools import cached_property
from typing import Any
from urllib.parse import parse_qsl, quote, unquote, urlencode, urlsplit

from fastapi import Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from markupsafe import Markup
from starlette.datastructures import FormData

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.alone import AGAIN_WAYS
from elmpeg.core.build.document import ENTITIES, Build
from elmpeg.core.build.roles import LOOKING
from elmpeg.formats.paper import Head as PaperHead
from elmpeg.formats.stopping import FilesUnderWay
from elmpeg.store.accounts import BrowserSession, Person
from elmpeg.store.builds import Conflict, Head
from elmpeg.store.revisions import Author
from elmpeg.store.shop_record import PAPER_MM
from elmpeg.web.clashes import ClashRow, called_in_forms, in_words
from elmpeg.web.outcome import Outcome
from elmpeg.web.parts import Asked, answer
from elmpeg.web.refusals import told_beside_fields
from elmpeg.web.shop import Shop
from elmpeg.web.showing import Show

SAFE_IN_ADDRESSES = ":/%#?=@[]!$&'()*+,;"
LARGEST_COUNT = 2**53
"""Above every number of a revision, a version or a page; databases count to a little more."""
POINTS_PER_MM = 72 / 25.4
NOTHING_CHANGED = "Nothing was changed: it stands as it was."
LATER_NAMED = 3
"""Changes of others named of those that came in while this person's page was being made."""
NOT_TYPED = ("csrf", "base", "option", "do", "of", "record")
LOOSE_MARK = Markup("<!-- refusals without a field -->")
"""Where a page tells what it was refused for and shows no field of."""


@dataclass
class Desk:
    """One request's surroundings."""

    request: Request
    shop: Shop
    session: BrowserSession
    form: FormData = field(default_factory=FormData)
    outcome: Outcome | None = None
    """What became of a change that was asked for from this page, where the page is drawn again for it."""
    acted: str = ""
    """Where that change was asked for."""
    sent: FormData | None = None
    """What was sent, where the page that tells of it is another than it was sent from and reads nothing of it."""
    only_looked_at: bool = False
    """Whether what the page is about is put away, so that nobody changes it."""

    @property
    def person(self) -> Person:
        """Who asks."""
        return self.session.person

    @property
    def may_change(self) -> bool:
        """Whether they may change what the page is about."""
        return self.person.may_change and not self.only_looked_at

    @property
    def files_under_way(self) -> FilesUnderWay:
        """What is read for them just now, so that they can stop it."""
        return self.shop.files_under_way.of(self.person.id)

    @property
    def show(self) -> Show:
        """How they read values."""
        return Show(self.person.units)

    @property
    def author(self) -> Author:
        """Who a change is by."""
        return Author(self.person.id, self.person.name, self.person.role, self.alone)

    @cached_property
    def alone(self) -> bool:
        """Whether nobody else in the shop may change builds, so that they check their own work."""
        return self.shop.accounts.works_alone()

    def text(self, name: str, default: str = "") -> str:
        """A field of the form or, without one, of the address."""
        value = self.form.get(name)
        if value is None:
            value = self.request.query_params.get(name)
        return value if isinstance(value, str) else default

    def has(self, name: str) -> bool:
        """Whether the form, or the address, has a field at all."""
        return name in self.form or name in self.request.query_params

    def seen(self, build_id: str) -> Build:
        """The build as this page showed it (field ``base``), as it stands where the page did not say; raises MissingError."""
        base = self.number("base")
        return self.shop.builds.at(build_id, base) if base else self.shop.builds.head(build_id).build

    def number(self, name: str, default: int = 0) -> int:
        """A whole number among the fields; the default for anything else, and for what no store counts to."""
        try:
            found = int(self.text(name, str(default)))
        except ValueError:
            return default
        return found if abs(found) <= LARGEST_COUNT else default

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
        notice = self.show.noted(f"Kept together with what came in meanwhile. {'; '.join(saved.brought_in)}.") if saved.brought_in else ""
        return Outcome(saved=saved, notice=notice or ("" if saved.changed else NOTHING_CHANGED))

    def render(self, name: str, outcome: Outcome | None = None, **context: Any) -> HTMLResponse:
        """A page, or just its shell when the page asks for it itself."""
        outcome = self._with_later(outcome or self.outcome or Outcome(), context.get("page"))
        htmx = self.request.headers.get("HX-Request") == "true"
        errors = {e.field: e.message for e in outcome.errors}
        acted = self.acted or self.request.url.path
        page = self.shop.templates.get_template(name).render(
            layout="shell/shell.html" if htmx else "shell/base.html",
            request=self.request,
            acted=acted,
            url=self.shop.url,
            # Of what is put away a page offers what it offers to those who look.
            person=replace(self.person, role=LOOKING) if self.only_looked_at else self.person,
            asker=self.person,
            alone_ways=AGAIN_WAYS,
            bench_there=self.shop.settings.demo,
            csrf=self.session.csrf,
            show=self.show,
            here_with=self.here_with,
            typed=FormData() if errors else self.form,
            refused=errors,
            loose_mark=LOOSE_MARK,
            outcome=outcome,
            clashes=self._clashes(outcome.conflict),
            sent_words=self._typed(context.get("page")) if outcome.conflict else [],
            posted=[(k, v) for k, v in self._sent.multi_items() if isinstance(v, str) and k not in ("csrf", "base")],
            **context,
        )
        loose: dict[str, str] = {}
        if errors:
            page, loose = told_beside_fields(page, errors, acted, self._sent)
        typed = self._typed(context.get("page")) if loose else []
        page = page.replace(LOOSE_MARK, self.shop.templates.get_template("shell/_refused.html").render(loose=loose, typed=typed))
        page = answer(self.shop.shown_pages, page, self._asked(name, getattr(context.get("page"), "head", None)))
        # The browser is shown refusals as pages; their status says what they are.
        return HTMLResponse(page, status_code=outcome.status, headers={"Cache-Control": "no-store", "Vary": "HX-Request"})

    def _asked(self, template: str, head: Head | None) -> Asked:
        """Where an answer goes, as the browser says that asked for it; one that opens a page has none before it."""
        said = self.request.headers if self.request.headers.get("HX-Request") == "true" else {}
        within = tuple(unquote(said.get("X-Within", "")).split(","))
        return Asked(self.session.csrf, template, said.get("X-Page", ""), within, str(head.number) if head is not None else "")

    def _with_later(self, outcome: Outcome, page: Any) -> Outcome:
        """An outcome that also names what others saved since, where the page shows that too."""
        shown = getattr(page, "head", None)
        if outcome.saved is None or shown is None or shown.number <= outcome.saved.head.number:
            return outcome
        steps = self.shop.builds.history(shown.build.id, shown.number - outcome.saved.head.number)
        later = "; ".join(dict.fromkeys(f"{s.person}: {self.show.noted(s.words)}" for s in steps[:LATER_NAMED]))
        more = f"; and {len(steps) - LATER_NAMED} more" if len(steps) > LATER_NAMED else ""
        return replace(outcome, notice=f"{outcome.notice} Saved by others since, and shown: {later}{more}.".strip())

    @property
    def _sent(self) -> FormData:
        return self.form if self.sent is None else self.sent

    def _typed(self, page: Any) -> list[tuple[str, str]]:
        """What was typed and chosen in the form that was sent, in words: where the page has no such form any more, it is shown so."""
        known: set[str] = set()
        if page is not None and getattr(page, "head", None) is not None:
            build = self.seen(page.head.build.id)
            known = {thing.id for name in ENTITIES for thing in getattr(build, name)}
        said = [(k, v) for k, v in self._sent.multi_items() if isinstance(v, str) and v.strip() and k not in NOT_TYPED and v not in known]
        return [(called_in_forms(k), v) for k, v in said]

    def _clashes(self, conflict: Conflict | None) -> list[ClashRow]:
        return in_words(conflict, self.show) if conflict else []

    def paper(self, title: str, build_id: str = "", option_id: str = "") -> PaperHead:
        """What a printed sheet says on every page: of which build, option and revision, by whom, when; on the shop's paper."""
        record, of = self.shop.records.get(), "Not of any build"
        if build_id:
            head = self.shop.builds.head(build_id)
            option = f", “{head.build.option(option_id).name}”" if option_id else ""
            of = f"{head.build.name}{option}, revision {head.number}"
        wide, high = PAPER_MM[record.paper]
        size_pt = (wide * POINTS_PER_MM, high * POINTS_PER_MM)
        return PaperHead(title, of, f"{self.person.name}, {record.name}, {self.show.when(datetime.now())}", size_pt)

    def here_with(self, **fields: str) -> str:
        """The query of the page that is looked at, with some of its fields said otherwise."""
        there = urlsplit(self.request.headers.get("HX-Current-URL") or "").query if self.form else ""
        query = dict(parse_qsl(there)) if there else dict(self.request.query_params)
        return urlencode({**query, **fields})

    @staticmethod
    def query(**fields: str) -> str:
        """Fields as the query of an address."""
        return urlencode({k: v for k, v in fields.items() if v})

    def go(self, path: str) -> Response:
        """Send the browser to another page."""
        if self.request.headers.get("HX-Request") == "true":
            return Response(status_code=204, headers={"HX-Redirect": quote(path, safe=SAFE_IN_ADDRESSES)})
        return RedirectResponse(path, status_code=303)


def now() -> str:
    """The time as readings keep it."""
    return datetime.now().replace(microsecond=0).isoformat()
