"""One calculation: typed, answered at once, drawn, set side by side, kept."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from typing import Any
from urllib.parse import quote

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import FieldError, InputError, MissingError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.base.quantities import Unit
from elmpeg.core.build.reckonings import Reckoning
from elmpeg.core.build.survey import Tool
from elmpeg.core.calculators import CALCULATORS, Calculator
from elmpeg.core.reckoning.fields import FIGURES, label_of, row_number, unit_of
from elmpeg.core.reckoning.from_build import FromBuild
from elmpeg.core.reckoning.keeping import kept_in
from elmpeg.core.reckoning.reckon import Reckoned, Told
from elmpeg.core.reckoning.typed import Path, written
from elmpeg.core.stages.make.from_reckoning import PIECES_FROM, WELDED, piece_from, weldment_from
from elmpeg.core.stages.make.piece_edits import with_piece
from elmpeg.figures.drawn import TRUE_SIZE, example_drawn
from elmpeg.figures.figure import Figure
from elmpeg.figures.projection import Pixel
from elmpeg.web.build_page import BuildPage, build_page
from elmpeg.web.desk import SAFE_IN_ADDRESSES, Desk, now
from elmpeg.web.drawing.figures import figure_svg
from elmpeg.web.outcome import Outcome
from elmpeg.web.reckoning_form import FormOf, ShownChoice, ShownGroup, ShownLeaf, ShownRows
from elmpeg.web.reckoning_sheet import (
    EVERYTHING,
    MOST_ASIDE,
    NO_TOOL,
    TYPED,
    Sheet,
    fingerprint,
    from_kept,
    opened,
    posted,
    row_added,
    row_taken_out,
)
from elmpeg.web.security import PostedDesk, ReadDesk

router = APIRouter()
DRAWN_PX, KEY_PX, ROW_PX = (780.0, 330.0), (480.0, 160.0), 150.0
"""Of the drawing, of the one that says which measure is which, and what a second row of panels adds to either."""
NAMELESS = "Figures"


@dataclass(frozen=True, slots=True)
class Around:
    """Where a calculation is done: in a build or in none, with the shop's or the build's tools."""

    tools: tuple[Tool, ...]
    page: BuildPage | None = None
    place: FromBuild | None = None

    @property
    def build_id(self) -> str:
        """The build, empty for none."""
        return self.page.build.id if self.page else ""


@dataclass(frozen=True, slots=True)
class Column:
    """Figures side by side: what is typed, and what comes of it."""

    name: str
    figures: dict[str, str]
    done: Reckoned


def around(desk: Desk, build_id: str) -> Around:
    """The surroundings of a calculation. Raises MissingError for a build that is not there."""
    if not build_id:
        return Around(desk.shop.records.get().tools)
    page = build_page(desk, build_id, "Reckoner")
    return Around(page.build.tools, page, FromBuild(page.build, page.evaluation))


def calculator_of(name: str) -> Calculator:
    """The calculation of a name. Raises MissingError."""
    if name not in CALCULATORS:
        raise MissingError(f"there is no calculation “{name}”")
    return CALCULATORS[name]


def kept_by_id(desk: Desk, at: Around, reckoning_id: str) -> Reckoning:
    """A kept calculation of the build, or of the shop's notebook. Raises MissingError."""
    if at.page is None:
        return desk.shop.notebook.get(reckoning_id)
    found = next((r for r in at.page.build.reckonings if r.id == reckoning_id), None)
    if found is None:
        raise MissingError(f"this build has no reckoning “{reckoning_id}”")
    return found


def page(desk: Desk, sheet: Sheet, at: Around, outcome: Outcome | None = None) -> HTMLResponse:
    """The calculation's page."""
    done = sheet.reckoned()
    example = example_drawn(sheet.calculator.name)
    letters = example.letters()
    form = FormOf(sheet, desk.show, letters, {e.field: e.message for e in done.errors})
    context: dict[str, Any] = {"page": at.page} if at.page else {}
    return desk.render(
        "reckoner/calculation.html",
        outcome,
        at=at,
        sheet=sheet,
        form=form,
        key=figure_svg(example, _taller(example, KEY_PX), desk.show, letters, key=True),
        answer=answer(desk, sheet, done, letters, form.placed_errors()),
        aside=json.dumps(sheet.aside),
        tools=sheet.tools,
        no_tool=NO_TOOL,
        offered=at.place.offered() if at.place else (),
        points=at.page.build.points if at.page else (),
        fillable=fillable(form),
        paper=sheet.calculator.name in TRUE_SIZE,
        makes=bool(at.page) and sheet.calculator.name in PIECES_FROM,
        **context,
    )


