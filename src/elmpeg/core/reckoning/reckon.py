"""One calculation done by hand: from what was typed to the answer with its doubt, its tables and its checks in words."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from elmpeg.core.base.errors import FieldError
from elmpeg.core.base.quantities import Unit, Words
from elmpeg.core.base.verdicts import GRAVEST_FIRST, SURE_SPREADS, Verdict, margin_within
from elmpeg.core.calculators import CALCULATORS, Calculator, Refused, answer
from elmpeg.core.calculators.registry import computed
from elmpeg.core.calculators.sheet import Answer, Limit, Result, Table
from elmpeg.core.reckoning.doubt import Doubt, Values, doubts
from elmpeg.core.reckoning.fields import fields_of, label_of, leaves, unit_of
from elmpeg.core.reckoning.typed import UNSAID, Asked, LengthUnit, Path, Sure, Typed, asked

ROUNDING = 1e-9
"""What lands on its limit by a remedy is inside, whatever the last digit says."""
NO_DOUBT = Doubt(0.0, ())
MOST_TABLE_ROWS = 80


@dataclass(frozen=True, slots=True)
class Told:
    """One answer: what it is called, its value (a figure, a word, a list of names, yes or no), its unit and its doubt."""

    label: str
    value: Any
    unit: Unit | None
    doubt: Doubt = NO_DOUBT
    path: str = ""

    @property
    def is_figure(self) -> bool:
        """Whether it is a number with a unit."""
        return isinstance(self.value, int | float) and not isinstance(self.value, bool)


@dataclass(frozen=True, slots=True)
class Judged:
    """A limit with its verdict, its doubt, and how well the leading figure would have to be known to be sure of it."""

    limit: Limit
    verdict: Verdict
    doubt: Doubt
    needed: float | None

    @property
    def mend(self) -> Words | None:
        """What would mend it, of one that fails."""
        if self.verdict != "fails" or self.limit.mend is None:
            return None
        return self.limit.mend if isinstance(self.limit.mend, Words) else self.limit.mend()


@dataclass(frozen=True, slots=True)
class ToldTable:
    """A table of an answer, with units by column."""

    table: Table
    rows: tuple[tuple[Told, ...], ...]


@dataclass
class Reckoned:
    """Everything a page says of one calculation. ``result`` is None where it could not be answered; ``errors`` say why."""

    calculator: Calculator
    request: dict[str, Any]
    errors: tuple[FieldError, ...] = ()
    result: Result | None = None
    answers: tuple[Told, ...] = ()
    tables: tuple[ToldTable, ...] = ()
    checks: tuple[Judged, ...] = ()
    sds: dict[Path, float] = field(default_factory=dict)

    @property
    def main(self) -> Told | None:
        """The answer people come for."""
        return self.answers[0] if self.answers else None

    def figure_name(self, path: Path) -> str:
        """What a figure of the request is called, with the name of the row it stands in."""
        return figure_name(self.calculator, self.request, path)


def reckon(
    name: str,
    typed: Typed,
    unit: LengthUnit = "mm",
    sure: Sure = UNSAID,
    given: Mapping[str, Any] | None = None,
    with_doubt: bool = True,
) -> Reckoned:
    """Do a calculation. What cannot be read or answered is told by field and answers nothing."""
    calculator = CALCULATORS[name]
    read: Asked = asked(calculator, typed, unit, sure, given)
    done = Reckoned(calculator, read.request, tuple(read.errors), sds=read.sds)
    if not read.errors:
        done = answered(calculator, read.request, read.sds if with_doubt else {})
        done.errors = tuple(FieldError(read.field_of(e.field), e.message) for e in done.errors)
    return done


def answered(calculator: Calculator, request: dict[str, Any], sds: Mapping[Path, float]) -> Reckoned:
    """The same from a request as it is."""
    done = Reckoned(calculator, request, sds=dict(sds))
    try:
        result = answer(calculator.name, request)
    except Refused as refused:
        done.errors = refused.errors
        return done
    done.result = result
    parsed = _parsed(calculator, request)
    limits = calculator.limits(parsed, result)
    values = _values(calculator, result, limits)
    if calculator.bears and sds:
        bears = calculator.bears(parsed, result)
        sds = {path: sd for path, sd in sds.items() if bears(path)}
    found = doubts(request, sds, values, _close_by(calculator, parsed, result)) if sds else {}
    done.answers = tuple(t for a in calculator.answers if (t := _told(a, result, found, "")) is not None)
    done.tables = tuple(_table(t, result, found) for t in calculator.tables if _at(result, t.path))
    done.checks = tuple(sorted((_judged(one, found) for one in limits), key=lambda j: GRAVEST_FIRST.index(j.verdict)))
    return done


def _parsed(calculator: Calculator, request: Mapping[str, Any]) -> Any:
    return calculator.request.model_validate(request, strict=False)


def _close_by(calculator: Calculator, parsed: Any, result: Result) -> Callable[[list[dict[str, Any]]], list[Values | None]]:
    """How questions close to one that is answered are answered: by the calculator's quick way where it has one."""
    one_by_one = partial(_each, calculator.near(parsed, result) if calculator.near is not None else partial(computed, calculator))

    def together(others: list[Any]) -> Sequence[Result | None]:
        if calculator.near_all is None or not others:
            return one_by_one(others)
        try:
            return calculator.near_all(parsed, result)(others)
        except ValueError:
            # One of them cannot be answered so; each by itself then says which.
            return one_by_one(others)

    def values(asked: list[dict[str, Any]]) -> list[Values | None]:
        read = _each(partial(_parsed, calculator), asked)
        sound = [one for one in read if one is not None]
        said = iter(_each(partial(_told_values, calculator), list(zip(sound, together(sound), strict=True))))
        return [None if one is None else next(said) for one in read]

    return values


