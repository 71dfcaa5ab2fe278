"""Photographs: taken in with a form, shown, and listed."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response
from starlette.datastructures import UploadFile

from elmpeg.core.base.errors import MissingError
from elmpeg.core.build.document import Build
from elmpeg.core.build.survey import Photo
from elmpeg.core.stages.reference import reference_edits
from elmpeg.formats import photographs, picture_process
from elmpeg.web.desk import Desk, now
from elmpeg.web.downloads import picture
from elmpeg.web.security import ReadDesk

router = APIRouter()
LONGEST = 120


def kept_from(desk: Desk, field: str) -> Photo | None:
    """The photograph in a form, cleaned and kept; None where none was chosen. Raises InputError beside the field."""
    upload = desk.form.get(field)
    if not isinstance(upload, UploadFile) or not upload.filename:
        return None
    with upload.file as file:
        data = file.read(photographs.LARGEST_BYTES + 1)
    picture = picture_process.cleaned(data, field, desk.files_under_way)
    desk.shop.photos.keep(picture)
    name = " ".join(upload.filename.replace("\\", "/").rsplit("/", 1)[-1].split())[:LONGEST] or "photograph"
    caption = " ".join(desk.text("caption").split())[:LONGEST]
    return Photo(picture.id, name, caption, picture.width_px, picture.height_px, len(picture.data), desk.person.name, now())


def with_kept(build: Build, photo: Photo | None) -> tuple[Build, str]:
    """The build with a photograph listed, and its id; unchanged and empty for none."""
    return (build, "") if photo is None else (reference_edits.with_photo(build, photo), photo.id)


@router.get("/builds/{build_id}/photos/{photo_id}", name="photo")
def photo(build_id: str, photo_id: str, desk: ReadDesk) -> Response:
    """One of a build's photographs, or its small copy."""
    build = desk.shop.builds.head(build_id).build
    if all(p.id != photo_id for p in build.photos):
        raise MissingError("this build has no such photograph")
    small = desk.text("small") == "1"
    return picture(desk.request, desk.shop.photos.read(photo_id, small), desk.shop.photos.type_of(photo_id, small))
