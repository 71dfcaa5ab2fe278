"""What holds each mount: bolt length and thread, edges, heads and washers, room for tools, sleeves, bushes, hangers."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.quantities import Words, bought_mm, mm, plain, words
from elmpeg.core.base.quantities import least_mm as no_less_mm
from elmpeg.core.base.quantities import most_mm as no_more_mm
from elmpeg.core.base.vectors import scale
from elmpeg.core.base.verdicts import AT_LIMIT, verdict_within
from elmpeg.core.build.hardware import Fastener
from elmpeg.core.build.mounts import Mount
from elmpeg.core.build.options import stack_of
from elmpeg.core.judging.checks import Check, Input, Remedy
from elmpeg.core.judging.doubt import Doubt
from elmpeg.core.judging.judge import exactly, room_to_be_sure, told_near, with_verdict
from elmpeg.core.judging.kinds import GIVEN
from elmpeg.core.judging.scatter import Size, Twins, even_spreads
from elmpeg.core.methods.fastening.bolt_length import BoltChoice, bolt_choice, stock_lengths_mm
from elmpeg.core.methods.fastening.fasteners import (
    thread,
)
from elmpeg.core.scene.scene import Scene, assembly_of
from elmpeg.core.stages.mount.bolt_section import Section
from elmpeg.core.stages.mount.hardware_check import hardware_check, sets
from elmpeg.core.stages.mount.head_room_checks import edge_checks, head_checks
from elmpeg.core.stages.mount.mount_checks import MountState, fixed_in_gap_mm, not_measured
from elmpeg.core.stages.mount.mount_section import section_of, unsaid
from elmpeg.core.stages.place.shift_remedy import shift_remedy

SLEEVE_SLACK_MM = 0.5
LATE_STAGES = ("Fit", "Hand over")
GRIPPED_MM = 1e-6
GAPS = 12
"""Gaps that a bolt is tried through, to see what the gap's doubt does to it."""


def hardware_checks(scene: Scene, mount: Mount) -> tuple[Check, ...]:
    """What one mount is made of, wherever its part is: heads, washers and tools, edges, care, sleeve and hanger; none for a mount of
    which nothing has been said, or that is not measured yet."""
    found: list[Check] = []
    if mount.fastener is not None and not not_measured(scene, mount):
        try:
            size = thread(mount.fastener.thread)
        except InputError:
            return ()
        plate = next((p for p in scene.build.pieces if p.id == mount.plate), None)
        found += head_checks(mount, mount.fastener, size, plate)
        found += edge_checks(mount, size)
        found += _care(scene, mount, mount.fastener)
    if mount.boxed is not None:
        found.append(_sleeve(mount))
    if mount.hanger is not None:
        found.append(_hanger(scene, mount))
    return tuple(found)


def bolt_checks(scene: Scene, mount: Mount, state: MountState | None, doubt: Doubt | None) -> tuple[Check, ...]:
    """What one mount's bolt and bush do where its part is; none for a mount of which nothing has been said."""
    found: list[Check] = []
    if state is None or doubt is None:
        return ()
    if mount.fastener is not None:
        try:
            joint = section_of(scene, mount, mount.fastener, state)
        except InputError as refused:
            return (hardware_check(mount, "bolt", "bolt", "bolt", "unknown", words(plain(f"{refused.message}."))),)
        if unsaid(mount):
            found.append(hardware_check(mount, "bolt", "bolt", "bolt", "unknown", _not_said(unsaid(mount))))
        else:
            choices = _choices(scene, mount, mount.fastener, joint, doubt)
            # What is told to take suits every gap that there may be.
            room = room_to_be_sure(doubt.sds[0], scene.build.limits.sure) if len(choices) > 1 else 0.0
            found += [_doubted(scene, choices, doubt, c) for c in _bolt(mount, mount.fastener, joint, room)]
    if mount.bush is not None:
        found += _bush(scene, mount, state, doubt)
    return tuple(found)


def _not_said(missing: tuple[str, ...]) -> Words:
    return words(f"Needs {', and '.join(missing)}; the bolt's length follows from that.")


