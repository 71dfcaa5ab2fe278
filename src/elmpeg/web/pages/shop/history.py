"""History and open file: every revision, and the build as a file out and in."""

from __future__ import annotations

from dataclasses import replace

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from starlette.datastructures import UploadFile

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.integrity.permitted import told
from elmpeg.core.integrity.signed import from_elsewhere
from elmpeg.core.stages.mount.stack_edits import without_reservations
from elmpeg.formats import build_file, build_zip
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.downloads import named
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.shop import builds as builds_page
from elmpeg.web.pages.shop.builds import Incoming
from elmpeg.web.security import ChangeDesk, ReadDesk

router = APIRouter()


def page(desk: Desk, build_id: str, outcome: Outcome | None = None, incoming: Incoming | None = None) -> HTMLResponse:
    """A build's history, and a file that is looked at before it comes in."""
    at = build_page(desk, build_id, "History", outcome)
    before = max(0, desk.number("before"))
    steps = desk.shop.builds.history(build_id, before=before)
    older = steps[-1].number if steps and steps[-1].number > 1 else 0
    return desk.render("shop/history.html", outcome, page=at, steps=steps, incoming=incoming, before=before, older=older)


@router.get("/builds/{build_id}/history", name="history")
def show(build_id: str, desk: ReadDesk) -> Response:
    """A build's history."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/file", name="export")
def export(build_id: str, desk: ReadDesk) -> Response:
    """The build as an open file, as it stands or after an earlier revision."""
    head = desk.shop.builds.head(build_id)
    number = desk.number("revision", head.number)
    data = build_file.written(desk.shop.builds.at(build_id, number))
    name = f"{build_id}-{number}.json"
    return Response(data, media_type="application/json", headers=named(name))


def _read(desk: Desk) -> Build:
    """The build in a file; of a zip, its photographs are kept too."""
    upload = desk.form.get("file")
    if not isinstance(upload, UploadFile) or not upload.filename:
        raise InputError("file", "Choose a build file first.")
    with upload.file as file:
        data = file.read(build_zip.LARGEST_BYTES + 1)
    if not data.startswith(build_zip.START):
        build = build_file.read(data)
        desk.shop.photos.require(build)
        desk.shop.meshes.require(build)
        return build
    carried = build_zip.read(data, desk.files_under_way)
    for picture in carried.pictures:
        desk.shop.photos.keep(picture)
    for name, content in carried.meshes:
        desk.shop.meshes.keep(name.rsplit(".", 1)[-1], content)
    return carried.build


def _standing_alike(desk: Desk, build: Build) -> Build | None:
    """A build in work that says the same as a file, but for its id and for what it has reserved on the shelf."""
    plain = without_reservations(build)
    came = from_elsewhere(plain)
    heads = (desk.shop.builds.head(build_id).build for build_id in desk.shop.builds.named(build.name))
    return next((b for b in heads if replace(without_reservations(b), id=build.id) in (plain, came)), None)


@router.post("/builds", name="import_new")
def import_new(desk: ChangeDesk) -> Response:
    """Keep a build file as a new build; what is there already to the last figure comes in again only where somebody says so."""
    shop, person = desk.shop, desk.person.id
    try:
        word = desk.text("held")
        build = shop.files.get(person, word) if word else _read(desk)
        same = None if word else _standing_alike(desk, build)
        if same is not None:
            incoming = Incoming(shop.files.keep(person, build), build.name, another=False, said="", there=same)
            return builds_page.page(desk, incoming=incoming)
        head = shop.builds.add(from_elsewhere(build), desk.author, f"Brought in a file as {build.name}")
    except InputError as refused:
        return builds_page.page(desk, Outcome(errors=refused.errors))
    return desk.go(str(desk.request.app.url_path_for("bay", build_id=head.build.id)))


@router.post("/builds/{build_id}/file", name="import_revision")
@answers(page)
def import_revision(act: Act) -> Outcome | Response:
    """Show what a build file would change here; once that is seen, keep it as this build's next revision."""
    desk, files = act.desk, act.desk.shop.files
    word = act.text("held")
    build = files.get(desk.person.id, word) if word else _read(desk)
    here = replace(build, id=act.build_id)
    if here == act.build:
        return Outcome(notice=f"This file is there already: {act.build.name} says the same to the last figure. Nothing was changed.")
    another = build.id != act.build_id
    if another:
        here = from_elsewhere(here)
    if word and another and not act.form.tick("another"):
        act.form.refuse("another", f"say that {build.name} may take the place of {act.build.name}")
    if not word or act.form.errors:
        incoming = Incoming(word or files.keep(desk.person.id, build), build.name, another, told(act.build, here), None)
        return page(desk, act.build_id, Outcome(errors=tuple(act.form.errors)), incoming)
    return act.change(lambda b: f"Brought in a file as the next revision: {told(b, here)}", lambda _: here)
