"""Field types for directions: a request gives one as a gauge reads it, or as the numbers of a vector."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import AfterValidator, BeforeValidator, Field
from pydantic_core import PydanticCustomError

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.vectors import SHORTEST_DIRECTION, Vec3, norm
from elmpeg.core.methods.measuring.gauge_directions import Way, vector_of


@dataclass(frozen=True, slots=True)
class Points:
    """Marks a field that is a direction; ``usual`` is the way it points where nobody has said another."""

    usual: Way


@dataclass(frozen=True, slots=True)
class Slides:
    """Marks a direction in a plane, told by its angle up from level as it goes to the right."""


def _read(given: Any) -> Any:
    if isinstance(given, Mapping):
        try:
            return vector_of(given)
        except InputError as refused:
            raise PydanticCustomError("no_direction", refused.message.replace("{", "(").replace("}", ")")) from None
    return tuple(given) if isinstance(given, list) else given


def _read_in_plane(given: Any) -> Any:
    if isinstance(given, int | float) and not isinstance(given, bool):
        return (math.cos(math.radians(given)), math.sin(math.radians(given)))
    return tuple(given) if isinstance(given, list) else given


def _has_direction(axis: Vec3) -> Vec3:
    if norm(axis) < SHORTEST_DIRECTION:
        raise PydanticCustomError("zero_axis", "is zero; an axis needs a direction, such as [0, 0, 1]")
    if math.isinf(norm(axis)):
        raise PydanticCustomError("long_axis", "is too long; only its direction counts, such as [0, 0, 1]")
    return axis


_Finite = Annotated[float, Field(allow_inf_nan=False)]
_Vector = tuple[_Finite, _Finite, _Finite]
AxisToRear = Annotated[_Vector, BeforeValidator(_read), AfterValidator(_has_direction), Points("to_the_rear")]
AxisToRight = Annotated[_Vector, BeforeValidator(_read), AfterValidator(_has_direction), Points("to_the_right")]
AxisUp = Annotated[_Vector, BeforeValidator(_read), AfterValidator(_has_direction), Points("up")]
InPlane = Annotated[tuple[_Finite, _Finite], BeforeValidator(_read_in_plane), Slides()]