def _choices(scene: Scene, mount: Mount, fastener: Fastener, joint: Section, doubt: Doubt) -> tuple[BoltChoice, ...]:
    """What the bolt does through every gap that its doubt allows; through the one there is alone where the gap cannot differ.

    What a stack fills was chosen piece by piece; where nothing fills the gap yet, the
    bolt goes through the gap itself, and is chosen to suit whatever that measures.
    """
    filled = (stack.total_mm if (stack := stack_of(scene.option, mount.id)) else 0.0) + fixed_in_gap_mm(scene.build, mount)
    gap_sd_mm = doubt.sds[0]
    if filled or not gap_sd_mm:
        return (joint.choice,)
    grips = (joint.choice.grip_mm + max(gap_sd_mm * spreads, -joint.open_mm) for spreads in even_spreads(GAPS))
    return tuple(bolt_choice(joint.thread, (max(grip, 0.0),), (), joint.end, None, fastener.length_mm) for grip in grips)


def _doubted(scene: Scene, choices: tuple[BoltChoice, ...], doubt: Doubt, check: Check) -> Check:
    """A check of the bolt with the doubt of what it goes through."""
    if check.value is None:
        return check
    if len(choices) == 1:
        return replace(check, exact=GIVEN, inside=float(check.verdict != "fails"))
    values = [c.protrusion_mm if c.protrusion_mm is not None else _asked(check, c) for c in choices]
    scatter = Twins(check.value, np.array([v for v in values if v is not None] or [check.value]))
    return replace(with_verdict(check, scatter, scene.build.limits.sure), rests_on=doubt.shares[0])


def _bolt(mount: Mount, fastener: Fastener, joint: Section, room_mm: float) -> list[Check]:
    choice, found = joint.choice, []
    least_mm = choice.min_length_mm + room_mm
    most_mm = choice.max_length_mm - room_mm if choice.max_length_mm is not None else None
    inputs: tuple[Input, ...] = (Input("grip", mm(choice.grip_mm)), Input("shortest that holds", mm(choice.min_length_mm)))
    if choice.max_length_mm is not None:
        inputs += (Input("longest the hole takes", mm(choice.max_length_mm)),)
    if choice.length_mm is None:
        why = words(plain(f"{choice.checks[0].why}."))
        return [
            hardware_check(
                mount, "bolt", "bolt", f"{joint.thread.name} bolt", "fails", why, remedy=_make_it_fit(choice.max_length_mm), inputs=inputs
            )
        ]
    if choice.protrusion_mm is not None:
        proud, least = choice.protrusion_mm, 2 * joint.thread.pitch_mm
        short = least - proud
        nut = {"locking nut": "the locking nut's ring", "weld nut": "the welded nut"}.get(fastener.end, "the nut")
        if short > GRIPPED_MM:
            why = words(
                f"{{0}} long, {{1}} stand beyond {nut}; {{2}} are needed, two threads, for it to grip.",
                bought_mm(choice.length_mm),
                mm(proud),
                mm(least),
            )
            sold = _sold_mm(joint, least_mm, None)
            longer = words(
                "Take a bolt of {0} or longer" + (": {1} is sold." if sold else "."),
                no_less_mm(least_mm),
                *([bought_mm(sold)] if sold else []),
            )
            remedy: Words | Remedy | None = sets(mount, longer, {"fastener.length_mm": sold or least_mm})
        else:
            why = words(f"{{0}} long, {{1}} stand beyond {nut}.", bought_mm(choice.length_mm), mm(proud))
            remedy = None
        verdict = verdict_within(proud + GRIPPED_MM, least, None, 0.0)
        found.append(
            hardware_check(
                mount, "proud", "bolt", "thread beyond the nut", verdict, why, proud, least, None, remedy, inputs, "length − grip − nut"
            )
        )
        return found
    held, wanted = choice.engagement_mm or 0.0, choice.min_length_mm - choice.grip_mm
    why = words(
        f"{{0}} of thread hold in {fastener.parent.replace('_', ' ')}, {choice.engagement_diameters or 0:.1f} diameters; {{1}} are needed.",
        mm(held),
        mm(wanted),
    )
    remedy = words("Take a longer bolt, tap deeper, or take a smaller thread.") if held < wanted - GRIPPED_MM else None
    verdict = verdict_within(held + GRIPPED_MM, wanted, None, 0.0)
    found.append(hardware_check(mount, "engagement", "bolt", "thread in the tapped hole", verdict, why, held, wanted, None, remedy, inputs))
    if choice.max_length_mm is not None and most_mm is not None:
        over = choice.length_mm - choice.max_length_mm
        if over > GRIPPED_MM:
            why = words("The bolt of {0} bottoms in the blind hole before it clamps: {1} too long.", bought_mm(choice.length_mm), mm(over))
            sold = _sold_mm(joint, least_mm, most_mm)
            whole = math.ceil(least_mm - GRIPPED_MM)
            cut = float(whole) if whole <= most_mm + GRIPPED_MM else (least_mm + most_mm) / 2
            told = words(
                f"Take a bolt of {{0}} at most; {{1}} at least: {'{2} is sold' if sold else 'cut one to {2}'}.",
                no_more_mm(most_mm), no_less_mm(least_mm), bought_mm(sold or cut),
            )  # fmt: skip
            best: Remedy | None = sets(mount, told, {"fastener.length_mm": sold or cut})
            if most_mm < least_mm and fastener.thread_depth_mm is not None:
                told = words("Tap {0} deeper, then take {1}.", mm(least_mm - most_mm), mm(least_mm))
                deep = fastener.thread_depth_mm + least_mm - most_mm
                best = sets(mount, told, {"fastener.thread_depth_mm": deep, "fastener.length_mm": least_mm})
        else:
            why = words("The bolt of {0} ends {1} before the bottom thread.", bought_mm(choice.length_mm), mm(-over))
            best = None
        high = choice.max_length_mm
        verdict = verdict_within(choice.length_mm - GRIPPED_MM, None, high, 0.0)
        found.append(
            hardware_check(mount, "bottoms", "bolt", "bolt in the blind hole", verdict, why, choice.length_mm, None, high, best, inputs)
        )
    return found


