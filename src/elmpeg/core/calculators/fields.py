"""Field types that every calculator's request is made of."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import Annotated, Any

from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from pydantic_core import PydanticCustomError

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import SHORTEST_DIRECTION, Vec3, norm
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM

Finite = Annotated[float, Field(allow_inf_nan=False)]
Mm = Annotated[float, Field(allow_inf_nan=False, ge=-LONGEST_MM, le=LONGEST_MM)]
PositiveMm = Annotated[float, Field(allow_inf_nan=False, gt=0, le=LONGEST_MM)]
Deg = Annotated[float, Field(allow_inf_nan=False, ge=-360, le=360)]
Name = Annotated[str, Field(min_length=1, max_length=80)]
PointMm = tuple[Mm, Mm, Mm]


def _has_direction(axis: Vec3) -> Vec3:
    if norm(axis) < SHORTEST_DIRECTION:
        raise PydanticCustomError("zero_axis", "is zero; an axis needs a direction, such as [0, 0, 1]")
    if math.isinf(norm(axis)):
        raise PydanticCustomError("long_axis", "is too long; only its direction counts, such as [0, 0, 1]")
    return axis


Axis = Annotated[tuple[Finite, Finite, Finite], AfterValidator(_has_direction)]


class Request(BaseModel):
    """A calculator's request: unknown fields and numbers written as text are refused."""

    model_config = ConfigDict(extra="forbid", strict=True, frozen=True)


NotNegativeMm = Annotated[float, Field(allow_inf_nan=False, ge=0, le=LONGEST_MM)]
Positive = Annotated[float, Field(allow_inf_nan=False, gt=0, le=1e6)]
FlatMm = tuple[Mm, Mm]


def distinct(entries: Iterable[Any], field: str) -> None:
    """Raise InputError where two entries of a list have one id."""
    seen: set[str] = set()
    for k, entry in enumerate(entries):
        if entry.id in seen:
            raise InputError(f"{field}.{k}.id", f"“{entry.id}” is there twice; give each its own name")
        seen.add(entry.id)
