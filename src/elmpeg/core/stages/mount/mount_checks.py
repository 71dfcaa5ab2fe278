"""Mounts: whether the gap is filled, the bolt goes through, and the faces are parallel."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from elmpeg.core.base.quantities import Quantity, Words, counted_on, deg, joined, mm, words
from elmpeg.core.base.record import changed, record
from elmpeg.core.base.vectors import Vec3, scale, unit
from elmpeg.core.base.verdicts import AT_LIMIT, Verdict, worst
from elmpeg.core.build.document import Build
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import stack_of
from elmpeg.core.judging.checks import STACKS, Change, Check, Input, Remedy, about
from elmpeg.core.judging.doubt import Doubt, Figures, caveat, doubt_of
from elmpeg.core.judging.judge import limit_to_be_sure, told_near, with_verdict
from elmpeg.core.judging.scatter import Normal
from elmpeg.core.methods.fastening.mount_geometry import MountGeometry, mount_geometry
from elmpeg.core.scene.scene import Scene
from elmpeg.core.stages.mount.patterns import drilled_to_mm
from elmpeg.core.stages.place.shift_remedy import shift_remedy, turn_remedy, ways_said

NOTHING_MM = 0.05
"""A gap smaller than this is told as none."""
WIDEST_HOLE = 2.0
"""A hole opened further than this, in bolt diameters, leaves no washer anything to stand on."""


@record
class MountState:
    """One mount as it stands in an option, for the drawing and the Mounts page."""

    mount: Mount
    geometry: MountGeometry
    seat_mm: Vec3
    seat_axis: Vec3
    filled_mm: float
    left_over_mm: float
    gap_sd_mm: float
    verdict: Verdict


@record
class MountChecks:
    """A mount's state and the doubt of its gap, offset and tilt, or None where something it needs is missing; and its checks."""

    state: MountState | None
    checks: tuple[Check, ...]
    doubt: Doubt | None = None


def fixed_in_gap_mm(build: Build, mount: Mount) -> float:
    """What stands in a mount's gap whatever stack is chosen: its bush under load, its adapter plate."""
    plate = next((p.thick_mm for p in build.pieces if p.id == mount.plate), 0.0)
    return plate + (mount.bush.loaded_mm if mount.bush else 0.0)


def geometry_of(scene: Scene, mount: Mount) -> MountGeometry:
    """The mount's geometry in a scene; its points must have axes and holes."""
    return _geometry_near(scene, mount)(scene)


def _geometry_near(scene: Scene, mount: Mount) -> Callable[[Scene], MountGeometry]:
    """What gives the mount's geometry in a scene and in its twins, of which each moves a point or two."""
    part, seat = scene.declared(mount.component_point), scene.declared(mount.seat_point)
    part_hole, seat_hole = part.hole_mm, seat.hole_mm
    if part.axis is None or seat.axis is None or part_hole is None or seat_hole is None:
        raise ValueError("a mount's points need axes and holes")

    def at(where: Scene, point_id: str) -> tuple[Vec3, Vec3]:
        axis = where.axis(point_id)
        assert axis is not None
        return where.xyz(point_id), axis

    usual = {p: at(scene, p) for p in (part.id, seat.id)}

    def measured(twin: Scene) -> MountGeometry:
        (foot, part_axis), (hole, seat_axis) = (usual[p] if twin.same_point(scene, p) else at(twin, p) for p in (part.id, seat.id))
        return mount_geometry(foot, part_axis, part_hole, hole, seat_axis, seat_hole, mount.bolt_mm)

    return measured


def _figures(g: MountGeometry) -> Figures:
    """Gap, offset and tilt, the last two as the vectors whose sizes they are."""
    return (g.gap_mm, g.offset_vector_mm, g.tilt_vector_deg)


