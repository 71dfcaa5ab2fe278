"""What was typed in an earlier version's fields, in those of today.

Until 0.13 a direction was typed as the parts of a vector; it is asked as a gauge reads it now.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator, Mapping
from typing import cast

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import SHORTEST_DIRECTION
from elmpeg.core.calculators.sheet import Calculator
from elmpeg.core.methods.measuring.gauge_directions import Way, off_names, readings_of
from elmpeg.core.methods.measuring.typed_figures import parse_length
from elmpeg.core.reckoning.fields import Leaf, Node, Variants, fields_of

_PART = re.compile(r"(?P<path>.+)\.(?P<part>[012])")
_SHOWN = 8
"""Decimals of a degree that a direction keeps: no figure that follows changes by what lies beyond."""


def in_todays_fields(calculator: Calculator, typed: Mapping[str, str]) -> dict[str, str]:
    """The same with every direction as readings. One that is none stands as it was typed in its first reading, which refuses it."""
    parts: dict[str, dict[int, str]] = {}
    kept: dict[str, str] = {}
    directions = {node.path: node for node in _directions(fields_of(calculator))}
    for name, text in typed.items():
        found = _PART.fullmatch(name)
        if found and _plain(found["path"]) in directions:
            parts.setdefault(found["path"], {})[int(found["part"])] = text
        else:
            kept[name] = text
    for path, texts in parts.items():
        node, numbers = directions[_plain(path)], [_number(texts.get(k, "0")) for k in range(3)]
        if math.isnan(sum(numbers)) or math.hypot(*numbers) < SHORTEST_DIRECTION:
            first = path if isinstance(node, Leaf) else f"{path}.{off_names(cast(Way, node.variants[0][0]))[0]}"
            kept[first] = "; ".join(texts[k] for k in sorted(texts))
        elif isinstance(node, Leaf):
            kept[path] = _written(math.degrees(math.atan2(numbers[1], numbers[0])))
        else:
            readings = readings_of((numbers[0], numbers[1], numbers[2]))
            kept[f"{path}.kind"] = readings.pop("kind")
            kept |= {f"{path}.{name}": _written(degrees) for name, degrees in readings.items()}
    return kept


def _directions(nodes: tuple[Node, ...]) -> Iterator[Variants | Leaf]:
    for node in nodes:
        if isinstance(node, Leaf):
            if node.kind == "angle" and not node.path.endswith("_deg"):
                yield node
        elif isinstance(node, Variants):
            if node.direction:
                yield node
            else:
                for _, children in node.variants:
                    yield from _directions(children)
        else:
            yield from _directions(node.children)


def _plain(path: str) -> str:
    return ".".join("*" if part.isdigit() else part for part in path.split("."))


def _number(text: str) -> float:
    try:
        return float(parse_length(text.split("±")[0].replace("\u2212", "-").strip() or "0", "mm").mm)
    except InputError:
        return math.nan


def _written(degrees: float) -> str:
    return f"{round(degrees, _SHOWN):.10g}"
