"""The stages in order of work, and the page each opens at."""

from __future__ import annotations

from dataclasses import dataclass
from importlib import import_module
from importlib.util import find_spec
from types import ModuleType
from typing import get_args

from elmpeg.core.build.document import Stage
from elmpeg.core.calculators.registry import CALCULATORS
from elmpeg.web import pages
from elmpeg.web.stage_pages import StagePages


def _pages(name: Stage) -> StagePages | None:
    """What a stage tells of its pages, None of one that is not built yet."""
    folder = f"{pages.__name__}.{name.lower().replace(' ', '_')}"
    if find_spec(folder) is None or find_spec(f"{folder}.stage") is None:
        return None
    entry: StagePages = import_module(f"{folder}.stage").PAGES
    return entry


STAGE_PAGES: tuple[StagePages, ...] = tuple(entry for entry in map(_pages, get_args(Stage)) if entry is not None)
FIRST_PAGES: dict[Stage, str] = {entry.name: entry.first for entry in STAGE_PAGES}
"""By stage, the route of its first page; a stage that is not built yet has none."""


def page_modules() -> tuple[ModuleType, ...]:
    """The modules of every stage's pages, each with its router, in the order of work."""
    return tuple(
        import_module(f"{pages.__name__}.{entry.name.lower().replace(' ', '_')}.{module}")
        for entry in STAGE_PAGES
        for module in entry.modules
    )


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
