"""Tasks on a time line."""

from __future__ import annotations

from elmpeg.core.base.quantities import Quantity, words
from elmpeg.core.calculators.plan import PlanRequest
from elmpeg.core.calculators.sheet import Result
from elmpeg.figures.figure import Figure
from elmpeg.figures.said import plain

LENGTH, ROW = 1000.0, 46.0


def plan(request: PlanRequest, result: Result | None) -> Figure:
    """A bar for each task from its start to its finish, what it can wait dashed behind it; those that cannot wait stand out."""
    figure = Figure()
    panel = figure.panel("Days from the start", to_scale=False)
    if result is None:
        for k, t in enumerate(request.tasks):
            panel.note((0, -k * ROW), t.id, f"tasks.{k}.id")
        return figure
    per_day = LENGTH / max(result["total_days"], 1e-6)
    for k, t in enumerate(result["tasks"]):
        y = -k * ROW
        start, finish, wait = t["start_day"] * per_day, t["finish_day"] * per_day, t["slack_days"] * per_day
        critical = t["id"] in result["critical"]
        if wait > 0:
            panel.box(finish, y - ROW * 0.12, finish + wait, y + ROW * 0.12, "ghost", "can wait")
        panel.box(start, y - ROW * 0.28, max(finish, start + 1.0), y + ROW * 0.28, "path" if critical else "part", t["id"])
        panel.note((finish, y), words(f"{plain(t['id'])}: {{0}} to {{1}}", Quantity(t["start_day"], "days"), Quantity(t["finish_day"], "days")),
                   f"tasks.{k}.hours")  # fmt: skip
    bottom = -len(result["tasks"]) * ROW
    panel.line([(0, bottom), (LENGTH, bottom)], "ground")
    step = next(s for s in (0.25, 0.5, 1, 2, 5, 10, 20, 50, 100, 1000, 1e6) if result["total_days"] / s <= 10)
    day = 0.0
    while day <= result["total_days"] + 1e-9:
        panel.line([(day * per_day, bottom), (day * per_day, bottom - ROW * 0.2)], "ground")
        panel.note((day * per_day, bottom - ROW * 0.5), f"{day:g}")
        day += step
    return figure
