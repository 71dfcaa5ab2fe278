"""All calculations by stage, found by the words people use, and those that were kept."""

from __future__ import annotations

from dataclasses import dataclass
from typing import get_args

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.document import Build, Stage
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.reckonings import Reckoning
from elmpeg.core.calculators import CALCULATORS, Calculator
from elmpeg.core.reckoning.finding import found
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.reckoner.calculation import Around, around, kept_by_id
from elmpeg.web.reckoning_sheet import from_kept
from elmpeg.web.security import ChangeDesk, ReadDesk
from elmpeg.web.stage_list import FIRST_PAGES

router = APIRouter()
KEPT_AT_FIRST = 3
"""Of those that were kept, so many stand above the calculations, the last changed first; the others are folded."""


@dataclass(frozen=True, slots=True)
class KeptRow:
    """A kept calculation with its answer in short, and how many of its figures the build has changed since."""

    reckoning: Reckoning
    title: str
    answer: str
    stale: int
    known: bool = True
    """Whether this version has its kind of calculation; else it is kept, and cannot be opened here."""


def page(desk: Desk, at: Around, outcome: Outcome | None = None) -> HTMLResponse:
    """The Reckoner, in a build or in none."""
    asked, stage = desk.text("q"), desk.text("stage")
    hits = found(asked)
    if stage in get_args(Stage):
        hits = tuple(c for c in hits if c.stage == stage)
    kept = sorted(at.page.build.reckonings, key=lambda r: r.newest.at, reverse=True) if at.page else desk.shop.notebook.all()
    by_stage = [(s, [c for c in hits if c.stage == s]) for s in get_args(Stage)]
    return desk.render(
        "reckoner/reckoner.html",
        outcome,
        at=at,
        asked=asked,
        only=stage if stage in get_args(Stage) else "",
        own_page=stage in FIRST_PAGES,
        hits=hits,
        by_stage=[(s, some) for s, some in by_stage if some],
        kept=[_row(desk, at, r) for r in kept],
        at_first=KEPT_AT_FIRST,
        gone=() if at.page else desk.shop.notebook.all(gone=True),
        **({"page": at.page} if at.page else {}),
    )


def _row(desk: Desk, at: Around, reckoning: Reckoning) -> KeptRow:
    calculator: Calculator | None = CALCULATORS.get(reckoning.calculator)
    if calculator is None:
        return KeptRow(reckoning, "", f"of a kind not known here: “{reckoning.calculator}”", 0, known=False)
    sheet = from_kept(reckoning, 0, at.tools, at.place)
    done = sheet.reckoned()
    told = done.main
    said = ""
    if told is not None:
        said = (
            str(desk.show.value(float(told.value), told.unit, told.doubt.sd or None)) if told.is_figure and told.unit else str(told.value)
        )
        said = " → ".join(told.value) if isinstance(told.value, list) else said
        said = f"{told.label}: {said}"
    return KeptRow(reckoning, calculator.title, said or "no answer: figures are missing", len(sheet.stale()))


@router.get("/reckoner", name="reckoner")
@router.get("/builds/{build_id}/reckoner", name="build_reckoner")
def show(desk: ReadDesk, build_id: str = "") -> Response:
    """All calculations."""
    return page(desk, around(desk, build_id))


@router.post("/reckoner", name="change_reckoner")
@router.post("/builds/{build_id}/reckoner", name="change_build_reckoner")
def change(desk: ChangeDesk, build_id: str = "") -> Response:
    """Take a kept calculation out, or bring it back."""
    at, what = around(desk, build_id), desk.text("reckoning")
    try:
        if at.page is None:
            back = desk.text("do") == "back"
            desk.shop.notebook.take_out(what, back)
            outcome = Outcome(notice="Brought back." if back else "Taken out; it can be brought back below.")
        else:
            name = kept_by_id(desk, at, what).name

            def without(build: Build) -> Build:
                left: Build = taken_out(build, "reckonings", what)
                return left

            outcome = desk.change(build_id, f"Took out the reckoning “{name}”", without)
    except InputError as refused:
        outcome = Outcome(errors=refused.errors)
    except MissingError as gone:
        outcome = Outcome.of_gone(gone)
    return page(desk, around(desk, build_id), outcome)
