"""What every page about one build shows around its own subject."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from elmpeg.core.advice.agreeing import failing
from elmpeg.core.advice.next_step import Next, next_step
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.document import Build, Stage
from elmpeg.core.build.options import Option
from elmpeg.core.evaluation.evaluate import Evaluation
from elmpeg.core.judging.checks import Check
from elmpeg.store.builds import Head, UndoState
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome
from elmpeg.web.stage_list import STAGE_PAGES

OPENED: dict[str, str] = {entry.name: entry.opened for entry in STAGE_PAGES}
"""By stage, the field of the address that says which thing is open there."""
PageStage = Stage | Literal["", "About", "History", "Reckoner"]
"""What a page belongs to: a stage, or one of the pages about the whole build."""


@dataclass
class BuildPage:
    """What every page about one build shows around its own subject."""

    head: Head
    option: Option
    evaluation: Evaluation
    undo: UndoState
    counts: dict[str, dict[Verdict, int]]
    stage: PageStage
    next: Next | None = None

    @property
    def build(self) -> Build:
        """The build."""
        return self.head.build

    @property
    def failing(self) -> tuple[Check, ...]:
        """What the option would be agreed with although it fails."""
        return failing(self.evaluation)

    @property
    def agreed(self) -> bool:
        """Whether the option being looked at is the agreed one."""
        return self.build.agreed == self.option.id


def chosen_option(build: Build, wanted: str) -> Option:
    """The option asked for, else the first that is not agreed, else the first."""
    for option in build.options:
        if option.id == wanted:
            return option
    return next((o for o in build.options if o.id != build.agreed), build.options[0])


def build_page(desk: Desk, build_id: str, stage: PageStage, outcome: Outcome | None = None) -> BuildPage:
    """A build's page as it stands, or stood after this person's save; raises MissingError."""
    saved = outcome.saved if outcome else None
    head = desk.shop.newest_after_others(saved.head) if saved else desk.shop.builds.head(build_id)
    option = chosen_option(head.build, desk.text("option"))
    # A form that is refused because its build was put away meanwhile keeps what was typed in it.
    desk.only_looked_at = head.where != "in work" and not desk.form
    evaluation = desk.shop.evaluated(head, option.id)
    counts: dict[str, dict[Verdict, int]] = {}
    for check in evaluation.checks:
        of_stage = counts.setdefault(check.stage or "", {})
        of_stage[check.verdict] = of_stage.get(check.verdict, 0) + 1
    return BuildPage(
        head,
        option,
        evaluation,
        desk.shop.builds.undo_state(build_id),
        counts,
        stage,
        next_step(head.build, evaluation, stage, desk.text(OPENED.get(stage, ""))),
    )
