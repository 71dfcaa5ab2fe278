"""Everything a build lists: each kind with how many there are, and the general list and form of those without a page of their own.

Lists, forms and what may stand in them come from the table of entities.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from elmpeg.core.base.errors import FieldError
from elmpeg.core.build.document import ENTITIES, Build
from elmpeg.core.build.entities import Entity, uses_of
from elmpeg.core.build.rooms import SolidRef
from elmpeg.core.build.survey import VEHICLE
from elmpeg.core.build.thing_edits import with_thing, without_thing
from elmpeg.web.answers import Act, answers
from elmpeg.web.build_page import build_page
from elmpeg.web.desk import Desk
from elmpeg.web.forms import Among, Typed, typed_fields
from elmpeg.web.outcome import Outcome
from elmpeg.web.security import ChangeDesk, ReadDesk
from elmpeg.web.showing import Show

router = APIRouter()


@dataclass(frozen=True, slots=True)
class Field:
    """One field of the general form: its name there, how it is typed, what it holds now, and the choices with their words."""

    name: str
    label: str
    typed: Typed
    now: Any
    choices: tuple[tuple[str, str], ...]


def general(entity: Entity) -> tuple[type, ...]:
    """The records of an entity that the general form can make."""
    found = []
    for record in entity.records:
        try:
            typed_fields(record)
        except TypeError:
            continue
        found.append(record)
    return tuple(found)


def among(build: Build, entity: Entity) -> Among:
    """By the path of each reference: the ids that may stand there."""
    found = {r.path: (*r.besides, *(t.id for t in getattr(build, r.to))) for r in entity.refers if not r.loose}
    solids = {(VEHICLE, s.id) for s in build.solids} | {(c.id, s.id) for c in build.components for s in c.solids}
    for typed in typed_fields(general(entity)[0]):
        if typed.record is SolidRef:
            found[f"{typed.name}.solid"] = tuple(dict.fromkeys(s for _, s in sorted(solids)))
    return found


def words_of(build: Build, one: str) -> str:
    """What people call whatever has an id."""
    if one in ("", VEHICLE):
        return {"": "none", VEHICLE: "the vehicle"}[one]
    for of, entity in ENTITIES.items():
        for thing in getattr(build, of):
            if thing.id == one:
                return entity.called(thing)
    for component in build.components:
        for solid in component.solids:
            if solid.id == one:
                return f"{solid.name} ({component.name})"
    return one


def form_fields(build: Build, entity: Entity, record: type, thing: Any) -> list[Field]:
    """The general form of a record, with what a thing holds now."""
    known = among(build, entity)

    def of(cls: type, now: Any, prefix: str, path: str) -> list[Field]:
        made = []
        for typed in typed_fields(cls):
            value = getattr(now, typed.name) if now is not None else typed.default
            where = f"{path}{typed.name}"
            if typed.kind == "record":
                made += of(typed.record, value, f"{prefix}{typed.name}_", f"{where}.")
                continue
            ids = known.get(where) or tuple(str(c) for c in typed.choices)
            choices = tuple((i, words_of(build, i) if where in known else i) for i in ids)
            if choices and typed.optional:
                choices = (("", "none"), *choices)
            label = " ".join([*path.replace("_", " ").split("."), typed.label]).strip()
            made.append(Field(f"{prefix}{typed.name}", f"{label[0].upper()}{label[1:]}", typed, value, choices))
        return made

    return of(record, thing, "", "")


def told(build: Build, entity: Entity, thing: Any, show: Show) -> str:
    """A thing in one line: each of its figures with its unit, and what it refers to by name."""
    said, names = [], {r.path for r in entity.refers}
    for typed in typed_fields(type(thing)):
        value = getattr(thing, typed.name)
        if typed.name == "name" or value in (None, "", typed.default):
            continue
        if typed.kind == "point":
            said.append(f"{typed.label} {show.coordinates(value)}")
        elif typed.kind in ("length", "angle"):
            said.append(f"{typed.label} {show.value(value, 'mm' if typed.kind == 'length' else 'deg')}")
        elif isinstance(value, SolidRef):
            said.append(f"{words_of(build, value.on)}: {words_of(build, value.solid)}")
        elif typed.kind == "text":
            said.append(f"{typed.label} {words_of(build, value) if typed.name in names else value}")
        elif typed.kind != "record":
            said.append(f"{typed.label} {value}")
    return ", ".join(said)


def page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> HTMLResponse:
    """Everything a build lists, and the chosen kind."""
    at = build_page(desk, build_id, "", outcome.saved.head if outcome and outcome.saved else None)
    own = [e for e in ENTITIES.values() if not e.page]
    entity = next((e for e in own if e.list == desk.text("of")), own[0])
    things = getattr(at.build, entity.list)
    gone = outcome is not None and outcome.saved is not None and desk.text("do") == "remove"
    thing = None if gone else next((t for t in things if t.id == desk.text("thing")), None)
    records = general(entity)
    record = type(thing) if thing is not None else next((r for r in records if r.__name__ == desk.text("record")), records[0])
    return desk.render(
        "shop/things.html",
        outcome,
        page=at,
        entities=ENTITIES.values(),
        counts_of={e.list: len(getattr(at.build, e.list)) for e in ENTITIES.values()},
        entity=entity,
        things=[(t, entity.called(t), told(at.build, entity, t, desk.show) if type(t) in records else "") for t in things],
        thing=thing,
        record=record,
        records=records if thing is None else (),
        fields=form_fields(at.build, entity, record, thing) if record in records else [],
        uses=uses_of(at.build, entity.list, thing.id) if thing is not None else (),
    )


@router.get("/builds/{build_id}/things", name="things")
def show(build_id: str, desk: ReadDesk) -> Response:
    """Everything a build lists."""
    return page(desk, build_id)


@router.post("/builds/{build_id}/things", name="keep_thing")
@answers(page, ChangeDesk)
def keep(act: Act) -> Outcome:
    """Add a thing, change it, or take it out."""
    entity = ENTITIES[act.form.choice("of", [e.list for e in ENTITIES.values() if not e.page])]
    thing_id = act.text("thing")
    if act.text("do") == "remove":
        name = words_of(act.build, thing_id)
        return act.change(f"Took {name} out", lambda b: without_thing(b, entity.list, thing_id))
    before = next((t for t in getattr(act.build, entity.list) if t.id == thing_id), None)
    record = type(before) if before is not None else act.form.choice("record", [r.__name__ for r in general(entity)], None)
    cls = next(r for r in general(entity) if record in (r, r.__name__))
    kept = {} if before is None else {n: getattr(before, n) for n in _left_alone(cls)}
    made: Any = act.form.record(cls, given={**kept, "id": thing_id}, among=among(act.build, entity))
    verb = "Changed" if before is not None else "Added"
    outcome = act.change(f"{verb} {entity.called(made)}", lambda b: with_thing(b, entity.list, made))
    outcome.errors = tuple(FieldError(_field(entity, cls, e.field), e.message) for e in outcome.errors)
    return outcome


def _left_alone(cls: type) -> list[str]:
    """Fields that the form does not say: they stay as they are."""
    said = {t.name for t in typed_fields(cls)}
    return [name for name in cls.__dataclass_fields__ if name not in said and name != "id"]  # type: ignore[attr-defined]


def _field(entity: Entity, cls: type, field: str) -> str:
    """The form's field that a problem of the build is about; of a part with several fields the last."""
    first, *rest = field.split(".")
    if first != entity.list or not rest:
        return field
    wanted = "_".join(rest[1:])
    inside = [f"{t.name}_{i.name}" for t in typed_fields(cls) if t.kind == "record" for i in typed_fields(t.record)]
    return next((name for name in reversed(inside) if name.startswith(f"{wanted}_")), wanted) if wanted else "thing"
