"""Starter forms as a person fills them in: figures in their own units, each asked about where it makes no sense."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from elmpeg.core.base.errors import FieldError
from elmpeg.core.base.vectors import Vec3
from elmpeg.core.starters.given import Figure, Given, Pick, Question, StarterForm, questions
from elmpeg.web.forms import Form
from elmpeg.web.showing import Show

MOST_CORNERS = 8
FAR = "is far from"
SURE = "sure"
"""The tick that takes figures as typed although they were asked about."""


@dataclass(frozen=True, slots=True)
class TypedFigures:
    """What was typed into a starter form: values by name, and each as it was typed, with its unit."""

    values: dict[str, float]
    texts: dict[str, tuple[str, Literal["mm", "in"]]]


def typed_figures(form: Form, show: Show, figures: tuple[Figure, ...]) -> TypedFigures:
    """The figures that were typed. One that cannot be read, or that makes no sense, is refused by its name."""
    values: dict[str, float] = {}
    texts: dict[str, tuple[str, Literal["mm", "in"]]] = {}
    for figure in figures:
        if not form.given(figure.name):
            continue
        before = len(form.errors)
        if figure.unit == "mm":
            value = form.length(figure.name)
        elif figure.unit == "deg":
            value = form.angle(figure.name)
        elif figure.unit == "kg":
            value = form.mass(figure.name, figure.low, figure.high)
        else:
            value = form.number(figure.name, figure.low, figure.high)
        if len(form.errors) > before:
            continue
        values[figure.name] = value
        texts[figure.name] = (form.text(figure.name), show.length_unit)
    if not form.tick(SURE):
        for question in questions(figures, values):
            form.refuse(question.figure.name, asked(question, show))
    return TypedFigures(values, texts)


def is_asked(errors: Iterable[FieldError]) -> bool:
    """Whether a figure was asked about, which may be right all the same; all else is not to be taken as it is."""
    return any(FAR in e.message for e in errors)


def asked(question: Question, show: Show) -> str:
    """A figure that makes no sense, asked about in the person's own units."""
    figure = question.figure
    if figure.unit not in ("mm", "deg"):
        return f"{question.value:g} {FAR} usual ({figure.low:g} to {figure.high:g})"
    said, low, high = (show.value(v, figure.unit, None, 0) for v in (question.value, figure.low, figure.high))
    unit = {"in": "inches", "mm": "millimetres"}.get(question.meant, "")
    hint = f" {unit.capitalize()}? Write “{question.meant}” behind the figure." if unit else " Look at the figure again."
    return f"{said} {FAR} any {figure.label.split(',')[0]} ({low} to {high}).{hint}"


def chosen(form: Form, picks: tuple[Pick, ...]) -> dict[str, str]:
    """What was chosen; the first where a form has no such field."""
    return {p.name: form.choice(p.name, [c for c, _ in p.choices], p.choices[0][0]) for p in picks}


def corners(form: Form) -> tuple[Vec3, ...]:
    """The corners of a path that were typed, an empty row being none. A row half filled is refused."""
    found = []
    for k in range(MOST_CORNERS):
        names = [f"corner_{k}_{axis}" for axis in "xyz"]
        if any(form.given(n) for n in names):
            found.append(form.point(names[0], names[1], names[2]))
    if len(found) == 1:
        form.refuse("corner_1_x", "a run needs at least two corners")
        return ()
    return tuple(found)


def given(form: Form, show: Show, starter: StarterForm) -> Given:
    """The whole of a starter form as it holds: what was typed, chosen and left to be assumed."""
    typed = typed_figures(form, show, starter.figures)
    return Given(starter.figures, typed.values, chosen(form, starter.picks), corners(form) if starter.path else ())


@dataclass(frozen=True, slots=True)
class FigureField:
    """One figure's field: what stands in it while nothing is typed."""

    figure: Figure
    unit: str
    usual: str


def figure_fields(figures: tuple[Figure, ...], show: Show) -> list[FigureField]:
    """The fields of a form, each with what is assumed while it is empty."""
    labels = {f.name: f.label for f in figures}
    fields = []
    for figure in figures:
        unit = {"mm": show.length_unit, "deg": "°", "kg": "kg", "count": ""}[figure.unit]
        if isinstance(figure.usual, str):
            usual = f"as {labels[figure.usual]}"
        elif figure.unit == "kg":
            usual = "not known"
        elif figure.unit == "mm":
            usual = f"assumed {show.value(figure.usual, 'mm', None, 0)}".replace("\u00a0mm", "").replace("\u00a0in", "")
        else:
            usual = f"assumed {figure.usual:g}"
        fields.append(FigureField(figure, unit, usual))
    return fields
