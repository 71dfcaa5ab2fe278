"""One module for each page or stage: a route parses, calls and renders."""

from __future__ import annotations

from fastapi.responses import HTMLResponse

from elmpeg.web.desk import Desk, Outcome


def show_stage(desk: Desk, build_id: str, stage: str, outcome: Outcome) -> HTMLResponse:
    """The page of a stage, after a change that was asked for from there."""
    from elmpeg.web.pages import bay, drive, files, fit, measure, mounts

    pages = {"Measure": measure.page, "Mount": mounts.page, "Drive": drive.page, "Fit": fit.page, "History": files.page}
    return pages.get(stage, bay.page)(desk, build_id, outcome)
