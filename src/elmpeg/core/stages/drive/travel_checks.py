"""A driveline through its axle's travel: where a joint binds, and the slip that is left."""

from __future__ import annotations

from typing import Literal

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import Quantity, deg, mm, plain, words
from elmpeg.core.base.record import record
from elmpeg.core.base.verdicts import AT_LIMIT, verdict_within
from elmpeg.core.build.drivelines import CarriedAxle, Driveline
from elmpeg.core.judging.checks import Change, Check, Input, Remedy, about
from elmpeg.core.judging.doubt import NUDGE
from elmpeg.core.judging.drafts import Array, Draft
from elmpeg.core.judging.scatter import Least
from elmpeg.core.scene.carried_axle import Reach, TravelWay, heights_mm, reach_of, travel_read
from elmpeg.core.scene.line_in_scene import Lines, LineStep, Steps, StepsAt, joint_max_deg, lengths_of
from elmpeg.core.scene.scene import Scene
from elmpeg.core.scene.states import AT_REST, AxleAt, State, axle_at, risen

TravelDraft = Draft[Steps, StepsAt]
STILL_MM = 1e-3
"""A shaft whose length changes by less does not slide."""
JUDGED_STEPS = 9
"""Heights at which a line is judged; the joints' extremes lie at the ends of travel, slip may turn back within."""


@record
class RunsThrough:
    """A line through its axle's travel: its steps, how far each shaft shortens and lengthens, and the tightest joint."""

    axle: CarriedAxle
    reach: Reach
    steps: tuple[LineStep, ...]
    slip_in_mm: tuple[float, ...]
    slip_out_mm: tuple[float, ...]
    tightest: int
    tightest_at: State


@record
class Slip:
    """One way that a shaft's slip goes through travel: how far, and how far it can from ride height, None where nobody said."""

    way: Literal["closes", "opens"]
    used_mm: float
    room_mm: float | None

    @property
    def left_mm(self) -> float | None:
        """What is left of it; negative where it is used up."""
        return None if self.room_mm is None else self.room_mm - self.used_mm

    @property
    def over(self) -> bool:
        """Whether it is used up."""
        return self.left_mm is not None and self.left_mm < 0


@record
class SlidingShaft:
    """A shaft whose length changes with travel, by its joints' names."""

    name: str
    slips: tuple[Slip, Slip]


def sliding_shafts(line: Driveline, through: RunsThrough) -> tuple[SlidingShaft, ...]:
    """The shafts of a line that slide through travel."""
    found = []
    for k, (used, out) in enumerate(zip(through.slip_in_mm, through.slip_out_mm, strict=True)):
        if max(used, out) > STILL_MM:
            shaft = line.shaft(k)
            slips = Slip("closes", used, shaft.slip_in_mm if shaft else None), Slip("opens", out, shaft.slip_out_mm if shaft else None)
            found.append(SlidingShaft(f"{line.joints[k].id}-{line.joints[k + 1].id}", slips))
    return tuple(found)


def judged_states(scene: Scene, axle: CarriedAxle) -> tuple[State, ...]:
    """Travel straight up and down, and one wheel up with the other down."""
    rolled = tuple(axle_at(axle.id, 0.0, roll) for roll in (axle.roll_deg, -axle.roll_deg)) if axle.roll_deg else ()
    return (*risen(axle.id, heights_mm(scene.build, axle, JUDGED_STEPS)), *rolled)


def binding_deg(scene: Scene, line: Driveline) -> tuple[float, ...]:
    """How far each joint may bend in travel: its maximum less what is kept spare."""
    limits = scene.build.limits.joints
    largest = (joint_max_deg(scene.build, line, k) or limits.maker_default_deg for k in range(len(line.joints)))
    return tuple(max(v - limits.bind_spare_deg, limits.bind_spare_deg) for v in largest)


