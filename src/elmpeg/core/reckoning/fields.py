"""The fields of a calculation, read off its request, so that one form serves every calculator.

A leaf is one thing to type or choose. Leaves stand in groups (a lever, a pose), in rows (the pulleys of a belt)
and in choices of one shape out of several (a bolt ends in a nut or in a tapped hole). A name is the path of the figure
in the request, with dots: ``ends.0.body_mm``; in the tree the number of a row is written ``*``.
"""

from __future__ import annotations

import types
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic import BaseModel
from pydantic.fields import FieldInfo
from pydantic_core import PydanticUndefined

from elmpeg.core.base.declared import unit_named, without_unit
from elmpeg.core.base.quantities import Unit
from elmpeg.core.calculators.directions import Points, Slides
from elmpeg.core.calculators.sheet import Calculator
from elmpeg.core.methods.measuring.gauge_directions import OFF_WORDS, WAYS, Way, off_label, off_names

LeafKind = Literal["length", "angle", "number", "count", "text", "choice", "tick", "lengths", "angles", "names", "pairs", "corners"]
FIGURES: tuple[LeafKind, ...] = ("length", "angle", "number")
"""Leaves that are one figure and can carry a doubt."""
NOT_BY_HAND = frozenset({"mesh"})
"""Shapes that come from a build only; nobody types triangles."""
MOST_ROWS = 60
LONGEST_NUMBER = 12
_AXES = {2: ("across", "up"), 3: ("X", "Y", "Z")}


@dataclass(frozen=True, slots=True)
class Leaf:
    """One thing to type or choose."""

    path: str
    kind: LeafKind
    label: str
    unit: Unit | None = None
    choices: tuple[str, ...] = ()
    needed: bool = True
    default: str = ""
    hint: str = ""


@dataclass(frozen=True, slots=True)
class Group:
    """Fields that belong together; left empty where it is not needed, it is not there."""

    path: str
    label: str
    children: tuple[Node, ...]
    needed: bool = True
    hint: str = ""


@dataclass(frozen=True, slots=True)
class Rows:
    """A list; each entry has the same fields. ``plain`` where an entry is only its leaves and stands in one row of a table."""

    path: str
    label: str
    children: tuple[Node, ...]
    least: int
    most: int
    plain: bool
    bare: bool = False
    """Whether an entry is a list of figures itself, not a record."""
    hint: str = ""


@dataclass(frozen=True, slots=True)
class Variants:
    """One shape out of several, told by its ``kind``."""

    path: str
    label: str
    variants: tuple[tuple[str, tuple[Node, ...]], ...]
    needed: bool = True
    hint: str = ""
    direction: bool = False
    """Whether it is which way something points, as a gauge gives it."""


Node = Leaf | Group | Rows | Variants


@lru_cache(maxsize=64)
def fields_of(calculator: Calculator) -> tuple[Node, ...]:
    """The fields of a calculation in the order of its request."""
    return _of_model(calculator.request, "", calculator)


def unit_of(name: str) -> Unit | None:
    """The unit that the end of a name says."""
    unit = "kg" if name == "kg_raised" else unit_named(name)
    return None if unit == "ratio" else unit


def named(path: str) -> str:
    """What a figure is called by its name alone: ``wheel_radius_mm`` is “wheel radius”."""
    last = next((part for part in reversed(path.split(".")) if not part.isdigit() and part != "*"), path)
    if last in OFF_WORDS:
        return OFF_WORDS[last]
    last = without_unit(last)
    words = "name" if last == "id" else last.replace("_", " ").strip() or path
    return words[:1].upper() + words[1:]


def label_of(calculator: Calculator, path: str) -> str:
    """What a figure is called, by the path with or without its rows' numbers."""
    plain = ".".join(part for part in path.split(".") if part != "*")
    if plain in calculator.labels:
        return calculator.labels[plain]
    without = ".".join(part for part in path.split(".") if not part.isdigit() and part != "*")
    return calculator.labels.get(without, named(without))


def leaves(nodes: tuple[Node, ...]) -> Iterator[Leaf]:
    """Every leaf of a tree, those of all shapes out of several too."""
    for node in nodes:
        if isinstance(node, Leaf):
            yield node
        elif isinstance(node, Variants):
            for _, children in node.variants:
                yield from leaves(children)
        else:
            yield from leaves(node.children)


