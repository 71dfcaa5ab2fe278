"""A calculation on a page: what was typed in it, where that came from, and the answer as this person reads it."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from elmpeg.core.base.errors import InputError, MissingError
from elmpeg.core.base.quantities import Unit
from elmpeg.core.build.reckonings import Reckoning, ReckoningVersion, SetAside, TypedFigure
from elmpeg.core.build.survey import Tool
from elmpeg.core.calculators import CALCULATORS, Calculator
from elmpeg.core.reckoning.earlier import in_todays_fields
from elmpeg.core.reckoning.fields import Node, Rows, fields_of, leaves, row_number, rows_typed
from elmpeg.core.reckoning.from_build import FromBuild, Taken, changed
from elmpeg.core.reckoning.reckon import Reckoned, reckon
from elmpeg.core.reckoning.typed import LengthUnit, Sure, written
from elmpeg.figures.drawn import drawn, example_drawn
from elmpeg.figures.figure import Figure
from elmpeg.web.desk import Desk
from elmpeg.web.showing import MINUS, Show

TYPED, SOURCE, TAKEN = "f.", "s.", "t."
"""What the names of fields begin with: what is typed, what of a build it came from, and what was filled in then."""
NO_TOOL = "-"
MOST_ASIDE = 3
EVERYTHING = "*"
SHAPES = ("solids", "pose")


@dataclass
class Sheet:
    """One calculation with everything that stands on its page."""

    calculator: Calculator
    typed: dict[str, str]
    unit: LengthUnit
    tools: tuple[Tool, ...]
    length_tool: str = ""
    angle_tool: str = ""
    sources: dict[str, tuple[str, str]] = field(default_factory=dict)
    """By field: the source in the build, and what was filled in from it."""
    touched: set[str] = field(default_factory=set)
    """Fields that somebody wrote in; the others still hold the example. ``*`` for all of them."""
    aside: list[tuple[str, dict[str, str]]] = field(default_factory=list)
    kept: Reckoning | None = None
    version: int = 0
    place: FromBuild | None = None

    @property
    def sure(self) -> Sure:
        """The doubt of figures that say none themselves."""
        by_id = {t.id: t for t in self.tools}
        length, angle = by_id.get(self.length_tool), by_id.get(self.angle_tool)
        return Sure(length.sd_mm if length else 0.0, angle.sd_deg if angle else 0.0)

    @property
    def example_left(self) -> list[str]:
        """Fields that still hold the example's figures."""
        if EVERYTHING in self.touched:
            return []
        example = written(self.calculator, self.calculator.example, self.unit)
        return [name for name, text in self.typed.items() if name not in self.touched and text and example.get(name) == text]

    def given(self) -> dict[str, Any]:
        """Whole parts of the request that come from the build and are not typed: the shapes of a part."""
        found: dict[str, Any] = {}
        for name, (source, _) in self.sources.items():
            if source.startswith("shapes:") and (taken := self.now(source)) is not None:
                found |= {f"{name}.{part}": taken.value[part] for part in SHAPES if part in taken.value}
        return found

    def now(self, source: str) -> Taken | None:
        """What a source is now; None outside a build, and where the build no longer has it."""
        return self.place.now(source) if self.place else None

    def reckoned(self, typed: Mapping[str, str] | None = None) -> Reckoned:
        """The answer, for what stands in the fields or for figures set aside."""
        return reckon(self.calculator.name, self.typed if typed is None else typed, self.unit, self.sure, self.given())

    def stale(self) -> list[tuple[str, str, bool]]:
        """Figures filled in from the build that are others there by now: the field, what to say, and whether it can be taken."""
        found: list[tuple[str, str, bool]] = []
        for name, (source, _) in self.sources.items():
            if source.startswith("shapes:"):
                found += self._shapes_changed(name, source)
                continue
            taken = self.now(source)
            if self.place is None:
                continue
            if taken is None:
                found.append((name, "the build no longer has it", False))
            elif isinstance(taken.value, int | float):
                then = self._then(name, taken)
                if then is not None and changed(then, float(taken.value)):
                    text = self.text_of(float(taken.value), taken.kind)
                    found.append((name, f"{taken.label} is now {text} in the option looked at", True))
        return found

    def _shapes_changed(self, name: str, source: str) -> list[tuple[str, str, bool]]:
        """The shapes of a part are always those of now; it is said where they are others than when they were put in."""
        if self.place is None:
            return []
        taken = self.now(source)
        if taken is None:
            return [(name, "the part is no longer there", False)]
        if fingerprint(taken.value) == self.sources[name][1]:
            return []
        return [(name, f"{taken.label} has other shapes or another place since; this is reckoned as it is now", True)]

    def _then(self, name: str, taken: Taken) -> float | None:
        """The figure as it was filled in."""
        text = self.sources[name][1].split("±")[0].strip().replace(MINUS, "-")
        try:
            if taken.kind == "figure":
                return float(text)
            return Show("in_decimal" if self.unit == "in" else "mm").read(text, "deg" if taken.kind == "angle" else "mm", name)
        except (InputError, ValueError):
            return None

    def text_of(self, value: float, kind: str) -> str:
        """A figure of the build as it is filled in."""
        if kind in ("angle", "figure"):
            return f"{value:.2f}"
        return f"{value / 25.4:.4f}" if self.unit == "in" else f"{value:.2f}"

    def unit_of(self, name: str) -> Unit | None:
        """The unit of a field; None for words."""
        plain = ".".join("*" if p.isdigit() else p for p in name.split("."))
        leaf = next((x for x in leaves(fields_of(self.calculator)) if x.path in (plain, _tailed(plain, name))), None)
        return leaf.unit if leaf else None

    def figure(self, done: Reckoned) -> Figure:
        """The drawing of an answer; of what cannot be answered as far as it goes, else of the example."""
        return drawn(self.calculator.name, done.request, done.result) or example_drawn(self.calculator.name)

    def version_of(self, by: str, at: str, note: str = "") -> ReckoningVersion:
        """What stands on the page, for keeping."""
        figures = [TypedFigure(n, t, *self.sources.get(n, ("", ""))) for n, t in self.typed.items() if t.strip()]
        figures += [TypedFigure(n, "", *s) for n, s in self.sources.items() if not self.typed.get(n, "").strip()]
        aside = tuple(SetAside(name, tuple(TypedFigure(n, t) for n, t in typed.items() if t.strip())) for name, typed in self.aside)
        return ReckoningVersion(0, tuple(figures), self.unit, by, at, self.length_tool, self.angle_tool, aside, note)


