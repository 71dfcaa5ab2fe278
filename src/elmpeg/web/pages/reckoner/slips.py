"""A calculation on paper and as a file: a slip of one page, JSON, and a print at true size."""

from __future__ import annotations

import json
import re
from collections.abc import Callable
from typing import Any

from fastapi import APIRouter
from fastapi.responses import Response

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.reckoning.fields import fields_of, leaves
from elmpeg.core.reckoning.reckon import Reckoned
from elmpeg.figures.drawn import TRUE_SIZE
from elmpeg.formats.paper import Head
from elmpeg.formats.reckoning_slip import FORMAT, VERSION, Slip, as_pdf, true_size_pdf
from elmpeg.store.shop_record import PAPER_MM
from elmpeg.web.desk import Desk
from elmpeg.web.downloads import named
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.reckoner.calculation import Around, around, calculator_of, called, doubt_words, kept_by_id, page, value_words
from elmpeg.web.reckoning_sheet import Sheet, from_kept, posted
from elmpeg.web.security import PostedDesk, ReadDesk
from elmpeg.web.showing import MINUS

router = APIRouter()
KINDS = ("slip.pdf", "true-size.pdf", "reckoning.json")
NEGATIVE = re.compile(r"^-(?=[\d.])")
MEDIA = {"pdf": "application/pdf", "json": "application/json"}


@router.post("/reckoner/{name}/paper/{kind}", name="calculation_paper")
@router.post("/builds/{build_id}/reckoner/{name}/paper/{kind}", name="build_calculation_paper")
def paper(name: str, kind: str, desk: PostedDesk, build_id: str = "") -> Response:
    """What stands on the page, on paper or as a file."""
    at = around(desk, build_id)
    sheet = posted(desk, calculator_of(name), at.tools, at.place)
    if desk.text("kept"):
        sheet.kept, sheet.version = kept_by_id(desk, at, desk.text("kept")), desk.number("version")
    try:
        return _made(desk, at, sheet, kind)
    except InputError as refused:
        return page(desk, sheet, at, Outcome(errors=refused.errors))


@router.get("/reckonings/{reckoning_id}/{kind}", name="kept_paper")
@router.get("/builds/{build_id}/reckonings/{reckoning_id}/{kind}", name="build_kept_paper")
def kept_paper(reckoning_id: str, kind: str, desk: ReadDesk, build_id: str = "") -> Response:
    """A kept calculation on paper or as a file."""
    at = around(desk, build_id)
    sheet = from_kept(kept_by_id(desk, at, reckoning_id), desk.number("version"), at.tools, at.place)
    return _made(desk, at, sheet, kind)


def _made(desk: Desk, at: Around, sheet: Sheet, kind: str) -> Response:
    done = sheet.reckoned()
    heading = sheet.kept.name if sheet.kept else sheet.calculator.title
    if kind == "reckoning.json":
        body = json.dumps(_plain(desk, at, sheet, done), ensure_ascii=False, indent=1).encode()
    elif kind == "slip.pdf":
        body = as_pdf(_slip(desk, at, sheet, done, heading), _head(desk, at, sheet, heading), sheet.figure(done), _say(desk), desk.show.bar)
    elif kind == "true-size.pdf" and sheet.calculator.name in TRUE_SIZE:
        if done.errors:
            raise InputError("true_size", "has no answer to print yet; put the fields right first", *done.errors)
        try:
            panel = TRUE_SIZE[sheet.calculator.name](sheet.calculator.request.model_validate(done.request, strict=False))
            body = true_size_pdf(panel, heading, _say(desk), PAPER_MM[desk.shop.records.get().paper])
        except ValueError as refused:
            raise InputError("true_size", str(refused)) from None
    else:
        raise MissingError(f"there is no “{kind}” of this; there are {', '.join(KINDS)}")
    headers = {**named(f"{heading} {kind}".replace("/", "-"), "inline"), "Cache-Control": "no-store"}
    return Response(body, media_type=MEDIA[kind.rsplit(".", 1)[-1]], headers=headers)


def _head(desk: Desk, at: Around, sheet: Sheet, heading: str) -> Head:
    kept = f"{heading}, version {sheet.version} by {sheet.kept.version(sheet.version).by}" if sheet.kept else f"{heading}, not kept"
    return desk.paper(kept, at.build_id, at.page.option.id if at.page else "")


