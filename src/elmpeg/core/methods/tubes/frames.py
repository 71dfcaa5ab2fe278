"""Structures of tube: where members meet, who is cut to whom, and how each end is cut.

A member whose end lies on another's centre line, or no further beside it than the other
is wide, meets it. Where two of the same size end together and no third runs through,
both are mitred; else the thicker one runs through, of equal ones the one that goes on
beyond the meeting, then the longer; a member can be told to run through.
"""

from __future__ import annotations

import math
from dataclasses import replace
from functools import lru_cache
from itertools import combinations

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, cross, dot, norm, scale, sub, unit
from elmpeg.core.methods.tubes.tube_ends import LEAST_DEG, FurtherCut, Half, TubeEnd

UP: Vec3 = (0.0, 0.0, 1.0)
STRAIGHT_ON_DEG = 5.0
"""Two members that go on in one line within this are butted square."""
SAME_PLACE_MM = 1.0
SQUARE_DEG = 1e-6


@record
class FrameMember:
    """A member by the two ends of its centre line."""

    id: str
    start_mm: Vec3
    end_mm: Vec3
    across_mm: float
    section: str = "round"
    runs: bool = False
    """Told to run through, so that others are cut to it."""

    @property
    def along(self) -> Vec3:
        """From start to end, of length 1."""
        return unit(sub(self.end_mm, self.start_mm))

    @property
    def long_mm(self) -> float:
        """Its centre line from end to end."""
        return norm(sub(self.end_mm, self.start_mm))


@record
class MemberEnd:
    """How one end of a member is cut: to which member, and round which others besides; where the two axes come nearest.

    ``also`` are met ones that it is not cut to though they run through: fitted by hand.
    """

    cut: TubeEnd
    onto: str
    also: tuple[str, ...]
    meets_mm: Vec3
    round_too: tuple[str, ...] = ()


@record
class CutMember:
    """A member with both its ends; its legs are measured between ``meets_mm`` of both."""

    id: str
    start: MemberEnd
    end: MemberEnd
    centres_mm: float
    seam: Vec3
    """Where its seam line lies: uppermost, or to the rear on an upright one."""


def seam_of(along: Vec3) -> Vec3:
    """The direction, square to a member, in which its seam line is drawn: up, on an upright one rearward."""
    up = sub(UP, scale(along, dot(UP, along)))
    return unit(up) if norm(up) > 1e-3 else unit(sub((1.0, 0.0, 0.0), scale(along, along[0])))


@lru_cache(64)
def cut_members(members: tuple[FrameMember, ...], gap_mm: float = 0.0) -> tuple[CutMember, ...]:
    """Every member with both ends cut. Raises InputError for members without a length, or that lie along each other."""
    for m in members:
        if norm(sub(m.end_mm, m.start_mm)) < 1e-6:
            raise InputError("members", f"has {m.id} with both ends in one place")
    for a, b in combinations(members, 2):
        if _lies_along(a, b):
            raise InputError("members", f"has {a.id} and {b.id} lying along each other")
    return tuple(_cut(m, members, gap_mm) for m in members)


def _lies_along(a: FrameMember, b: FrameMember) -> bool:
    if abs(dot(a.along, b.along)) < math.cos(math.radians(1.0)):
        return False
    low, high = sorted(dot(sub(p, a.start_mm), a.along) for p in (b.start_mm, b.end_mm))
    beside = norm(sub(sub(b.start_mm, a.start_mm), scale(a.along, dot(sub(b.start_mm, a.start_mm), a.along))))
    return beside < (a.across_mm + b.across_mm) / 2 - 1e-6 and min(high, a.long_mm) - max(low, 0.0) > max(a.across_mm, b.across_mm)


