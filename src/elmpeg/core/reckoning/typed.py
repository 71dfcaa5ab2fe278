"""What a person typed in the fields of a calculation, as the calculator's request and the doubt of each figure.

A figure may say its own doubt behind it: ``48 3/4 ± 1/16``. A bare number is in the unit of the reckoning; any other unit
can be written behind it.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.calculators.sheet import Calculator
from elmpeg.core.methods.measuring.gauge_directions import MOST_OFF_DEG, direction, off_names, readings_of
from elmpeg.core.methods.measuring.typed_figures import MM_PER_INCH, parse_angle, parse_length
from elmpeg.core.reckoning.fields import FIGURES, Group, Leaf, Node, Rows, Variants, fields_of, rows_typed

Path = tuple[str | int, ...]
Typed = Mapping[str, str]
LengthUnit = Literal["mm", "in"]
_DOUBT = re.compile(r"±|\+/-|\+-")
LARGEST_NUMBER = 1e9
MINUS = "\u2212"


@dataclass
class Asked:
    """The request as plain JSON values, the doubt of each figure by its path, and what could not be read."""

    request: dict[str, Any] = field(default_factory=dict)
    sds: dict[Path, float] = field(default_factory=dict)
    errors: list[FieldError] = field(default_factory=list)
    rows: dict[str, str] = field(default_factory=dict)
    """Entries of the request that stand in a later row of the form, since rows before them were left empty."""
    kinds: set[str] = field(default_factory=set)
    """Names of shapes chosen: a refusal names the shape on its way to the figure, a form does not."""

    def field_of(self, path: str) -> str:
        """The name in the form of a figure of the request."""
        for entry, row in sorted(self.rows.items(), key=lambda e: -len(e[0])):
            if path == entry or path.startswith(f"{entry}."):
                path = row + path[len(entry) :]
                break
        return ".".join(part for part in path.split(".") if part not in self.kinds)


@dataclass(frozen=True, slots=True)
class Sure:
    """How sure a figure is that says nothing itself: what the tools chosen scatter by."""

    sd_mm: float = 0.0
    sd_deg: float = 0.0


UNSAID = Sure()


def asked(calculator: Calculator, typed: Typed, unit: LengthUnit, sure: Sure = UNSAID, given: Mapping[str, Any] | None = None) -> Asked:
    """Read what was typed. ``given`` are whole parts of the request, by path, that come from elsewhere and are not typed."""
    reader = _Reader(typed, unit, sure, given or {})
    reader.exact = calculator.exact
    request = reader.record(fields_of(calculator))
    found = reader.asked
    found.request = request
    return found


class _Reader:
    def __init__(self, typed: Typed, unit: LengthUnit, sure: Sure, given: Mapping[str, Any]) -> None:
        self.typed, self.unit, self.sure, self.given = typed, unit, sure, given
        self.asked = Asked()
        self.exact: tuple[str, ...] = ()

    def text(self, path: str) -> str:
        return self.typed.get(path, "").replace(MINUS, "-").replace("\u202f", "").strip()

    def record(self, nodes: Iterable[Node], row: tuple[int, ...] = (), at: str = "") -> dict[str, Any]:
        made: dict[str, Any] = {}
        for node in nodes:
            path = _in_row(node.path, row)
            value = self.node(node, path, row)
            if value is not None:
                made[path.removeprefix(at)] = value
        return made

    def node(self, node: Node, path: str, row: tuple[int, ...]) -> Any:
        if path in self.given:
            return self.given[path]
        if isinstance(node, Leaf):
            return self.leaf(node, path)
        if isinstance(node, Group):
            return self.group(node, path, row)
        if isinstance(node, Rows):
            return self.rows(node, path, row)
        return self.shape(node, path, row)

    def group(self, node: Group, path: str, row: tuple[int, ...]) -> Any:
        if not node.needed and not self.anything(path):
            return None
        if all(isinstance(c, Leaf) and c.path.rsplit(".", 1)[-1].isdigit() for c in node.children):
            parts = [self.leaf(c, _in_row(c.path, row)) for c in node.children if isinstance(c, Leaf)]
            return None if all(p is None for p in parts) and not node.needed else parts
        return self.record(node.children, row, f"{path}.")

    def rows(self, node: Rows, path: str, row: tuple[int, ...]) -> Any:
        found: list[Any] = []
        for k in range(rows_typed(path, self.typed)):
            if not self.anything(f"{path}.{k}"):
                continue
            # A row left empty is none, and the next one counts in its place.
            n = len(found)
            before_row = set(self.asked.sds)
            inner = (*row, k)
            if node.bare:
                entry: Any = [self.leaf(c, _in_row(c.path, inner)) for c in node.children if isinstance(c, Leaf)]
            elif len(node.children) == 1 and isinstance(node.children[0], Variants):
                entry = self.shape(node.children[0], f"{path}.{k}", inner)
            else:
                entry = self.record(node.children, inner, f"{path}.{k}.")
            if n != k:
                self.asked.rows[f"{path}.{n}"] = f"{path}.{k}"
                start = _path(f"{path}.{k}")
                for at in [p for p in self.asked.sds if p not in before_row]:
                    self.asked.sds[(*start[:-1], n, *at[len(start) :])] = self.asked.sds.pop(at)
            found.append(entry)
        return found if found or node.least else None

    def shape(self, node: Variants, path: str, row: tuple[int, ...]) -> Any:
        kind = self.text(f"{path}.kind") or (node.variants[0][0] if node.needed else "")
        if not kind:
            return None
        for name, children in node.variants:
            if name == kind:
                self.asked.kinds.add(kind)
                if node.direction:
                    return {"kind": kind, **self.off(children, path)}
                return {"kind": kind, **self.record(children, row, f"{path}.")}
        self.refuse(f"{path}.kind", f"“{kind[:40]}” is none of the choices; choose one of {', '.join(n for n, _ in node.variants)}")
        return None

    def off(self, readings: Iterable[Node], path: str) -> dict[str, float]:
        """By how much a direction is off the way it points; what is left empty reads nought, as sure as any other reading."""
        made = {}
        for leaf in readings:
            if isinstance(leaf, Leaf):
                name = leaf.path.rpartition(".")[2]
                value = self.leaf(leaf, f"{path}.{name}") if self.text(f"{path}.{name}") else self.figure(leaf, f"{path}.{name}", "0")
                made[name] = value or 0.0
                if abs(made[name]) > MOST_OFF_DEG:
                    self.refuse(f"{path}.{name}", f"is more than {MOST_OFF_DEG:.0f}°; choose the way it points most")
        return made

    def anything(self, path: str) -> bool:
        """Whether something is written at or below a path; choices and ticks stand in empty rows too and do not count."""
        silent = (".kind", ".back", ".along", ".view", ".direction", ".of", ".blind", ".material")
        return any(
            text.strip() and not name.endswith(silent) for name, text in self.typed.items() if name == path or name.startswith(f"{path}.")
        ) or any(name == path or name.startswith(f"{path}.") for name in self.given)

    def refuse(self, path: str, message: str) -> None:
        if all(e.field != path for e in self.asked.errors):
            self.asked.errors.append(FieldError(path, message))

    def leaf(self, leaf: Leaf, path: str) -> Any:
        text = self.text(path)
        if leaf.kind == "tick":
            return True if text else None if leaf.default else False
        if not text:
            if leaf.needed and leaf.kind == "choice":
                return _choice(leaf, leaf.choices[0])
            if path.endswith(".id") and (row := path.split(".")[-2]).isdigit():
                return str(int(row) + 1)
            if leaf.needed and leaf.kind in FIGURES:
                self.refuse(path, "is empty")
            return None
        try:
            return self.value(leaf, path, text)
        except InputError as refused:
            self.refuse(path, refused.message)
            return None

    def value(self, leaf: Leaf, path: str, text: str) -> Any:
        if leaf.kind in FIGURES:
            return self.figure(leaf, path, text)
        if leaf.kind in ("lengths", "angles"):
            parts = [p for p in re.split(r"[;\n]", text) if p.strip()]
            return [self.figure(leaf, f"{path}.{k}", p, path) for k, p in enumerate(parts)]
        if leaf.kind == "count":
            return int(_number(text, path)) if float(_number(text, path)).is_integer() else _number(text, path)
        if leaf.kind == "choice":
            if text not in leaf.choices:
                raise InputError(path, f"“{text[:40]}” is none of the choices; choose one of {', '.join(leaf.choices)}")
            return _choice(leaf, text)
        if leaf.kind == "names":
            return [part.strip() for part in text.split(",") if part.strip()]
        if leaf.kind == "pairs":
            return [_pair(part, path) for part in re.split(r"[;\n]", text) if part.strip()]
        if leaf.kind == "corners":
            return self.corners(text, path)
        return text

    def figure(self, leaf: Leaf, path: str, text: str, field_path: str = "") -> float:
        said, *doubt = (part.strip() for part in _DOUBT.split(text, maxsplit=1))
        angle, length = leaf.kind in ("angle", "angles"), leaf.kind in ("length", "lengths")
        where = field_path or path

        def read(part: str) -> float:
            if angle:
                return parse_angle(part, where)
            return parse_length(part, self.unit, where).mm if length else _number(part, where)

        value = read(said)
        chosen = ".".join(p for p in where.split(".") if not p.isdigit()) in self.exact
        usual = 0.0 if chosen else self.sure.sd_deg if angle else self.sure.sd_mm if length else 0.0
        sd = abs(read(doubt[0])) if doubt else usual
        if sd > 0:
            self.asked.sds[_path(path)] = sd
        return value

    def corners(self, text: str, path: str) -> list[list[float]]:
        found = []
        for n, line in enumerate((t for t in text.splitlines() if t.strip()), 1):
            parts = [p for p in (line.split(";") if ";" in line else line.split()) if p.strip()]
            try:
                found.append([parse_length(p.strip(), self.unit, path).mm for p in parts])
            except InputError as refused:
                raise InputError(path, f"line {n}: {refused.message}") from None
        return found


def _choice(leaf: Leaf, text: str) -> str | int:
    return int(text) if all(c.lstrip("-").isdigit() for c in leaf.choices) else text


def _pair(text: str, path: str) -> list[str]:
    parts = [p.strip() for p in re.split(r"\s+to\s+|[-–>]+", text, maxsplit=1) if p.strip()]
    if len(parts) != 2:
        raise InputError(path, f"“{text.strip()[:40]}” is not a pair; write two names with a dash, such as A1-B1")
    return parts


def _number(text: str, path: str) -> float:
    tidy = text.replace(",", ".") if text.count(",") == 1 and "." not in text else text
    try:
        value = float(tidy.rstrip("°%").strip())
    except ValueError:
        raise InputError(path, f"“{text[:40]}” is not a number; write digits only") from None
    if not abs(value) <= LARGEST_NUMBER:
        raise InputError(path, f"“{text[:40]}” is out of range")
    return value


def _in_row(path: str, row: tuple[int, ...]) -> str:
    for k in row:
        path = path.replace("*", str(k), 1)
    return path


def _path(text: str) -> Path:
    return tuple(int(part) if part.isdigit() else part for part in text.split("."))


def written(calculator: Calculator, request: Mapping[str, Any], unit: LengthUnit) -> dict[str, str]:
    """A request as it would be typed, in a unit: the other way round."""
    typed: dict[str, str] = {}
    _write(fields_of(calculator), (), request, unit, typed)
    return typed


def _write(nodes: Iterable[Node], row: tuple[int, ...], within: Any, unit: LengthUnit, typed: dict[str, str]) -> None:
    for node in nodes:
        path = _in_row(node.path, row)
        key = path.rsplit(".", 1)[-1]
        value = within[int(key)] if isinstance(within, list | tuple) else within.get(key)
        if value is None:
            continue
        if isinstance(node, Leaf):
            typed[path] = _leaf_text(node, value, unit)
        elif isinstance(node, Rows):
            for k, entry in enumerate(value):
                if len(node.children) == 1 and isinstance(node.children[0], Variants):
                    _write_shape(node.children[0], f"{path}.{k}", (*row, k), entry, unit, typed)
                else:
                    _write(node.children, (*row, k), entry, unit, typed)
        elif isinstance(node, Variants):
            _write_shape(node, path, row, value, unit, typed)
        else:
            _write(node.children, row, value, unit, typed)


def _write_shape(node: Variants, path: str, row: tuple[int, ...], value: Any, unit: LengthUnit, typed: dict[str, str]) -> None:
    if node.direction and not isinstance(value, Mapping):
        value = readings_of(direction(value))
    if node.direction:
        value = {**dict.fromkeys(off_names(value["kind"]), 0.0), **value}
    typed[f"{path}.kind"] = value["kind"]
    _write(dict(node.variants).get(value["kind"], ()), row, value, unit, typed)


def _leaf_text(leaf: Leaf, value: Any, unit: LengthUnit) -> str:
    if leaf.kind == "tick":
        return "1" if value else ""
    if leaf.kind in ("lengths", "angles"):
        return "; ".join(_figure_text(v, leaf.kind == "lengths", unit) for v in value)
    if leaf.kind == "names":
        return ", ".join(value)
    if leaf.kind == "pairs":
        return "; ".join("-".join(p.values() if isinstance(p, dict) else p) for p in value)
    if leaf.kind == "corners":
        return "\n".join("; ".join(_figure_text(v, True, unit) for v in corner) for corner in value)
    if leaf.kind == "angle" and isinstance(value, list | tuple):
        value = math.degrees(math.atan2(value[1], value[0]))
    return _figure_text(value, leaf.kind == "length", unit) if leaf.kind in FIGURES else str(value)


def _figure_text(value: float, length: bool, unit: LengthUnit) -> str:
    if length and unit == "in":
        return f"{value / float(MM_PER_INCH):.4f}".rstrip("0").rstrip(".")
    return f"{value:.10g}"
