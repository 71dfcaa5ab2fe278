"""Builds: what needs attention in the shop. Also a build's options and its history's undo."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from functools import partial
from urllib.parse import parse_qsl, unquote, urlencode, urlsplit

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.advice import agreeing
from elmpeg.core.advice.at_a_glance import glance
from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.judging.checks import Check
from elmpeg.core.judging.in_short import in_short
from elmpeg.core.scene.scene import pose_in
from elmpeg.core.stages.place import option_edits
from elmpeg.store.builds import PLACES, Conflict, Where
from elmpeg.store.glances import Listed
from elmpeg.store.revisions import DamagedError
from elmpeg.web.answers import Act, answers, same_page
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import LeadDesk, ReadDesk

router = APIRouter()
WORKS_OUT_S = 1.5
"""So long an answer goes on working out builds that were never looked at; the page asks again for those that are left."""


CARDS = 24
"""So many builds, the last touched ones, are told in full; the rest have a line each."""


@dataclass(frozen=True, slots=True)
class Incoming:
    """A build file that is looked at before it comes in: its word with the held files, and what it would change."""

    word: str
    name: str
    another: bool
    said: str
    there: Build | None


def _looked_at(desk: Desk, rows: tuple[Listed, ...]) -> list[Listed]:
    """The list with as many looked at as there is time for, and one at least; what is found is kept."""
    shop, until = desk.shop, time.monotonic() + WORKS_OUT_S
    found = []
    for row in rows:
        if (row.id, row.number) in shop.builds.damaged:
            found.append(replace(row, glance=None, damaged=True))
        elif row.glance is None and time.monotonic() < until:
            try:
                head = shop.builds.head(row.id)
            except DamagedError:
                found.append(replace(row, damaged=True))
                continue
            told = glance(head.build, partial(shop.evaluated, head))
            shop.glances.keep(head.number, told)
            found.append(replace(row, glance=told))
        else:
            found.append(row)
    return found


def page(desk: Desk, outcome: Outcome | None = None, incoming: Incoming | None = None) -> HTMLResponse:
    """The Builds page: builds in work first, the last touched at the top."""
    builds = desk.shop.builds
    where: Where = next((w for w in PLACES if w == desk.text("where")), "in work")
    rows = _looked_at(desk, desk.shop.glances.listed(where))
    rows.sort(key=lambda r: r.at, reverse=True)
    rows.sort(key=lambda r: r.glance is not None and r.glance.stage == "Hand over")
    find = desk.text("find").strip().casefold()
    if find:
        rows = [r for r in rows if find in r.name.casefold() or (r.glance and find in r.glance.vehicle.casefold())]
    others = list(builds.counts().items())
    standings = {r.id: builds.standing(r.id) for r in rows} if where != "in work" else {}
    return desk.render(
        "shop/builds.html",
        outcome,
        rows=rows[:CARDS],
        earlier=rows[CARDS:],
        find=desk.text("find").strip(),
        waiting=any(r.glance is None and not r.damaged for r in rows),
        where=where,
        others=others,
        standings=standings,
        record=desk.shop.records.get(),
        incoming=incoming,
    )


@router.get("/", name="builds")
def show(desk: ReadDesk) -> Response:
    """All builds."""
    return page(desk)


@router.post("/builds/{build_id}/readable", name="go_back_to_readable")
def go_back_to_readable(build_id: str, desk: LeadDesk) -> Response:
    """Go back to the newest revision that can be read, where the disk has changed what came after it."""
    try:
        saved = desk.shop.builds.go_back_to_readable(build_id, desk.author)
    except InputError as refused:
        return page(desk, Outcome(errors=refused.errors))
    return page(desk, Outcome(notice=f"{saved.head.build.name} stands as it did after an earlier change; its history says which."))


@router.get("/builds/{build_id}", name="build")
def open_build(build_id: str, desk: ReadDesk) -> Response:
    """A build opens at the Bay."""
    return desk.go(str(desk.request.app.url_path_for("bay", build_id=build_id)))


@router.get("/builds/{build_id}/compare", name="compare")
def compare(build_id: str, desk: ReadDesk) -> Response:
    """Two options side by side, check by check."""
    page_ = build_page(desk, build_id, "Place")
    build = page_.build
    others = [o for o in build.options if o.id != page_.option.id]
    wanted = desk.text("with") or build.agreed or ""
    other = next((o for o in others if o.id == wanted), others[0] if others else page_.option)
    left, right = page_.evaluation, desk.shop.evaluated(page_.head, other.id)
    codes = [c.code for c in left.checks] + [c.code for c in right.checks if left.check(c.code) is None]
    rows = [(left.check(code), right.check(code)) for code in codes]
    positions = [
        (c, pose_in(build, page_.option, c.id), pose_in(build, other, c.id)) for c in build.components if c.parent is None and c.movable
    ]
    return desk.render("shop/compare.html", page=page_, other=other, rows=rows, right=right, positions=positions)


@router.post("/builds/{build_id}/options", name="option_change")
@answers(same_page)
def option_change(act: Act) -> Outcome | Response:
    """Duplicate the option being looked at, rename it, write its note, or take it out."""
    option_id, name = act.text("option"), act.text("name")
    old = act.build.option(option_id).name
    do = act.form.choice("do", ("duplicate", "rename", "note", "remove"), "duplicate")
    if do == "rename":
        return act.change(f"Renamed “{old}” to “{name}”", lambda b: option_edits.with_option_renamed(b, option_id, name))
    if do == "note":
        note = act.text("note")
        return act.change(f"Wrote a note to “{old}”", lambda b: option_edits.with_note(b, option_id, note))
    if do == "remove":
        outcome = act.change(f"Took “{old}” out", lambda b: option_edits.without_option(b, option_id))
        left = next(o.id for o in act.build.options if o.id != option_id) if outcome.saved else option_id
        return _there(act, outcome, left)
    outcome = act.change(f"Duplicated “{old}” as “{name}”", lambda b: option_edits.with_duplicate(b, option_id, name))
    made = outcome.saved.head.build.options[-1].id if outcome.saved else option_id
    return _there(act, outcome, made)


@router.post("/builds/{build_id}/agree", name="agree")
@answers(same_page, LeadDesk)
def agree(act: Act) -> Outcome | Response:
    """Make an option the agreed one and say why, or take an agreement back and say why."""
    option_id = act.text("option")
    name = act.build.option(option_id).name
    because = act.form.reason("because")
    if act.text("do") == "back":
        agreed = act.build.option(act.build.agreed).name if act.build.agreed else name
        return act.change(f"Took the agreement on “{agreed}” back: {because}", option_edits.without_agreed)
    accepted = {v for v in act.desk.form.getlist("except") if isinstance(v, str)}
    show = act.desk.show

    def stood(check: Check) -> str:
        limit = show.limits(check)
        return f"{show.check(check)}, {limit}" if check.value is not None else in_short(check)

    return act.change(f"Agreed “{name}”: {because}", lambda b: agreeing.with_agreed(b, option_id, because, accepted, stood))


def _there(act: Act, outcome: Outcome, option_id: str) -> Outcome | Response:
    """The page that was looked at, on another option, where nothing else has to be told."""
    if not outcome.saved or outcome.notice:
        return outcome
    desk = act.desk
    where = urlsplit(desk.request.headers.get("HX-Current-URL") or desk.request.headers.get("Referer") or "")
    own = where.path.startswith(f"/builds/{act.build_id}/")
    path = unquote(where.path) if own else desk.shop.url("bay", build_id=act.build_id)
    return desk.go(f"{path}?{urlencode({**(dict(parse_qsl(where.query)) if own else {}), 'option': option_id})}")


@router.post("/builds/{build_id}/undo", name="undo")
@answers(same_page)
def undo(act: Act) -> Outcome:
    """Take back the build's last change, or bring it back, and show the page and tab it was asked from."""
    step = act.form.choice("do", ("undo", "redo"))
    act.form.require()
    builds = act.desk.shop.builds
    try:
        saved = (builds.undo if step == "undo" else builds.redo)(act.build_id, act.desk.number("base"), act.desk.author)
    except Conflict as conflict:
        return Outcome(conflict=conflict)
    return Outcome(saved=saved)


@router.get("/builds/{build_id}/here", name="here")
def here(build_id: str, desk: ReadDesk) -> Response:
    """Who else is on this build, and whether it has changed since this page was drawn."""
    names = desk.shop.presence.here(build_id, desk.person.id, desk.person.name)
    head = desk.shop.builds.head(build_id)
    seen = desk.number("seen")
    news = desk.shop.builds.history(build_id, max(0, head.number - seen)) if seen else ()
    page = desk.shop.templates.get_template("shell/_here.html").render(
        names=names, person=desk.person, news=[s for s in news if s.number > seen], seen=seen, build_id=build_id, show=desk.show,
        url=lambda route, **params: str(desk.request.app.url_path_for(route, **params)),
    )  # fmt: skip
    return HTMLResponse(page, headers={"Cache-Control": "no-store"})