def mount_checks(scene: Scene, mount: Mount) -> MountChecks:
    """Gap, offset and tilt checks of one mount."""
    missing = not_measured(scene, mount)
    if missing:
        return MountChecks(None, (_unknown(mount, missing),))
    measured = _geometry_near(scene, mount)
    geometry = measured(scene)
    doubt = doubt_of(scene, (mount.component_point, mount.seat_point), lambda twin: _figures(measured(twin)), _figures(geometry))
    stack = stack_of(scene.option, mount.id)
    filled = (stack.total_mm if stack else 0.0) + fixed_in_gap_mm(scene.build, mount)
    checks = (
        _gap(scene, mount, geometry, filled, stack.total_mm if stack else 0.0, doubt),
        _offset(scene, mount, geometry, doubt),
        _tilt(scene, mount, geometry, doubt),
    )
    seat_axis = scene.axis(mount.seat_point)
    assert seat_axis is not None
    state = MountState(
        mount,
        geometry,
        scene.xyz(mount.seat_point),
        unit(seat_axis),
        filled,
        geometry.gap_mm - filled,
        doubt.sds[0],
        worst(tuple(c.verdict for c in checks)),
    )
    return MountChecks(state, checks, doubt)


def not_measured(scene: Scene, mount: Mount) -> list[str]:
    """What of a mount's two points is not known yet, in words."""
    missing = []
    for point_id in (mount.component_point, mount.seat_point):
        point = scene.declared(point_id)
        if point.axis is None:
            missing.append(f"the axis of {point.name}")
        if point.hole_mm is None:
            missing.append(f"the hole size of {point.name}")
    return missing


def _unknown(mount: Mount, missing: list[str]) -> Check:
    return Check(
        code=f"mount.{mount.id}.gap",
        family="gap",
        name=f"{mount.name}: gap",
        unit="mm",
        verdict="unknown",
        why=words(f"Needs {' and '.join(missing)}."),
        about=about(points=(mount.component_point, mount.seat_point), mounts=mount.id),
    )


def _check(
    scene: Scene,
    mount: Mount,
    kind: str,
    why: Words,
    value: float,
    low: float | None,
    high: float,
    doubt: Doubt,
    k: int,
    remedies: tuple[Remedy, ...],
    inputs: tuple[Input, ...],
    formula: str,
    ending: tuple[Remedy, ...] = (),
) -> Check:
    """A check with its doubt; ``ending`` are remedies that move its limits instead of its figure."""
    soft = caveat(doubt.shares[k])
    made = Check(
        code=f"mount.{mount.id}.{kind}",
        family=kind,
        name=f"{mount.name}: {kind}",
        unit="deg" if kind == "tilt" else "mm",
        verdict="holds",
        why=Words(why.template + soft, why.quantities),
        value=value,
        low=low,
        high=high,
        rests_on=doubt.shares[k],
        inputs=inputs,
        formula=formula,
        about=about(points=(mount.component_point, mount.seat_point), mounts=mount.id),
    )
    # What is left over of a gap scatters as the gap does: what fills it was chosen.
    scatter = Normal(value, doubt.sds[0]) if kind == "gap" else doubt.scatters[k]
    sure = scene.build.limits.sure
    return changed(with_verdict(made, scatter, sure), remedies=(*told_near(remedies, made, scatter, sure), *ending))


def _gap(scene: Scene, mount: Mount, g: MountGeometry, filled: float, stacked: float, doubt: Doubt) -> Check:
    left, tolerance = g.gap_mm - filled, mount.tolerance_mm
    remedies: tuple[Remedy, ...] = ()
    if left > tolerance + AT_LIMIT:
        why = words("{0} is left open between foot and seat; it should be filled to within {1}.", mm(left), mm(tolerance))
        told = _or_moved(scene, mount, -left, words("Fill {0} more from the shelf", mm(left)))
        remedies = (Remedy(told, changes=(Change(STACKS, mount.id, "", stacked + left),)),)
    elif left < -tolerance - AT_LIMIT and filled:
        why = words("What fills the gap is {0} too thick for it.", mm(-left))
        remedies = (_thinner(scene, mount, -left, stacked),)
    elif left < -tolerance - AT_LIMIT:
        why = words("Foot and seat interfere by {0}.", mm(-left))
        remedies = (_raised(scene, mount, -left, " there, or cut the seat back."),)
    elif filled:
        why = words("Filled: {0} of stack in a gap of {1}.", mm(filled), mm(g.gap_mm))
    elif abs(left) > NOTHING_MM:
        state = "{0} is open between foot and seat" if left > 0 else "Foot and seat overlap by {0}"
        why = words(f"{state}, within the {{1}} that is allowed.", mm(abs(left)), mm(tolerance))
    else:
        why = words("The foot sits on its seat; nothing is needed between.")
    inputs = (Input("gap along the seat's axis", mm(g.gap_mm, doubt.sds[0])), Input("stack", mm(filled)), Input("left over", mm(left)))
    return _check(
        scene,
        mount,
        "gap",
        why,
        left,
        -tolerance,
        tolerance,
        doubt,
        0,
        remedies,
        inputs,
        "left over = (component point − seat point) · seat axis − stack",
    )


