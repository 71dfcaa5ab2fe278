"""What a person may change, told by comparing two documents: the same for every page, file, queue, undo and interface.

Some things only leads change. What people rely on (an agreed option, what a round predicted, an order's figures once
final) is changed by nobody while it stands. And a record that is signed is made by the person whose name it bears. Which
fields these are is declared where the records are.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, fields
from typing import Any, TypeVar

from elmpeg.core.base.declared import Frozen, LeadOnly, declared
from elmpeg.core.base.errors import FieldError
from elmpeg.core.build.document import Build
from elmpeg.core.build.entities import table_of
from elmpeg.core.build.options import Option
from elmpeg.core.build.signers import same_person, signed_here
from elmpeg.core.integrity.signed import not_theirs

LEADS_ONLY: dict[str, str] = {field: lead.said for field, lead in declared(Build, LeadOnly)}
"""What of a build only leads change, by field, as it is said."""
MOST_TOLD = 6
D = TypeVar("D")


@dataclass(frozen=True, slots=True)
class Doer:
    """Who changes a document."""

    name: str
    leads: bool
    alone: bool = False
    """Whether nobody else in the shop may change builds."""


def refusals(before: Build, after: Build, doer: Doer, restores: bool = False) -> tuple[FieldError, ...]:
    """What of a change is not this person's to make, each with its field; none where all of it is.

    A change that ``restores`` what once stood (undo, redo) makes no records of its own.
    """
    found = [] if doer.leads else list(_for_leads(before, after, restores))
    if not restores:
        found += [*_frozen(before, after), *_signed(before, after, doer), *_alone(before, after, doer)]
    # One thing that is wrong with a list is told once, the plainest first.
    return tuple({e.field: e for e in reversed(found)}.values())[::-1]


def _for_leads(before: Build, after: Build, restores: bool) -> Iterator[FieldError]:
    for field, said in LEADS_ONLY.items():
        if getattr(before, field) != getattr(after, field):
            yield FieldError(field, f"only leads change {said}; ask one")
    for of, field, lead, old, thing in _declaring(before, after, LeadOnly):
        # A thing that is brought back whole brings it with it.
        if getattr(thing, field) != (getattr(old, field) if old else _unset(thing, field)) and not (restores and old is None):
            yield FieldError(field, f"only leads change {lead.said.format(name=getattr(thing, 'name', of))}; ask one")


def _declaring(before: Build, after: Build, kind: type[D]) -> Iterator[tuple[str, str, D, Any, Any]]:
    """Each field of each thing in a build's lists that declares something: the list, the field, what, the thing as it was, as it is."""
    for of, entity in table_of(after).items():
        said = [(field, one) for record in entity.records for field, one in declared(record, kind)]
        if not said or getattr(before, of) is getattr(after, of):
            continue
        olds = {thing.id: thing for thing in getattr(before, of)}
        for thing in getattr(after, of):
            old = olds.get(thing.id)
            if old is not thing:
                yield from ((of, field, one, old, thing) for field, one in said)


def _unset(thing: Any, field: str) -> Any:
    return next(f.default for f in fields(thing) if f.name == field)


def _frozen(before: Build, after: Build) -> Iterator[FieldError]:
    if after.agreed is not None and after.agreed == before.agreed:
        then, now = before.option(after.agreed), next((o for o in after.options if o.id == after.agreed), None)
        if now is None or _as_built(then, after) != _as_built(now, after):
            yield FieldError("options", f"“{then.name}” is agreed and stays as it is; take the agreement back first, or try it in a copy")
    for of, field, frozen, old, thing in _declaring(before, after, Frozen):
        if old is None or getattr(old, field) == getattr(thing, field):
            continue
        if not frozen.once or (getattr(old, frozen.once) is not None and getattr(old, frozen.once) == getattr(thing, frozen.once)):
            yield FieldError(of, f"{frozen.said.format(**_texts(thing))} stays as it is")


def _texts(thing: Any) -> dict[str, str]:
    return {f.name: str(getattr(thing, f.name)) for f in fields(thing) if f.name in ("name", "number")}