def runs_through(there: Lines, axle: CarriedAxle, steps: tuple[LineStep, ...]) -> RunsThrough:
    """The line in the first of some scenes through travel, by the heights it is judged at."""
    scene, line = there.scenes[0], there.line
    rest = lengths_of(there.laid)
    slips = [[s.lengths_mm[k] - rest[k] for s in steps] for k in range(len(rest))]
    limits = binding_deg(scene, line)
    _, tightest, at = min((limits[k] - s.angles_deg[k], k, n) for n, s in enumerate(steps) for k in range(len(limits)))
    return RunsThrough(
        axle,
        reach_of(scene.build, axle),
        steps,
        tuple(max(0.0, -min(s)) for s in slips),
        tuple(max(0.0, *s) for s in slips),
        tightest,
        steps[at].state,
    )


@record
class Through:
    """A line's drafts through travel: the states they ask for, the line there, checks that cannot be worked out, and the line where
    each reading of the axle's travel, known by its way, would bring it instead."""

    runs: RunsThrough | None
    drafts: tuple[TravelDraft, ...]
    states: tuple[State, ...]
    steps: dict[State, LineStep]
    loose: tuple[Check, ...] = ()
    read_otherwise: tuple[tuple[TravelWay, StepsAt], ...] = ()


WAYS: tuple[tuple[TravelWay, float], ...] = (("bump", 1.0), ("droop", -1.0))
NOT_ASKED = Through(None, (), (), {})
CONTESTED_ROOM, CONTESTED_WAYS_ROOM = 1.8, 3.2
"""Two places that are just sure enough each are not so together, and the least scatters less than either: a remedy aims so much
further; still further where a shaft is short both ways, of which only the shorter tells its doubt."""
MOST_CONTESTED = 4
"""Places at which the least slip is looked for once more for its doubt."""


def travel_drafts(there: Lines) -> Through:
    """The line in the first of some scenes through travel where its axle is known, and drafts of its checks there."""
    # All that is asked of that scene alone is asked at once.
    scene, line, axle = there.scenes[0], there.line, there.axle
    if axle is None:
        return NOT_ASKED
    judged = judged_states(scene, axle)
    otherwise = {
        way: tuple(_read_otherwise(s.axle(axle.id), sign, NUDGE * read.sd) for s in judged)
        for way, sign in WAYS
        if (read := travel_read(scene.build, axle, way)) is not None and read.sd
    }
    try:
        found = there.stepped((*judged, *(s for states in otherwise.values() for s in states)), alone=True)
    except InputError as refused:
        why = refused.message[0].upper() + refused.message[1:]
        code, name = f"line.{line.id}.travel.bind", f"{line.name}: through travel"
        check = Check(code, "travel", name, "deg", "unknown", words(f"{why}".rstrip(".") + "."), about=about(drivelines=line.id))
        return Through(None, (), (), {}, (check,))
    count = len(judged)
    parts = [
        StepsAt(judged, found.angles_deg[:, n : n + count], found.lengths_mm[:, n : n + count])
        for n in range(0, count * (1 + len(otherwise)), count)
    ]
    through = runs_through(there, axle, parts[0].steps(0))
    slip, contested, loose = _slip_drafts(scene, line, through)
    states = tuple(dict.fromkeys((AT_REST, through.tightest_at, *contested)))
    signs = dict(WAYS)
    # A reading of the way that none of these states goes bears on nothing.
    moved = tuple(
        (way, at) for way, at in zip(otherwise, parts[1:], strict=True) if any(s.axle(axle.id).rise_mm * signs[way] > 0 for s in states)
    )
    return Through(through, (_bind_draft(scene, line, through), *slip), states, {s.state: s for s in through.steps}, loose, moved)


def _read_otherwise(at: AxleAt, sign: float, by_mm: float) -> State:
    """The state that is the end of travel, had a reading of it been another."""
    return axle_at(at.axle, at.rise_mm + sign * by_mm if at.rise_mm * sign > 0 else at.rise_mm, at.roll_deg, at.load)


def _where(at: AxleAt) -> str:
    """How an axle stands, in words."""
    if at.roll_deg:
        return f"one wheel up, {'right' if at.roll_deg > 0 else 'left'} side high"
    return "at full bump" if at.rise_mm > 0 else "at full droop" if at.rise_mm < 0 else "at ride height"