def _thinner(scene: Scene, mount: Mount, over: float, stacked: float) -> Remedy:
    """What to take out of a gap that is filled too thick; no more than there is to take."""
    if stacked >= over:
        out = Change(STACKS, mount.id, "", stacked - over)
        return Remedy(_or_moved(scene, mount, over, words("Take {0} out of the stack", mm(over))), changes=(out,))
    if stacked > 0:
        moved = _raised(scene, mount, over - stacked, " there.")
        told = joined(words("Take the whole stack of {0} out.", mm(stacked)), moved.words)
        return replace(moved, words=told, changes=(Change(STACKS, mount.id, "", 0.0),))
    return _raised(scene, mount, over, " there, or take a plate or bush thinner by that.")


def _raised(scene: Scene, mount: Mount, by_mm: float, more: str) -> Remedy:
    """A part moved away from its seat along the seat's axis, without turning, and what is said besides; advice where it stands on
    the vehicle itself. Which way that is the axis tells: up from a seat below it, down from one that it hangs from."""
    moved = shift_remedy(scene, scene.declared(mount.component_point).on, _along_seat(scene, mount, by_mm))
    return replace(moved, words=Words(moved.words.template.removesuffix(".") + more, moved.words.quantities))


def _along_seat(scene: Scene, mount: Mount, by_mm: float) -> Vec3:
    axis = scene.axis(mount.seat_point)
    assert axis is not None
    return scale(unit(axis), by_mm)


def _or_moved(scene: Scene, mount: Mount, by_mm: float, first: Words) -> Words:
    """What fills or empties a gap, or by how much and which way the part is moved along the seat's axis instead."""
    way, figures = ways_said(_along_seat(scene, mount, by_mm))
    return Words(f"{first.template}, or move the part {counted_on(way, first)} there.", (*first.quantities, *figures))


def _offset(scene: Scene, mount: Mount, g: MountGeometry, doubt: Doubt) -> Check:
    remedies: tuple[Remedy, ...] = ()
    opened: tuple[Remedy, ...] = ()
    high = g.float_mm if g.tighter_mm >= 0 else min(g.float_mm, g.tighter_mm / 2)
    if g.lines_up:
        why = words("As measured the bolt goes through: the holes are {0} apart sideways and allow {1}.", mm(g.offset_mm), mm(g.float_mm))
    elif g.tighter_mm < 0:
        why = words("The bolt does not go through: the smaller hole is {0} smaller than it.", mm(-g.tighter_mm))
        opened = (_drilled(scene, mount, g, doubt),)
    else:
        why = words("The bolt does not go through: the holes are {0} apart sideways and allow {1}.", mm(g.offset_mm), mm(g.float_mm))
        moved = shift_remedy(scene, scene.declared(mount.component_point).on, scale(g.offset_vector_mm, -1.0))
        hole_mm = _hole_to_open_to_mm(scene, mount, g, doubt)
        if hole_mm > WIDEST_HOLE * mount.bolt_mm:
            way, figures = ways_said(g.offset_vector_mm)
            remedies = (
                moved,
                Remedy(words(f"Or make the hole in the seat anew, {way} of where it is; opening it does not help.", *figures)),
            )
        else:
            remedies, opened = (moved,), (_opened(mount.seat_point, hole_mm, "Or open"),)
    inputs = (
        Input("offset square to the seat's axis", mm(g.offset_mm, doubt.sds[1], doubt.scatters[1].at_most)),
        Input("float of bolt in both holes", mm(g.float_mm)),
    )
    return _check(
        scene,
        mount,
        "offset",
        why,
        g.offset_mm,
        None,
        high,
        doubt,
        1,
        remedies,
        inputs,
        "offset = what is left of (component point − seat point) beside the gap; float = half of each hole's play",
        opened,
    )


