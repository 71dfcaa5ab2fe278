"""The list of calculators, and the one way to put a question to them."""

from __future__ import annotations

import json
import math
from dataclasses import asdict
from typing import Any

import numpy as np
from pydantic import BaseModel, ValidationError

from elmpeg.core.base.errors import FieldError, InputError
from elmpeg.core.calculators import (
    bar,
    belt,
    bolt,
    bracket,
    clearance,
    cope,
    driveline,
    flat,
    level,
    linkage,
    locate,
    measure,
    mounts,
    one_way,
    pattern,
    plan,
    pose,
    rectify,
    ride,
    rod,
    route,
    scale,
    shaft,
    shock,
    stack,
    tolerance,
    travel,
    ubolt,
    wedge,
    weight,
    weld_order,
)
from elmpeg.core.calculators.sheet import Calculator, Result


class Refused(Exception):
    """A request that cannot be answered, with every refused field."""

    def __init__(self, errors: tuple[FieldError, ...]) -> None:
        self.errors = errors
        super().__init__("; ".join(f"{e.field}: {e.message}" for e in errors))

    def as_json(self) -> list[dict[str, str]]:
        """The errors as the contract writes them."""
        return [asdict(e) for e in self.errors]


CALCULATORS: dict[str, Calculator] = {
    module.CALCULATOR.name: module.CALCULATOR
    for module in (
        measure,
        level,
        locate,
        pose,
        mounts,
        stack,
        bolt,
        pattern,
        driveline,
        travel,
        shaft,
        wedge,
        tolerance,
        linkage,
        rod,
        bar,
        belt,
        route,
        ride,
        ubolt,
        shock,
        weight,
        clearance,
        flat,
        bracket,
        cope,
        scale,
        rectify,
        one_way,
        weld_order,
        plan,
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
    return computed(calculator, parsed)


def computed(calculator: Calculator, parsed: BaseModel) -> Result:
    """Answer a request that is read already. Raises Refused, and nothing else."""
    try:
        found = calculator.compute(parsed)
    except InputError as refused:
        raise Refused(refused.errors) from None
    except (ArithmeticError, MemoryError, np.linalg.LinAlgError):
        raise _BEYOND from None
    if not _finite(found):
        raise _BEYOND
    return found


_BEYOND = Refused((FieldError("request", "leads to numbers too large or too small to compute; check the figures"),))


def _finite(value: object) -> bool:
    """Whether no number in an answer has run off to infinity or to none at all on the way."""
    if isinstance(value, dict):
        return all(_finite(v) for v in value.values())
    if isinstance(value, (list, tuple)):
        return all(_finite(v) for v in value)
    return not isinstance(value, float) or math.isfinite(value)


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
