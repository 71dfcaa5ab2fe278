"""What a stage tells of its pages: one ``PAGES`` in its folder of pages."""

from __future__ import annotations

from dataclasses import dataclass

from elmpeg.core.build.document import Stage


@dataclass(frozen=True, slots=True)
class StagePages:
    """A stage's pages: the route of the one that it opens at, and the modules of its folder that have routers, by name.

    ``opened`` is the field of an address that says which thing is open there.
    """

    name: Stage
    first: str
    modules: tuple[str, ...]
    opened: str = ""
