"""Calculations kept by themselves: what was typed, with what, by whom, in all its versions."""

from __future__ import annotations

from typing import Annotated, Literal

from elmpeg.core.base.declared import SignedBy
from elmpeg.core.base.record import record


@record
class TypedFigure:
    """One field as it was typed. ``source`` says what of a build it was filled from, ``taken`` what was filled in then."""

    name: str
    text: str
    source: str = ""
    taken: str = ""


@record
class SetAside:
    """Figures set aside beside those in hand, for looking at side by side."""

    name: str
    figures: tuple[TypedFigure, ...] = ()


@record
class ReckoningVersion:
    """A reckoning as it was kept once. A bare length is in ``unit``; the tools give the doubt of figures that say none."""

    number: int
    figures: tuple[TypedFigure, ...]
    unit: Literal["mm", "in"]
    by: Annotated[str, SignedBy("kept")]
    at: str
    length_tool: str = ""
    angle_tool: str = ""
    aside: tuple[SetAside, ...] = ()
    note: str = ""


@record
class Reckoning:
    """A calculation kept under a name, all its versions, the newest last."""

    id: str
    name: str
    calculator: str
    versions: tuple[ReckoningVersion, ...]

    @property
    def newest(self) -> ReckoningVersion:
        """As it was kept last."""
        return self.versions[-1]

    def version(self, number: int) -> ReckoningVersion:
        """One version by its number; the newest for a number that is not there."""
        return next((v for v in self.versions if v.number == number), self.newest)
