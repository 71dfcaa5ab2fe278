"""Stacks by a person's leaning, what each does to the whole part, and the pieces that no shelf holds."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.pose import Pose
from elmpeg.core.base.record import record
from elmpeg.core.build.document import Build, with_option
from elmpeg.core.build.mounts import MountStack, StackPiece
from elmpeg.core.build.options import stack_of
from elmpeg.core.evaluation.catalogue import KINDS
from elmpeg.core.evaluation.evaluate import Evaluation, evaluate
from elmpeg.core.judging.checks import Check
from elmpeg.core.methods.fastening.spacer_stacks import StackOption, StockKind, best_stacks
from elmpeg.core.scene.scene import Scene, assembly_of, root_of
from elmpeg.core.stages.mount.mount_checks import MountState, fixed_in_gap_mm
from elmpeg.core.stages.mount.settling import mounts_of, settled
from elmpeg.core.stages.mount.shelf import StockItem, left_for
from elmpeg.core.stages.mount.stack_edits import with_stack
from elmpeg.core.stages.place.position_edits import placed_at

Leaning = Literal["fewest", "solid", "thickest", "no shims", "same both sides"]
LEANINGS: dict[Leaning, str] = {
    "fewest": "fewest pieces",
    "solid": "one solid spacer",
    "thickest": "thickest first",
    "no shims": "no shims",
    "same both sides": "same on both sides",
}
MIRROR_SHARE = 0.35
"""A mount's twin across the middle lies along its part within so much of their spread."""
ALONG_MM = 60.0
ROCKS_MM = 0.3
"""A foot that stands so far off its stack is felt when the part is pushed."""


@record
class Effect:
    """What using a stack does once the part has settled on it: the pose, and how the checks that matter then stand."""

    pose: Pose
    checks: tuple[tuple[Check, Check | None], ...]
    worst_left_mm: float

    @property
    def rocks(self) -> bool:
        """Whether the part bears on some of its mounts only."""
        return self.worst_left_mm > ROCKS_MM


def leaning_stacks(
    build: Build, evaluation: Evaluation, mount_id: str, shelf: tuple[StockItem, ...], leaning: Leaning
) -> tuple[ShelfStack, ...]:
    """The best stacks for a mount's gap in the order of a leaning; none where the two sides interfere."""
    state = next((m for m in evaluation.of(MountState) if m.mount.id == mount_id), None)
    if state is None or state.geometry.gap_mm < 0:
        return ()
    gap, tolerance = state.geometry.gap_mm - fixed_in_gap_mm(build, state.mount), state.mount.tolerance_mm
    if gap < 0:
        return ()
    fitting = left_for(build, evaluation.option, mount_id, shelf)
    if leaning == "no shims":
        fitting = tuple(i for i in fitting if i.form != "shim")
    if leaning == "same both sides":
        return _same_both_sides(build, evaluation, mount_id, gap, tolerance, fitting)
    most = 1 if leaning == "solid" else MOST_IN_A_STACK
    found = _searched(fitting, gap, tolerance, most)
    if leaning == "thickest":
        found = tuple(sorted(found, key=lambda s: (not s.within, [-p.mm for p in s.pieces for _ in range(p.count)])))
    return found


def _searched(fitting: tuple[StockItem, ...], gap: float, tolerance: float, most: int) -> tuple[ShelfStack, ...]:
    names = {i.id: i for i in fitting}
    stock = tuple(StockKind(i.id, i.mm, i.qty) for i in fitting)
    options = best_stacks(gap, tolerance, stock, most) if stock else ()
    return tuple(ShelfStack(_pieces(o, names), o, abs(o.error_mm) <= tolerance) for o in options)


def _pieces(option: StackOption, names: dict[str, StockItem]) -> tuple[StackPiece, ...]:
    pieces = (StackPiece(p.id, names[p.id].name, names[p.id].mm, p.count) for p in option.pieces)
    return tuple(sorted(pieces, key=lambda p: -p.mm))