def _of_model(model: type[BaseModel], at: str, calculator: Calculator, skip: tuple[str, ...] = ()) -> tuple[Node, ...]:
    found: list[Node] = []
    for name, info in model.model_fields.items():
        key = info.alias or name
        if key in skip or key in ("role", "source") or (at and key == "name" and "*" in at):
            continue
        found += _of_field(f"{at}{key}", info, calculator)
    return tuple(found)


def _of_field(path: str, info: FieldInfo, calculator: Calculator) -> list[Node]:
    kind, optional = _bare(info.annotation)
    needed = info.is_required()
    if any(isinstance(note, Points | Slides) for note in info.metadata):
        return [_direction(path, info, calculator)]
    default = "" if info.default in (PydanticUndefined, None) else _written(info.default)
    most = min((m.max_length for m in info.metadata if getattr(m, "max_length", None)), default=MOST_ROWS)
    return [_at_most(node, path, most) for node in _of_type(path, kind, calculator, needed and not optional, default)]


def _direction(path: str, info: FieldInfo, calculator: Calculator) -> Node:
    label, hint = label_of(calculator, path), calculator.hints.get(_plain(path), "")
    usual = next((note.usual for note in info.metadata if isinstance(note, Points)), None)
    if usual is None:
        return Leaf(path, "angle", label, "deg", needed=info.is_required(), hint=hint)
    ways = (usual, *(way for way in WAYS if way != usual))
    return Variants(path, label, tuple((way, tuple(_off(path, way, name) for name in off_names(way))) for way in ways), True, hint, True)


def _off(path: str, way: Way, name: str) -> Leaf:
    return Leaf(f"{path}.{name}", "angle", off_label(way, name), "deg", needed=False)


def _at_most(node: Node, path: str, most: int) -> Node:
    return replace(node, most=min(most, MOST_ROWS)) if isinstance(node, Rows) and node.path == path else node


def _of_type(path: str, kind: Any, calculator: Calculator, needed: bool, default: str) -> list[Node]:
    label, hint = label_of(calculator, path), calculator.hints.get(".".join(p for p in path.split(".") if p != "*"), "")
    origin, args = get_origin(kind), get_args(kind)
    if isinstance(kind, type) and issubclass(kind, BaseModel):
        return [Group(path, label, _of_model(kind, f"{path}.", calculator), needed, hint)]
    if origin in (Union, types.UnionType) and all(isinstance(_bare(a)[0], type) and issubclass(_bare(a)[0], BaseModel) for a in args):
        return [Variants(path, label, _variants(path, args, calculator), needed, hint)]
    if origin in (Union, types.UnionType):
        return [Leaf(path, "pairs", label, needed=needed, hint=hint)]
    if origin is list:
        return [_of_list(path, args[0], calculator, needed, label, hint)]
    if origin is tuple:
        return list(_of_tuple(path, args, calculator, needed, default, label, hint))
    if origin is dict:
        return [_of_mapping(path, args, calculator, label)]
    return [_leaf(path, kind, needed, default, label, hint)]


def _variants(path: str, args: tuple[Any, ...], calculator: Calculator) -> tuple[tuple[str, tuple[Node, ...]], ...]:
    found = []
    for one in args:
        model = _bare(one)[0]
        kind = get_args(model.model_fields["kind"].annotation)[0]
        if kind not in NOT_BY_HAND:
            found.append((kind, _of_model(model, f"{path}.", calculator, skip=("kind", "sd_mm"))))
    return tuple(found)


def _of_list(path: str, entry: Any, calculator: Calculator, needed: bool, label: str, hint: str) -> Node:
    entry, _ = _bare(entry)
    row = f"{path}.*"
    if isinstance(entry, type) and issubclass(entry, BaseModel):
        children = _of_model(entry, f"{row}.", calculator)
        return Rows(path, label, children, 1 if needed else 0, MOST_ROWS, all(_is_plain(c) for c in children), hint=hint)
    args = get_args(entry)
    if get_origin(entry) in (Union, types.UnionType):
        models = [_bare(a)[0] for a in args]
        if all(isinstance(m, type) and issubclass(m, BaseModel) for m in models):
            shape = Variants(row, "Shape", _variants(row, args, calculator))
            return Rows(path, label, (shape,), 1 if needed else 0, MOST_ROWS, False, hint=hint)
        return Leaf(path, "pairs", label, needed=needed, hint=hint)
    if get_origin(entry) is tuple:
        if _bare(args[0])[0] is str:
            return Leaf(path, "pairs", label, needed=needed, hint=hint)
        if "*" in path:
            return Leaf(path, "corners", label, "mm", needed=needed, hint=hint or "one a line: figures with semicolons")
        axes = _AXES.get(len(args), tuple(str(k) for k in range(len(args))))
        points: tuple[Node, ...] = tuple(Leaf(f"{row}.{k}", "length", axes[k], "mm") for k in range(len(args)))
        return Rows(path, label, points, 1 if needed else 0, MOST_ROWS, True, bare=True, hint=hint)
    if entry is str:
        return Leaf(path, "names", label, needed=needed, hint=hint or "names with commas")
    unit = unit_of(path.rsplit(".", 1)[-1])
    return Leaf(path, "angles" if unit == "deg" else "lengths", label, unit, needed=needed, hint=hint or "several, with semicolons")