def fingerprint(value: Any) -> str:
    """A short mark that differs where the shapes and place of a part differ."""
    return hashlib.sha256(json.dumps(value, sort_keys=True, default=str).encode()).hexdigest()[:16]


def _tailed(plain: str, name: str) -> str:
    """A field's path whose last part is the number of a coordinate and not of a row."""
    head, _, tail = name.rpartition(".")
    return f"{plain.rpartition('.')[0]}.{tail}" if tail.isdigit() and head else plain


def opened(desk: Desk, calculator: Calculator, tools: tuple[Tool, ...], place: FromBuild | None) -> Sheet:
    """A calculation as it is first opened: with its example, and the tools that most figures are taken with."""
    unit = desk.show.length_unit
    sheet = Sheet(calculator, written(calculator, calculator.example, unit), unit, tools, place=place)
    sheet.length_tool = next((t.id for t in tools if t.sd_mm and not t.plumb), NO_TOOL)
    sheet.angle_tool = next((t.id for t in tools if t.sd_deg), NO_TOOL)
    return sheet


def from_kept(kept: Reckoning, number: int, tools: tuple[Tool, ...], place: FromBuild | None) -> Sheet:
    """A kept calculation as it was kept. Raises MissingError for a kind of calculation that is not known here."""
    if kept.calculator not in CALCULATORS:
        raise MissingError(f"“{kept.name}” is a calculation of a kind that is not known here: {kept.calculator}")
    v = kept.version(number)
    sources = {f.name: (f.source, f.taken) for f in v.figures if f.source}
    calculator = CALCULATORS[kept.calculator]
    typed = in_todays_fields(calculator, {f.name: f.text for f in v.figures if f.text})
    aside = [(a.name, in_todays_fields(calculator, {f.name: f.text for f in a.figures})) for a in v.aside]
    return Sheet(
        calculator, typed, v.unit, tools, v.length_tool, v.angle_tool, sources, {EVERYTHING}, aside, kept, v.number, place
    )  # fmt: skip


