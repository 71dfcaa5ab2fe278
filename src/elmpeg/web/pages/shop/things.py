"""Everything a build lists: each kind with how many there are, and the general list and form of those without a page of their own.

Lists, forms and what may stand in them come from the table of entities.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.build.components import Component
from elmpeg.core.build.document import ENTITIES, Build
from elmpeg.core.build.entities import Entity, Use, all_users, uses_of
from elmpeg.core.build.rooms import SolidRef
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.build.thing_edits import with_thing, without_thing
from elmpeg.core.stages.place import assembly_edits
from elmpeg.core.starters.book_part import better_known
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page, chosen_option
from elmpeg.web.desk import Desk
from elmpeg.web.forms import Among, Typed, typed_fields
from elmpeg.web.outcome import Outcome
from elmpeg.web.pages.place.shapes import picking
from elmpeg.web.security import ChangeDesk, ReadDesk
from elmpeg.web.showing import Show

router = APIRouter()
_MOMENT = re.compile(r"\d{4}-\d\d-\d\dT\d\d:\d\d")


@dataclass(frozen=True, slots=True)
class Field:
    """One field of the general form: its name there, how it is typed, what it holds now, and the choices with their words."""

    name: str
    label: str
    typed: Typed
    now: Any
    choices: tuple[tuple[str, str], ...]
    rows: tuple[tuple[str, list[Field]], ...] = ()
    """Of a list inside the thing: each row's id and fields, those of the spare rows with no id."""


STAMPS = ("person", "taken_at", "made_at", "added_at", "started", "by", "closed", "text", "number", "option", "option_name")
"""Who did something and when, what was typed then, and what a round was of: no form rewrites them."""
MEASURES = ("value_mm", "value_deg", "value", "mm")
"""What a typed text was understood as; it changes only by reading again."""
LEFT_ALONE = {"photos": ("width_px", "height_px", "size_bytes"), "series": (), "orders": ("option", "line")}
SPARE_ROWS = 2


def general(entity: Entity) -> tuple[type, ...]:
    """The records of an entity that the general form can make anew: those that it can say whole, and that no person's reading is in."""
    found = []
    for record in entity.records:
        try:
            typed_fields(record, entity.rows)
        except TypeError:
            continue
        if not any(f in STAMPS for f in _names(record)):
            found.append(record)
    return tuple(found)


def _names(record: type) -> tuple[str, ...]:
    return tuple(record.__dataclass_fields__)  # type: ignore[attr-defined]


def said_by_form(entity: Entity, record: type) -> tuple[Typed, ...]:
    """The fields of a thing that the general form changes."""
    left = {*STAMPS, *LEFT_ALONE.get(entity.list, ())}
    if "text" in _names(record):
        left |= {*MEASURES}
    return tuple(t for t in typed_fields(record, entity.rows, partly=True) if t.name not in left)


def among(build: Build, entity: Entity) -> Among:
    """By the path of each reference: the ids that may stand there."""
    found = {r.path: (*r.besides, *(t.id for t in getattr(build, r.to))) for r in entity.refers if not r.loose}
    solids = {(VEHICLE, s.id) for s in build.solids} | {(c.id, s.id) for c in build.components for s in c.solids}
    for typed in typed_fields(entity.records[0], partly=True):
        if typed.record is SolidRef:
            found[f"{typed.name}.solid"] = tuple(dict.fromkeys(s for _, s in sorted(solids)))
    return found


def names_in(build: Build) -> dict[str, str]:
    """By id what people call whatever has one; where ids meet, the list that stands first in the build counts."""
    found = {"": "none", VEHICLE: "the vehicle"}
    for of, entity in ENTITIES.items():
        for thing in getattr(build, of):
            found.setdefault(thing.id, entity.called(thing))
    shapes: dict[str, list[str]] = {}
    for component in build.components:
        for solid in component.solids:
            shapes.setdefault(solid.id, []).append(f"{solid.name} ({component.name})")
    # Parts may have shapes of one id; what is meant then depends on the part that is chosen.
    for solid_id, names in shapes.items():
        known = [found[solid_id]] if solid_id in found else []
        found[solid_id] = ", ".join([*known, *names])
    return found


def shape_names(build: Build) -> dict[tuple[str, str], str]:
    """What each shape is called, by what it is on and its id."""
    own = {(VEHICLE, s.id): s.name for s in build.solids}
    return own | {(c.id, s.id): s.name for c in build.components for s in c.solids}