def _cut(member: FrameMember, members: tuple[FrameMember, ...], gap_mm: float) -> CutMember:
    seam = seam_of(member.along)
    ends = [
        _end(member, at, into, members, seam, gap_mm)
        for at, into in ((member.start_mm, member.along), (member.end_mm, scale(member.along, -1.0)))
    ]
    centres = norm(sub(ends[1].meets_mm, ends[0].meets_mm))
    return CutMember(member.id, ends[0], ends[1], centres, seam)


def _end(member: FrameMember, at: Vec3, into: Vec3, members: tuple[FrameMember, ...], seam: Vec3, gap_mm: float) -> MemberEnd:
    met = [o for o in members if o.id != member.id and _distance(at, o) <= max(o.across_mm / 2, SAME_PLACE_MM) + 1e-6]
    if not met or (member.runs and all(not o.runs and not _goes_on(o, at) for o in met)):
        return MemberEnd(TubeEnd(), "", tuple(o.id for o in met), at)
    straight = [o for o in met if _angle_deg(member, o) < STRAIGHT_ON_DEG]
    crossing = [o for o in met if o not in straight]
    if not crossing:
        return MemberEnd(TubeEnd(gap_mm=gap_mm / 2), straight[0].id, tuple(o.id for o in straight[1:]), at)
    # Of several the one that itself runs through is cut to, and then round those that run through beside it.
    first = max(crossing, key=lambda o: _rank(o, at))
    also = tuple(o.id for o in met if o.id != first.id)
    if _mitred(member, first, at, len(met)):
        return _mitre(first, at, into, seam, member.along, gap_mm, also)
    if _rank(member, at) > _rank(first, at) or (straight and _rank(member, at)[:2] >= _rank(first, at)[:2]):
        return MemberEnd(
            TubeEnd(gap_mm=gap_mm / 2) if straight else TubeEnd(), straight[0].id if straight else "", tuple(o.id for o in crossing), at
        )
    cut = _coped(member, first, at, into, seam, gap_mm, ())
    over = [o for o in crossing if o is not first and _rank(o, at) > _rank(member, at)]
    return _with_further(cut, member, tuple(over), at, into, seam)


def _with_further(cut: MemberEnd, member: FrameMember, others: tuple[FrameMember, ...], at: Vec3, into: Vec3, seam: Vec3) -> MemberEnd:
    """The same end cut round others besides; those it cannot be cut round are told."""
    further, left = [], []
    for other in others:
        if cut.cut.cut == "square" or member.section != "round" or other.section != "round" or _angle_deg(member, other) < LEAST_DEG:
            left.append(other.id)
            continue
        told = _coped(member, other, at, into, seam, 0.0, ())
        there = sub(other.end_mm, other.start_mm)
        there = there if norm(sub(other.start_mm, at)) <= norm(sub(other.end_mm, at)) else scale(there, -1.0)
        half: Half = "" if _goes_on(other, at) else "acute" if dot(there, into) > 0 else "obtuse"
        shift = dot(sub(told.meets_mm, cut.meets_mm), into)
        further.append(FurtherCut(told.cut.angle_deg, other.across_mm, told.cut.offset_mm, told.cut.turn_deg, shift, half))
    done = tuple(o.id for o in others if o.id not in left)
    return replace(cut, cut=replace(cut.cut, also=tuple(further)), also=tuple(left), round_too=done)


def _distance(p: Vec3, member: FrameMember) -> float:
    along = min(max(dot(sub(p, member.start_mm), member.along), 0.0), member.long_mm)
    return norm(sub(p, add(member.start_mm, scale(member.along, along))))


def _angle_deg(a: FrameMember, b: FrameMember) -> float:
    return math.degrees(math.acos(min(1.0, abs(dot(a.along, b.along)))))


def _goes_on(member: FrameMember, at: Vec3) -> bool:
    """Whether a member goes on beyond a place on both sides."""
    along = dot(sub(at, member.start_mm), member.along)
    reach = max(member.across_mm / 2, SAME_PLACE_MM)
    return reach < along < member.long_mm - reach