def fillable(form: FormOf) -> list[tuple[str, str]]:
    """Fields that can be filled from a build, with what they are called."""
    found: list[tuple[str, str]] = []

    def look(fields: tuple[Any, ...], within: str) -> None:
        for one in fields:
            if isinstance(one, ShownLeaf) and one.leaf.kind in FIGURES:
                found.append((one.path, f"{within}{one.leaf.label}"))
            elif isinstance(one, ShownGroup):
                if one.point:
                    found.append((one.path, f"{within}{one.label}"))
                elif any(isinstance(c, ShownRows) and c.path.endswith(".solids") for c in one.children):
                    found.append((one.path, f"{within}{one.label}: shapes"))
                look(one.children, f"{within}{one.label}: ")
            elif isinstance(one, ShownRows):
                if one.path == "wheels":
                    found.append((one.path, one.label))
                for k, row in enumerate(one.rows, 1):
                    name = next((c.text for c in row if isinstance(c, ShownLeaf) and c.path.endswith(".id") and c.text), f"row {k}")
                    coordinates = [
                        c for c in row if isinstance(c, ShownLeaf) and c.path.rsplit(".", 1)[-1] == "0" and c.leaf.kind == "length"
                    ]
                    found.extend((c.path.rpartition(".")[0], f"{one.label}, {name}: place") for c in coordinates)
                    look(row, f"{one.label}, {name}: ")
            elif isinstance(one, ShownChoice):
                look(one.children, within)

    look(form.fields, "")
    return found


def answer(desk: Desk, sheet: Sheet, done: Reckoned, letters: dict[str, str], errors: dict[str, str]) -> str:
    """Everything that follows from what is typed, as part of a page."""
    columns = [Column("Now", sheet.typed, done)]
    columns += [Column(name, typed, sheet.reckoned(typed)) for name, typed in sheet.aside]
    figure = sheet.figure(done)
    differing = _differing(sheet, columns) if len(columns) > 1 else []
    return desk.shop.templates.get_template("reckoner/_answer.html").render(
        sheet=sheet,
        done=done,
        show=desk.show,
        drawing=figure_svg(figure, _taller(figure, DRAWN_PX), desk.show, letters),
        figure=figure,
        errors=errors,
        loose=errors.get("", ""),
        columns=columns,
        differing=differing,
        example_left=len(sheet.example_left),
        stale=sheet.stale(),
        value=value_words(desk),
        doubt=doubt_words(desk, done),
        label=lambda name: called(done, name),
        main_unit=partial(_unit_at, done.calculator),
        most_answers=max(len(c.done.answers[:8]) for c in columns),
        url=desk.shop.url,
        person=desk.person,
    )


def doubt_words(desk: Desk, done: Reckoned) -> str:
    """Where the doubt of the main answer comes from, and how much better that figure would have to be."""
    main = done.main
    if main is None:
        return ""
    doubt, show = main.doubt, desk.show
    if doubt.sd <= 0 or doubt.lead is None:
        if not done.sds:
            return "No doubt is told: no figure carries one."
        return (
            "It does not depend on the figures that are in doubt." if main.is_figure else "Within their doubt the figures do not change it."
        )
    lead = doubt.lead
    said = "± comes all" if len(doubt.parts) == 1 else f"± comes {100 * doubt.lead_share:.0f} %"
    said += f" from {called(done, '.'.join(str(p) for p in lead.path))}."
    half, unit = doubt.lead_needed(doubt.sd / 2), _unit_at(done.calculator, lead.path)
    if half is not None:
        said += f" Known to ± {show.value(half, unit, digits=2)} instead of {show.value(lead.sd, unit, digits=2)}, the answer would be twice as sure."
    elif len(doubt.parts) > 1 and main.unit is not None and main.is_figure and (left := doubt.without_lead()) > 0:
        said += f" Were it exact, ± {show.doubt(main.value, main.unit, left)} would be left."
    if doubt.beyond:
        said += f" Within its doubt {called(done, '.'.join(str(p) for p in doubt.beyond[0]))} reaches where there is no answer."
    return said


def _taller(figure: Figure, size_px: Pixel) -> Pixel:
    return (size_px[0], size_px[1] + ROW_PX * (figure.rows - 1))


def _unit_at(calculator: Calculator, path: Path) -> Unit:
    name = next((str(p) for p in reversed(path) if isinstance(p, str)), "")
    return unit_of(name) or "ratio"


