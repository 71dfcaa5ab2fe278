"""Checks: computed verdicts, each with its value, its limits, how sure it is, why, and what would mend it."""

from __future__ import annotations

from collections.abc import Sequence

from elmpeg.core.base.pose import Pose
from elmpeg.core.base.quantities import Quantity, Unit, Words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import Verdict, margin_within
from elmpeg.core.build.document import Stage


@record
class About:
    """One thing that a check is about: the build's list it stands in, and its id there."""

    of: str
    id: str


def about(**things: str | tuple[str, ...]) -> tuple[About, ...]:
    """What a check is about, by the build's lists: ``about(points=("a", "b"), mounts="m")``. What has no id is left out."""
    return tuple(About(of, i) for of, ids in things.items() for i in ((ids,) if isinstance(ids, str) else ids) if i)


@record
class Input:
    """One figure that went into a check."""

    name: str
    quantity: Quantity


@record
class Bears:
    """What one reading, or an entered figure, brings to a check's doubt: a share from 0 to 1, and the axis it acts along most."""

    readings: tuple[str, ...]
    axis: str
    share: float


@record
class RestsOn:
    """A point a check rests on, and its share of the check's doubt (0 to 1).

    No ``point`` for the levelling that readings were corrected by.
    """

    point: str
    name: str
    source: str
    share: float
    by: tuple[Bears, ...] = ()
    sd_mm: float = 0.0
    sd_deg: float = 0.0
    """How well it is known now, along its worst coordinate, and its direction."""


STACKS = "stacks"
"""The list that a change of what a mount's stack comes to is of; its id is the mount's, its path is not needed."""
DRILLS = "drills"
"""That which a change of what a piece's hole is drilled to is of; its id is the piece's, its path the pattern or face, “/”, the hole."""


@record
class Change:
    """One figure of the build that a remedy sets, in that figure's own unit: of which of the build's lists, of which thing there, and
    by which path within it (``layers.a.edge_mm``)."""

    of: str
    id: str
    path: str
    to: float


@record
class Remedy:
    """What would mend a check, in words; the driving component that it moves and the pose that this would have, and the figures of
    the build that it sets. One with neither is advice, or asks for work that no figure tells."""

    words: Words
    component: str | None = None
    pose: Pose | None = None
    changes: tuple[Change, ...] = ()
    finer: float = 0.0
    """How many times as well what the check rests on must be known for it to hold then; 0 where it holds as it is known."""

    @property
    def can_be_made(self) -> bool:
        """Whether the build can be tried with it."""
        return (self.component is not None and self.pose is not None) or bool(self.changes)

    @property
    def settles_a_stack(self) -> bool:
        """Whether it takes pieces, which are chosen from the shelf."""
        return any(c.of == STACKS for c in self.changes)


@record
class Check:
    """One verdict. ``code`` stays the same from option to option, so that checks can be set side by side.

    ``family`` names its kind in the catalogue, which knows the kind's ``stage`` and fills it in. ``inside`` is the chance of
    being within the limits that the verdict rests on, given the doubt ``sd``; ``at_most`` what a size that may as well be
    nothing stays below. A figure that states no doubt says in ``exact`` why it has none. Remedies that take a search are looked
    for at the first look at them.
    """

    code: str
    family: str
    name: str
    unit: Unit
    verdict: Verdict
    why: Words
    value: float | None = None
    low: float | None = None
    high: float | None = None
    sd: float | None = None
    inside: float | None = None
    at_most: float | None = None
    exact: str = ""
    remedies: Sequence[Remedy] = ()
    rests_on: Sequence[RestsOn] = ()
    inputs: tuple[Input, ...] = ()
    formula: str = ""
    about: tuple[About, ...] = ()
    stage: Stage | None = None

    @property
    def room_share(self) -> float:
        """Room to the nearer limit as a share of the larger limit; 0 for a check without a figure."""
        if self.value is None:
            return 0.0
        return margin_within(self.value, self.low, self.high) / (max(abs(self.high or 0.0), abs(self.low or 0.0)) or 1.0)

    def ids(self, of: str) -> tuple[str, ...]:
        """The ids of what it is about in one of the build's lists, in order."""
        return tuple(a.id for a in self.about if a.of == of)

    def concerns(self, of: str, item_id: str) -> bool:
        """Whether it is about one thing."""
        return any(a.of == of and a.id == item_id for a in self.about)

    @property
    def margin(self) -> float | None:
        """Room to the nearer limit, negative outside."""
        if self.value is None or (self.low is None and self.high is None):
            return None
        return margin_within(self.value, self.low, self.high)


@record
class Findings:
    """What running the checks of one thing gives: the checks, and the state that a screen draws, where there is one."""

    checks: tuple[Check, ...]
    state: object = None