def _hole_to_open_to_mm(scene: Scene, mount: Mount, g: MountGeometry, doubt: Doubt) -> float:
    """How far to open the seat's hole for the bolt to go through for sure."""
    needed = limit_to_be_sure(doubt.scatters[1], scene.build.limits.sure)
    return (scene.declared(mount.seat_point).hole_mm or 0.0) + 2 * (needed - g.float_mm)


def _drilled(scene: Scene, mount: Mount, g: MountGeometry, doubt: Doubt) -> Remedy:
    """How far to drill holes that are smaller than their bolt, so that it also goes through them where they are; with the part moved
    first where no hole could be so large."""
    sure, bolt = scene.build.limits.sure, mount.bolt_mm
    holes = {"part's": scene.declared(mount.component_point).hole_mm or 0.0, "seat's": scene.declared(mount.seat_point).hole_mm or 0.0}
    smaller = min(holes, key=lambda h: holes[h])

    def drilled_to(needed_mm: float) -> dict[str, float]:
        to = {whose: max(now, bolt) for whose, now in holes.items()}
        to[smaller] += 2 * max(needed_mm - (sum(to.values()) / 2 - bolt), 0.0)
        return {whose: mm for whose, mm in to.items() if mm > holes[whose]}

    scatter = doubt.scatters[1]
    to = drilled_to(limit_to_be_sure(scatter, sure))
    moved = None
    if max(to.values()) > WIDEST_HOLE * bolt:
        moved = shift_remedy(scene, scene.declared(mount.component_point).on, scale(g.offset_vector_mm, -1.0))
        needed, step = 0.0, max(scatter.sd, AT_LIMIT) / 8
        while scatter.best(None, needed) < sure:
            needed += step
        to = drilled_to(needed)
    ends = {"part's": mount.component_point, "seat's": mount.seat_point}
    each: list[str] = []
    figures: list[Quantity] = []
    opened: list[tuple[str, float]] = []
    for whose, hole_mm in to.items():
        told, some, made = drilled_to_mm(hole_mm, len(figures))
        each.append(f"the {whose} hole to {told}")
        figures += some
        opened.append((ends[whose], made))
    said = words(f"Drill {' and '.join(each)}, or take a thinner bolt.", *figures)
    changes = tuple(Change("points", point, "hole_mm", made) for point, made in opened)
    return Remedy(said, changes=changes) if moved is None else replace(moved, words=joined(moved.words, said), changes=changes)


def _opened(point_id: str, hole_mm: float, verb: str = "Open") -> Remedy:
    told, figures, made_mm = drilled_to_mm(hole_mm)
    return Remedy(words(f"{verb} the seat's hole to {told}.", *figures), changes=(Change("points", point_id, "hole_mm", made_mm),))


def _tilt(scene: Scene, mount: Mount, g: MountGeometry, doubt: Doubt) -> Check:
    limit = scene.build.limits.mount_tilt_deg
    remedies: tuple[Remedy, ...] = ()
    if g.tilt_deg > limit + AT_LIMIT:
        why = words("The faces are {0} out of parallel; above {1} a flat stack bears on one edge.", deg(g.tilt_deg), deg(limit))
        foot, axis, onto = (scene.xyz(mount.component_point), scene.axis(mount.component_point), scene.axis(mount.seat_point))
        assert axis is not None
        assert onto is not None
        turned = words("Or turn the part {0} there, until its face lies on the seat's.", deg(g.tilt_deg))
        on = scene.declared(mount.component_point).on
        remedies = (
            Remedy(words("Use a tapered piece of {0}.", deg(g.tilt_deg))),
            turn_remedy(scene, on, foot, axis, onto, turned),
        )
    else:
        why = words("The faces are {0} out of parallel, within {1}.", deg(g.tilt_deg), deg(limit))
    inputs = (Input("angle between the two axes", deg(g.tilt_deg, doubt.sds[2], doubt.scatters[2].at_most)),)
    return _check(scene, mount, "tilt", why, g.tilt_deg, None, limit, doubt, 2, remedies, inputs, "tilt = acute angle between the axes")