def value_words(desk: Desk) -> Callable[[Told], str]:
    """How this person reads an answer."""

    def value(told: Told) -> str:
        if told.is_figure and told.unit:
            return str(desk.show.value(float(told.value), told.unit, told.doubt.sd or None))
        if isinstance(told.value, list | tuple):
            return " → ".join(str(v) for v in told.value)
        return f"{told.value:g}" if told.is_figure else str(told.value)

    return value


def _differing(sheet: Sheet, columns: list[Column]) -> list[tuple[str, list[str]]]:
    """Fields that are not alike in all columns: what they are called, and what stands in each."""
    names = sorted(
        {n for c in columns for n in c.figures}, key=lambda n: (list(columns[0].figures).index(n) if n in columns[0].figures else 999, n)
    )
    found = []
    for name in names:
        texts = [c.figures.get(name, "").strip() for c in columns]
        if len(set(texts)) > 1:
            found.append((called(columns[0].done, name), texts))
    return found


def called(done: Reckoned, name: str) -> str:
    """What a field of a calculation is called."""
    path: Path = tuple(p if (n := row_number(p)) is None else n for p in name.split("."))
    try:
        return done.figure_name(path)
    except (KeyError, IndexError, TypeError, AttributeError):
        return label_of(done.calculator, name)


@router.get("/reckoner/{name}", name="calculation")
@router.get("/builds/{build_id}/reckoner/{name}", name="build_calculation")
def show(name: str, desk: ReadDesk, build_id: str = "") -> Response:
    """A calculation with its example, or as it was kept."""
    at = around(desk, build_id)
    if any(key.startswith(TYPED) for key in desk.form):
        # Drawn again after something else was pressed, such as undo: what is typed stays.
        sheet = posted(desk, calculator_of(name), at.tools, at.place)
        if at.page and any(r.id == desk.text("kept") for r in at.page.build.reckonings):
            sheet.kept, sheet.version = kept_by_id(desk, at, desk.text("kept")), desk.number("version")
        return page(desk, sheet, at)
    if desk.text("kept"):
        kept = kept_by_id(desk, at, desk.text("kept"))
        if kept.calculator != name:
            raise MissingError(f"“{kept.name}” is another kind of calculation")
        return page(desk, from_kept(kept, desk.number("version"), at.tools, at.place), at)
    return page(desk, opened(desk, calculator_of(name), at.tools, at.place), at)


@router.post("/reckoner/{name}/answer", name="calculation_answer")
@router.post("/builds/{build_id}/reckoner/{name}/answer", name="build_calculation_answer")
def answered(name: str, desk: PostedDesk, build_id: str = "") -> Response:
    """The answer to what is typed so far."""
    at = around(desk, build_id)
    sheet = posted(desk, calculator_of(name), at.tools, at.place)
    done = sheet.reckoned()
    letters = example_drawn(name).letters()
    form = FormOf(sheet, desk.show, letters, {e.field: e.message for e in done.errors})
    return HTMLResponse(answer(desk, sheet, done, letters, form.placed_errors()), headers={"Cache-Control": "no-store"})


@router.post("/reckoner/{name}", name="change_calculation")
@router.post("/builds/{build_id}/reckoner/{name}", name="change_build_calculation")
def change(name: str, desk: PostedDesk, build_id: str = "") -> Response:
    """A row more or less, figures set aside or taken on, filled from the build, or kept."""
    at = around(desk, build_id)
    sheet = posted(desk, calculator_of(name), at.tools, at.place)
    if desk.text("kept"):
        sheet.kept, sheet.version = kept_by_id(desk, at, desk.text("kept")), desk.number("version")
    do, _, what = desk.text("do").partition(":")
    try:
        outcome = _done(desk, at, sheet, do, what)
    except InputError as refused:
        outcome = Outcome(errors=_own_names(refused.errors))
    answered_page = page(desk, sheet, around(desk, build_id) if do == "keep" else at, outcome)
    if do == "keep" and outcome.notice and sheet.kept:
        # The address is then one to send to a colleague.
        route, params = ("build_calculation", {"build_id": build_id}) if build_id else ("calculation", {})
        kept_at = desk.query(kept=sheet.kept.id, option=at.page.option.id if at.page else "")
        address = f"{desk.shop.url(route, name=name, **params)}?{kept_at}"
        answered_page.headers["HX-Push-Url"] = quote(address, safe=SAFE_IN_ADDRESSES)
    return answered_page