def _sold_mm(joint: Section, least_mm: float, most_mm: float | None) -> float | None:
    """The shortest length that bolts are sold in between two; None where there is none."""
    lengths = stock_lengths_mm(joint.thread.series)
    return next((v for v in lengths if v >= least_mm - GRIPPED_MM and (most_mm is None or v <= most_mm + GRIPPED_MM)), None)


def _make_it_fit(max_mm: float | None) -> Words:
    return (
        words("Tap deeper, change the washers, or take a smaller thread.")
        if max_mm is not None
        else words("Use a stud or bar threaded at both ends.")
    )


# Heads, washers and tools


def _asked(check: Check, choice: BoltChoice) -> float | None:
    """What a check of a tapped hole asks of a choice; of one in a blind hole its length as it lies to this one's own limit."""
    if not check.code.endswith(".bottoms"):
        return choice.engagement_mm
    if choice.length_mm is None or choice.max_length_mm is None or check.high is None:
        return None
    return check.high + choice.length_mm - choice.max_length_mm


def _care(scene: Scene, mount: Mount, fastener: Fastener) -> list[Check]:
    found = []
    if fastener.mock_up:
        late = scene.build.stage in LATE_STAGES
        why = words("A mock-up bolt is still in" + (", and the build is at its final stage." if late else "; it is for trying only."))
        found.append(
            hardware_check(
                mount, "mockup", "hold", "mock-up bolt", "fails" if late else "near", why, remedy=words("Fit the bolt it is meant to have.")
            )
        )
    if fastener.single_use and not fastener.new_fitted:
        why = words("This bolt may be tightened once only, and no new one is noted.")
        found.append(
            hardware_check(
                mount,
                "once",
                "hold",
                "bolt to be used once",
                "near",
                why,
                remedy=words("Fit a new one, mark the old one and note it here."),
            )
        )
    if fastener.structural and not fastener.grade.strip():
        why = words("The joint is structural and its bolt's grade is not noted. This is a note, not a certificate of strength.")
        found.append(
            hardware_check(
                mount, "grade", "hold", "grade of the bolt", "unknown", why, remedy=words("Note the grade; have a qualified person agree.")
            )
        )
    fellows = _fellows(scene, mount)
    if not fellows:
        why = words("It is the only bolt that holds this part; one bolt lets it turn.")
        found.append(
            hardware_check(
                mount,
                "lone",
                "hold",
                "lone bolt",
                "near",
                why,
                remedy=words("Add a second bolt, a dowel, or a face that stops it from turning."),
            )
        )
    return found


def _fellows(scene: Scene, mount: Mount) -> list[Mount]:
    on = scene.declared(mount.component_point).on
    together = {c.id for c in assembly_of(scene.build, on)} if any(c.id == on for c in scene.build.components) else {on}
    return [m for m in scene.build.mounts if m.id != mount.id and scene.declared(m.component_point).on in together]


# Boxed rails, bushes, hangers


