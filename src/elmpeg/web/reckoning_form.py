"""The fields of a calculation as a form shows them: each with its name, its text, its letter in the drawing and what is wrong."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from elmpeg.core.reckoning.fields import Group, Leaf, Node, Rows, Variants, fields_of, rows_typed
from elmpeg.web.reckoning_sheet import TYPED, Sheet
from elmpeg.web.showing import Show


@dataclass(frozen=True, slots=True)
class ShownLeaf:
    """One field."""

    name: str
    path: str
    leaf: Leaf
    text: str
    unit: str
    letter: str
    error: str
    example: bool
    source: str
    taken: str
    came_from: str
    kind: Literal["leaf"] = "leaf"

    @property
    def is_figure(self) -> bool:
        """Whether figures are typed in it."""
        return self.leaf.kind not in ("text", "choice", "tick", "names", "pairs")


@dataclass(frozen=True, slots=True)
class ShownGroup:
    """Fields under one heading; ``point`` where they are the coordinates of one place."""

    label: str
    hint: str
    path: str
    children: tuple[Shown, ...]
    point: bool
    needed: bool
    error: str
    given: str = ""
    kind: Literal["group"] = "group"


@dataclass(frozen=True, slots=True)
class ShownRows:
    """A list: rows of a table where ``plain``, else one card for each."""

    label: str
    hint: str
    path: str
    heads: tuple[tuple[str, str], ...]
    rows: tuple[tuple[Shown, ...], ...]
    plain: bool
    can_grow: bool
    error: str
    kind: Literal["rows"] = "rows"


@dataclass(frozen=True, slots=True)
class ShownChoice:
    """One shape out of several, and the fields of the one that is chosen."""

    label: str
    name: str
    chosen: str
    choices: tuple[str, ...]
    children: tuple[Shown, ...]
    error: str
    path: str
    hint: str = ""
    direction: bool = False
    kind: Literal["choice"] = "choice"


Shown = ShownLeaf | ShownGroup | ShownRows | ShownChoice


class FormOf:
    """The form of a sheet, with what is wrong in it."""

    def __init__(self, sheet: Sheet, show: Show, letters: Mapping[str, str], errors: Mapping[str, str]) -> None:
        self.sheet, self.show, self.letters = sheet, show, letters
        self.example = set(sheet.example_left)
        self.names: set[str] = set()
        self._errors: Mapping[str, str] = {}
        self.fields = self._all()
        if errors:
            # Only now are the names known that there is something to stand beside.
            self._errors = placed(errors, self.names)
            self.fields = self._all()

    def _all(self) -> tuple[Shown, ...]:
        return tuple(self._shown(n, ()) for n in fields_of(self.sheet.calculator))

    def placed_errors(self) -> dict[str, str]:
        """Every refusal under the name of the field that it stands beside; of the page for those that have none."""
        return dict(self._errors)

    def _shown(self, node: Node, row: tuple[int, ...]) -> Shown:
        path = _in_row(node.path, row)
        self.names.add(path)
        if isinstance(node, Leaf):
            return self._leaf(node, path)
        if isinstance(node, Group):
            point = all(isinstance(c, Leaf) and c.path.rsplit(".", 1)[-1].isdigit() for c in node.children)
            given = ""
            if path in self.sheet.sources and self.sheet.sources[path][0].startswith("shapes:"):
                taken = self.sheet.now(self.sheet.sources[path][0])
                given = taken.label if taken else "a part that is no longer there"
            return ShownGroup(
                node.label, node.hint, path, tuple(self._shown(c, row) for c in node.children), point, node.needed, self._error(path), given
            )
        if isinstance(node, Rows):
            return self._rows(node, path, row)
        return self._choice(node, path, row)

    def _rows(self, node: Rows, path: str, row: tuple[int, ...]) -> ShownRows:
        count = max(rows_typed(path, self.sheet.typed), node.least)
        rows = tuple(tuple(self._shown(c, (*row, k)) for c in node.children) for k in range(count))
        heads: tuple[tuple[str, str], ...] = ()
        if node.plain:
            leaves: list[Node] = []
            parents: list[str] = []
            for c in node.children:
                own = c.children if isinstance(c, Group) else (c,)
                leaves += own
                parents += [c.label if isinstance(c, Group) else ""] * len(own)
            heads = tuple(
                (f"{p} {leaf.label}".strip(), self.unit_of(leaf)) for p, leaf in zip(parents, leaves, strict=True) if isinstance(leaf, Leaf)
            )
            rows = tuple(tuple(one for c in some for one in (c.children if isinstance(c, ShownGroup) else (c,))) for some in rows)
        return ShownRows(node.label, node.hint, path, heads, rows, node.plain, count < node.most, self._error(path))

    def _choice(self, node: Variants, path: str, row: tuple[int, ...]) -> ShownChoice:
        chosen = self.sheet.typed.get(f"{path}.kind", "") or (node.variants[0][0] if node.needed else "")
        children = next((some for kind, some in node.variants if kind == chosen), ())
        choices = tuple(kind for kind, _ in node.variants)
        self.names.add(f"{path}.kind")
        shown = tuple(self._shown(c, row) for c in children)
        return ShownChoice(
            node.label, f"{TYPED}{path}.kind", chosen, choices if node.needed else ("", *choices), shown,
            self._error(f"{path}.kind") or self._error(path), path, node.hint, node.direction,
        )  # fmt: skip

    def _leaf(self, leaf: Leaf, path: str) -> ShownLeaf:
        source, taken = self.sheet.sources.get(path, ("", ""))
        came = self.sheet.now(source) if source else None
        return ShownLeaf(
            f"{TYPED}{path}", path, leaf, self.sheet.typed.get(path, ""), self.unit_of(leaf), self.letters.get(path, ""), self._error(path),
            path in self.example, source, taken, came.label if came else source,
        )  # fmt: skip

    def unit_of(self, leaf: Leaf) -> str:
        """A leaf's unit in words; lengths in the unit of the reckoning."""
        if leaf.unit == "mm":
            return self.sheet.unit
        return "" if leaf.kind in ("tick", "text", "choice") else self.show.unit_words(leaf.unit)

    def _error(self, path: str) -> str:
        return self._errors.get(path, "")


def placed(errors: Mapping[str, str], names: set[str]) -> dict[str, str]:
    """Refusals under the nearest field there is: of the seventh flange under the flanges. Under no name what has none."""
    found: dict[str, str] = {}
    for path, message in errors.items():
        at = path
        while at and at not in names and f"{at}.0" not in names:
            at = at.rpartition(".")[0]
        if at and at not in names:
            at = f"{at}.0"
        said = message if at == path or not path.rpartition(".")[2].isdigit() else f"number {int(path.rpartition('.')[2]) + 1} {message}"
        found.setdefault(at, said)
    return found


def _in_row(path: str, row: tuple[int, ...]) -> str:
    for k in row:
        path = path.replace("*", str(k), 1)
    return path