def _bind_draft(scene: Scene, line: Driveline, through: RunsThrough) -> TravelDraft:
    k, limit = through.tightest, binding_deg(scene, line)[through.tightest]
    code = f"line.{line.id}.travel.bind"

    def tell() -> Check:
        value = next(s for s in through.steps if s.state == through.tightest_at).angles_deg[k]
        joint = scene.declared(line.joints[k].point).name
        over = value > limit
        return Check(
            code=code,
            family="travel",
            name=f"{line.name}: through travel",
            unit="deg",
            verdict=verdict_within(value, None, limit),
            why=words(
                f"{plain(joint)} {line.joints[k].id} is tightest {_where(through.tightest_at.axle(through.axle.id))}: {{0}}, {'over' if over else 'within'} the {{1}} "
                "it may bend in travel.",
                deg(value),
                deg(limit),
            ),
            value=value,
            high=limit,
            remedies=(Remedy(words("Limit the travel, lengthen the shaft, or fit a joint that bends further.")),) if over else (),
            inputs=(Input("bump", mm(through.reach.bump_mm)), Input("droop", mm(through.reach.droop_mm))),
            formula=f"joint angles with the axle moved as it is carried: {CARRIED_WORDS[through.axle.kind]}",
            about=about(points=line.joints[k].point, drivelines=line.id),
        )

    at = through.tightest_at
    return Draft(code, "deg", lambda steps: steps[at].angles_deg[k], lambda many: many.angles_deg[:, many.at(at), k], None, limit, tell)


CARRIED_WORDS = {
    "parallel": "straight up",
    "swing": "on an arm about its pivot",
    "four_link": "on two links of fixed length",
    "leaf": "on the equivalent arc of its leaf spring, three quarters of the half towards the fixed eye",
}


def _slip_drafts(scene: Scene, line: Driveline, through: RunsThrough) -> tuple[list[TravelDraft], tuple[State, ...], tuple[Check, ...]]:
    """The draft of slip left, the states in which least may be, and the check that cannot be worked out where slip is not chosen."""
    if not line.shafts:
        return [], (), ()
    moving = [k for k in range(len(line.shafts)) if max(through.slip_in_mm[k], through.slip_out_mm[k]) > 1e-6]
    if not moving:
        return [], (), ()
    code, name = f"line.{line.id}.travel.slip", f"{line.name}: slip left"
    lefts: list[tuple[float, int, str]] = []
    for k in moving:
        shaft = line.shafts[k]
        if shaft.slip_in_mm is None or shaft.slip_out_mm is None:
            member = f"{line.joints[k].id}-{line.joints[k + 1].id}"
            why = words(
                f"Shaft {member} shortens by {{0}} and lengthens by {{1}} in travel; say how far its slip goes in and out from ride height.",
                mm(through.slip_in_mm[k]),
                mm(through.slip_out_mm[k]),
            )
            return [], (), (Check(code, "slip", name, "mm", "unknown", why, about=about(drivelines=line.id)),)
        lefts += [(shaft.slip_in_mm - through.slip_in_mm[k], k, "in"), (shaft.slip_out_mm - through.slip_out_mm[k], k, "out")]
    left, k, way = min(lefts)
    shaft, spare = line.shafts[k], scene.build.limits.joints.slip_spare_mm
    sign = -1.0 if way == "in" else 1.0
    rest = next(s.lengths_mm[k] for s in through.steps if s.state == AT_REST)
    used = through.slip_in_mm[k] if way == "in" else through.slip_out_mm[k]
    state = next((s.state for s in through.steps if abs(sign * (s.lengths_mm[k] - rest) - used) < 1e-9), AT_REST)
    room = (shaft.slip_in_mm if way == "in" else shaft.slip_out_mm) or 0.0

    def figure(steps: Steps) -> float:
        return room - max(0.0, sign * (steps[state].lengths_mm[k] - steps[AT_REST].lengths_mm[k]))

    places = _least_slips(line, through, moving)

    def candidates(steps: Steps) -> Least:
        return Least(slip - s * (steps[h].lengths_mm[n] - steps[AT_REST].lengths_mm[n]) for slip, s, n, h in places)

    def many(of: StepsAt) -> Array:
        long = of.lengths_mm
        return np.stack([slip - s * (long[:, of.at(h), n] - long[:, of.at(AT_REST), n]) for slip, s, n, h in places], axis=1)

    def tell() -> Check:
        member = f"{line.joints[k].id}-{line.joints[k + 1].id}"
        bad = left < spare
        return Check(
            code=code,
            family="slip",
            name=name,
            unit="mm",
            verdict=verdict_within(left, spare, None),
            why=words(
                f"Going {way}, shaft {member} uses {{0}} of the {{1}} its slip has from ride height; {{2}} is left, {'less' if bad else 'more'} "
                "than the {3} to keep.",
                mm(used),
                mm(room),
                mm(left),
                mm(spare),
            ),
            value=left,
            low=spare,
            formula="slip from ride height less the change of the shaft's length through travel",
            about=about(points=(line.joints[k].point, line.joints[k + 1].point), drivelines=line.id),
        )

    draft = Draft(code, "mm", figure, many, spare, None, tell, lambda room: _slips_short(line, lefts, spare, room), parts=candidates)
    return [draft], tuple(h for *_, h in places), ()