def _told_values(calculator: Calculator, answered_one: tuple[Any, Result | None]) -> Values | None:
    parsed, said = answered_one
    return None if said is None else _values(calculator, said, calculator.limits(parsed, said))


def _each(way: Callable[[Any], Any], some: Sequence[Any]) -> list[Any]:
    """One after the other, None for what cannot be answered."""
    found: list[Any] = []
    for one in some:
        try:
            found.append(way(one))
        except (Refused, ValueError):
            found.append(None)
    return found


def _values(calculator: Calculator, result: Result, limits: tuple[Limit, ...]) -> dict[str, float]:
    """Every figure that is shown, by its place in the result, and the margin of every limit by its name."""
    found = {a.path: v for a in calculator.answers if _is_figure(v := _at(result, a.path))}
    for table in calculator.tables:
        for k, row in enumerate((_at(result, table.path) or ())[:MOST_TABLE_ROWS]):
            found |= {f"{table.path}.{k}.{c.path}": v for c in table.columns if _is_figure(v := _at(row, c.path))}
    return found | {f"limit {one.id}": margin_within(one.value, one.low, one.high) for one in limits}


def _is_figure(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _at(within: Any, path: str) -> Any:
    for part in path.split("."):
        if within is None:
            return None
        if part.isdigit():
            within = within[int(part)] if isinstance(within, list | tuple) and int(part) < len(within) else None
        else:
            within = within.get(part) if isinstance(within, Mapping) else None
    return within


def _told(one: Answer, within: Any, found: Mapping[str, Doubt], at: str) -> Told | None:
    value = _at(within, one.path)
    if value is None:
        if not one.none:
            return None
        return Told(one.label, one.none, None, path=at + one.path)
    if isinstance(value, bool):
        return Told(one.label, one.yes if value else one.no, None, path=at + one.path)
    unit = one.unit or unit_of(one.path.rsplit(".", 2)[-2] if one.path.rsplit(".", 1)[-1].isdigit() else one.path.rsplit(".", 1)[-1])
    return Told(one.label, value, unit, found.get(at + one.path, NO_DOUBT), at + one.path)


def _table(table: Table, result: Result, found: Mapping[str, Doubt]) -> ToldTable:
    rows = []
    for k, row in enumerate(_at(result, table.path)[:MOST_TABLE_ROWS]):
        rows.append(tuple(_told(c, row, found, f"{table.path}.{k}.") or Told(c.label, "", None) for c in table.columns))
    return ToldTable(table, tuple(rows))


def _judged(limit: Limit, found: Mapping[str, Doubt]) -> Judged:
    doubt = found.get(f"limit {limit.id}", NO_DOUBT)
    margin = margin_within(limit.value, limit.low, limit.high)
    allowed = margin / SURE_SPREADS
    verdict: Verdict = "fails" if margin < -ROUNDING else "holds" if doubt.sd <= allowed + ROUNDING else "near"
    needed = doubt.lead_needed(allowed) if verdict == "near" and allowed > 0 else None
    return Judged(limit, verdict, doubt, needed)


def figure_name(calculator: Calculator, request: Mapping[str, Any], path: Path) -> str:
    """What a figure of a request is called: its label, in its group, with the name of the row it stands in."""
    words: list[str] = []
    within: Any = request
    listed = {leaf.path for leaf in leaves(fields_of(calculator)) if leaf.kind in ("lengths", "angles")}
    for k, step in enumerate(path):
        within = within[step] if not isinstance(within, Mapping) else within.get(step)
        if isinstance(step, int) and isinstance(within, Mapping):
            words = [str(within.get("id", f"{words[-1] if words else 'row'} {step + 1}"))]
            continue
        if isinstance(step, int) and isinstance(within, list | tuple):
            words.append(f"{step + 1}")
            continue
        here = ".".join(str(p) for p in path[: k + 1])
        if isinstance(step, int) and ".".join("*" if isinstance(p, int) else p for p in path[:k]) in listed:
            words.append(f"{step + 1}")
        elif isinstance(step, int):
            axes = ("X", "Y", "Z")
            plain = ".".join(p for p in here.split(".") if not p.isdigit() or p == str(step))
            words.append(calculator.labels.get(plain, axes[step] if step < 3 else f"{step + 1}"))
        else:
            words.append(label_of(calculator, here))
    return " · ".join(words[-3:])
