"""People: a lead adds them, gives them a role, a link to choose a password, switches them off and on."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.roles import ROLES, USUAL
from elmpeg.store.accounts import Person
from elmpeg.web.desk import Desk
from elmpeg.web.forms import Form
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import LeadDesk, ReadDesk

router = APIRouter()


def page(desk: Desk, outcome: Outcome | None = None, linked: Person | None = None, secret: str = "") -> HTMLResponse:
    """Everybody, and a form for one more."""
    # Of the shop's address where it has one: what a request calls this server is for whoever sent it to say.
    link = f"{desk.shop.settings.address.rstrip('/')}{desk.shop.url('welcome', secret=secret)}" if secret else ""
    roles = {role.name: role.does for role in ROLES.values()}
    everybody = desk.shop.accounts.people()
    return desk.render(
        "shop/people.html",
        outcome,
        people=everybody,
        roles=roles,
        role_names=[(name, name) for name in ROLES],
        usual_role=USUAL,
        linked=linked,
        link=link,
    )


@router.get("/people", name="people")
def show(desk: ReadDesk) -> Response:
    """Who is in the shop."""
    return page(desk)


@router.post("/people", name="add_person")
def add(desk: LeadDesk) -> Response:
    """Add somebody; they choose their password by a link that is shown this once."""
    form = Form(desk.text, desk.has, desk.show)
    try:
        role = form.choice("role", tuple(ROLES))
        form.require()
        made, secret = desk.shop.accounts.invite(desk.text("login"), desk.text("name"), role, desk.shop.records.get().units)
    except InputError as refused:
        return page(desk, Outcome(errors=refused.errors))
    return page(desk, linked=made, secret=secret)


@router.post("/people/{person_id}", name="change_person")
def change(person_id: int, desk: LeadDesk) -> Response:
    """Change somebody's role, give them a new link, switch them off or on."""
    accounts, form = desk.shop.accounts, Form(desk.text, desk.has, desk.show)
    try:
        do = form.choice("do", ("link", "role", "off", "on"))
        form.require()
        if do == "link":
            whose = next((p for p in accounts.people() if p.id == person_id), None)
            return page(desk, linked=whose, secret=accounts.new_link(person_id))
        if do == "role":
            changed = accounts.set_role(person_id, form.choice("role", tuple(ROLES)))
            return page(desk, Outcome(notice=f"{changed.name} is a {changed.role} now."))
        changed = accounts.switch(person_id, off=do == "off")
        desk.shop.hub.look_again(person_id)
    except InputError as refused:
        return page(desk, Outcome(errors=refused.errors))
    words = "is switched off and signed out everywhere; what they did stays theirs" if changed.off else "can sign in again"
    return page(desk, Outcome(notice=f"{changed.name} {words}."))
