"""Every calculation with its drawing, and those that are printed at true size."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import Any

from pydantic import ValidationError

from elmpeg.core.base.errors import InputError
from elmpeg.core.calculators import CALCULATORS
from elmpeg.core.calculators.sheet import Result
from elmpeg.figures import belts, clear, drive, links, making, mounts, plans, ride, survey
from elmpeg.figures.figure import Figure, Panel

DRAWN: dict[str, Callable[[Any, Result | None], Figure]] = {
    "measure": survey.measure, "level": survey.level, "locate": survey.locate, "pose": survey.pose, "mounts": mounts.mounts,
    "stack": mounts.stack, "bolt": mounts.bolt, "pattern": mounts.pattern, "tolerance": mounts.tolerance, "driveline": drive.driveline,
    "travel": drive.travel, "shaft": drive.shaft, "wedge": drive.wedge, "linkage": links.linkage, "rod": links.rod, "bar": links.bar,
    "belt": belts.belt, "route": links.route, "ride": ride.ride, "ubolt": ride.ubolt, "shock": ride.shock, "weight": ride.weight,
    "clearance": clear.clearance, "flat": making.flat, "bracket": making.bracket, "cope": making.cope, "scale": making.scale,
    "rectify": making.rectify, "one_way": making.one_way, "weld_order": making.weld_order, "plan": plans.plan,
}  # fmt: skip
TRUE_SIZE: dict[str, Callable[[Any], Panel]] = {
    "cope": making.wrap_paper, "flat": making.flat_paper, "bracket": making.bracket_paper, "one_way": making.one_way_paper,
}  # fmt: skip
"""Of these a print at true size is worth something."""


def drawn(name: str, request: Mapping[str, Any], result: Result | None) -> Figure | None:
    """The drawing of a calculation; of one that has no answer, as far as it goes. None where what was typed cannot be drawn."""
    try:
        parsed = CALCULATORS[name].request.model_validate(request, strict=False)
        return DRAWN[name](parsed, result)
    except (ValidationError, InputError, ArithmeticError, ValueError):
        return None


@lru_cache(maxsize=64)
def example_drawn(name: str) -> Figure:
    """The drawing of a calculation's example, which says what each measure is."""
    calculator = CALCULATORS[name]
    parsed = calculator.request.model_validate(calculator.example, strict=False)
    return DRAWN[name](parsed, calculator.compute(parsed))
