"""What everything is cut from: against the shelf, with what is bought and what remains; as files; and the shelf after cutting."""

from __future__ import annotations

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import InputError
from elmpeg.core.build.document import Build
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.make.cut_list import NEW, CutList, CutRules, after_cutting, cut_list
from elmpeg.core.stages.make.tube_checks import PieceState
from elmpeg.formats import cut_list_files
from elmpeg.store.stock_moves import Moved
from elmpeg.web.build_page import BuildPage, build_page
from elmpeg.web.desk import Desk
from elmpeg.web.downloads import named
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.make.pieces import TABS
from elmpeg.web.pages.mount.mounts import joint_of, rows_of
from elmpeg.web.security import ChangeDesk, ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
USUAL = CutRules()


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """The cut list."""
    at = build_page(desk, build_id, "Make")
    errors: list[InputError] = []
    rules = _rules(desk, errors)
    found = _found(desk, at, rules)
    if errors and outcome is None:
        outcome = Outcome(errors=tuple(e for one in errors for e in one.errors))
    return desk.render(
        "make/cut_list.html", outcome, page=at, found=found, rules=rules, names=_stock_names(desk),
        chosen=_chosen(desk), all_pieces=[(p.id, p.name) for p in at.build.pieces], new=NEW, tab="cut_list", tabs=TABS,
        query=_query(desk, at), cut=_cut(desk, at.build), again=_again(desk, at.build, found),
    )  # fmt: skip


def _stock_names(desk: Desk) -> dict[str, str]:
    return {i.id: i.name for i in desk.shop.shelf.items()}


def _rules(desk: Desk, errors: list[InputError]) -> CutRules:
    def length(field: str, usual: float) -> float:
        text = desk.text(field).replace(MINUS, "-").strip()
        if not text:
            return usual
        try:
            value = desk.show.read(text, "mm", field)
            if not 0 <= value <= 1e5 or (value == 0 and field not in ("saw", "gap")):
                raise InputError(field, "must be above 0 and at most 100 m")
        except InputError as refused:
            errors.append(refused)
            return usual
        return value

    return CutRules(
        length("saw", USUAL.saw_mm), length("gap", USUAL.gap_mm), length("bar", USUAL.bar_mm),
        (length("sheet_wide", USUAL.sheet_mm[0]), length("sheet_high", USUAL.sheet_mm[1])), desk.text("buys", "yes") == "yes",
    )  # fmt: skip


def _chosen(desk: Desk) -> frozenset[str]:
    said = [*desk.form.getlist("only"), *desk.request.query_params.getlist("only")]
    return frozenset(v for v in said if isinstance(v, str) and v)


def _cut(desk: Desk, build: Build) -> list[tuple[Moved, list[str]]]:
    """Movements in which pieces were cut, each with the names of those that are there still."""
    standing = desk.shop.shelf.cut_for(build.id)
    moves = {moved.id: moved for moved in standing.values()}
    return [(moved, [p.name for p in build.pieces if p.id in standing and standing[p.id].id == moved.id]) for moved in moves.values()]


def _again(desk: Desk, build: Build, found: CutList) -> list[str]:
    """Names of those pieces of a list that are cut already."""
    cut = desk.shop.shelf.cut_for(build.id)
    return [p.name for p in build.pieces if p.id in cut and p.id in found.pieces]


def _query(desk: Desk, at: BuildPage) -> list[tuple[str, str]]:
    kept = [(f, desk.text(f)) for f in ("saw", "gap", "bar", "sheet_wide", "sheet_high", "buys") if desk.text(f)]
    return [("option", at.option.id), *kept, *(("only", i) for i in sorted(_chosen(desk)))]


def _found(desk: Desk, at: BuildPage, rules: CutRules) -> CutList:
    joints = [j for j in (joint_of(at, row) for row in rows_of(at)) if j is not None]
    return cut_list(
        Scene(at.build, at.option),
        at.evaluation.of(PieceState),
        desk.shop.shelf.items(),
        rules,
        _chosen(desk),
        joints,
        frozenset(desk.shop.shelf.cut_for(at.build.id)),
    )


@router.get("/builds/{build_id}/make/cut-list", name="cut_list")
def show(build_id: str, desk: ReadDesk) -> Response:
    """The cut list."""
    return page(desk, build_id)


@router.get("/builds/{build_id}/make/cut-list.csv", name="cut_list_csv")
def as_csv(build_id: str, desk: ReadDesk) -> Response:
    """The same as CSV."""
    at = build_page(desk, build_id, "Make")
    data = cut_list_files.as_csv(_found(desk, at, _rules(desk, [])), _stock_names(desk))
    return Response(data, media_type="text/csv; charset=utf-8", headers=named(f"{build_id}-cut-list.csv"))


@router.get("/builds/{build_id}/make/cut-list.pdf", name="cut_list_pdf")
def as_pdf(build_id: str, desk: ReadDesk) -> Response:
    """The same on paper."""
    at = build_page(desk, build_id, "Make")
    data = cut_list_files.as_pdf(_found(desk, at, _rules(desk, [])), desk.paper("Cut list", build_id, at.option.id), _stock_names(desk))
    return Response(data, media_type="application/pdf", headers={**named(f"{build_id}-cut-list.pdf"), "Cache-Control": "no-store"})


@router.post("/builds/{build_id}/make/cut-list", name="take_cut_list")
def take(build_id: str, desk: ChangeDesk) -> Response:
    """What was cut into comes off the shelf, and what remains of it lies there."""
    at = build_page(desk, build_id, "Make")
    errors: list[InputError] = []
    found = _found(desk, at, _rules(desk, errors))
    try:
        if errors:
            raise errors[0]
        place = " ".join(desk.text("place").split())[:80]
        if not place:
            raise InputError("place", "say where what remains is put")
        again = _again(desk, at.build, found)
        if again and desk.text("again") != "1":
            raise InputError("again", f"{', '.join(again)}: cut already. Tick here if that is to be cut once more")
        shelf = desk.shop.shelf.items()
        changed = after_cutting(found, shelf, place)
        if not changed:
            raise InputError("place", "nothing is cut from the shelf")
        words = f"Cut {len(found.pieces)} piece{'s' if len(found.pieces) > 1 else ''} of {at.build.name}"
        desk.shop.shelf.keep_all(changed, desk.person.name, words, at.build.id, found.pieces, {i.id: i for i in shelf})
    except InputError as refused:
        return page(desk, build_id, Outcome(errors=refused.errors))
    return page(
        desk,
        build_id,
        Outcome(notice=f"The shelf is as it is after cutting; what remains lies at {place}. It can be taken back on the shelf's page."),
    )
