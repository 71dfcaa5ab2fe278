"""Typed fields of a form, read in one place: each refused by its name, and all refusals gathered before anything is done.

A field that is refused gives back a harmless value, so that the rest can be read
and refused as well; ``require`` then raises once with all of them. What was typed
stays in the form, and the page shows it again.
"""

from __future__ import annotations

import re
import types
from collections.abc import Callable, Iterable, Mapping
from dataclasses import MISSING, dataclass, fields, is_dataclass, replace
from typing import Any, Literal, TypeVar, Union, get_args, get_origin, get_type_hints

from elmpeg.core.base.declared import called, plainly, unit_of
from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.base.naming import new_id
from elmpeg.core.base.quantities import Unit
from elmpeg.core.base.vectors import Vec3
from elmpeg.web.showing import MINUS, Show

T = TypeVar("T")
Among = Mapping[str, tuple[str, ...]]
LARGEST = 1e9
"""Above every plain number of a record; what it may be is for the record's own soundness to say."""
LABELS = {"on": "part", "pose": "position", "mm": "length", "xyz": "X, Y, Z", "solid": "shape", "sd": "doubt", "x": "X", "y": "Y", "z": "Z"}
"""What people read where a record says it shorter."""
PLAIN: Mapping[str, float] = {}
MASSES: Mapping[str, float] = {"kg": 1.0, "lb": 0.45359237, "lbs": 0.45359237}
SPEEDS: Mapping[str, float] = {"km/h": 1.0, "kmh": 1.0, "mph": 1.609344}
TURNS: Mapping[str, float] = {"rpm": 1.0}
HEAVIEST_KG = 1e5
BEHIND: Mapping[str, Mapping[str, float]] = {"kg": MASSES, "kmh": SPEEDS, "rpm": TURNS}
"""What may stand behind a figure of a unit, each with what one of it is in that unit."""
_UNIT_BEHIND = re.compile(r"(?P<amount>[+-]?[\d.]+(?:e[+-]?\d+)?)\s*(?P<unit>[a-zA-Z/]*)")
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

    def length(self, field: str, default: float | None = None, now: float | None = None) -> float:
        """A length, mm, in the person's own unit; ``default`` for an empty field, refused without one.

        Where the field still says what the form showed for ``now``, that is what it means: a screen shows fewer digits.
        """
        return self._quantity(field, "mm", default, now)

    def angle(self, field: str, default: float | None = None, now: float | None = None) -> float:
        """An angle, deg."""
        return self._quantity(field, "deg", default, now)

    def length_or_none(self, field: str, now: float | None = None) -> float | None:
        """A length, or None for an empty field."""
        return self.length(field, now=now) if self.given(field) else None

    def angle_or_none(self, field: str, now: float | None = None) -> float | None:
        """An angle, or None for an empty field."""
        return self.angle(field, now=now) if self.given(field) else None

    def lengths(self, field: str, now: tuple[float, ...] = ()) -> tuple[float, ...]:
        """Lengths in one field, each on a line of its own or behind a semicolon, mm."""
        found = []
        shown = {self._show.entered(length, "mm"): length for length in now}
        for text in filter(None, (t.strip() for t in self._text(field).replace(";", "\n").splitlines())):
            if text in shown:
                found.append(shown[text])
                continue
            try:
                found.append(self._show.read(text.replace(MINUS, "-"), "mm", field))
            except InputError as refused:
                self.refuse(field, refused.errors[0].message)
        return tuple(found)

    def _quantity(self, field: str, unit: Unit, default: float | None, now: float | None = None) -> float:
        if now is not None and self._text(field).strip() == self._show.entered(now, unit):
            return now
        if default is not None and not self.given(field):
            return default
        try:
            return self._show.read(self._text(field).replace(MINUS, "-"), unit, field)
        except InputError as refused:
            self.errors += [e for e in refused.errors if all(e.field != known.field for known in self.errors)]
            return 0.0

    def number(self, field: str, low: float, high: float, default: float | None = None, units: Mapping[str, float] = PLAIN) -> float:
        """A plain number within bounds. ``units`` may stand behind it, each with what one of it is in the field's own."""
        text = self._text(field).replace(MINUS, "-").replace("\u202f", "").strip()
        if default is not None and not text:
            return default
        found = _UNIT_BEHIND.fullmatch(text)
        amount, unit = (found["amount"], found["unit"].lower()) if found else (text, "")
        try:
            value = float(amount) * (units[unit] if unit else 1.0)
        except (ValueError, KeyError):
            told = f"write a number, alone or with {' or '.join(dict.fromkeys(units))}" if units else "write digits only"
            self.refuse(field, f"“{text[:40]}” is not a number; {told}")
            return low
        if not low <= value <= high:
            self.refuse(field, f"{text} is out of range; write {low:g} to {high:g}")
            return low
        return value

    def mass(self, field: str, low: float = 0.0, high: float = HEAVIEST_KG) -> float:
        """A mass, kg; pounds may be written behind it."""
        return self.number(field, low, high, units=MASSES)

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

    def point(self, x: str, y: str, z: str, now: Vec3 | None = None) -> Vec3:
        """Three lengths, mm."""
        a, b, c = now if now is not None else (None, None, None)
        return (self.length(x, now=a), self.length(y, now=b), self.length(z, now=c))

    def point_or_none(self, x: str, y: str, z: str, now: Vec3 | None = None) -> Vec3 | None:
        """Three lengths, mm, or None where all three are empty; half a triple is refused beside what is missing."""
        return self.point(x, y, z, now) if any(self.given(f) for f in (x, y, z)) else None

    def corners(self, field: str, per: int, now: tuple[tuple[float, ...], ...] | None = None) -> tuple[tuple[float, ...], ...]:
        """Corners in one field, one a line, each of ``per`` lengths with semicolons between, mm. A line that cannot be read
        is refused by its number; lines that are still as the form showed them mean what they meant."""
        shown = {self._show.corners((corner,)): corner for corner in now or ()}
        found: list[tuple[float, ...]] = []
        for n, line in enumerate((t for t in self._text(field).splitlines() if t.strip()), 1):
            if line.strip() in shown:
                found.append(shown[line.strip()])
                continue
            parts = [p for p in (line.split(";") if ";" in line else line.split()) if p.strip()]
            if len(parts) != per:
                self.refuse(field, f"line {n} has {len(parts)} figures; write {per}, with semicolons between them")
                continue
            try:
                found.append(tuple(self._show.read(p.replace(MINUS, "-"), "mm", field) for p in parts))
            except InputError as refused:
                self.refuse(field, f"line {n}: {refused.errors[0].message}")
        return tuple(found)

    def rows(self, field: str, cls: Any, among: Among | None = None, now: tuple[Any, ...] = ()) -> tuple[Any, ...]:
        """Records in rows of fields, ``links_0_name`` and so on, each with its id where it has one; a row left empty is none."""
        found: list[Any] = []
        typed, has_id = typed_fields(cls), any(f.name == "id" for f in fields(cls))
        # Choices and ticks stand in an empty row too; only what somebody wrote makes it a row.
        telling = [t.name for t in typed if t.kind not in ("choice", "tick", "point") and "" not in _below(among or {}, t.name)]
        telling += [f"{t.name}_{a}" for t in typed if t.kind == "point" for a in "xyz"]
        k = 0
        while any(self._has(f"{field}_{k}_{name}") for name in telling):
            if any(self.given(f"{field}_{k}_{name}") for name in telling):
                row_id = self._text(f"{field}_{k}_id") or new_id(f"{field}-1", (r.id for r in found if has_id))
                before = next((r for r in now if r.id == row_id), None) if has_id else now[k] if k < len(now) else None
                found.append(self.record(cls, f"{field}_{k}_", {"id": row_id} if has_id else None, among, now=before))
            k += 1
        return tuple(found)

    def record(
        self,
        cls: type[T],
        prefix: str = "",
        given: Mapping[str, Any] | None = None,
        among: Among | None = None,
        rows: tuple[str, ...] = (),
        partly: bool = False,
        now: T | None = None,
    ) -> T:
        """A whole record from fields named after its own, which carry their units: ``gap_mm``, ``pitch_deg``.

        Lengths end in _mm, angles in _deg; a Literal is a choice; a bool is a tick; three lengths stand in ``_x``, ``_y`` and
        ``_z``; a record inside has its fields behind its own name. What may be None is None for an empty field. ``given`` are
        fields that the form does not say; others that no field can say keep the record's own default. ``among`` lists, by the
        field's path in the record, the ids that may stand in a reference; ``now`` is what the form showed. Raises TypeError
        for what cannot be typed.
        """
        values = dict(given or {})
        for typed in typed_fields(cls, rows, partly):
            if typed.name not in values:
                value = getattr(now, typed.name) if now is not None else None
                values[typed.name] = self._typed(f"{prefix}{typed.name}", typed, _below(among or {}, typed.name), value)
        return cls(**values)

    def _typed(self, field: str, typed: Typed, among: Among, now: Any = None) -> Any:
        default = typed.default
        if typed.optional and not any(self.given(f) for f in ([f"{field}_{a}" for a in "xyz"] if typed.kind == "point" else [field])):
            return None
        if typed.kind == "record":
            return self.record(typed.record, f"{field}_", None, among, now=now)
        if typed.kind == "point":
            return self.point(f"{field}_x", f"{field}_y", f"{field}_z", now)
        if typed.kind == "rows":
            return self.rows(field, typed.record, among, now or ())
        if typed.kind == "corners":
            return self.corners(field, 3, now)
        if typed.kind == "outline":
            return self.corners(field, 2, now)
        if typed.kind == "length":
            return self.length(field, default if isinstance(default, int | float) else None, now)
        if typed.kind == "angle":
            return self.angle(field, default if isinstance(default, int | float) else None, now)
        if typed.kind == "choice":
            return self.choice(field, typed.choices, default)
        if typed.kind == "tick":
            return self.tick(field)
        if typed.kind == "number":
            units = BEHIND.get(typed.unit or "", PLAIN)
            return self.number(field, -LARGEST, LARGEST, default if isinstance(default, int | float) else None, units)
        if typed.kind == "count":
            return self.count(field, -int(LARGEST), int(LARGEST), default if isinstance(default, int) else None)
        if "" in among:
            return self.choice(field, among[""])
        return self.text(field)