def _done(desk: Desk, at: Around, sheet: Sheet, do: str, what: str) -> Outcome:
    if do == "add":
        row_added(sheet, what)
    elif do == "drop":
        row_taken_out(sheet, what)
    elif do == "empty":
        sheet.typed, sheet.sources, sheet.touched = {}, {}, {EVERYTHING}
        return Outcome(notice="All fields are empty.")
    elif do == "example":
        sheet.typed, sheet.sources, sheet.touched = written(sheet.calculator, sheet.calculator.example, sheet.unit), {}, set()
        return Outcome(notice="The example stands in all fields.")
    elif do == "aside":
        return _set_aside(desk, sheet)
    elif do == "on":
        return _taken_on(sheet, what)
    elif do == "away":
        sheet.aside = [a for k, a in enumerate(sheet.aside) if str(k) != what]
    elif do == "drop_source":
        sheet.sources.pop(what, None)
    elif do == "fill":
        return _filled(desk, at, sheet)
    elif do == "renew":
        _renewed(sheet, what)
    elif do == "keep":
        return _kept(desk, at, sheet)
    elif do == "piece":
        return _made_a_piece(desk, at, sheet)
    return Outcome()


def _set_aside(desk: Desk, sheet: Sheet) -> Outcome:
    if len(sheet.aside) >= MOST_ASIDE:
        raise InputError("aside", f"holds {MOST_ASIDE} already; put one away first")
    taken = {name for name, _ in sheet.aside}
    name = " ".join(desk.text("aside_name").split())[:40] or next(n for k in range(1, 9) if (n := f"{NAMELESS} {k}") not in taken)
    sheet.aside.append((name, dict(sheet.typed)))
    return Outcome(notice=f"“{name}” stands beside; change a figure and compare.")


def _taken_on(sheet: Sheet, what: str) -> Outcome:
    k = row_number(what)
    if k is None or k >= len(sheet.aside):
        raise InputError("aside", "is not there any more")
    name, typed = sheet.aside[k]
    sheet.aside[k] = ("Before", dict(sheet.typed))
    sheet.typed, sheet.sources, sheet.touched = dict(typed), {}, {EVERYTHING}
    return Outcome(notice=f"Now “{name}”; what stood here before stands beside.")


def _filled(desk: Desk, at: Around, sheet: Sheet) -> Outcome:
    """A field, a place or a list filled from the build."""
    if at.place is None:
        raise InputError("fill_field", "can be filled from a build only; open the calculation from one")
    path, source = desk.text("fill_field"), desk.text("fill_source")
    if source == "distance":
        along = desk.text("fill_along")
        source = f"distance:{desk.text('fill_from')}:{desk.text('fill_to')}" + (f":{along}" if along in ("x", "y", "z") else "")
    taken = at.place.now(source)
    if taken is None:
        raise InputError("fill_source", "is not in the build, or not yet measured; choose another")
    form = FormOf(sheet, desk.show, {}, {})
    paths = {p for p, _ in fillable(form)}
    if path not in paths:
        raise InputError("fill_field", "is not a field here; choose one")
    sd = f" ± {sheet.text_of(taken.sd, 'length').removesuffix('0')}" if taken.sd else ""
    if taken.kind == "shapes":
        if f"{path}.solids" not in form.names:
            raise InputError("fill_source", "is shapes; choose a body to fill with them")
        sheet.typed = {n: t for n, t in sheet.typed.items() if not n.startswith((f"{path}.solids.", f"{path}.pose."))}
        sheet.sources[path] = (source, fingerprint(taken.value))
    elif taken.kind == "wheels":
        if path != "wheels":
            raise InputError("fill_source", "is the wheels; choose the wheels to fill")
        sheet.typed = {n: t for n, t in sheet.typed.items() if not n.startswith("wheels.")}
        for k, wheel in enumerate(taken.value):
            sheet.typed[f"wheels.{k}.id"] = wheel["id"]
            for name, axis, kind in (("x_mm", "x", "offset"), ("y_mm", "y", "offset"), ("kg", "kg", "figure")):
                if wheel[name] is not None:
                    _put(sheet, f"wheels.{k}.{name}", f"wheel:{wheel['id']}:{axis}", sheet.text_of(float(wheel[name]), kind))
    elif taken.kind == "point":
        if f"{path}.0" not in form.names and path not in form.names:
            raise InputError("fill_source", "is a point; choose a place to fill, or one coordinate of it")
        if f"{path}.0" not in form.names:
            raise InputError("fill_source", "has three coordinates; choose a place to fill, or a distance")
        for k, axis in enumerate("xyz"):
            if f"{path}.{k}" in form.names:
                _put(sheet, f"{path}.{k}", f"{source}:{axis}", sheet.text_of(float(taken.value[k]), "offset") + sd)
    elif f"{path}.0" in form.names or path == "wheels" or f"{path}.solids" in form.names:
        raise InputError("fill_source", "is one figure; choose one field to fill with it")
    else:
        _put(sheet, path, source, sheet.text_of(float(taken.value), taken.kind) + sd)
    sheet.touched |= {n for n in sheet.typed if n == path or n.startswith(f"{path}.")}
    return Outcome(notice=f"Filled from the build: {taken.label}.")


