"""Points and readings as CSV, and the build with its photographs as a zip."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response
from starlette.datastructures import UploadFile

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.formats import build_zip, csv_table, survey_csv
from elmpeg.formats.survey_csv import Preview
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk, now
from elmpeg.web.downloads import named
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ReadDesk

router = APIRouter()


def page(
    desk: Desk, build_id: str, outcome: Outcome | None = None, preview: Preview | None = None, content: str = "", name: str = ""
) -> HTMLResponse:
    """The files page."""
    at = build_page(desk, build_id, "Measure", outcome)
    return desk.render(
        "measure/survey_files.html",
        outcome,
        page=at,
        preview=preview,
        content=content,
        file_name=name,
        point_columns=_named(survey_csv.POINT_COLUMNS, desk),
        reading_columns=_named(survey_csv.READING_COLUMNS, desk),
        tab="files",
    )


def _named(columns: tuple[csv_table.Column, ...], desk: Desk) -> list[csv_table.Column]:
    return [csv_table.Column(f"{c.name} [{desk.show.length_unit}]" if c.length else c.name, c.means, c.length) for c in columns]


@router.get("/builds/{build_id}/measure/files", name="measure_files")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The files page."""
    return page(desk, build_id)


def _csv(data: bytes, name: str) -> Response:
    return Response(data, media_type="text/csv; charset=utf-8", headers=named(name))


def _unit(desk: Desk) -> Literal["mm", "in"]:
    return "in" if desk.text("unit") == "in" else "mm"


@router.get("/builds/{build_id}/points.csv", name="points_csv")
def points_csv(build_id: str, desk: ReadDesk) -> Response:
    """All points."""
    return _csv(survey_csv.written_points(desk.shop.builds.head(build_id).build, _unit(desk)), f"{build_id}-points.csv")


@router.get("/builds/{build_id}/readings.csv", name="readings_csv")
def readings_csv(build_id: str, desk: ReadDesk) -> Response:
    """All readings."""
    return _csv(survey_csv.written_readings(desk.shop.builds.head(build_id).build, _unit(desk)), f"{build_id}-readings.csv")


@router.get("/builds/{build_id}/zip", name="export_zip")
def export_zip(build_id: str, desk: ReadDesk) -> Response:
    """The build and its photographs."""
    head = desk.shop.builds.head(build_id)
    data = build_zip.written(head.build, desk.shop.photos.read, desk.shop.meshes.read)
    headers = named(f"{build_id}-{head.number}.zip")
    return Response(data, media_type="application/zip", headers=headers)


@router.post("/builds/{build_id}/measure/files", name="read_csv")
@answers(page)
def read_csv(act: Act) -> Outcome | Response:
    """Show what a file would change, and which of its lines are refused and why."""
    desk = act.desk
    upload = desk.form.get("csv")
    if not isinstance(upload, UploadFile) or not upload.filename:
        raise InputError("csv", "choose a file first")
    with upload.file as file:
        data = file.read(csv_table.LARGEST_BYTES + 1)
    preview = survey_csv.read(act.build, data, desk.person.name, now())
    content = csv_table.decoded(data)
    return page(desk, act.build_id, None, preview, content, upload.filename[:80])


@router.post("/builds/{build_id}/measure/files/accept", name="accept_csv")
@answers(page)
def accept_csv(act: Act) -> Outcome | Response:
    """Take a file in, all of it or nothing."""
    desk = act.desk
    data, name, when = desk.text("content").encode(), desk.text("file_name")[:80], now()

    def edit(build: Build) -> Build:
        preview = survey_csv.read(build, data, desk.person.name, when)
        if preview.build is None:
            raise InputError(
                "csv",
                f"{preview.count('refused')} lines are refused now; somebody has changed the build meanwhile. Bring the file in again",
            )
        return preview.build

    outcome = act.change(f"Brought in {name}", edit)
    if outcome.saved:
        outcome.notice = f"{name} is in. {outcome.notice}".strip()
    return outcome