def twin_of(evaluation: Evaluation, build: Build, mount_id: str) -> str | None:
    """The mount on the other side of the same assembly, if there is one."""
    scene = Scene(build, build.option(evaluation.option))
    states = {m.mount.id: m for m in evaluation.of(MountState)}
    one = states.get(mount_id)
    if one is None:
        return None
    fellows = [m for m in mounts_of(scene, scene.declared(one.mount.component_point).on) if m.id != mount_id and m.id in states]
    x, y, _ = one.seat_mm
    middle = sum(states[m.id].seat_mm[1] for m in (*fellows, one.mount)) / (len(fellows) + 1)
    across = [m for m in fellows if (states[m.id].seat_mm[1] - middle) * (y - middle) < 0 and abs(states[m.id].seat_mm[0] - x) < ALONG_MM]
    return min(across, key=lambda m: abs(states[m.id].seat_mm[0] - x)).id if across else None


def _same_both_sides(
    build: Build, evaluation: Evaluation, mount_id: str, gap: float, tolerance: float, fitting: tuple[StockItem, ...]
) -> tuple[ShelfStack, ...]:
    """Stacks of which the shelf holds two, the same for this mount and its twin: aimed at the middle of their two gaps."""
    twin = twin_of(evaluation, build, mount_id)
    state = next((m for m in evaluation.of(MountState) if m.mount.id == twin), None)
    if state is None:
        return ()
    other = state.geometry.gap_mm - fixed_in_gap_mm(build, state.mount)
    used = stack_of(build.option(evaluation.option), state.mount.id)
    back = {p.stock: p.count for p in used.pieces} if used else {}
    halved = tuple(replace(i, qty=(i.qty + back.get(i.id, 0)) // 2) for i in fitting)
    apart = abs(other - gap) / 2
    found = _searched(halved, (gap + other) / 2, max(tolerance - apart, 0.0), MOST_IN_A_STACK)
    return tuple(replace(s, within=s.within and apart <= tolerance) for s in found)


def effect_of(build: Build, evaluation: Evaluation, mount_id: str, total_mm: float) -> Effect | None:
    """What a stack of so much under one mount does to the whole part: it settles, and all is worked out again.

    The other mounts keep their present gaps, so that only this stack's doing shows. None where the part cannot settle.
    """
    scene = Scene(build, build.option(evaluation.option))
    mount = build.mount(mount_id)
    on = scene.declared(mount.component_point).on
    if all(c.id != on for c in build.components):
        return None
    states = {m.mount.id: m for m in evaluation.of(MountState)}
    filled = {}
    for fellow in mounts_of(scene, on):
        state = states.get(fellow.id)
        if state is not None:
            filled[fellow.id] = state.geometry.gap_mm
    filled[mount_id] = total_mm + fixed_in_gap_mm(build, mount)
    try:
        rest = settled(scene, on, filled)
    except InputError:
        return None
    root = root_of(build, on).id
    option = build.option(evaluation.option)
    near = {m.id for m in _around(build, on).mounts}
    kept = tuple(s for s in option.stacks if s.mount != mount_id and s.mount in near)
    piece = (StackPiece("trial", "trial", total_mm, 1),) if total_mm > 0 else ()
    trial = replace(option, stacks=(*kept, MountStack(mount_id, piece)) if piece else kept)
    # The agreed option is locked for people; here nothing is saved.
    tried = with_option(replace(_around(build, on), agreed=None), trial)
    after = evaluate(placed_at(tried, option.id, root, rest.pose), option.id)
    before = {c.code: c for c in evaluation.checks}
    told = [c for c in after.checks if KINDS[c.family].settles and c.value is not None and _changed(c, before.get(c.code))]
    return Effect(rest.pose, tuple((c, before.get(c.code)) for c in told), rest.worst_mm)


def with_stack_settled(build: Build, option_id: str, mount_id: str, pieces: tuple[StackPiece, ...]) -> Build:
    """The build with a stack in a mount's gap and the part where it then comes to rest. Raises InputError where it cannot settle."""
    effect = effect_of(build, evaluate(build, option_id), mount_id, sum(p.mm * p.count for p in pieces))
    if effect is None:
        raise InputError("stack", "the part cannot settle on it; its mounts are not measured well enough, or it would go too far")
    root = root_of(build, build.point(build.mount(mount_id).component_point).on)
    return placed_at(with_stack(build, option_id, mount_id, pieces), option_id, root.id, effect.pose)


def _around(build: Build, component_id: str) -> Build:
    """The build with only those mounts, lines and rooms that an assembly's moving can change."""
    on = {c.id for c in assembly_of(build, component_id)}
    points = {p.id for p in build.points if p.on in on}
    mounts = tuple(m for m in build.mounts if points & {m.component_point, m.seat_point})
    kept = {m.id for m in mounts}
    return replace(
        build,
        mounts=mounts,
        drivelines=tuple(d for d in build.drivelines if any(j.point in points for j in d.joints)),
        rooms=tuple(r for r in build.rooms if r.a.on in on or r.b.on in on),
        options=tuple(replace(o, stacks=tuple(s for s in o.stacks if s.mount in kept)) for o in build.options),
        matches=(),
        chains=(),
        spans=(),
        pairs=(),
        bays=(),
    )


def _changed(now: Check, before: Check | None) -> bool:
    if before is None or before.value is None or now.value is None:
        return True
    return abs(now.value - before.value) > 0.05 or now.verdict != before.verdict


SURE_TO_CUT_MM = 0.5
"""A gap known no better than this is measured again before a piece is cut to it."""


@record
class ToMake:
    """One piece that the shelf does not hold: for which mount, how thick, and how it is bored."""

    mount: str
    mount_name: str
    mm: float
    sd_mm: float
    bore_mm: float
    bolt_mm: float
    taper_deg: float

    @property
    def unsure(self) -> bool:
        """Whether its gap is to be measured again before anything is cut to it."""
        return self.sd_mm > SURE_TO_CUT_MM


def to_make(build: Build, evaluation: Evaluation, shelf: tuple[StockItem, ...]) -> tuple[ToMake, ...]:
    """Spacers to buy or cut: for every open gap that no stack of the shelf reaches."""
    found = []
    for state in evaluation.of(MountState):
        left = state.left_over_mm
        if left <= state.mount.tolerance_mm or state.geometry.gap_mm < 0:
            continue
        stacks = leaning_stacks(build, evaluation, state.mount.id, shelf, "fewest")
        if any(s.within for s in stacks):
            continue
        taper = state.geometry.tilt_deg if state.geometry.tilt_deg > build.limits.mount_tilt_deg else 0.0
        bore = state.mount.bolt_mm + (0.5 if state.mount.bolt_mm < 10 else 1.0)
        found.append(ToMake(state.mount.id, state.mount.name, state.geometry.gap_mm, state.gap_sd_mm, bore, state.mount.bolt_mm, taper))
    return tuple(found)


@record
class Taper:
    """A tapered piece for a tilt: its thick and thin edge over a width, mm."""

    thick_mm: float
    thin_mm: float
    over_mm: float


def taper_for(gap_mm: float, tilt_deg: float, over_mm: float) -> Taper:
    """Edges of a piece that fills a gap and makes up a tilt: half the rise more on one edge, half less on the other."""
    rise = over_mm * math.tan(math.radians(tilt_deg))
    return Taper(gap_mm + rise / 2, gap_mm - rise / 2, over_mm)


MOST_IN_A_STACK = 6
"""More pieces than this in one stack settle and work loose."""


@record
class ShelfStack:
    """One stack for a mount: the pieces by name, and what would be left over."""

    pieces: tuple[StackPiece, ...]
    option: StackOption
    within: bool


def stacks_for(build: Build, evaluation: Evaluation, mount_id: str, shelf: tuple[StockItem, ...]) -> tuple[ShelfStack, ...]:
    """The best stacks from the shelf for a mount's gap as it stands in an evaluated option; none where the two sides interfere."""
    state = next((m for m in evaluation.of(MountState) if m.mount.id == mount_id), None)
    if state is None or state.geometry.gap_mm < 0:
        return ()
    fitting = left_for(build, evaluation.option, mount_id, shelf)
    names = {i.id: i for i in fitting}
    stock = tuple(StockKind(i.id, i.mm, i.qty) for i in fitting)
    tolerance = state.mount.tolerance_mm
    gap = max(state.geometry.gap_mm - fixed_in_gap_mm(build, state.mount), 0.0)
    options = best_stacks(gap, tolerance, stock, MOST_IN_A_STACK)
    return tuple(
        ShelfStack(tuple(StackPiece(p.id, names[p.id].name, names[p.id].mm, p.count) for p in o.pieces), o, abs(o.error_mm) <= tolerance)
        for o in options
    )
