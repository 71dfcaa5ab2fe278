"""Typed fields of a form, read in one place: each refused by its name, and all refusals gathered before anything is done.

A field that is refused gives back a harmless value, so that the rest can be read
and refused as well; ``require`` then raises once with all of them. What was typed
stays in the form, and the page shows it again.
"""

from __future__ import annotations

import types
from collections.abc import Callable, Iterable
from dataclasses import MISSING, fields
from typing import Any, Literal, TypeVar, Union, get_args, get_origin, get_type_hints

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.quantities import Unit
from elmpeg.core.base.vectors import Vec3
from elmpeg.web.showing import MINUS, Show

T = TypeVar("T")
TICKED = ("1", "on", "true", "yes")
MOST_TOLD = 12
"""Choices named in a refusal; of more only the first are told."""


class Form:
    """The fields of one form as one person types them."""

    def __init__(self, text: Callable[[str], str], has: Callable[[str], bool], show: Show) -> None:
        self._text, self._has, self._show = text, has, show
        self.errors: list[FieldError] = []

    def refuse(self, field: str, message: str) -> None:
        """Keep a refusal of a field; only the first of each counts."""
        if all(e.field != field for e in self.errors):
            self.errors.append(FieldError(field, message))

    def require(self) -> None:
        """Raise InputError with all refusals, if there were any."""
        if self.errors:
            raise InputError(self.errors[0].field, self.errors[0].message, *self.errors[1:])

    def given(self, field: str) -> bool:
        """Whether anything stands in a field."""
        return bool(self._text(field).strip())

    def text(self, field: str, most: int | None = None) -> str:
        """A text with its spaces tidied; refused where it is longer than ``most`` characters."""
        tidy = " ".join(self._text(field).split())
        if most is not None and len(tidy) > most:
            self.refuse(field, f"has {len(tidy)} characters; keep it to {most}")
            return tidy[:most]
        return tidy

    def reason(self, field: str, least: int = 3, message: str = "say in a few words why") -> str:
        """A text of at least a few characters."""
        tidy = self.text(field)
        if len(tidy) < least:
            self.refuse(field, message)
        return tidy

    def length(self, field: str, default: float | None = None) -> float:
        """A length, mm, in the person's own unit; ``default`` for an empty field, refused without one."""
        return self._quantity(field, "mm", default)

    def angle(self, field: str, default: float | None = None) -> float:
        """An angle, deg."""
        return self._quantity(field, "deg", default)

    def length_or_none(self, field: str) -> float | None:
        """A length, or None for an empty field."""
        return self.length(field) if self.given(field) else None

    def angle_or_none(self, field: str) -> float | None:
        """An angle, or None for an empty field."""
        return self.angle(field) if self.given(field) else None

    def _quantity(self, field: str, unit: Unit, default: float | None) -> float:
        if default is not None and not self.given(field):
            return default
        try:
            return self._show.read(self._text(field).replace(MINUS, "-"), unit, field)
        except InputError as refused:
            self.errors += [e for e in refused.errors if all(e.field != known.field for known in self.errors)]
            return 0.0

    def number(self, field: str, low: float, high: float, default: float | None = None) -> float:
        """A plain number within bounds, whatever unit it stands for."""
        text = self._text(field).replace(MINUS, "-").replace("\u202f", "").strip()
        if default is not None and not text:
            return default
        try:
            value = float(text)
        except ValueError:
            self.refuse(field, f"“{text[:40]}” is not a number; write digits only")
            return low
        if not low <= value <= high:
            self.refuse(field, f"{text} is out of range; write {low:g} to {high:g}")
            return low
        return value

    def count(self, field: str, low: int, high: int, default: int | None = None) -> int:
        """A whole number within bounds."""
        value = self.number(field, low, high, default)
        if value != int(value):
            self.refuse(field, f"{value:g} is not a whole number")
        return int(value)

    def choice(self, field: str, among: Iterable[T], default: T | None = None) -> T:
        """One of some choices; anything else is refused. ``default`` is for a form without the field, never for a wrong choice.

        Choices are told apart by their text.
        """
        choices = {str(one): one for one in among}
        said = self._text(field)
        if said in choices:
            return choices[said]
        if default is not None and not self._has(field):
            return default
        told = ", ".join(f"“{c}”" if c else "nothing" for c in list(choices)[:MOST_TOLD])
        self.refuse(field, f"“{said[:40]}” is none of the choices; choose {'one of ' if len(choices) > 1 else ''}{told}")
        return default if default is not None else next(iter(choices.values()))

    def tick(self, field: str) -> bool:
        """Whether a box is ticked."""
        return self._text(field).lower() in TICKED

    def point(self, x: str, y: str, z: str) -> Vec3:
        """Three lengths, mm."""
        return (self.length(x), self.length(y), self.length(z))

    def record(self, cls: type[T], prefix: str = "", given: dict[str, Any] | None = None) -> T:
        """A whole record from fields named after its own, which carry their units: ``gap_mm``, ``pitch_deg``.

        Lengths end in _mm, angles in _deg; a Literal is a choice; a bool is a tick; three numbers stand in ``_x``, ``_y``
        and ``_z``. What may be None is None for an empty field. ``given`` are fields that the form does not say; others
        that no field can say keep the record's own default. Raises TypeError for a record that needs what cannot be typed.
        """
        hints = get_type_hints(cls)
        values = dict(given or {})
        for f in fields(cls):  # type: ignore[arg-type]
            if f.name in values:
                continue
            kind = kind_of(hints[f.name], f.name)
            if kind is None:
                if f.default is MISSING and f.default_factory is MISSING:
                    raise TypeError(f"{cls.__name__}.{f.name} cannot be typed; give it")
                continue
            values[f.name] = self._typed(f"{prefix}{f.name}", kind, None if f.default is MISSING else f.default)
        return cls(**values)

    def _typed(self, field: str, kind: Kind, default: Any) -> Any:
        if kind.optional and not self.given(f"{field}_x" if kind.name == "point" else field):
            return None
        if kind.name == "point":
            return self.point(f"{field}_x", f"{field}_y", f"{field}_z")
        if kind.name == "length":
            return self.length(field, default if isinstance(default, float) else None)
        if kind.name == "angle":
            return self.angle(field, default if isinstance(default, float) else None)
        if kind.name == "choice":
            return self.choice(field, kind.choices, default)
        if kind.name == "tick":
            return self.tick(field)
        if kind.name in ("number", "count"):
            value = self.number(field, -1e9, 1e9, default if isinstance(default, int | float) else None)
            return int(value) if kind.name == "count" else value
        return self.text(field)


class Kind:
    """How a record's field is typed: ``name`` is text, length, angle, number, count, choice, tick or point."""

    __slots__ = ("choices", "name", "optional")

    def __init__(self, name: str, optional: bool = False, choices: tuple[Any, ...] = ()) -> None:
        self.name, self.optional, self.choices = name, optional, choices


def kind_of(hint: Any, name: str) -> Kind | None:
    """How a field of a record is typed, from its type and the unit in its name; None for what no single field can say."""
    optional = False
    if get_origin(hint) in (Union, types.UnionType):
        others = [a for a in get_args(hint) if a is not type(None)]
        if len(others) != 1:
            return None
        hint, optional = others[0], True
    if get_origin(hint) is Literal:
        return Kind("choice", optional, get_args(hint))
    if hint == Vec3:
        return Kind("point", optional)
    if hint is bool:
        return Kind("tick")
    if hint is str:
        return Kind("text", optional)
    if hint is int:
        return Kind("count", optional)
    if hint is float:
        return Kind("length" if name.endswith("_mm") else "angle" if name.endswith("_deg") else "number", optional)
    return None
