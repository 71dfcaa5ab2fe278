"""What must be true of a kept calculation, whatever it calculates."""

from __future__ import annotations

from collections.abc import Iterator

from elmpeg.core.base.naming import LONGEST_NAME, LONGEST_REASON
from elmpeg.core.build.document import Build
from elmpeg.core.build.reckonings import Reckoning, TypedFigure

MOST_FIGURES = 1200
MOST_VERSIONS = 200
MOST_ASIDE = 3
LONGEST_FIGURE = 4000
LONGEST_FIELD = 120


def reckoning_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Each kept calculation of a build that could not be opened again."""
    for k, reckoning in enumerate(build.reckonings):
        yield from problems_of(reckoning, f"reckonings.{k}")


def problems_of(reckoning: Reckoning, at: str) -> Iterator[tuple[str, str]]:
    """What is wrong with one."""
    if not 0 < len(reckoning.name.strip()) <= LONGEST_NAME:
        yield f"{at}.name", f"needs a name of at most {LONGEST_NAME} characters"
    if not 0 < len(reckoning.versions) <= MOST_VERSIONS:
        yield f"{at}.versions", f"must be 1 to {MOST_VERSIONS}; keep it under another name"
    if [v.number for v in reckoning.versions] != sorted({v.number for v in reckoning.versions}):
        yield f"{at}.versions", "must be numbered upwards"
    for n, version in enumerate(reckoning.versions):
        yield from _figures(f"{at}.versions.{n}.figures", version.figures)
        if len(version.aside) > MOST_ASIDE:
            yield f"{at}.versions.{n}.aside", f"are at most {MOST_ASIDE}"
        if len(version.note) > LONGEST_REASON:
            yield f"{at}.versions.{n}.note", f"has {len(version.note)} characters; keep it to {LONGEST_REASON}"
        for m, aside in enumerate(version.aside):
            yield from _figures(f"{at}.versions.{n}.aside.{m}.figures", aside.figures)


def _figures(at: str, figures: tuple[TypedFigure, ...]) -> Iterator[tuple[str, str]]:
    if len(figures) > MOST_FIGURES:
        yield at, f"are {len(figures)}; at most {MOST_FIGURES} are kept"
    if any(len(f.text) > LONGEST_FIGURE or len(f.name) > LONGEST_FIELD for f in figures):
        yield at, f"have at most {LONGEST_FIGURE} characters each"