def _sleeve(mount: Mount) -> Check:
    boxed = mount.boxed
    assert boxed is not None
    inside = boxed.depth_mm - 2 * boxed.wall_mm
    if boxed.sleeve_mm is None:
        why = words("Nothing stands inside the boxed rail; tightening the bolt crushes it.")
        put = sets(mount, words("Put a sleeve of {0} in, square at both ends.", mm(inside)), {"boxed.sleeve_mm": inside})
        return hardware_check(mount, "sleeve", "hold", "sleeve in the rail", "fails", why, 0.0, inside - SLEEVE_SLACK_MM, None, put)
    off = boxed.sleeve_mm - inside
    word = "too short: the rail still gives" if off < 0 else "longer than the inside"
    why = words(
        f"The sleeve is {{0}} and the inside {{1}}{': ' + word if abs(off) > SLEEVE_SLACK_MM else ''}.", mm(boxed.sleeve_mm), mm(inside)
    )
    cut = sets(mount, words("Cut a sleeve of {0}.", mm(inside)), {"boxed.sleeve_mm": inside})
    remedy = cut if abs(off) > SLEEVE_SLACK_MM else None
    low, high = inside - SLEEVE_SLACK_MM, inside + SLEEVE_SLACK_MM
    verdict = verdict_within(boxed.sleeve_mm, low, high, 0.0)
    return hardware_check(mount, "sleeve", "hold", "sleeve in the rail", verdict, why, boxed.sleeve_mm, low, high, remedy)


def _bush(scene: Scene, mount: Mount, state: MountState, doubt: Doubt) -> list[Check]:
    bush = mount.bush
    assert bush is not None
    squash, shear = bush.free_mm - bush.loaded_mm, state.geometry.offset_mm
    squashed = words(
        "Under load it stands {0} high, {1} less than free; {2} is allowed.", mm(bush.loaded_mm), mm(squash), mm(bush.most_squash_mm)
    )
    sheared = words(
        "Foot and seat are {0} apart sideways, which the rubber takes in shear; {1} is allowed.", mm(shear), mm(bush.most_shear_mm)
    )
    harder = words("Take a harder or taller bush, or share the load.")
    scatter, sure = doubt.scatters[1], scene.build.limits.sure
    # Not to its limit, but as far inside as its doubt asks for.
    below = scatter.room_below(bush.most_shear_mm, sure) if isinstance(scatter, Size) else 0.0
    by_mm = shear - bush.most_shear_mm + below
    way = scale(state.geometry.offset_vector_mm, -by_mm / shear) if shear > 0 else state.geometry.offset_vector_mm
    told = words("Move the part or the seat {0} sideways.", mm(by_mm))
    moved = replace(shift_remedy(scene, scene.declared(mount.component_point).on, way), words=told)
    over = squash > bush.most_squash_mm
    slack = bush.most_shear_mm + AT_LIMIT
    squashing = hardware_check(
        mount, "squash", "hold", "bush squashed", "holds", squashed, squash, None, bush.most_squash_mm, harder if over else None
    )
    shearing = hardware_check(
        mount, "shear", "hold", "bush sheared", "holds", sheared, shear, None, bush.most_shear_mm, moved if shear > slack else None
    )
    shearing = replace(with_verdict(shearing, scatter, sure), rests_on=doubt.shares[1])
    return [exactly(squashing, GIVEN), replace(shearing, remedies=told_near(tuple(shearing.remedies), shearing, scatter, sure))]


def _hanger(scene: Scene, mount: Mount) -> Check:
    hanger = mount.hanger
    assert hanger is not None
    others = len(_fellows(scene, mount))
    rest = f"{others} other{'s' if others != 1 else ''} then carry it"
    if hanger.caught_by.strip():
        why = words(plain(f"If its nut is lost, {hanger.caught_by} catches it; {rest}."))
        return hardware_check(mount, "hanger", "hold", "lost nut", "holds", why)
    if hanger.by == "studs":
        why = words(f"It hangs on studs: with its nut lost it rests on them until it is moved sideways; {rest}.")
        return hardware_check(mount, "hanger", "hold", "lost nut", "holds" if others >= 2 else "near", why)
    why = words(f"It hangs on bolts: one lost nut lets the bolt fall and this corner drop; {rest}.")
    return hardware_check(
        mount, "hanger", "hold", "lost nut", "fails", why, remedy=words("Hang it on studs, or add a strap or split pin that catches it.")
    )
