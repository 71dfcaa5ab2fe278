"""The list of calculators, and the one way to put a question to them."""

from __future__ import annotations

import json
from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass
from typing import Any

from pydantic import BaseModel, ValidationError

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.calculators import bolt, driveline, level, locate, measure, mounts, pattern, pose, shaft, stack, tolerance, travel, wedge

Result = Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Calculator:
    """One calculator: what it is for, the shape of its request, and the function that answers."""

    name: str
    purpose: str
    request: type[BaseModel]
    compute: Callable[[Any], Result]


class Refused(Exception):
    """A request that cannot be answered, with every refused field."""

    def __init__(self, errors: tuple[FieldError, ...]) -> None:
        self.errors = errors
        super().__init__("; ".join(f"{e.field}: {e.message}" for e in errors))

    def as_json(self) -> list[dict[str, str]]:
        """The errors as the contract writes them."""
        return [asdict(e) for e in self.errors]


CALCULATORS: dict[str, Calculator] = {
    c.name: c
    for c in (
        Calculator("measure", "Read a length, an angle or a sheet gauge as a person types it", measure.Measure, measure.compute),
        Calculator("level", "How far off level the vehicle stands, from heights", level.Level, level.compute),
        Calculator("locate", "Where a point is, from tape distances to known points", locate.Locate, locate.compute),
        Calculator("pose", "Where a part sits, from points measured on it", pose.PoseRequest, pose.compute),
        Calculator("mounts", "Gap, offset, tilt and float of each mount at a position", mounts.Mounts, mounts.compute),
        Calculator("stack", "Best stacks from the shelf for a gap", stack.Stack, stack.compute),
        Calculator("bolt", "How long a bolt must be, and what it does there", bolt.Bolt, bolt.compute),
        Calculator("pattern", "Whether a plate's holes drop over studs, and what to open where not", pattern.Pattern, pattern.compute),
        Calculator("driveline", "Joint angles, speed ripple and verdicts of a driveline", driveline.Driveline, driveline.compute),
        Calculator("travel", "A driveline through suspension travel", travel.Travel, travel.compute),
        Calculator("shaft", "Critical and safe speed of a shaft tube", shaft.Shaft, shaft.compute),
        Calculator("wedge", "What thickness makes an angle", wedge.Wedge, wedge.compute),
        Calculator("tolerance", "How far a chain of parts can be off", tolerance.Tolerance, tolerance.compute),
    )
}


def answer(name: str, request: object) -> Result:
    """Answer one request given as plain JSON values. Raises Refused, and nothing else."""
    calculator = CALCULATORS.get(name)
    if calculator is None:
        raise Refused((FieldError("calc", f"“{name}” is not a calculator here; there are {', '.join(CALCULATORS)}"),))
    try:
        # Through JSON text, so that lists become tuples under the same strict rules wherever a request comes from.
        parsed = calculator.request.model_validate_json(json.dumps(request))
    except ValidationError as refused:
        raise Refused(explained(refused)) from None
    except (ValueError, TypeError, RecursionError):
        raise Refused((FieldError("request", "is not plain JSON values"),)) from None
    try:
        return calculator.compute(parsed)
    except InputError as refused:
        raise Refused(refused.errors) from None
    except (ArithmeticError, MemoryError):
        raise Refused((FieldError("request", "leads to numbers too large or too small to compute; check the figures"),)) from None


_WORDS: dict[str, str] = {
    "missing": "is missing",
    "extra_forbidden": "is not a field here",
    "finite_number": "must be a finite number",
    "float_type": "must be a number",
    "int_type": "must be a whole number",
    "int_from_float": "must be a whole number",
    "string_type": "must be text",
    "bool_type": "must be true or false",
    "tuple_type": "must be a list of numbers",
    "list_type": "must be a list",
    "model_type": "must be an object with named fields",
    "model_attributes_type": "must be an object with named fields",
    "json_invalid": "is not valid JSON",
}


def explained(refused: ValidationError) -> tuple[FieldError, ...]:
    """Each refused field in plain words: where, what was given, what is accepted."""
    return tuple(FieldError(".".join(str(part) for part in e["loc"]) or "request", _message(e)) for e in refused.errors()[:20])


def _message(error: Any) -> str:
    kind, limits, given = error["type"], error.get("ctx", {}), error["input"]
    said = f"“{given}” " if isinstance(given, str | int | float) and len(str(given)) < 60 else ""
    if kind in ("greater_than", "greater_than_equal", "less_than", "less_than_equal"):
        word = {"greater_than": "more than", "greater_than_equal": "at least", "less_than": "below", "less_than_equal": "at most"}[kind]
        bound = next(iter(limits.values()))
        return f"{said}is out of range: it must be {word} {bound:g}"
    if kind == "literal_error":
        return f"{said}is not known; write one of {limits['expected']}"
    if kind in ("too_short", "too_long", "string_too_short", "string_too_long"):
        low, high = limits.get("min_length"), limits.get("max_length")
        return f"must have at least {low} entries or characters" if low is not None else f"must have at most {high} entries or characters"
    return _WORDS.get(kind, str(error["msg"]))
