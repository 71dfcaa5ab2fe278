"""When each task can start, and which of them hold up the whole."""

from __future__ import annotations

from graphlib import CycleError, TopologicalSorter

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

NO_SLACK_DAYS = 1e-9


@record
class Task:
    """A task: hours of work, days of waiting, and what must be done before it."""

    id: str
    hours: float = 0.0
    days: float = 0.0
    after: tuple[str, ...] = ()


@record
class PlannedTask:
    """A task's earliest start and finish, and how long it can wait without holding up the whole."""

    id: str
    start_day: float
    finish_day: float
    slack_days: float


@record
class Plan:
    """The whole in days, the tasks that cannot wait in the order they begin, and every task."""

    total_days: float
    critical: tuple[str, ...]
    tasks: tuple[PlannedTask, ...]


def plan(tasks: tuple[Task, ...], hours_per_day: float) -> Plan:
    """Earliest starts forward, latest finishes backward; a task lasts hours / hours per day + days.

    Raises InputError for a task after one that is not there, and for a circle, naming a task that is in it.
    Source: the critical path method.
    """
    index = {t.id: k for k, t in enumerate(tasks)}
    for k, t in enumerate(tasks):
        for other in t.after:
            if other not in index:
                raise InputError(f"tasks.{k}.after", f"“{other}” is none of the tasks: {', '.join(index)}")
    try:
        order = list(TopologicalSorter({t.id: t.after for t in tasks}).static_order())
    except CycleError as circle:
        ring = list(reversed(circle.args[1]))
        first = min(ring[:-1], key=lambda name: index[name])
        raise InputError(
            f"tasks.{index[first]}.after", f"“{first}” would have to be done before itself: {' → '.join(ring)}; take one of these out"
        ) from None
    lasts = {t.id: t.hours / hours_per_day + t.days for t in tasks}
    start: dict[str, float] = {}
    for name in order:
        start[name] = max((start[o] + lasts[o] for o in tasks[index[name]].after), default=0.0)
    total = max((start[n] + lasts[n] for n in order), default=0.0)
    latest = dict.fromkeys(order, total)
    for name in reversed(order):
        for o in tasks[index[name]].after:
            latest[o] = min(latest[o], latest[name] - lasts[name])
    planned = tuple(
        PlannedTask(t.id, start[t.id], start[t.id] + lasts[t.id], max(0.0, latest[t.id] - start[t.id] - lasts[t.id])) for t in tasks
    )
    waits = sorted((t for t in planned if t.slack_days <= NO_SLACK_DAYS), key=lambda t: (t.start_day, t.finish_day, index[t.id]))
    return Plan(total, tuple(t.id for t in waits), planned)
