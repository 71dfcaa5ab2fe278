"""What a build lists: one entry for each kind of thing, declared where the build names its list.

The entry says the thing's noun, how many of it one build keeps, what it refers to,
and on which page it is made. Finding a thing, telling doubles and wrong references,
how many there may be, what must go before a thing is taken out, the words for a
clash, and the general form and list all come from it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field, fields, is_dataclass, replace
from typing import Any, Literal, get_args, get_type_hints

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.build.survey import VEHICLE

Stays = Literal["holds", "goes", "told"]
"""What becomes of what refers to a thing that is taken out: it ``holds`` the thing, it ``goes`` with it, or it is only told."""
ENTRY = "entity"
MOST_TOLD = 4


@dataclass(frozen=True, slots=True)
class Refers:
    """Where a thing names another: ``path`` leads through its own lists (``joints.point``), ``to`` is the other's list.

    ``besides`` are words that stand there instead of an id. ``says`` is how the user is named when the other is to be
    taken out, with {name} for it. A reference that is ``loose`` may lead nowhere: it is kept as a memory.
    """

    path: str
    to: str
    besides: tuple[str, ...] = ("",)
    then: Stays = "holds"
    says: str = "{name}"
    loose: bool = False


@dataclass(frozen=True, slots=True)
class Entity:
    """One kind of thing that a build lists."""

    list: str
    noun: str
    most: int
    records: tuple[type, ...]
    refers: tuple[Refers, ...]
    inner: tuple[str, ...]
    page: str
    rows: tuple[str, ...] = ()

    @property
    def a(self) -> str:
        """The noun with its article."""
        return f"{'an' if self.noun[0] in 'aeiou' else 'a'} {self.noun}"

    @property
    def named(self) -> bool:
        """Whether people give it a name."""
        return any(f.name == "name" for f in fields(self.records[0]))

    def called(self, thing: Any) -> str:
        """What people call one of these: its name, or its noun and what tells it from others."""
        name = str(getattr(thing, "name", "") or "")
        return name or f"{self.noun} {_own_part(thing.id)}"

    def called_with_noun(self, thing: Any) -> str:
        """The same, with its noun before a name."""
        return self.called(thing) if not getattr(thing, "name", "") else f"{self.noun} {thing.name}"


def _own_part(item_id: str) -> str:
    """What of an id people can say: its number, else its words."""
    number = re.search(r"\d[\d-]*$", item_id)
    return number[0] if number else item_id.replace("-", " ").replace("_", " ")


def listed(
    noun: str,
    most: int,
    *refers: Refers,
    inner: tuple[str, ...] = (),
    page: str = "",
    rows: tuple[str, ...] = (),
    default: tuple[Any, ...] = (),
) -> Any:
    """A list of the build, with its entry. ``inner`` names lists inside its things whose entries have ids of their own.

    ``page`` is the route of the page where these are made; without one they are made on the general page. ``rows``
    names the lists inside its things that the general form shows row by row.
    """
    entry = {"noun": noun, "most": most, "refers": refers, "inner": inner, "page": page, "rows": rows}
    return field(default=default, metadata={ENTRY: entry})


_TABLES: dict[type, dict[str, Entity]] = {}


def entities(document: type) -> dict[str, Entity]:
    """The table of everything that a document lists, by list, in its order."""
    if document in _TABLES:
        return _TABLES[document]
    hints = get_type_hints(document)
    found = {}
    for f in fields(document):
        if ENTRY in f.metadata:
            record = get_args(hints[f.name])[0]
            found[f.name] = Entity(f.name, records=get_args(record) or (record,), **f.metadata[ENTRY])
    return _TABLES.setdefault(document, found)


def table_of(document: object) -> dict[str, Entity]:
    """The table of what a document lists."""
    return entities(type(document))


def item_of(document: Any, of: str, item_id: str) -> Any:
    """A thing by its list and id; raises MissingError naming what was looked for."""
    for item in getattr(document, of):
        if item.id == item_id:
            return item
    raise MissingError(f"this build has no {table_of(document)[of].noun} “{item_id}”")


def named_at(thing: Any, path: str) -> Iterator[tuple[str, str]]:
    """The ids that stand at a path of a thing: where each stands, and the id."""
    first, _, rest = path.partition(".")
    value = getattr(thing, first)
    for where, one in [(f"{first}.{k}", v) for k, v in enumerate(value)] if isinstance(value, tuple) else [(first, value)]:
        if one is None:
            continue
        if rest:
            yield from ((f"{where}.{inner}", found) for inner, found in named_at(one, rest))
        else:
            yield where, str(one)


@dataclass(frozen=True, slots=True)
class Use:
    """One thing that refers to another: its list and id, how it is named, and what becomes of it when the other goes."""

    of: str
    id: str
    name: str
    then: Stays


def all_users(document: Any, of: str, item_id: str) -> tuple[Use, ...]:
    """Everything that would go with a thing if all that holds it were taken out too, each once."""
    after = taken_out(document, of, item_id, with_users=True)
    found = []
    for name, entity in table_of(document).items():
        left = {t.id for t in getattr(after, name)}
        found += [Use(name, t.id, entity.called_with_noun(t), "goes") for t in getattr(document, name) if t.id not in left]
    return tuple(u for u in found if (u.of, u.id) != (of, item_id))


def uses_of(document: Any, of: str, item_id: str) -> tuple[Use, ...]:
    """Everything in a document that refers to a thing, in the document's order; what holds it stands first,
    its like last."""
    found: list[Use] = []
    for name, entity in table_of(document).items():
        for thing in getattr(document, name):
            for refers in entity.refers:
                if refers.to == of and any(named == item_id for _, named in named_at(thing, refers.path)):
                    said = refers.says.format(**{**_texts(thing), "name": entity.called(thing), **_ends(document, thing)})
                    found.append(Use(name, thing.id, said, refers.then))
    order: tuple[Stays, ...] = ("holds", "goes", "told")
    return tuple(sorted(dict.fromkeys(found), key=lambda use: (order.index(use.then), use.of == of)))


def _texts(thing: Any) -> dict[str, str]:
    return {f.name: str(getattr(thing, f.name)) for f in fields(thing)}


def _ends(document: Any, thing: Any) -> dict[str, str]:
    """The names of the two points that a thing lies between, for saying it in words."""
    ends = (("a", "b"), ("left", "right"))
    names = {p.id: p.name for p in getattr(document, "points", ())}
    return {w: names.get(getattr(thing, n, ""), "") for pair in ends for n, w in zip(pair, ("a", "b"), strict=True) if hasattr(thing, n)}


def taken_out(document: Any, of: str, item_id: str, with_users: bool = False) -> Any:
    """The document without a thing, and without what goes with it. Raises InputError naming what holds it there,
    unless that is to be taken out too, with all that in turn holds it."""
    if with_users:
        for use in uses_of(document, of, item_id):
            if use.then == "holds" and (use.of, use.id) != (of, item_id) and any(t.id == use.id for t in getattr(document, use.of)):
                document = taken_out(document, use.of, use.id, with_users=True)
        if all(t.id != item_id for t in getattr(document, of)):
            return document
    entity, thing = table_of(document)[of], item_of(document, of, item_id)
    uses = uses_of(document, of, item_id)
    holding = [use.name for use in uses if use.then == "holds" and (use.of, use.id) != (of, item_id)]
    if holding:
        more = f" and {len(holding) - MOST_TOLD} more" if len(holding) > MOST_TOLD else ""
        raise InputError(
            entity.noun.split()[-1],
            f"{entity.called(thing)} is still used by {', '.join(holding[:MOST_TOLD])}{more}; change these first, or take it out with them under “Everything in it”",
        )
    document = replace(document, **{of: tuple(t for t in getattr(document, of) if t.id != item_id)})
    for name, other in table_of(document).items():
        for refers in (r for r in other.refers if r.to == of and r.then == "goes"):
            document = _without_uses(document, name, refers, item_id, with_users)
    return document


def _without_uses(document: Any, name: str, refers: Refers, item_id: str, with_users: bool) -> Any:
    """The document without what refers to a thing at one path: the entry of an inner list that does, or the whole thing."""
    first, _, rest = refers.path.partition(".")
    for thing in getattr(document, name):
        if all(named != item_id for _, named in named_at(thing, refers.path)):
            continue
        value = getattr(thing, first)
        if rest and isinstance(value, tuple):
            left = tuple(v for v in value if all(named != item_id for _, named in named_at(v, rest)))
            document = replace(
                document, **{name: tuple(replace(t, **{first: left}) if t.id == thing.id else t for t in getattr(document, name))}
            )
        elif any(t.id == thing.id for t in getattr(document, name)):
            document = taken_out(document, name, thing.id, with_users)
    return document


def wrong_references(document: Any, of: str) -> Iterator[tuple[str, str]]:
    """Each name in one of a document's lists that leads nowhere: where it stands, and what is wrong."""
    table = table_of(document)
    for refers in (r for r in table[of].refers if not r.loose):
        there, noun = {thing.id for thing in getattr(document, refers.to)}, table[refers.to].a
        for i, thing in enumerate(getattr(document, of)):
            for where, named in named_at(thing, refers.path):
                if named not in there and named not in refers.besides:
                    said = f"is neither {noun} nor “{VEHICLE}”" if VEHICLE in refers.besides else f"is not {noun}"
                    yield f"{of}.{i}.{where}", f"“{named}” {said}" if named else f"is empty; choose {noun}"


def inner_names(record: type) -> set[str]:
    """The names of all lists inside a record, at any depth."""
    found: set[str] = set()
    for name, hint in get_type_hints(record).items():
        for arg in get_args(hint):
            if isinstance(arg, type) and is_dataclass(arg):
                found |= {name} | inner_names(arg)
    return found