def _put(sheet: Sheet, name: str, source: str, text: str) -> None:
    sheet.typed[name], sheet.sources[name] = text, (source, text)
    sheet.touched.add(name)


def _renewed(sheet: Sheet, name: str) -> None:
    """A figure from the build taken again as it is there now."""
    source, before = sheet.sources.get(name, ("", ""))
    taken = sheet.now(source)
    if taken is not None and taken.kind == "shapes":
        sheet.sources[name] = (source, fingerprint(taken.value))
        return
    if taken is None or not isinstance(taken.value, int | float):
        raise InputError("fill_source", "is no longer in the build")
    sd = f" ± {sheet.text_of(taken.sd, 'length').removesuffix('0')}" if "±" in before else ""
    _put(sheet, name, source, sheet.text_of(float(taken.value), taken.kind) + sd)


def _own_names(errors: tuple[FieldError, ...]) -> tuple[FieldError, ...]:
    """Refusals of a name under this form's own: the menu of options has a name too."""
    return tuple(FieldError("reckoning_name" if e.field == "name" else e.field, e.message) for e in errors)


def _made_a_piece(desk: Desk, at: Around, sheet: Sheet) -> Outcome:
    """What the reckoning describes, as a piece of the build."""
    if at.page is None:
        raise InputError("reckoning_name", "open it in a build first; a piece belongs to one")
    done = sheet.reckoned()
    if done.result is None:
        raise InputError("reckoning_name", "has no answer yet that could become a piece")
    name = cleaned_name(desk.text("reckoning_name") or (sheet.kept.name if sheet.kept else f"Piece from {sheet.calculator.name}"))
    if sheet.calculator.name == WELDED:
        welded = weldment_from(done.request, new_id(name, (w.id for w in at.page.build.weldments)), name)
        outcome = desk.change(
            at.build_id, f"Made a weldment of the reckoning {name}", lambda b: replace(b, weldments=(*b.weldments, welded))
        )
        if outcome.saved is not None:
            outcome.notice = f"“{name}” is a weldment now, at Make, Welding."
        return outcome
    made = piece_from(sheet.calculator.name, done.request, done.result, new_id(name, (p.id for p in at.page.build.pieces)), name)
    outcome = desk.change(at.build_id, f"Made a piece of the reckoning {name}", lambda b: with_piece(b, made))
    if outcome.saved is not None:
        outcome.notice = f"“{name}” is a piece now, at Make."
    return outcome


def _kept(desk: Desk, at: Around, sheet: Sheet) -> Outcome:
    if not desk.person.may_change:
        raise InputError("reckoning_name", "viewers reckon and do not keep; ask a lead for another role")
    version = sheet.version_of(desk.person.name, now(), " ".join(desk.text("reckoning_note").split()))
    name, anew = desk.text("reckoning_name"), desk.text("anew") == "1"
    known = sheet.kept.id if sheet.kept and not anew else ""
    seen = sheet.version if known else 0
    if at.page is None:
        made = desk.shop.notebook.keep(name, sheet.calculator.name, version, known, seen)
    else:
        outcome = desk.change(
            at.build_id,
            f"Kept the reckoning “{' '.join(name.split())}”",
            lambda b: kept_in(b, name, sheet.calculator.name, version, known, seen),
        )
        if outcome.saved is None:
            return replace(outcome, errors=_own_names(outcome.errors))
        tidy = " ".join(name.split()).lower()
        made = next(r for r in outcome.saved.head.build.reckonings if r.name.lower() == tidy)
    sheet.kept, sheet.version, sheet.touched = made, made.newest.number, {EVERYTHING}
    return Outcome(notice=f"Kept “{made.name}”, version {made.newest.number}.")
