"""What is to be seen to before and while something is welded: heat, gates, bevels, the order, who welds it."""

from __future__ import annotations

import math
from collections.abc import Iterable

from elmpeg.core.base.quantities import Unit, Words, mm, named, plain, words
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, dot, norm, scale, sub
from elmpeg.core.base.verdicts import Verdict
from elmpeg.core.build.signers import same_person, signed_here
from elmpeg.core.build.weldments import HeatedThing, Seam, Weldment
from elmpeg.core.judging.checks import Check, Findings, Remedy, about
from elmpeg.core.methods.welding.weld_runs import SeamLine, WeldPlan, weld_plan
from elmpeg.core.scene.scene import Scene

HEAT_MM: dict[str, float] = {
    "bush": 80.0,
    "seal": 100.0,
    "wire": 150.0,
    "tank": 300.0,
    "hose": 150.0,
    "tight bolt head": 40.0,
    "paint": 50.0,
}
"""How near a seam each is harmed, about; a tank and what is in it want more, and a person who knows."""
SQUARE_EDGE_MM = 5.0
"""Plate thicker than this is bevelled for a seam that is to go through."""
TORCH_MM = 60.0
"""What a torch and the hand that leads it want beside a seam, about."""
GATE_WORDS = {
    "braced": "braced before it is cut or welded",
    "witness lines": "witness lines on both parts",
    "bolted to its mate": "bolted to its mate",
    "clamped": "clamped down",
}
CAUTION = (
    "Structure is welded by a person who is qualified for it and inspected as your rules ask; this says in which order, not how strong."
)


@record
class WeldState:
    """A weldment worked out."""

    weldment: str
    plan: WeldPlan


def plan_of(weldment: Weldment) -> WeldPlan:
    """The order of a weldment's runs; seams that lie to one side are told by what they pull there."""
    lines = tuple(SeamLine(s.id, s.a_mm, s.b_mm, s.runs) for s in weldment.seams)
    ends = [p for s in weldment.seams for p in (s.a_mm, s.b_mm)]
    middle = tuple((min(p[i] for p in ends) + max(p[i] for p in ends)) / 2 for i in range(3)) if ends else None
    return weld_plan(lines, middle)  # type: ignore[arg-type]


def _check(weldment: Weldment, what: str, called: str, verdict: Verdict, why: Words, unit: Unit = "mm", **more: object) -> Check:
    code = f"weld.{weldment.id}.{what}"
    return Check(code, "weld", f"{weldment.name}: {called}", unit, verdict, why, about=about(weldments=weldment.id), **more)  # type: ignore[arg-type]


def weld_findings(scene: Scene, weldment: Weldment) -> Findings:
    """Every check of a weldment."""
    if not weldment.seams:
        return Findings(
            (_check(weldment, "order", "order", "unknown", words("It has no seams yet.")),), WeldState(weldment.id, plan_of(weldment))
        )
    plan = plan_of(weldment)
    return Findings(
        (*_order(weldment, plan), *_heat(weldment), *_gates(weldment), *_bevels(scene, weldment), *_access(weldment), *_who(weldment)),
        WeldState(weldment.id, plan),
    )


TACK = "tack "
"""What the id of a tack begins with, before its seam's."""


def before_welding(checks: Iterable[Check]) -> tuple[Check, ...]:
    """What must be seen to before anything is welded: what heat would harm, and what is to be done first and seen by somebody."""
    return tuple(c for c in checks if (".heat." in c.code and c.verdict == "fails") or (".gate." in c.code and c.verdict != "holds"))


def _order(weldment: Weldment, plan: WeldPlan) -> list[Check]:
    done = [d.id for d in weldment.done]
    wanted = [*(t.id for t in plan.tacks), *(r.id for r in plan.runs)]
    ahead = next(
        (d for k, d in enumerate(done) if k < len(wanted) and d in wanted and wanted.index(d) > k and wanted[k] not in done[:k]), None
    )
    less = 1.0 - plan.worst_mm2 / plan.as_listed_mm2 if plan.as_listed_mm2 > 0 else 0.0
    gain = f" In this order it pulls {100 * (1 - less):.0f} % of what it would pull welded as listed." if less > 0.01 else ""
    if ahead is not None:
        why = words(
            f"{run_called(weldment, ahead)} was welded out of turn; {run_called(weldment, next(w for w in wanted if w not in done))} comes next."
        )
        return [_check(weldment, "order", "order", "near", why, remedies=(Remedy(words("Let it cool, then go on in the order below.")),))]
    left = len(wanted) - len(done)
    said = (
        f"{len(plan.tacks)} tacks first, then {len(plan.runs)} runs from side to side.{gain}" if left else "All tacks and runs are welded."
    )
    return [_check(weldment, "order", "order", "holds", words(said))]


def run_called(weldment: Weldment, run_id: str) -> str:
    """A run or a tack as it is called: by its seam's name and which of that seam's it is."""
    names = {s.id: s.name for s in weldment.seams}
    if run_id in names:
        return plain(names[run_id])
    seam_id, _, k = run_id.removeprefix(TACK).rpartition(".")
    what = "tack" if run_id.startswith(TACK) else "run"
    return plain(f"{names.get(seam_id, seam_id)}, {what} {k}")