@dataclass(frozen=True, slots=True)
class Typed:
    """How a field of a record is typed: ``kind`` is text, length, angle, number, count, choice, tick, point, corners, outline, record or rows."""

    name: str
    kind: str
    default: Any = None
    optional: bool = False
    choices: tuple[Any, ...] = ()
    record: Any = None
    unit: Unit | None = None
    label: str = ""
    """What people read for it, without its unit."""


def labelled(field: str, cls: Any = None) -> str:
    """What people read for a field, of a record where that is known, without its unit."""
    said = called(cls, field) if cls is not None else plainly(field)
    return LABELS.get(said, said)


_TYPED: dict[tuple[Any, ...], tuple[Typed, ...]] = {}


def typed_fields(cls: Any, rows: tuple[str, ...] = (), partly: bool = False) -> tuple[Typed, ...]:
    """The fields of a record that a form can say, in order; its id is not among them. ``rows`` names its lists of
    records that the form shows row by row.

    Raises TypeError for a record with a field that no form can say and that has no default, unless only a part of it is asked for.
    """
    key = (cls, rows, partly)
    if key not in _TYPED:
        _TYPED[key] = _fields_of(cls, rows, partly)
    return _TYPED[key]


def _fields_of(cls: Any, rows: tuple[str, ...], partly: bool) -> tuple[Typed, ...]:
    hints, found = get_type_hints(cls), []
    for f in fields(cls):
        if f.name == "id":
            continue
        needed = f.default is MISSING and f.default_factory is MISSING
        default = None if f.default is MISSING else f.default
        if f.name in rows:
            found.append(Typed(f.name, "rows", default, record=get_args(hints[f.name])[0], label=labelled(f.name, cls)))
            continue
        typed = _typed_field(f.name, hints[f.name], default, unit_of(cls, f.name))
        if typed is None and needed and not partly:
            raise TypeError(f"{cls.__name__}.{f.name} cannot be typed")
        if typed is not None and not (typed.kind == "choice" and len(typed.choices) == 1):
            found.append(replace(typed, label=labelled(f.name, cls)))
    return tuple(found)


