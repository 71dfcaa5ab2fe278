"""Placing labels so that they cover neither each other, nor what is drawn, nor the edge.

The sheet is a coarse grid of cells, each taken or free; sums over it tell in one
step whether a label's rectangle would cover anything, for all places at once.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import shapely
from numpy.typing import NDArray

from elmpeg.figures.projection import Pixel

CELL_PX = 8.0
EDGE_CELLS = 1
NEAR_PX = 96.0
"""Most labels find a place within so much; it is looked for there first."""
FREE, SOFT, HARD = 0.0, 60.0, 4000.0
"""What a covered cell costs in pixels of distance: nothing, a line that may be crossed, the subject or another label."""
CHARACTER_PX = 8.67
HEIGHT_PX = 24.0
PADDING_PX = 12.0
GAP_PX = 7.0


@dataclass(frozen=True, slots=True)
class Label:
    """Words for something at a place on the sheet; the graver come first and lie nearer."""

    anchor: Pixel
    words: str
    class_: str
    code: str
    gravity: int


@dataclass(frozen=True, slots=True)
class PlacedLabel:
    """A label with its rectangle, and where its leader starts."""

    label: Label
    left: float
    top: float
    width: float
    height: float

    @property
    def leader_end(self) -> Pixel:
        """The point of the rectangle nearest to what it speaks of."""
        x, y = self.label.anchor
        return (min(max(x, self.left), self.left + self.width), min(max(y, self.top), self.top + self.height))


class Sheet:
    """Which cells of a drawing are taken."""

    def __init__(self, width_px: float, height_px: float) -> None:
        self.width, self.height = width_px, height_px
        self._cost: NDArray[np.float64] = np.zeros((int(height_px // CELL_PX), int(width_px // CELL_PX)))
        rows, columns = self._cost.shape
        self._x, self._y = np.meshgrid((np.arange(columns) + 0.5) * CELL_PX, (np.arange(rows) + 0.5) * CELL_PX)

    def cover(self, outlines: Iterable[list[Pixel]], cost: float) -> None:
        """Take the cells under some outlines."""
        for outline in outlines:
            if len(outline) < 3:
                continue
            xs, ys = [p[0] for p in outline], [p[1] for p in outline]
            rows = slice(max(0, int(min(ys) // CELL_PX)), max(0, int(max(ys) // CELL_PX) + 1))
            columns = slice(max(0, int(min(xs) // CELL_PX)), max(0, int(max(xs) // CELL_PX) + 1))
            if self._cost[rows, columns].size:
                inside = shapely.contains_xy(shapely.polygons(np.array(outline)), self._x[rows, columns], self._y[rows, columns])
                self._cost[rows, columns] = np.maximum(self._cost[rows, columns], np.where(inside, cost, 0.0))

    def cover_box(self, left: float, top: float, right: float, bottom: float, cost: float) -> None:
        """Take the cells whose middles lie in a rectangle: what ``cover`` does, without asking about every cell."""
        first_row, last_row = (int(np.floor(v / CELL_PX + 0.5)) for v in (top, bottom))
        first_column, last_column = (int(np.floor(v / CELL_PX + 0.5)) for v in (left, right))
        box = self._cost[max(0, first_row) : max(0, last_row), max(0, first_column) : max(0, last_column)]
        np.maximum(box, cost, out=box)

    @property
    def taken(self) -> NDArray[np.float64]:
        """What each cell costs so far; for keeping, so nobody may write on it."""
        taken = self._cost.copy()
        taken.flags.writeable = False
        return taken

    def cover_as(self, taken: NDArray[np.float64]) -> None:
        """Take the cells that another sheet of this size had taken."""
        np.maximum(self._cost, taken, out=self._cost)

    def cover_line(self, a: Pixel, b: Pixel, cost: float) -> None:
        """Take the cells along a line."""
        steps = max(2, int(math.hypot(b[0] - a[0], b[1] - a[1]) / CELL_PX) + 1)
        columns, rows = (np.linspace(a[k] / CELL_PX, b[k] / CELL_PX, steps) for k in (0, 1))
        inside = (rows >= 0) & (rows < self._cost.shape[0]) & (columns >= 0) & (columns < self._cost.shape[1])
        # Counted from zero, so that cutting off is rounding down.
        cells = rows[inside].astype(np.intp), columns[inside].astype(np.intp)
        self._cost[cells] = np.maximum(self._cost[cells], cost)

    def cover_lines(self, lines: Iterable[tuple[Pixel, Pixel]], cost: float) -> None:
        """Take the cells along many lines."""
        ends = np.array([(*a, *b) for a, b in lines])
        if not len(ends):
            return
        ways = ends[:, 2:] - ends[:, :2]
        steps = np.maximum(2, (np.hypot(ways[:, 0], ways[:, 1]) / CELL_PX).astype(np.intp) + 1)
        # Every line's own steps one after the other: which line a step is of, and how far along that it lies.
        of = np.repeat(np.arange(len(ends)), steps)
        nth = np.arange(len(of)) - np.repeat(np.cumsum(steps) - steps, steps)
        at = ends[of, :2] + ways[of] * (nth / (steps[of] - 1))[:, None]
        columns, rows = np.floor(at / CELL_PX).astype(np.intp).T
        inside = (rows >= 0) & (rows < self._cost.shape[0]) & (columns >= 0) & (columns < self._cost.shape[1])
        rows, columns = rows[inside], columns[inside]
        self._cost[rows, columns] = np.maximum(self._cost[rows, columns], cost)

    def place(self, labels: list[Label]) -> list[PlacedLabel]:
        """Place labels one after the other, gravest first; one with no free place left is left out."""
        placed = []
        for label in sorted(labels, key=lambda one: (one.gravity, one.code)):
            spot = self._spot(label)
            if spot is not None:
                placed.append(spot)
                right, bottom = spot.left + spot.width + GAP_PX, spot.top + spot.height + GAP_PX
                self.cover_box(spot.left - GAP_PX, spot.top - GAP_PX, right, bottom, HARD)
                self.cover_line(label.anchor, spot.leader_end, SOFT)
        return placed

    def _spot(self, label: Label) -> PlacedLabel | None:
        width, height = len(label.words) * CHARACTER_PX + PADDING_PX, HEIGHT_PX
        across, down = int(np.ceil(width / CELL_PX)), int(np.ceil(height / CELL_PX))
        rows, columns = self._cost.shape
        if rows - down < 2 * EDGE_CELLS or columns - across < 2 * EDGE_CELLS:
            return None
        x, y = label.anchor
        # A place costs no less than its distance: one found near that costs less than any further off is the best of all.
        first_row, last_row = max(0, int((y - NEAR_PX - height) // CELL_PX)), min(rows, int((y + NEAR_PX + height) // CELL_PX) + 1)
        first, last = max(0, int((x - NEAR_PX - width) // CELL_PX)), min(columns, int((x + NEAR_PX + width) // CELL_PX) + 1)
        if last_row - first_row > down and last - first > across:
            found = self._cheapest(label, width, height, (first_row, last_row, first, last))
            if found is not None and found[0] <= NEAR_PX:
                return found[1]
        found = self._cheapest(label, width, height, (0, rows, 0, columns))
        return found[1] if found is not None else None

    def _cheapest(self, label: Label, width: float, height: float, window: tuple[int, int, int, int]) -> tuple[float, PlacedLabel] | None:
        """The best place in a window of cells (rows from, to, columns from, to), and what it costs; None where all is taken."""
        across, down = int(np.ceil(width / CELL_PX)), int(np.ceil(height / CELL_PX))
        rows, columns = self._cost.shape
        first_row, last_row, first, last = window
        sums = np.zeros((last_row - first_row + 1, last - first + 1))
        np.cumsum(np.cumsum(self._cost[first_row:last_row, first:last], axis=0), axis=1, out=sums[1:, 1:])
        covered = sums[down:, across:] - sums[:-down, across:] - sums[down:, :-across] + sums[:-down, :-across]
        lefts, tops = (np.arange(covered.shape[1]) + first) * CELL_PX, (np.arange(covered.shape[0]) + first_row) * CELL_PX
        x, y = label.anchor
        dx = np.maximum(np.maximum(lefts - x, x - lefts - width), 0.0)[None, :]
        dy = np.maximum(np.maximum(tops - y, y - tops - height), 0.0)[:, None]
        distance = np.hypot(dx, dy)
        # A label right on its point hides it; a short leader reads best.
        cost = covered + distance + np.where(distance < 14.0, 200.0, 0.0)
        most_top, most_left = rows - down - EDGE_CELLS, columns - across - EDGE_CELLS
        cost[: max(0, EDGE_CELLS - first_row), :] = cost[max(0, most_top + 1 - first_row) :, :] = np.inf
        cost[:, : max(0, EDGE_CELLS - first)] = cost[:, max(0, most_left + 1 - first) :] = np.inf
        row, column = np.unravel_index(int(np.argmin(cost)), cost.shape)
        if covered[row, column] >= HARD or not np.isfinite(cost[row, column]):
            return None
        return float(cost[row, column]), PlacedLabel(label, float(lefts[column]), float(tops[row]), width, height)
