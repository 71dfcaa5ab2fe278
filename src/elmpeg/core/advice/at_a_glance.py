"""What a shop's list of builds tells of one: the option it stands on, how its checks stand, and the worst of them."""

from __future__ import annotations

from collections.abc import Callable

from elmpeg.core.advice.agreeing import all_is_well
from elmpeg.core.base.record import changed, record
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.document import Build, Stage
from elmpeg.core.build.options import Option
from elmpeg.core.build.rounds import Decision, Material
from elmpeg.core.evaluation.evaluate import Evaluation
from elmpeg.core.judging.checks import Check

WORST = 3


@record
class OptionSeen:
    """An option of a build, and how many of its checks have each verdict."""

    id: str
    name: str
    agreed: bool
    fails: int
    near: int
    unknown: int
    holds: int

    def count(self, verdict: Verdict) -> int:
        """How many checks have a verdict."""
        return {"fails": self.fails, "near": self.near, "unknown": self.unknown, "holds": self.holds}[verdict]

    @property
    def checked(self) -> bool:
        """Whether anything of it is checked."""
        return self.fails + self.near + self.unknown + self.holds > 0


@record
class RoundSeen:
    """A test fit as the list tells it."""

    number: int
    material: Material
    closed: bool
    decision: Decision


@record
class Glance:
    """One build as the shop sees it. Of the worst checks nothing is told that takes a search."""

    id: str
    name: str
    vehicle: str
    stage: Stage
    option: OptionSeen
    others: tuple[OptionSeen, ...]
    worst: tuple[Check, ...]
    well: bool
    last_round: RoundSeen | None


def glance(build: Build, evaluated: Callable[[str], Evaluation]) -> Glance:
    """A build at a glance: on its agreed option, else on its first. ``evaluated`` gives an option's evaluation."""
    stands = build.option(build.agreed) if build.agreed else build.options[0]
    evaluation = evaluated(stands.id)
    grave = tuple(c for c in evaluation.checks if c.verdict != "holds")[:WORST]
    last = build.rounds[-1] if build.rounds else None
    return Glance(
        build.id,
        build.name,
        build.vehicle,
        build.stage,
        _seen(build, stands, evaluation),
        tuple(_seen(build, o, evaluated(o.id)) for o in build.options if o.id != stands.id),
        tuple(changed(c, remedies=(), rests_on=(), inputs=()) for c in grave),
        all_is_well(build, evaluation),
        RoundSeen(last.number, last.material, bool(last.closed), last.decision) if last else None,
    )


def _seen(build: Build, option: Option, evaluation: Evaluation) -> OptionSeen:
    counts = (evaluation.count(v) for v in ("fails", "near", "unknown", "holds"))
    return OptionSeen(option.id, option.name, option.id == build.agreed, *counts)