def _least_slips(line: Driveline, through: RunsThrough, moving: list[int]) -> list[tuple[float, float, int, State]]:
    """Where slip may be least, the least first, and where it is least of every other shaft and way, since ordering more room one
    way leaves the other as it is: the slip there is, its sign, the shaft, the state."""
    found: list[tuple[float, tuple[float, float, int, State]]] = []
    rest = next(s.lengths_mm for s in through.steps if s.state == AT_REST)
    for k in moving:
        shaft = line.shafts[k]
        for sign, slip in ((-1.0, shaft.slip_in_mm or 0.0), (1.0, shaft.slip_out_mm or 0.0)):
            found += [(slip - sign * (s.lengths_mm[k] - rest[k]), (slip, sign, k, s.state)) for s in through.steps]

    def least_first(one: tuple[float, tuple[float, float, int, State]]) -> tuple[float, ...]:
        left, (slip, sign, k, state) = one
        at = state.axle(through.axle.id)
        return (left, slip, sign, k, at.rise_mm, at.roll_deg)

    places = [place for _, place in sorted(found, key=least_first)]
    chosen = places[:MOST_CONTESTED]
    for place in places[MOST_CONTESTED:]:
        if all(place[1:3] != other[1:3] for other in chosen):
            chosen.append(place)
    return chosen


def _slips_short(line: Driveline, lefts: list[tuple[float, int, str]], spare: float, room: float) -> tuple[Remedy, ...]:
    """All that is short of the slip to keep, each way and each shaft; one remedy, since one way alone does not mend it."""
    several = sum(left < spare + CONTESTED_WAYS_ROOM * room for left, _, _ in lefts) > 1
    aim = spare + (CONTESTED_WAYS_ROOM if several else CONTESTED_ROOM) * room
    short = [(aim - left, k, way) for left, k, way in lefts if left < aim - AT_LIMIT]
    parts: list[str] = []
    figures: list[Quantity] = []
    for by, k, way in short:
        member = f"{line.joints[k].id}-{line.joints[k + 1].id}"
        parts.append(f"{{{len(figures)}}} more room to {'close' if way == 'in' else 'open'} in {member}")
        figures.append(mm(by))
    text = f"Order {' and '.join(parts)}"
    if len(short) == 1:
        by, k, way = short[0]
        other = next((left for left, n, w in lefts if n == k and w != way), None)
        if other is not None and other - by >= spare:
            text += f", or the shaft {'shorter' if way == 'in' else 'longer'} by that"
    changes = []
    for by, k, way in short:
        now = line.shafts[k].slip_in_mm if way == "in" else line.shafts[k].slip_out_mm
        changes.append(Change("drivelines", line.id, f"shafts.{k}.slip_{way}_mm", (now or 0.0) + by))
    return (Remedy(words(f"{text}.", *figures), changes=tuple(changes)),)
