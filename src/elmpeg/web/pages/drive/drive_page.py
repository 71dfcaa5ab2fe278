"""What all Drive pages share: the chosen line and its tabs, fields read in a person's units."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from fastapi.responses import HTMLResponse

from elmpeg.core.base.verdicts import Verdict, worst
from elmpeg.core.build.drivelines import Arrangement, Driveline
from elmpeg.core.judging.checks import Check
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.drive.line_checks import LineState
from elmpeg.web.build_page import BuildPage, build_page
from elmpeg.web.desk import Desk
from elmpeg.web.outcome import Outcome

TABS = (
    ("angles", "drive", "Angles"),
    ("travel", "drive_travel", "Travel"),
    ("shafts", "drive_shafts", "Shafts"),
    ("mend", "drive_mend", "Mend"),
    ("ways", "drive_ways", "Ways"),
    ("order", "drive_order", "Order"),
    ("lines", "drive_lines", "Lines"),
    ("axles", "drive_axles", "Axles"),
    ("rules", "drive_rules", "Rules"),
)
ARRANGEMENTS: dict[Arrangement, tuple[str, str]] = {
    "": (
        "By no rule",
        "Judged by its joints' angles and its motion alone. For power take-offs, steering, and lines of more than two shafts.",
    ),
    "equal_opposite": (
        "Equal and opposite",
        "One shaft, two joints whose angles match under drive, so that each undoes what the other does. Cheap, and lasts; the pinion must follow "
        "the output's slope.",
    ),
    "pointed": (
        "Double joint, pinion pointed",
        "A double joint at the drive end does all the bending, and the pinion points straight at it. For steep shafts; the double joint costs more "
        "and wants its grease.",
    ),
    "two_piece": (
        "Two pieces with a carrier",
        "The first shaft runs nearly straight to a fixed carrier, the second is set up as if it were alone. For long vehicles, whose one tube would "
        "whip.",
    ),
}


@dataclass(frozen=True, slots=True)
class LineTab:
    """One line among the tabs, with the worst of its verdicts."""

    line: Driveline
    verdict: Verdict


@dataclass
class DrivePage:
    """A Drive page: the build's page, the chosen line, its state and checks."""

    at: BuildPage
    line: Driveline | None
    state: LineState | None
    checks: tuple[Check, ...]

    @property
    def scene(self) -> Scene:
        """The build at the option being looked at."""
        return Scene(self.at.build, self.at.option)


def checks_of(checks: tuple[Check, ...], line: Driveline) -> tuple[Check, ...]:
    """A line's own checks, worst first."""
    return tuple(c for c in checks if c.concerns("drivelines", line.id))


def drive_page(desk: Desk, build_id: str, outcome: Outcome | None = None) -> DrivePage:
    """The Drive page's surroundings as they stand, on the line asked for or the one that most wants attention."""
    at = build_page(desk, build_id, "Drive", outcome)
    lines = at.build.drivelines
    line = next((one for one in lines if one.id == desk.text("line")), None) or _worst_line(at.evaluation.checks, lines)
    state = next((s for s in at.evaluation.of(LineState) if line and s.line.id == line.id), None)
    return DrivePage(at, line, state, checks_of(at.evaluation.checks, line) if line else ())


def _worst_line(checks: tuple[Check, ...], lines: tuple[Driveline, ...]) -> Driveline | None:
    troubled = (line for check in checks for line in lines if check.concerns("drivelines", line.id))
    return next(troubled, lines[0] if lines else None)


def render(desk: Desk, template: str, tab: str, on: DrivePage, outcome: Outcome | None = None, **context: Any) -> HTMLResponse:
    """A Drive page."""
    tabs = [LineTab(one, worst(tuple(c.verdict for c in checks_of(on.at.evaluation.checks, one)))) for one in on.at.build.drivelines]
    return desk.render(
        template,
        outcome,
        page=on.at,
        line=on.line,
        state=on.state,
        checks=on.checks,
        by_code={c.code: c for c in on.checks},
        line_tabs=tabs,
        tabs=TABS,
        tab=tab,
        names={p.id: p.name for p in on.at.build.points},
        **context,
    )