def _as_built(option: Option, after: Build) -> object:
    """Where an option puts what the build still has, and what fills its gaps; not what is reserved on the shelf for it."""
    parts, mounts = {c.id for c in after.components}, {m.id for m in after.mounts}
    stacks = {s.mount: Counter({(p.stock, p.mm): p.count for p in s.pieces}) for s in option.stacks if s.mount in mounts}
    return frozenset(p for p in option.positions if p.component in parts), stacks


def _signed(before: Build, after: Build, doer: Doer) -> Iterator[FieldError]:
    for field, said in dict.fromkeys(not_theirs(before, after, doer.name, doer.leads)):
        yield FieldError(field, said)


def _alone(before: Build, after: Build, doer: Doer) -> Iterator[FieldError]:
    """What a second person checks is not checked by who drafted it; records of who did their own once more are made where nobody
    else could."""
    known = set(_checked_alone(before))
    if not doer.alone and any(one not in known for one in _checked_alone(after)):
        yield FieldError("alone", "only who works alone in a shop looks at their own work again; ask a second person")
    stood = set(_checked_their_own(before))
    for of, thing, key in _checked_their_own(after):
        if (of, thing, key) not in stood:
            yield FieldError(
                of, f"{thing} is checked by who drafted it; a second person checks, or who works alone says how they looked again"
            )


def _checked_alone(build: Build) -> Iterator[object]:
    yield from ((o.id, s) for o in build.orders for s in o.steps if s.alone)
    yield from ((p.id, s.id, s.alone) for p in build.pieces for s in p.sendings if s.alone)
    yield from ((w.id, g) for w in build.weldments for g in w.gates if g.alone)


def _checked_their_own(build: Build) -> Iterator[tuple[str, str, object]]:
    """Checks of what the same person drafted, who does not say how they looked again: the list, what is checked, and which it is."""
    for order in build.orders:
        drafted = [s.person for s in order.steps if s.state == "drafted"]
        for step in order.steps:
            if step.state == "checked" and not step.alone and any(same_person(step.person, one) for one in drafted):
                yield "orders", _called(build, "orders", order), step
    for piece in build.pieces:
        for sent in piece.sendings:
            if signed_here(sent.checked_by) and same_person(sent.checked_by, sent.by) and not sent.alone:
                yield "pieces", _called(build, "pieces", piece), (sent.id, sent.checked_by)


def _called(build: Build, of: str, thing: Any) -> str:
    said: str = table_of(build)[of].called_with_noun(thing)
    return said[:1].upper() + said[1:]


def told(before: Build, after: Build) -> str:
    """What is different in a document, counted: for saying what a file brought in."""
    said: list[str] = []
    table = table_of(after)
    for field in fields(after):
        was, now = getattr(before, field.name), getattr(after, field.name)
        if was == now:
            continue
        entity = table.get(field.name)
        if entity is None:
            said.append(field.name.replace("_", " "))
            continue
        old, new = {t.id: t for t in was}, {t.id: t for t in now}
        counts = {
            "new": len(new.keys() - old.keys()),
            "changed": sum(old[k] != new[k] for k in new.keys() & old.keys()),
            "gone": len(old.keys() - new.keys()),
        }
        parts = [f"{n} {word}" for word, n in counts.items() if n] or ["put in another order"]
        said.append(f"{entity.noun}: {', '.join(parts)}")
    names = sorted(_people(after) - _people(before))
    if names:
        said.append(f"records of {', '.join(names[:MOST_TOLD])}")
    more = f" and {len(said) - MOST_TOLD} more kinds" if len(said) > MOST_TOLD else ""
    return "; ".join(said[:MOST_TOLD]) + more if said else "nothing new"


def _people(build: Build) -> set[str]:
    """Everybody whose name a reading bears."""
    rows: tuple[Any, ...] = (*(r for p in build.points for r in (*p.readings, *p.leans)), *build.lengths, *build.slopes, *build.spans)
    return {r.person for r in rows if r.person}