def form_fields(
    build: Build, names: dict[str, str], entity: Entity, record: type, thing: Any, typed_rows: Callable[[str], int]
) -> list[Field]:
    """The general form of a record, with what a thing holds now. ``typed_rows`` says how many rows of a list were typed."""
    known = among(build, entity)

    def of(cls: type, now: Any, prefix: str, path: str, fields: tuple[Typed, ...], said: str = "") -> list[Field]:
        made = []
        for typed in fields:
            # A spare row stands empty: what is written in it makes it a row.
            blank = now is None and path.split(".")[0] in entity.rows and typed.kind not in ("choice", "tick")
            value = getattr(now, typed.name) if now is not None else None if blank else typed.default
            where = f"{path}{typed.name}"
            if typed.kind == "record":
                made += of(typed.record, value, f"{prefix}{typed.name}_", f"{where}.", typed_fields(typed.record), f"{said}{typed.label} ")
                continue
            if typed.kind == "rows":
                there = list(value or ())
                there += [None] * max(SPARE_ROWS, typed_rows(typed.name) - len(there))
                rows = tuple(
                    (getattr(row, "id", ""), of(typed.record, row, f"{typed.name}_{k}_", f"{where}.", typed_fields(typed.record)))
                    for k, row in enumerate(there)
                )
                made.append(Field(typed.name, typed.label.capitalize(), typed, value, (), rows))
                continue
            ids = known.get(where) or tuple(str(c) for c in typed.choices)
            choices = tuple((i, names.get(i, i) if where in known else i.replace("_", " ")) for i in ids)
            if choices and typed.optional:
                choices = (("", "none"), *choices)
            label = f"{said}{typed.label}"
            made.append(Field(f"{prefix}{typed.name}", f"{label[0].upper()}{label[1:]}", typed, value, choices))
        return made

    return of(record, thing, "", "", said_by_form(entity, record))


def told(names: dict[str, str], shapes: dict[tuple[str, str], str], entity: Entity, thing: Any, show: Show) -> str:
    """A thing in one line: each of its figures with its unit, and what it refers to by name."""
    said, refers = [], {r.path for r in entity.refers}
    for typed in typed_fields(type(thing), partly=True):
        value = getattr(thing, typed.name)
        if typed.name == "name" or value in (None, "", typed.default):
            continue
        if typed.kind == "point":
            said.append(f"{typed.label} {show.coordinates(value)}")
        elif typed.kind in ("length", "angle"):
            said.append(f"{typed.label} {show.fine.value(value, 'mm' if typed.kind == 'length' else 'deg')}")
        elif isinstance(value, SolidRef):
            said.append(f"{names.get(value.on, value.on)}: {shapes.get((value.on, value.solid), value.solid)}")
        elif typed.kind == "tick":
            said.append(f"{typed.label}: {'yes' if value else 'no'}")
        elif typed.kind == "text":
            said.append(
                f"{typed.label} {names.get(value, value) if typed.name in refers else show.when(value) if _MOMENT.match(value) else value}"
            )
        elif typed.kind == "choice":
            said.append(f"{typed.label} {str(value).replace('_', ' ')}")
        elif typed.kind != "record":
            said.append(f"{typed.label} {value}")
    return ", ".join(said)


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """Everything a build lists, and the chosen kind."""
    at = build_page(desk, build_id, "", outcome)
    entity = ENTITIES.get(desk.text("of")) or next(e for e in ENTITIES.values() if not e.page)
    things = getattr(at.build, entity.list)
    gone = outcome is not None and outcome.saved is not None and desk.text("do") == "remove"
    thing = None if gone else next((t for t in things if t.id == desk.text("thing")), None)
    records = general(entity)
    asked = next((r for r in records if r.__name__ == desk.text("record")), records[0] if records else None)
    record = type(thing) if thing is not None else asked
    refused = outcome is not None and bool(outcome.errors)
    names, shapes = names_in(at.build), shape_names(at.build)
    uses = uses_of(at.build, entity.list, thing.id) if thing is not None else ()
    return desk.render(
        "shop/things.html",
        outcome,
        page=at,
        entities=ENTITIES.values(),
        counts_of={e.list: len(getattr(at.build, e.list)) for e in ENTITIES.values()},
        entity=entity,
        things=[(t, entity.called(t), told(names, shapes, entity, t, desk.show)) for t in things],
        thing=thing,
        record=record,
        records=records if thing is None else (),
        fields=form_fields(at.build, names, entity, record, thing, typed_rows(desk) if refused else lambda _: 0) if record else [],
        uses=uses,
        general_of=records,
        picking=picking(desk, at.build) if entity.list == "rooms" else "",
        others=[(c.id, c.name) for c in at.build.components if thing is not None and c.id != thing.id],
        better=_better(desk, at.build, thing) if isinstance(thing, Component) else (),
        with_it=_held_by(at.build, entity, thing.id) if thing is not None else (),
    )


def _better(desk: Desk, build: Build, part: Component) -> tuple[str, ...]:
    """The points of a part that are surer here than in the book that it came from."""
    kept = {k.id: k for k in desk.shop.book.parts()}.get(part.origin.split(" version ")[0])
    return better_known(build, part.id, kept.part) if kept else ()