def _heat(weldment: Weldment) -> list[Check]:
    found = []
    for thing in weldment.heated:
        near, seam = min((distance_mm(thing.at_mm, s), s.name) for s in weldment.seams)
        least = HEAT_MM[thing.kind]
        if near >= least:
            continue
        if thing.out:
            why = words(f"{plain(thing.name)} is out, cooled or covered; {named(seam)} is {{0}} away.", mm(near))
            found.append(_check(weldment, f"heat.{thing.id}", f"heat at {thing.name}", "holds", why))
            continue
        why = words(
            f"{plain(thing.name)} ({thing.kind}) lies {{0}} from {named(seam)}; nearer than {{1}} the heat harms it.", mm(near), mm(least)
        )
        mend = (Remedy(words(_spared(thing))),)
        found.append(
            _check(weldment, f"heat.{thing.id}", f"heat at {thing.name}", "fails", why, value=near, low=least, remedies=mend, exact="a usual distance, not a limit of anybody's")
        )  # fmt: skip
    return found


def _spared(thing: HeatedThing) -> str:
    if thing.kind == "tank":
        return "Take the tank out and make it safe, by somebody who is qualified for it; never weld near one that held fuel."
    if thing.kind == "tight bolt head":
        return "Slacken the bolt first; heated tight it stretches. Draw it up again when all is cold."
    return "Take it out before welding, or cover it and keep it wet; tick it when that is done."


def distance_mm(at: Vec3, seam: Seam) -> float:
    """From a place to the nearest of a seam."""
    along = sub(seam.b_mm, seam.a_mm)
    share = min(max(dot(sub(at, seam.a_mm), along) / max(dot(along, along), 1e-12), 0.0), 1.0)
    return norm(sub(sub(at, seam.a_mm), scale(along, share)))


def _gates(weldment: Weldment) -> list[Check]:
    found = []
    for gate in weldment.gates:
        called = f"{GATE_WORDS[gate.kind]}"
        if not signed_here(gate.by):
            whose = f"done by {named(gate.by)}; that says nothing of this one" if gate.by else "nobody has said that it is done"
            why = words(f"{plain(gate.what or called)}: {whose}.")
            found.append(
                _check(
                    weldment,
                    f"gate.{gate.id}",
                    called,
                    "unknown",
                    why,
                    remedies=(Remedy(words("Do it, then let a second person see it.")),),
                )
            )
        elif signed_here(gate.seen_by) and gate.alone:
            why = words(f"{plain(gate.what or called)}: done by {named(gate.by)}, who works alone and looked again, {named(gate.alone)}.")
            found.append(_check(weldment, f"gate.{gate.id}", called, "holds", why))
        elif not signed_here(gate.seen_by) or same_person(gate.seen_by, gate.by):
            why = words(f"{plain(gate.what or called)}: done by {named(gate.by)}, seen by nobody else yet.")
            found.append(_check(weldment, f"gate.{gate.id}", called, "near", why))
        else:
            why = words(f"{plain(gate.what or called)}: done by {named(gate.by)}, seen by {named(gate.seen_by)}.")
            found.append(_check(weldment, f"gate.{gate.id}", called, "holds", why))
    return found


def thinner_mm(scene: Scene, seam: Seam) -> float:
    """How thick the thinner of what a seam joins is: as said, else of the pieces it joins; 0 where nobody knows."""
    known = {p.id: p.thick_mm for p in scene.build.pieces}
    return seam.thick_mm or min((known[j] for j in seam.joins if j in known), default=0.0)


def _bevels(scene: Scene, weldment: Weldment) -> list[Check]:
    thick = {s.id: thinner_mm(scene, s) for s in weldment.seams}
    bare = [s for s in weldment.seams if thick[s.id] > SQUARE_EDGE_MM and s.bevel == "none"]
    if not bare:
        return []
    worst = max(bare, key=lambda s: thick[s.id])
    most = thick[worst.id]
    why = words(
        f"{plain(worst.name)} joins {{0}} without a bevel; a square edge is welded through up to {{1}}.",
        mm(most),
        mm(SQUARE_EDGE_MM),
    )
    mend = (Remedy(words("Bevel one side by 30°, and look first what stands beside it: a bush melts, a bearing race softens.")),)
    return [_check(weldment, "bevel", "bevels", "near", why, value=most, high=SQUARE_EDGE_MM, remedies=mend, exact="a usual limit")]


def _access(weldment: Weldment) -> list[Check]:
    tight = [s for s in weldment.seams if 0 < s.room_mm < TORCH_MM]
    if not tight:
        return []
    worst = min(tight, key=lambda s: s.room_mm)
    why = words(f"{plain(worst.name)} has {{0}} beside it; a torch wants about {{1}} to get to the root.", mm(worst.room_mm), mm(TORCH_MM))
    mend = (Remedy(words("Weld it before what stands there is in, or from the other side.")),)
    return [
        _check(
            weldment, "access", "access", "near", why, value=worst.room_mm, low=TORCH_MM, remedies=mend, exact="a usual room, not a limit"
        )
    ]


def _who(weldment: Weldment) -> list[Check]:
    if not weldment.structural or weldment.welder.strip():
        return []
    why = words("It is structure, and nobody is named who welds it.")
    return [
        _check(
            weldment, "welder", "welder", "unknown", why, remedies=(Remedy(words("Name who welds it: a person qualified for structure.")),)
        )
    ]


def sides_pulled(plan: WeldPlan) -> tuple[tuple[str, float], ...]:
    """To which sides the seams together pull, the strongest first, as lengths of seam times distance, mm²."""
    names = (("rearward", "forward"), ("to the right", "to the left"), ("up", "down"))
    found = [(names[i][0] if v > 0 else names[i][1], abs(v)) for i, v in enumerate(plan.left_over_mm2)]
    total = math.sqrt(sum(v * v for _, v in found)) or 1.0
    return tuple(sorted(((n, v) for n, v in found if v > 0.05 * total and v > 1.0), key=lambda p: -p[1]))
