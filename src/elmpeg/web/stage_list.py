"""The stages in order of work, and the page each opens at."""

from __future__ import annotations

from dataclasses import dataclass
from typing import get_args

from elmpeg.core.build.document import Stage
from elmpeg.core.calculators.registry import CALCULATORS

FIRST_PAGES: dict[Stage, str] = {
    "Reference": "reference",
    "Measure": "measure",
    "Place": "bay",
    "Mount": "mounts",
    "Drive": "drive",
    "Make": "pieces",
    "Fit": "fit",
}
"""By stage, the route of its first page; a stage that is not built yet has none."""


@dataclass(frozen=True, slots=True)
class StageEntry:
    """One stage on the spine."""

    number: int
    name: Stage
    route: str
    calculations: bool = False
    """Whether there are calculations of it in the Reckoner."""


STAGES: tuple[StageEntry, ...] = tuple(
    StageEntry(n, name, FIRST_PAGES.get(name, ""), any(c.stage == name for c in CALCULATORS.values()))
    for n, name in enumerate(get_args(Stage), 1)
)
