"""Field types that every calculator's request is made of."""

from __future__ import annotations

import math
from typing import Annotated

from pydantic import AfterValidator, BaseModel, ConfigDict, Field
from pydantic_core import PydanticCustomError

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
