"""What a calculation is to the person who does it by hand: its title, the words it is found by, what it answers, what it
holds against a limit, where its formula comes from and what it does not tell."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal

from pydantic import BaseModel

from elmpeg.core.base.quantities import Unit, Words

Result = Mapping[str, Any]
StageName = Literal["Reference", "Measure", "Place", "Mount", "Drive", "Link", "Ride", "Clear", "Make", "Fit", "Hand over"]


@dataclass(frozen=True, slots=True)
class Answer:
    """One figure, word or yes and no of a result: where it stands (``found.rms_mm``), what it is called, and its unit where
    the end of its name does not tell. ``none`` is said where there is none."""

    path: str
    label: str
    unit: Unit | None = None
    yes: str = "yes"
    no: str = "no"
    none: str = ""


@dataclass(frozen=True, slots=True)
class Table:
    """A list of a result as a table, a row for each entry; the paths of its columns begin within a row."""

    path: str
    title: str
    columns: tuple[Answer, ...]


@dataclass(frozen=True, slots=True)
class Limit:
    """A value held against what it may be, in words, with what would mend it where it is outside; a remedy that takes a search
    is a function, asked only where it is told."""

    id: str
    label: str
    value: float
    unit: Unit
    low: float | None = None
    high: float | None = None
    mend: Words | Callable[[], Words] | None = None


def no_limits(_request: Any, _result: Result) -> tuple[Limit, ...]:
    """Of a calculation that holds nothing against a limit."""
    return ()


@dataclass(frozen=True, slots=True, eq=False)
class Calculator:
    """One calculator: the contract (name, request, compute), and what a person needs to do it by hand.

    ``labels`` and ``hints`` are by field, rows without their numbers (``ends.body_mm``); a field without a label is called
    by its name. ``example`` is a request that is answered. The first answer that is not None is the one people come for. ``exact`` are
    fields that are chosen and not measured, to which a tool's doubt does not apply. ``near``, of a long search, gives from a
    question and its answer a quick way to the same figures for questions close by; ``near_all`` does so for many
    questions at once. ``bears`` says of a question and its answer which of the figures asked can move the answer at all.
    """

    name: str
    purpose: str
    request: type[BaseModel]
    compute: Callable[[Any], Result]
    stage: StageName
    title: str
    words: tuple[str, ...]
    answers: tuple[Answer, ...]
    formula: str
    source: str
    not_told: str
    example: Mapping[str, Any]
    tables: tuple[Table, ...] = ()
    limits: Callable[[Any, Result], tuple[Limit, ...]] = no_limits
    labels: Mapping[str, str] = field(default_factory=dict)
    hints: Mapping[str, str] = field(default_factory=dict)
    caution: str = ""
    exact: tuple[str, ...] = ()
    near: Callable[[Any, Result], Callable[[Any], Result]] | None = None
    near_all: Callable[[Any, Result], Callable[[Sequence[Any]], list[Result]]] | None = None
    bears: Callable[[Any, Result], Callable[[tuple[str | int, ...]], bool]] | None = None
