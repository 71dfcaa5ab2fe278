"""Keeping a calculation: each time it is kept is a version of its own."""

from __future__ import annotations

from dataclasses import replace

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.naming import cleaned_name, new_id
from elmpeg.core.build.document import Build
from elmpeg.core.build.reckonings import Reckoning, ReckoningVersion
from elmpeg.core.integrity.reckonings import problems_of


def with_version(reckoning: Reckoning, version: ReckoningVersion) -> Reckoning:
    """The calculation with a further version, numbered on. Raises InputError for what could not be opened again."""
    number = reckoning.versions[-1].number + 1 if reckoning.versions else 1
    numbered = ReckoningVersion(
        number, version.figures, version.unit, version.by, version.at, version.length_tool, version.angle_tool, version.aside, version.note
    )
    made = Reckoning(reckoning.id, reckoning.name, reckoning.calculator, (*reckoning.versions, numbered))
    for field, message in problems_of(made, "reckoning"):
        raise InputError("name", f"{field.rsplit('.', 1)[-1]} {message}")
    return made


def kept_in(build: Build, name: str, calculator: str, version: ReckoningVersion, reckoning_id: str = "", seen: int = 0) -> Build:
    """The build with a new calculation, or a further version of one. Raises InputError where another has the name, or a version
    was kept after the one that was ``seen``."""
    tidy = cleaned_name(name)
    if any(r.name.lower() == tidy.lower() and r.id != reckoning_id for r in build.reckonings):
        raise InputError("name", f"another reckoning of this build is called “{tidy}”; choose a different name")
    before = next((r for r in build.reckonings if r.id == reckoning_id), None)
    if before is None:
        made = with_version(Reckoning(new_id(tidy, (r.id for r in build.reckonings)), tidy, calculator, ()), version)
        return replace(build, reckonings=(*build.reckonings, made))
    if before.newest.number != seen:
        raise InputError("name", f"{before.newest.by} kept version {before.newest.number} meanwhile; look at it and keep yours again")
    made = with_version(replace(before, name=tidy), version)
    return replace(build, reckonings=tuple(made if r.id == reckoning_id else r for r in build.reckonings))