def _of_tuple(
    path: str, args: tuple[Any, ...], calculator: Calculator, needed: bool, default: str, label: str, hint: str
) -> tuple[Node, ...]:
    unit = unit_of(path.rsplit(".", 1)[-1])
    kind: LeafKind = "length" if unit == "mm" else "number"
    axes = _AXES.get(len(args), tuple(str(k) for k in range(len(args))))
    given = default.split("; ") if default else [""] * len(args)
    parts = tuple(
        Leaf(f"{path}.{k}", kind, calculator.labels.get(_plain(f"{path}.{k}"), axes[k]), unit, needed=needed, default=given[k])
        for k in range(len(args))
    )
    return (Group(path, label, parts, needed, hint),)


def _of_mapping(path: str, args: tuple[Any, ...], calculator: Calculator, label: str) -> Group:
    keys = get_args(_bare(args[0])[0])
    parts: tuple[Node, ...] = tuple(Group(f"{path}.{k}", k.upper(), _of_model(args[1], f"{path}.{k}.", calculator), False) for k in keys)
    return Group(path, label, parts, False)


def _leaf(path: str, kind: Any, needed: bool, default: str, label: str, hint: str) -> Leaf:
    if get_origin(kind) is Literal:
        return Leaf(path, "choice", label, None, tuple(str(a) for a in get_args(kind)), needed, default, hint)
    if kind is bool:
        return Leaf(path, "tick", label, None, (), False, default, hint)
    if kind is str:
        return Leaf(path, "text", label, None, (), needed, default, hint)
    unit = unit_of(path.rsplit(".", 1)[-1])
    shape: LeafKind = "count" if kind is int else "length" if unit == "mm" else "angle" if unit == "deg" else "number"
    return Leaf(path, shape, label, unit, (), needed, default, hint)


def _plain(path: str) -> str:
    return ".".join(part for part in path.split(".") if part != "*")


def _is_plain(node: Node) -> bool:
    return isinstance(node, Leaf) or (
        isinstance(node, Group) and all(isinstance(c, Leaf) for c in node.children) and len(node.children) <= 3
    )


def _bare(kind: Any) -> tuple[Any, bool]:
    """A type without what is noted on it, and whether it may be None."""
    while get_origin(kind) is Annotated:
        kind = get_args(kind)[0]
    if get_origin(kind) in (Union, types.UnionType):
        rest = tuple(a for a in get_args(kind) if a is not type(None))
        if len(rest) < len(get_args(kind)):
            return (_bare(rest[0])[0] if len(rest) == 1 else Union[rest], True)  # noqa: UP007
    return kind, False


def _written(value: Any) -> str:
    if isinstance(value, tuple | list):
        return "; ".join(_written(v) for v in value)
    if isinstance(value, bool):
        return "1" if value else ""
    return f"{value:g}" if isinstance(value, float | int) else str(value) if isinstance(value, str) else ""


def row_number(part: str) -> int | None:
    """The number that a part of a name is; None for a word, and for what no row has."""
    return int(part) if part.isascii() and part.isdigit() and len(part) <= LONGEST_NUMBER else None


def rows_typed(path: str, typed: Mapping[str, str]) -> int:
    """How many rows of a list something is typed in, or has been."""
    parts = [name[len(path) + 1 :].split(".", 1)[0] for name in typed if name.startswith(f"{path}.")]
    numbers = [n for part in parts if (n := row_number(part)) is not None]
    # A row of the thousand millionth is no row of a form; what lies beyond is not read.
    return min(max(numbers, default=-1) + 1, MOST_ROWS)
