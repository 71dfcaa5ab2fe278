"""Signatures of a document: every record that bears the name of who did what it says, and what it vouches for."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, fields, is_dataclass, replace
from typing import Any

from elmpeg.core.base.declared import SignedBy, declared, holds, inner_records
from elmpeg.core.build.document import Build
from elmpeg.core.build.entities import table_of
from elmpeg.core.build.signers import signed_elsewhere, signed_here

Address = tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Signature:
    """A name in a signed field: where (list, thing, fields and ids on the way), whose, for what, and with what content."""

    at: Address
    field: str
    name: str
    signed: SignedBy
    binds: bool
    content: tuple[Any, ...]

    @property
    def place(self) -> tuple[Address, str]:
        """Which signature of the document it is, whoever gives it."""
        return self.at, self.field


def signatures(build: Build, besides: Build | None = None) -> Iterator[Signature]:
    """Every signature of a build; with ``besides`` only those in things that are not the very same there."""
    for of, entity in table_of(build).items():
        things, others = getattr(build, of), getattr(besides, of) if besides is not None else ()
        # What a change leaves alone is the very same list; most of a build is, at every save.
        if things is others or not any(holds(record, SignedBy) for record in entity.records):
            continue
        same = {thing.id: thing for thing in others}
        for thing in things:
            there = same.get(thing.id)
            if there is not thing and there != thing:
                yield from _signed(thing, (of, thing.id))


def _signed(record: Any, at: Address) -> Iterator[Signature]:
    cls: type = type(record)
    for name, signed in declared(cls, SignedBy):
        if who := getattr(record, name):
            binds = signed_here(who) and not signed.for_others and (not signed.where or bool(getattr(record, signed.where)))
            yield Signature(at, name, who, signed, binds, tuple(getattr(record, f) for f in covered(cls, name)))
    for name, records in inner_records(cls):
        if any(holds(inner, SignedBy) for inner in records):
            for one in _each(getattr(record, name)):
                yield from _signed(one, (*at, name, getattr(one, "id", "")))


def from_elsewhere(build: Build) -> Build:
    """A build as it comes from another shop, or begins as the copy of another build: each signature says that it was given there.

    Names that a colleague may write down stay as they are: they vouch for nothing.
    """
    made: Build = _marked(build)
    return made


def _marked(value: Any) -> Any:
    if isinstance(value, tuple):
        return tuple(map(_marked, value))
    if not is_dataclass(value) or isinstance(value, type) or not holds(type(value), SignedBy):
        return value
    new = {name: _marked(getattr(value, name)) for name, records in inner_records(type(value)) if any(holds(r, SignedBy) for r in records)}
    for name, signed in declared(type(value), SignedBy):
        if not signed.for_others and (not signed.where or getattr(value, signed.where)):
            new[name] = signed_elsewhere(getattr(value, name))
    return replace(value, **new)


def _each(value: Any) -> tuple[Any, ...]:
    return value if isinstance(value, tuple) else () if value is None else (value,)


def covered(cls: type, name: str) -> tuple[str, ...]:
    """The fields of a record that one of its signatures vouches for."""
    signed = dict(declared(cls, SignedBy))
    if signed[name].covers:
        return signed[name].covers
    nested = {f for f, records in inner_records(cls) if any(holds(inner, SignedBy) for inner in records)}
    return tuple(f.name for f in fields(cls) if f.name not in {*signed, *signed[name].apart, *nested})


def changes(before: Build, after: Build) -> tuple[tuple[Signature, ...], tuple[Signature, ...]]:
    """The signatures that a change makes, and those that it takes away; one over other content is both."""
    old, new = tuple(signatures(before, after)), tuple(signatures(after, before))
    was, now = Counter(map(_key, old)), Counter(map(_key, new))
    by_key = {_key(one): one for one in (*old, *new)}
    return tuple(by_key[k] for k in now - was), tuple(by_key[k] for k in was - now)


def _key(one: Signature) -> tuple[Any, ...]:
    return one.at, one.field, one.name, one.binds, one.content


def not_theirs(before: Build, after: Build, name: str, leads: bool) -> Iterator[tuple[str, str]]:
    """Each signature that a change makes, alters or takes away and that was not this person's to: its list, and why not."""
    made, gone = changes(before, after)
    if not made and not gone:
        return
    replaced = {one.place: one for one in gone}
    forged = {one.place for one in made if one.name != name}
    left = {(of, thing.id) for of in table_of(after) for thing in getattr(after, of)}
    for one in made:
        if one.name == name:
            continue
        if one.binds:
            yield one.at[0], f"{_said(after, one)} in the name of {one.name}; only {one.name} makes it"
        elif one.place in replaced and one.at[-1] and not leads:
            yield (
                one.at[0],
                f"{_said(before, replaced[one.place])}, as {replaced[one.place].name} wrote it down, stays as it is; set it aside instead",
            )
    for one in gone:
        # What is in a thing goes with the whole of it; what is itself signed, such as a round, does not.
        stays = len(one.at) == len(("list", "thing")) or one.at[:2] in left
        if one.binds and stays and one.name != name and not leads and one.place not in forged:
            yield one.at[0], f"{_said(before, one)} by {one.name}; only {one.name} or a lead takes that back"


def _said(build: Build, one: Signature) -> str:
    """What is signed, in a few words: what was done to which thing."""
    of, thing_id = one.at[:2]
    entity = table_of(build)[of]
    thing = next((t for t in getattr(build, of) if t.id == thing_id), None)
    called = entity.called_with_noun(thing) if thing is not None else entity.noun
    return f"{called}: {one.signed.did}"
