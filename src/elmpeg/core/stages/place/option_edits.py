"""Options copied, renamed and agreed."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import LONGEST_REASON, cleaned_name, new_id
from elmpeg.core.build.document import Build, with_option
from elmpeg.core.build.entities import taken_out
from elmpeg.core.build.options import Excepted, Option, Position


def refuse_agreed(build: Build, option: Option, what: str) -> None:
    """Raise InputError where an option is agreed: people rely on it as it is."""
    if build.agreed == option.id:
        raise InputError("option", f"“{option.name}” is agreed and cannot be {what}; duplicate it and try there")


def _refuse_same_name(build: Build, name: str, but: str = "") -> None:
    if any(o.name.lower() == name.lower() and o.id != but for o in build.options):
        raise InputError("name", f"another option is called “{name}” already; choose a different name")


def with_duplicate(build: Build, option_id: str, name: str) -> Build:
    """The build with a copy of an option, positions and stacks, added last under a new name."""
    original, name = build.option(option_id), cleaned_name(name)
    _refuse_same_name(build, name)
    # What is reserved stays with the stack that it was reserved for.
    stacks = tuple(replace(s, pieces=tuple(replace(p, reserved=0) for p in s.pieces)) for s in original.stacks)
    copy = replace(original, id=new_id(name, (o.id for o in build.options)), name=name, stacks=stacks)
    return replace(build, options=(*build.options, copy))


def with_option_renamed(build: Build, option_id: str, name: str) -> Build:
    """The build with one option under another name."""
    option, name = build.option(option_id), cleaned_name(name)
    _refuse_same_name(build, name, but=option_id)
    return with_option(build, replace(option, name=name))


def with_agreed(build: Build, option_id: str, because: str = "", excepted: tuple[Excepted, ...] = ()) -> Build:
    """The build with one option agreed, in place of any other, and why; ``excepted`` is what was accepted although it fails."""
    tidy = " ".join(because.split())[:LONGEST_REASON]
    return replace(build, agreed=build.option(option_id).id, agreed_because=tidy, agreed_except=excepted)


def without_agreed(build: Build) -> Build:
    """The build with no option agreed."""
    if build.agreed is None:
        raise InputError("because", "no option is agreed")
    return replace(build, agreed=None, agreed_because="", agreed_except=())


def with_note(build: Build, option_id: str, note: str) -> Build:
    """The build with an option's note written anew."""
    tidy = " ".join(note.split())
    if len(tidy) > LONGEST_REASON:
        raise InputError("note", f"has {len(tidy)} characters; keep it to {LONGEST_REASON}")
    return with_option(build, replace(build.option(option_id), note=tidy))


def without_option(build: Build, option_id: str) -> Build:
    """The build without an option. Raises InputError for the agreed one and for the last."""
    option = build.option(option_id)
    refuse_agreed(build, option, "taken out")
    if len(build.options) == 1:
        raise InputError("option", f"“{option.name}” is the only option; a build has at least one")
    made: Build = taken_out(build, "options", option_id)
    return made


def with_trial(build: Build, option_id: str, name: str, positions: tuple[Position, ...], note: str) -> Build:
    """The build with a copy of an option, last, in which some parts sit elsewhere; the option itself stays as it is."""
    build = with_duplicate(build, option_id, name)
    made: Option = build.options[-1]
    mine = {p.component for p in positions}
    moved = (*(p for p in made.positions if p.component not in mine), *positions)
    return with_option(build, replace(made, positions=moved, note=" ".join(note.split())[:LONGEST_REASON]))