def posted(desk: Desk, calculator: Calculator, tools: tuple[Tool, ...], place: FromBuild | None) -> Sheet:
    """A calculation as it stands in a form that was sent."""
    fields = {k: v for k, v in desk.form.multi_items() if isinstance(v, str)}
    typed = {k.removeprefix(TYPED): v for k, v in fields.items() if k.startswith(TYPED)}
    sources = {}
    for name, source in ((k.removeprefix(SOURCE), v) for k, v in fields.items() if k.startswith(SOURCE) and v):
        taken = fields.get(TAKEN + name, "")
        # What somebody typed over it is theirs, and no longer the build's.
        if source.startswith(("shapes:", "wheels:")) or typed.get(name, "").strip() == taken.strip():
            sources[name] = (source, taken)
    try:
        aside = [(str(name), {str(k): str(v) for k, v in some.items()}) for name, some in json.loads(fields.get("aside", "[]"))][
            :MOST_ASIDE
        ]
    except (ValueError, TypeError, AttributeError):
        aside = []
    unit: LengthUnit = "in" if fields.get("unit") == "in" else "mm"
    touched = set(filter(None, fields.get("touched", "").split(",")))
    return Sheet(
        calculator, typed, unit, tools, fields.get("length_tool", ""), fields.get("angle_tool", ""), sources, touched, aside, place=place
    )  # fmt: skip


def row_added(sheet: Sheet, path: str) -> None:
    """One more row in a list, empty."""
    node = _node(fields_of(sheet.calculator), path)
    if node is not None:
        k = rows_typed(path, sheet.typed)
        sheet.typed[f"{path}.{k}.id" if any(c.path.endswith("*.id") for c in node.children) else f"{path}.{k}.0"] = ""
        sheet.touched.add(f"{path}.{k}")


def row_taken_out(sheet: Sheet, row: str) -> None:
    """A row of a list out, and those after it one up."""
    path, _, k = row.rpartition(".")
    if row_number(k) is None:
        return
    moved: dict[str, str] = {}
    for name, text in sheet.typed.items():
        n = _row_number(name, path)
        if n is None or n < int(k):
            moved[name] = text
        elif n > int(k):
            moved[f"{path}.{n - 1}{name[len(f'{path}.{n}') :]}"] = text
    sheet.typed = moved
    sheet.touched |= set(moved)
    sheet.sources = {n: s for n, s in sheet.sources.items() if not n.startswith(f"{path}.")}


def _row_number(name: str, path: str) -> int | None:
    if not name.startswith(f"{path}."):
        return None
    part = name[len(path) + 1 :].split(".", 1)[0]
    return row_number(part)


def _node(nodes: tuple[Node, ...], path: str) -> Rows | None:
    plain = ".".join("*" if p.isdigit() else p for p in path.split("."))
    for node in nodes:
        if isinstance(node, Rows) and node.path == plain:
            return node
        children = getattr(node, "children", ())
        if hasattr(node, "variants"):
            children = tuple(c for _, some in node.variants for c in some)
        found = _node(children, path)
        if found is not None:
            return found
    return None
