"""What must be true of a build before it is kept: names lead somewhere, figures are possible.

Every save asks all of it, and a change leaves most of a build as it was: each part
is looked through again only where something that it rests on has changed.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterator
from dataclasses import fields
from threading import Lock

from elmpeg.core.base.declared import Within, holds, inner_records
from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.memo import Memo
from elmpeg.core.build.document import ENTITIES, Build
from elmpeg.core.build.entities import wrong_references
from elmpeg.core.integrity import drive, make, measure, mount, place, reckonings
from elmpeg.core.integrity.figures import all_sane, insane
from elmpeg.core.integrity.names import doubles, unnamed, wrong_id
from elmpeg.core.integrity.ranges import out_of_range

Problem = tuple[str, str]
"""Where something stands in a build, and what is wrong with it."""
KEPT = 48
LISTS = tuple(ENTITIES)


class _Part:
    """One part of what must be true, and the fields of a build that it rests on."""

    def __init__(self, name: str, reads: tuple[str, ...], problems: Callable[[Build], Iterator[Problem]]) -> None:
        self.problems = problems
        self.kept: Memo[tuple[Problem, ...]] = Memo(f"soundness of {name}", reads, KEPT)

    def of(self, build: Build) -> tuple[Problem, ...]:
        """The problems of a build; looked for anew where a field that they rest on is another than before."""
        return self.kept.of(build, lambda: tuple(self.problems(build)))


def _figures(name: str) -> Callable[[Build], Iterator[Problem]]:
    def problems(build: Build) -> Iterator[Problem]:
        value = getattr(build, name)
        return iter(()) if all_sane(value) else insane(name, value)

    return problems


def _ranges(name: str) -> Callable[[Build], Iterator[Problem]]:
    return lambda build: out_of_range(name, getattr(build, name))


def _list(name: str) -> Callable[[Build], Iterator[Problem]]:
    """Ids that differ, within the list and within the lists of its things, and names."""

    def problems(build: Build) -> Iterator[Problem]:
        entity, things = ENTITIES[name], getattr(build, name)
        if len(things) > entity.most:
            yield name, f"has {len(things)} entries; at most {entity.most} are kept in one build"
            return
        yield from doubles(name, (thing.id for thing in things))
        for inner in entity.inner:
            for i, thing in enumerate(things):
                yield from doubles(f"{name}.{i}.{inner}", (one.id for one in getattr(thing, inner)))
        if entity.named:
            yield from unnamed(name, (thing.name for thing in things))

    return problems


def _targets(name: str) -> tuple[str, ...]:
    """The other lists that the things of a list refer to."""
    return tuple(to for to in dict.fromkeys(r.to for r in ENTITIES[name].refers if not r.loose) if to != name)


def _references(name: str) -> Callable[[Build], Iterator[Problem]]:
    return lambda build: wrong_references(build, name)


def _itself(build: Build) -> Iterator[Problem]:
    yield from wrong_id("id", build.id)
    yield from unnamed("name", (build.name,))


FIGURES = tuple(_Part(f"figures of {f.name}", (f.name,), _figures(f.name)) for f in fields(Build))
PARTS = (
    _Part("the build itself", ("id", "name"), _itself),
    *(_Part(f"the list of {name}", (name,), _list(name)) for name in LISTS),
    *(
        _Part(f"what {name} refer to", (name, *_targets(name)), _references(name))
        for name in LISTS
        if not all(r.loose for r in ENTITIES[name].refers)
    ),
    *(
        _Part(f"ranges in {name}", (name,), _ranges(name))
        for name, records in inner_records(Build)
        if any(holds(record, Within) for record in records)
    ),
    _Part("reckonings", ("reckonings",), reckonings.reckoning_problems),
    _Part("components", ("components", "solids"), place.component_problems),
    _Part("photographs under views", ("underlays",), place.underlay_problems),
    _Part("rooms", ("rooms", "components", "solids"), place.room_problems),
    _Part("options", ("options", "agreed", "components"), place.option_problems),
    _Part("points", ("points",), measure.point_problems),
    _Part("what was measured", ("points", "spans", "pairs", "bays", "tools"), measure.measured_problems),
    _Part("mounts", ("mounts",), mount.mount_problems),
    _Part("patterns and chains", ("patterns", "chains", "mounts"), mount.pattern_problems),
    _Part("pieces", ("pieces",), make.piece_problems),
    _Part("structures, stands and weldments", ("structures", "stands", "weldments"), make.made_things_problems),
    _Part("lines", drive.READS, drive.line_problems),
)


_SOUND: OrderedDict[str, Build] = OrderedDict()
"""By id, the newest document of each build that was found sound."""
_KNOWING = Lock()


def problems(build: Build) -> tuple[FieldError, ...]:
    """Everything that keeps a build from being evaluated; empty for a sound one.

    What stands as it stood in the newest sound document of the same build is sound still.
    """
    with _KNOWING:
        known = _SOUND.get(build.id)
    changed = {f.name for f in fields(Build) if known is None or getattr(known, f.name) is not getattr(build, f.name)}
    parts = (part for part in (*FIGURES, *PARTS) if not changed.isdisjoint(part.kept.reads))
    found = tuple(FieldError(field, message) for part in parts for field, message in part.of(build))
    if not found:
        with _KNOWING:
            _SOUND[build.id] = build
            _SOUND.move_to_end(build.id)
            while len(_SOUND) > KEPT:
                _SOUND.popitem(last=False)
    return found


def require_sound(build: Build) -> None:
    """Raise InputError with every problem of a build, and do nothing for a sound one."""
    found = problems(build)
    if found:
        raise InputError(found[0].field, found[0].message, *found[1:20])
