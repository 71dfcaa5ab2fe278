"""Stopping what is read for somebody just now: a drawing, or the photographs of a form or a zip."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import Response

from elmpeg.web.security import ChangeDesk

router = APIRouter()


@router.post("/reading/stop", name="stop_reading")
def stop(desk: ChangeDesk) -> Response:
    """Stop it; the form that waits for it says so beside its field."""
    desk.files_under_way.stop()
    return Response(status_code=204)
