"""Field types that every calculator's request is made of."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from elmpeg.core.base.errors import InputError
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM

Finite = Annotated[float, Field(allow_inf_nan=False)]
Mm = Annotated[float, Field(allow_inf_nan=False, ge=-LONGEST_MM, le=LONGEST_MM)]
PositiveMm = Annotated[float, Field(allow_inf_nan=False, gt=0, le=LONGEST_MM)]
Deg = Annotated[float, Field(allow_inf_nan=False, ge=-360, le=360)]
Name = Annotated[str, Field(min_length=1, max_length=80)]
PointMm = tuple[Mm, Mm, Mm]


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
