"""Two people's changes of one thing, in words: what it was, what each made of it."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from typing import Any

from elmpeg.core.base.declared import Called, all_records, declared, without_unit
from elmpeg.core.build.document import ENTITIES, Build
from elmpeg.core.build.entities import inner_names
from elmpeg.store.builds import Conflict
from elmpeg.web.forms import labelled
from elmpeg.web.showing import Show

_FIELDS = {
    "x_mm": "X", "y_mm": "Y", "z_mm": "Z", "roll_deg": "roll", "pitch_deg": "pitch", "yaw_deg": "yaw", "pieces": "stack",
    "agreed": "agreed option", "name": "name", "school": "joint angle school", "text": "as typed", "value": "value",
    "rpm": "speed, rpm", "phases_deg": "forks", "arrangement": "school", "steps": "state", "joints": "joints", "shafts": "shafts",
}  # fmt: skip
_LISTS = {"pose", "limits", *ENTITIES} | {name for entity in ENTITIES.values() for record in entity.records for name in inner_names(record)}
"""Names of lists, and of what holds others: an id below them says more."""
_SIDES = {"a_": "first", "b_": "second"}
_PLAIN = ("rpm", "share", "kmh", "days", "ratio", "pct", "rad_s2", "ends", "count", "number", "bulge")
"""Ends of the names of figures that are no lengths."""


@dataclass(frozen=True, slots=True)
class ClashRow:
    """One thing both changed."""

    what: str
    before: str
    mine: str
    theirs: str


def in_words(conflict: Conflict, show: Show) -> list[ClashRow]:
    """Each clash in words."""
    names = _names(conflict.head.build)
    rows = []
    for clash in conflict.clashes:
        # Of a build's own lists the thing says which it is; a stack's pieces are the stack.
        path = clash.path[1:] if clash.path[0] in _LISTS else clash.path
        gone = {path[-1]: clash.before["name"]} if isinstance(clash.before, dict) and clash.before.get("name") else {}
        parts = [_FIELDS.get(p) or names.get(p) or gone.get(p) or labelled(p) for p in path if p in _FIELDS or p not in _LISTS]
        field = clash.path[-1]
        rows.append(ClashRow(", ".join(parts), *(_value(v, field, show) for v in (clash.before, clash.mine, clash.theirs))))
    return rows


@cache
def _declared() -> dict[str, str]:
    """What the document's fields are called, by their names without units, where all records that have one call it alike."""
    found: dict[str, set[str]] = {}
    for record in all_records(Build):
        for name, note in declared(record, Called):
            found.setdefault(without_unit(name), set()).add(note.words)
    return {name: words.pop() for name, words in found.items() if len(words) == 1}


def called_in_forms(field: str) -> str:
    """What people read for a field of a form whose record is not known."""
    first_or_second, rest = _SIDES.get(field[:2], ""), field[2:]
    return f"{first_or_second} {labelled(rest)}" if first_or_second else _declared().get(field) or labelled(field)


def _names(build: Build) -> dict[str, str]:
    """By id, what people call each thing of a build."""
    return {thing.id: ENTITIES[of].called(thing) for of in ENTITIES for thing in getattr(build, of)} | {
        r.id: f"round {r.number}" for r in build.rounds
    }


def _value(value: Any, field: str, show: Show) -> str:
    if value is None:
        return "nothing"
    if isinstance(value, int | float) and not isinstance(value, bool):
        if field == "k" or field.endswith(_PLAIN):
            return f"{value:g}"
        return str(show.value(float(value), "deg" if field.endswith("_deg") else "mm"))
    if isinstance(value, list):
        return " + ".join(_value(v, field if field.endswith("_deg") else "", show) for v in value) or "nothing"
    if isinstance(value, dict):
        if "count" in value and "name" in value:
            return f"{value['count']} × {value['name']}"
        return str(value.get("text") or value.get("words") or value.get("name") or value.get("state") or "changed")
    return str(value)
