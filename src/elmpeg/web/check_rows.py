"""Rows of a list of checks, kept as they are drawn: a move changes a few of them, and the rest need not be written again."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass
from threading import Lock

from markupsafe import Markup

from elmpeg.core.evaluation.evaluate import Evaluation
from elmpeg.core.judging.checks import Check
from elmpeg.web.showing import Show

KEPT_ROWS = 4000
WORTH_TELLING = 0.05
"""Changes of a check's room below this are not told, in the check's own unit."""


@dataclass(frozen=True, slots=True)
class Row:
    """One check in the list, with how it stands against the agreed option."""

    check: Check
    change: str
    better: bool | None
    was: str


@dataclass(frozen=True, slots=True)
class Listed:
    """The rows that are shown, and how many more hold and are folded away."""

    rows: tuple[Markup, ...]
    folded: int


class KeptRows:
    """The newest rows as they were drawn, each by what it shows."""

    def __init__(self) -> None:
        self._rows: OrderedDict[tuple[object, ...], tuple[Check, Markup]] = OrderedDict()
        self._lock = Lock()

    def listed(
        self, rows: list[Row], opened: str, unfolded: bool, place: tuple[object, ...], draw: Callable[[Row, bool], Markup]
    ) -> Listed:
        """The rows that want attention, the one that is opened, and those that hold where they are asked for.

        ``place`` is all besides the row that its drawing rests on: whose build and option, whose units, what they may do.
        """
        shown = [r for r in rows if unfolded or r.check.verdict != "holds" or r.check.code == opened]
        drawn = tuple(self._drawn(row, row.check.code == opened, place, draw) for row in shown)
        return Listed(drawn, len(rows) - len(shown))

    def _drawn(self, row: Row, opened: bool, place: tuple[object, ...], draw: Callable[[Row, bool], Markup]) -> Markup:
        # A check that did not change is the very same object; that it is held on to keeps its identity its own.
        key = (id(row.check), row.change, row.better, row.was, opened, *place)
        with self._lock:
            kept = self._rows.get(key)
            if kept is not None:
                self._rows.move_to_end(key)
                return kept[1]
        drawn = draw(row, opened)
        with self._lock:
            self._rows[key] = (row.check, drawn)
            while len(self._rows) > KEPT_ROWS:
                self._rows.popitem(last=False)
        return drawn


def against(evaluation: Evaluation, agreed: Evaluation | None, show: Show) -> list[Row]:
    """Each check with its change from the agreed option; better is more room to its limit."""
    before_by_code = {c.code: c for c in agreed.checks} if agreed else {}
    rows = []
    for check in evaluation.checks:
        before = before_by_code.get(check.code)
        change, better, was = "", None, ""
        if before is not None and before.verdict != check.verdict:
            was = before.verdict
        if before is not None and before is not check and before.margin is not None and check.margin is not None:
            gained = check.margin - before.margin
            if abs(gained) > WORTH_TELLING:
                better = gained > 0
                change = f"{'better' if better else 'worse'} by {show.value(abs(gained), check.unit)}"
        rows.append(Row(check, change, better, was))
    return rows