def rows_field(name: str, label: str, cls: type, now: tuple[Any, ...], typed: int) -> Field:
    """A list of records as a table of fields, with spare rows below it; ``typed`` is how many rows were sent."""
    there = [*now, *[None] * max(SPARE_ROWS, typed - len(now))]
    rows = []
    for k, one in enumerate(there):
        cells = []
        for t in typed_fields(cls):
            value = getattr(one, t.name) if one is not None else t.default if t.kind in ("choice", "tick") else None
            choices = tuple((str(c), str(c).replace("_", " ")) for c in t.choices)
            cells.append(Field(f"{name}_{k}_{t.name}", f"{t.label[:1].upper()}{t.label[1:]}", t, value, choices))
        rows.append((getattr(one, "id", ""), cells))
    return Field(name, label, Typed(name, "rows", record=cls), now, (), tuple(rows))


def _held_by(build: Build, entity: Entity, thing_id: str) -> tuple[Use, ...]:
    """What would have to go with a thing; nothing where it can be taken out by itself."""
    try:
        without_thing(build, entity.list, thing_id)
    except InputError:
        return all_users(build, entity.list, thing_id)
    return ()


def typed_rows(desk: Desk) -> Callable[[str], int]:
    """How many rows of a list inside a thing stand in the form."""
    return lambda name: 1 + max((int(k.split("_")[1]) for k in desk.form if re.fullmatch(rf"{name}_\d+_\w+", k)), default=-1)


@router.post("/builds/{build_id}/things/bolt", name="bolt_part")
@answers(page, ChangeDesk)
def bolt(act: Act) -> Outcome:
    """Bolt a part to another where both stand, or take it off where it stands."""
    part, parent = act.build.component(act.text("thing")), act.text("parent")
    if not parent:
        return act.change(f"Took {part.name} off", lambda b: assembly_edits.with_taken_off(b, part.id))
    option_id = chosen_option(act.build, act.text("option")).id
    name = act.build.component(parent).name
    outcome = act.change(f"Bolted {part.name} to {name}", lambda b: assembly_edits.with_bolted(b, option_id, part.id, parent))
    if outcome.saved:
        after = outcome.saved.head.build
        elsewhere = [o.name for o in act.build.options if part.id in assembly_edits.moved_in(act.build, after, o)]
        outcome.notice = f"{part.name} goes with {name} now, and so stands elsewhere in {', '.join(elsewhere)}." if elsewhere else ""
    return outcome


@router.get("/builds/{build_id}/things", name="things")
def show(build_id: str, desk: ReadDesk) -> Response:
    """Everything a build lists."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/things", name="keep_thing")
@answers(page, ChangeDesk)
def keep(act: Act) -> Outcome:
    """Add a thing, change it, or take it out."""
    entity = ENTITIES[act.form.choice("of", list(ENTITIES))]
    act.form.require()
    thing_id, do = act.text("thing"), act.text("do")
    if do in ("remove", "remove_all"):
        name = names_in(act.build).get(thing_id, thing_id)
        too = ", and all that hangs on it," if do == "remove_all" else ""
        return act.change(f"Took {name}{too} out", lambda b: without_thing(b, entity.list, thing_id, with_users=do == "remove_all"))
    before = next((t for t in getattr(act.build, entity.list) if t.id == thing_id), None)
    makes = {r.__name__: r for r in general(entity)}
    if before is None and not makes:
        raise InputError("thing", f"{entity.a} is made on its own page")
    cls: Any = type(before) if before is not None else makes[act.form.choice("record", list(makes))]
    said = {t.name for t in said_by_form(entity, cls)}
    kept = {} if before is None else {n: getattr(before, n) for n in _names(cls) if n not in said and n != "id"}
    made: Any = act.form.record(cls, "", {**kept, "id": thing_id}, among(act.build, entity), entity.rows, True, before)
    verb = "Changed" if before is not None else "Added"
    outcome = act.change(f"{verb} {entity.called(made)}", lambda b: with_thing(b, entity.list, made))
    outcome.errors = tuple(FieldError(_field(entity, cls, e.field), e.message) for e in outcome.errors)
    return outcome


def _field(entity: Entity, cls: type, field: str) -> str:
    """The form's field that a problem of the build is about; of a part with several fields the last."""
    first, *rest = field.split(".")
    if first != entity.list or not rest:
        return field
    wanted = "_".join(rest[1:])
    inside = [f"{t.name}_{i.name}" for t in typed_fields(cls, partly=True) if t.kind == "record" for i in typed_fields(t.record)]
    return next((name for name in reversed(inside) if name.startswith(f"{wanted}_")), wanted) if wanted else "thing"