def _typed_field(name: str, hint: Any, default: Any, unit: Unit | None) -> Typed | None:
    optional = False
    if get_origin(hint) in (Union, types.UnionType):
        others = [a for a in get_args(hint) if a is not type(None)]
        if len(others) != 1:
            return None
        hint, optional = others[0], True
    if get_origin(hint) is Literal:
        return Typed(name, "choice", default, optional, get_args(hint))
    if hint == tuple[Vec3, ...]:
        return Typed(name, "corners", default, optional)
    if hint == tuple[tuple[float, float], ...]:
        return Typed(name, "outline", default, optional)
    if hint == Vec3:
        return Typed(name, "point", default, optional)
    if is_dataclass(hint):
        # A part that may be left out whole is not asked for piece by piece.
        return None if optional else Typed(name, "record", default, record=hint)
    if hint is float:
        return Typed(name, {"mm": "length", "deg": "angle"}.get(unit or "", "number"), default, optional, unit=unit)
    plain = {bool: "tick", str: "text", int: "count"}.get(hint)
    return Typed(name, plain, default, optional) if plain else None


def _below(among: Among, name: str) -> Among:
    """What may stand in the references inside one field; under the empty name, in the field itself."""
    return {path[len(name) + 1 :]: ids for path, ids in among.items() if path == name or path.startswith(f"{name}.")}
