"""Calculator ``plan``: when each task can start and which hold up the whole."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from pydantic import Field

from elmpeg.core.calculators.fields import Finite, Name, Request, distinct
from elmpeg.core.calculators.sheet import Answer, Calculator, Table
from elmpeg.core.methods.planning.critical_path import Task, plan

Amount = Annotated[Finite, Field(ge=0, le=1e5)]


class TaskFields(Request):
    """A task: hours of work, days of waiting, and what must be done before it."""

    id: Name
    hours: Amount = 0.0
    days: Amount = 0.0
    after: Annotated[list[Name], Field(max_length=200)] | None = None


class PlanRequest(Request):
    """The tasks and a day's hours."""

    tasks: Annotated[list[TaskFields], Field(max_length=500)]
    hours_per_day: Annotated[Finite, Field(gt=0, le=24)]


def compute(request: PlanRequest) -> dict[str, Any]:
    """Days in all, the tasks that cannot wait, and when each can start."""
    distinct(request.tasks, "tasks")
    tasks = tuple(Task(t.id, t.hours, t.days, tuple(t.after or ())) for t in request.tasks)
    found = asdict(plan(tasks, request.hours_per_day))
    return {**found, "critical": list(found["critical"]), "tasks": list(found["tasks"])}


CALCULATOR = Calculator(
    name="plan",
    purpose="When each task can start, and which of them hold up the whole",
    request=PlanRequest,
    compute=compute,
    stage="Fit",
    title="Plan of work",
    words=("plan", "schedule", "days", "hours", "when", "waiting", "critical", "time line", "how long will it take", "order of work"),
    answers=(Answer("total_days", "In all", "days"), Answer("critical", "These hold up the whole")),
    tables=(
        Table("tasks", "Every task", (Answer("id", "Task"), Answer("start_day", "Starts on day", "days"),
              Answer("finish_day", "Done on day", "days"), Answer("slack_days", "Can wait", "days"))),
    ),
    formula="A task lasts hours / hours a day + days of waiting. Each starts when all before it are done; what can wait is found backwards from "
    "the end.",
    source="Critical path method.",
    not_told="Who does it: two tasks at once need two people.",
    example={
        "tasks": [{"id": "measure", "hours": 6}, {"id": "order shaft", "hours": 1, "days": 14, "after": ["measure"]},
                  {"id": "make mounts", "hours": 20, "after": ["measure"]}, {"id": "fit engine", "hours": 9, "after": ["make mounts"]},
                  {"id": "fit shaft", "hours": 3, "after": ["order shaft", "fit engine"]}],
        "hours_per_day": 8,
    },
    labels={
        "tasks": "Tasks", "tasks.id": "Task", "tasks.hours": "Hours of work", "tasks.days": "Days of waiting", "tasks.after": "After",
        "hours_per_day": "Hours in a day",
    },
    hints={"tasks.after": "tasks that must be done before it, with commas"},
)  # fmt: skip