def _rank(member: FrameMember, at: Vec3) -> tuple[bool, bool, float, float, str]:
    """Who runs through: told to, going on, thicker, longer; of two that are alike in all the first by name."""
    return (member.runs, _goes_on(member, at), round(member.across_mm, 6), round(member.long_mm, 6), member.id)


def _mitred(a: FrameMember, b: FrameMember, at: Vec3, met: int) -> bool:
    alike = abs(a.across_mm - b.across_mm) < 1e-6 and a.section == b.section
    return alike and met == 1 and not a.runs and not b.runs and not _goes_on(a, at) and not _goes_on(b, at)


def _mitre(other: FrameMember, at: Vec3, into: Vec3, seam: Vec3, along: Vec3, gap_mm: float, also: tuple[str, ...]) -> MemberEnd:
    """Both cut to the plane that halves the angle; the long side looks away from the other member."""
    there = other.along if norm(sub(other.start_mm, at)) < norm(sub(other.end_mm, at)) else scale(other.along, -1.0)
    angle = math.degrees(math.acos(max(-1.0, min(1.0, dot(into, there)))))
    long_side = scale(sub(there, scale(into, dot(there, into))), -1.0)
    turn = _turn_deg(unit(long_side), seam, along)
    return MemberEnd(TubeEnd("mitre", angle, turn_deg=turn, gap_mm=gap_mm / 2), other.id, also, at)


def _coped(member: FrameMember, header: FrameMember, at: Vec3, into: Vec3, seam: Vec3, gap_mm: float, also: tuple[str, ...]) -> MemberEnd:
    lean = header.along if dot(header.along, into) <= 0 else scale(header.along, -1.0)
    angle = math.degrees(math.acos(min(1.0, abs(dot(lean, into)))))
    if angle < LEAST_DEG:
        raise InputError("members", f"has {member.id} meeting {header.id} at {angle:.0f}°; below {LEAST_DEG:g}° nothing can be cut to fit")
    obtuse = unit(sub(lean, scale(into, dot(lean, into))))
    # Where the two axes come nearest, on the member's own.
    n = unit(cross(member.along, header.along))
    off = sub(header.start_mm, member.start_mm)
    across = cross(header.along, n)
    meets = add(member.start_mm, scale(member.along, dot(off, across) / dot(member.along, across)))
    side = cross(member.along, obtuse)
    beside = dot(sub(meets, header.start_mm), side)
    turn = 0.0 if angle > 90.0 - SQUARE_DEG and header.section != "round" else _turn_deg(obtuse, seam, member.along)
    if header.section == "round" and _beside_mm(member, turn) + abs(beside) <= header.across_mm / 2:
        return MemberEnd(TubeEnd("cope", angle, header.across_mm, beside, turn, gap_mm), header.id, also, meets)
    return MemberEnd(TubeEnd("flat", angle, header.across_mm, 0.0, turn, gap_mm), header.id, also, meets)


def _beside_mm(member: FrameMember, turn_deg: float) -> float:
    """How far a member reaches to the side of what it meets."""
    if member.section == "round":
        return 0.0
    a = math.radians(turn_deg)
    return member.across_mm / 2 * (abs(math.cos(a)) + abs(math.sin(a)))


def _turn_deg(way: Vec3, seam: Vec3, along: Vec3) -> float:
    """How far round from the seam line a direction lies, turning about the member from its start to its end."""
    return math.degrees(math.atan2(dot(way, cross(along, seam)), dot(way, seam))) % 360.0


def place_on(cut: CutMember, member: FrameMember, radius_mm: float, turn_deg: float, along_mm: float) -> Vec3:
    """A place on a member's wall in space: so far along from where it meets at its start, so far round from its seam line."""
    a = math.radians(turn_deg)
    out = add(scale(cut.seam, math.cos(a)), scale(cross(member.along, cut.seam), math.sin(a)))
    return add(add(cut.start.meets_mm, scale(member.along, along_mm)), scale(out, radius_mm))