def _say(desk: Desk) -> Callable[[Any], str]:
    # The printed face has no sign for a diameter of its own; the letter is read as one.
    return lambda words: desk.show.words(words).strip().replace("⌀", "Ø")


def _slip(desk: Desk, at: Around, sheet: Sheet, done: Reckoned, heading: str) -> Slip:
    value, calc = value_words(desk), sheet.calculator
    main = done.main
    left = len(sheet.example_left)
    warning = f"{left} figures are still the example’s." if left else ""
    if main is None:
        warning = "No answer: " + "; ".join(f"{called(done, e.field)} {e.message}" for e in done.errors[:3])
    by = f"version {sheet.version} by {sheet.kept.version(sheet.version).by}" if sheet.kept else f"by {desk.person.name}, not kept"
    if at.page:
        by += f" · {at.page.build.name}, {at.page.option.name}"
    chosen = {leaf.path for leaf in leaves(fields_of(calc)) if leaf.kind == "choice"}
    typed = tuple(
        (called(done, n).removesuffix(" · Kind"), _as_typed(desk, sheet, n, t, chosen)) for n, t in sheet.typed.items() if t.strip()
    )[:40]
    checks = []
    for j in done.checks:
        figure = f"{desk.show.judged(j.limit.value, j.limit.unit, j.doubt.sd or None, j.limit.low, j.limit.high)}, "
        figure += desk.show.limit(j.limit.low, j.limit.high, j.limit.unit, j.limit.value, j.doubt.sd or None)
        mend = f". {desk.show.words(said)}" if (said := j.mend) else ""
        checks.append((j.verdict, j.limit.label, figure + mend))
    return Slip(
        heading=heading,
        title=f"{calc.title}, {calc.stage}",
        by=by,
        main_label=main.label if main else "",
        main_value=value(main) if main else "no answer",
        doubt=doubt_words(desk, done),
        typed=typed,
        rest=tuple((t.label, value(t)) for t in done.answers[1:]),
        checks=tuple(checks[:12]),
        how=calc.formula,
        source=calc.source,
        not_told=calc.not_told,
        caution=calc.caution,
        warning=warning,
    )


def _as_typed(desk: Desk, sheet: Sheet, name: str, text: str, chosen: set[str]) -> str:
    """What stands in a field, with its unit; what was chosen, as its list says it."""
    path = ".".join("*" if part.isdigit() else part for part in name.split("."))
    if path in chosen or path.endswith(".kind") or path == "kind":
        return text.replace("_", " ")
    unit = _unit(desk, sheet, name)
    return f"{NEGATIVE.sub(MINUS, text.strip())}{'' if unit == '°' else ' '}{unit}".strip()


def _unit(desk: Desk, sheet: Sheet, name: str) -> str:
    text = sheet.typed[name]
    if any(c.isalpha() or c in "\"'″′°" for c in text.replace("±", "")):
        return ""
    unit = sheet.unit_of(name)
    return sheet.unit if unit == "mm" else desk.show.unit_words(unit)


def _plain(desk: Desk, at: Around, sheet: Sheet, done: Reckoned) -> dict[str, Any]:
    """The calculation as plain values: as typed, the request and its answer in mm and deg, each doubt by its figure."""
    version = sheet.kept.version(sheet.version) if sheet.kept else None
    return {
        "format": FORMAT,
        "version": VERSION,
        "name": sheet.kept.name if sheet.kept else None,
        "calculator": sheet.calculator.name,
        "kept": {"version": version.number, "by": version.by, "at": version.at, "note": version.note} if version else None,
        "build": {"id": at.page.build.id, "name": at.page.build.name, "option": at.page.option.name} if at.page else None,
        "unit": sheet.unit,
        "typed": sheet.typed,
        "from_build": {n: s for n, (s, _) in sheet.sources.items()},
        "request": done.request,
        "doubts": {".".join(str(p) for p in path): sd for path, sd in done.sds.items()},
        "result": done.result,
        "answers": [{"label": t.label, "path": t.path, "value": t.value, "unit": t.unit, "sd": t.doubt.sd or None} for t in done.answers],
        "checks": [{"id": j.limit.id, "label": j.limit.label, "value": j.limit.value, "verdict": j.verdict} for j in done.checks],
        "errors": [{"field": e.field, "message": e.message} for e in done.errors],
    }
