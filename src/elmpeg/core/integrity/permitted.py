"""What a person may change, told by comparing two documents: the same for every page, file, queue, undo and interface.

Some things only leads change. What people rely on (an agreed option, what a round predicted, an order's figures once
final) is changed by nobody while it stands. And a record that vouches for something (an order checked or called final,
a way decided, a reading taken blind, a round begun) is made by the person whose name it bears.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, fields
from typing import Any

from elmpeg.core.base.errors import FieldError
from elmpeg.core.build.document import Build
from elmpeg.core.build.entities import table_of
from elmpeg.core.build.options import Option

LEADS_ONLY: dict[str, str] = {
    "agreed": "which option is agreed",
    "agreed_because": "why an option is agreed",
    "agreed_except": "what an option is agreed with although it fails",
    "limits": "limits",
    "tools": "how good a tool is",
    "series": "joint sizes",
}
FROZEN_IN_ROUNDS = ("number", "option", "by", "started", "positions", "predictions", "points")
MOST_TOLD = 6


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
        found += [*_frozen(before, after), *_in_anothers_name(before, after, doer.name), *_alone(before, after, doer)]
    return tuple(found)


def _for_leads(before: Build, after: Build, restores: bool) -> Iterator[FieldError]:
    for field, said in LEADS_ONLY.items():
        if getattr(before, field) != getattr(after, field):
            yield FieldError(field, f"only leads change {said}; ask one")
    was = {line.id: line.decision for line in before.drivelines}
    for line in after.drivelines:
        # A line that is brought back whole brings its decision with it.
        if line.decision != was.get(line.id) and not (restores and line.id not in was):
            yield FieldError("decision", f"only leads decide which way {line.name} is built; ask one")


def _frozen(before: Build, after: Build) -> Iterator[FieldError]:
    if after.agreed is not None and after.agreed == before.agreed:
        then, now = before.option(after.agreed), next((o for o in after.options if o.id == after.agreed), None)
        if now is None or _as_built(then, after) != _as_built(now, after):
            yield FieldError("options", f"“{then.name}” is agreed and stays as it is; take the agreement back first, or try it in a copy")
    rounds = {r.id: r for r in before.rounds}
    for one in after.rounds:
        old = rounds.get(one.id)
        if old is not None and any(getattr(old, f) != getattr(one, f) for f in FROZEN_IN_ROUNDS):
            yield FieldError("rounds", f"what round {one.number} predicted is frozen and stays as it is")
    orders = {o.id: o for o in before.orders}
    for order in after.orders:
        was = orders.get(order.id)
        if was is not None and was.final is not None and was.final == order.final and was.figures != order.figures:
            yield FieldError("orders", "the figures of an order that was called final stay as they are; take that back first")


def _as_built(option: Option, after: Build) -> object:
    """Where an option puts what the build still has, and what fills its gaps; not what is reserved on the shelf for it."""
    parts, mounts = {c.id for c in after.components}, {m.id for m in after.mounts}
    stacks = {s.mount: Counter({(p.stock, p.mm): p.count for p in s.pieces}) for s in option.stacks if s.mount in mounts}
    return frozenset(p for p in option.positions if p.component in parts), stacks


def _in_anothers_name(before: Build, after: Build, name: str) -> Iterator[FieldError]:
    known = set(_vouched(before))
    made = [one[:3] for one in _vouched(after) if one not in known]
    for field, said, whose in dict.fromkeys(made):
        if whose != name:
            yield FieldError(field, f"{said} in the name of {whose}; only {whose} makes it")


def _alone(before: Build, after: Build, doer: Doer) -> Iterator[FieldError]:
    """Records of who checked their own work are made where nobody else could."""
    known = set(_checked_alone(before))
    if not doer.alone and any(one not in known for one in _checked_alone(after)):
        yield FieldError("alone", "only who works alone in a shop looks at their own work again; ask a second person")


def _checked_alone(build: Build) -> Iterator[object]:
    yield from ((o.id, s) for o in build.orders for s in o.steps if s.alone)
    yield from ((p.id, s.id, s.alone) for p in build.pieces for s in p.sendings if s.alone)
    yield from ((w.id, g) for w in build.weldments for g in w.gates if g.alone)


def _vouched(build: Build) -> Iterator[tuple[str, str, str, object]]:
    """Every record that vouches for something: its field, what it is, whose it is, and what tells it from others."""
    for order in build.orders:
        for step in order.steps:
            yield "orders", f"an order {step.state}", step.person, (order.id, step)
        if order.final is not None:
            yield "orders", "an order called final", order.final.person, (order.id, "final", order.final)
    for line in build.drivelines:
        if line.decision is not None:
            yield "drivelines", f"the way {line.name} is built, decided", line.decision.person, (line.id, line.decision)
    for one in build.rounds:
        yield "rounds", f"round {one.number}, begun", one.by, one.id
    for point in build.points:
        for reading in point.readings:
            if reading.blind:
                yield "points", f"a reading of {point.name} taken blind", reading.person, (point.id, reading.id)


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
