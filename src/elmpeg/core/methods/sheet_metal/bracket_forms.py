"""Sheet brackets between two faces with holes: the forms that can join them, each as a flat with its bend lines.

All bends of such a bracket are parallel, so that it is a profile pulled along their
direction. The profile is walked from the first face's flange to the second's; the
face of the sheet on the left of the walk is its upper face. A fold to the left is
upwards, with the upper face inside. Positions along the bends are x of the flat, the
developed length is y, zero where the first flange's straight part ends.

A face's normal points from the surface that the sheet touches into the sheet.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import replace
from itertools import combinations, pairwise, product
from typing import Literal

from shapely.geometry import Point as Dot
from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry
from shapely.ops import unary_union

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, angle_deg, any_perpendicular, cross, dot, mean, scale, sub, unit
from elmpeg.core.methods.fastening.fasteners import EDGE_LIKED
from elmpeg.core.methods.shapes.outlines import Outline, with_arcs
from elmpeg.core.methods.sheet_metal.bends import LEAST_BY_THICKNESS_OF_HOLE
from elmpeg.core.methods.sheet_metal.folded_sheet import BendLine, Frame

Form = Literal["flat", "spacers", "angle", "stepped", "channel", "three"]
FORMS: tuple[Form, ...] = ("flat", "spacers", "angle", "stepped", "channel", "three")
PLATES: tuple[Form, ...] = ("flat", "spacers")
TWO_FOLDS: tuple[Form, ...] = ("stepped", "channel", "three")
PARALLEL_DEG = 1.0
SHIMS_MM = 2.0
"""Faces no further apart than this are one plane but for shims."""
LEAST_FOLD_DEG = 3.0
MOST_FOLD_DEG = 150.0
ROUND_STEPS = 16
MOST_WAYS = 8
"""In which the two folds of a form can run: along or across its holes, and on either side of each face."""
SETTLES = 80
FARTHEST_MM = 3000.0
LEVEL_MM = 1.0
"""Faces whose middles lie no further apart along a direction have none there that is towards the other."""
P2 = tuple[float, float]


@record
class TouchedHole:
    """A hole that the bracket must have: its centre where the sheet touches, its size, and the bolt that goes through."""

    id: str
    xyz_mm: Vec3
    hole_mm: float
    bolt_mm: float


@record
class TouchedFace:
    """A face that the bracket touches, and its holes."""

    name: str
    normal: Vec3
    holes: tuple[TouchedHole, ...]

    @property
    def middle(self) -> Vec3:
        """The middle of its holes."""
        return mean([h.xyz_mm for h in self.holes])


@record
class SheetRules:
    """What the sheet and the shop's brake allow. ``least_flange_mm`` is from where a bend's arc ends to the flange's edge."""

    thickness_mm: float
    radius_mm: float
    k: float | None = None
    edge_factor: float = EDGE_LIKED
    least_flange_mm: float = 0.0
    widest_mm: float = math.inf
    """The longest fold that the brake makes."""
    channel_share: float = 1.0
    bare: bool = False
    """Whether only the holes are wanted, for looking at many like brackets: then there is no outline."""
    way: int = 0
    """Which of the ways that two folds can run; 0 for the smallest."""
    """The longest leg of a channel against its web: beyond it the sheet meets the tool."""

    def hole_to_bend_mm(self, hole_mm: float) -> float:
        """From a hole's centre to where an arc begins, at least."""
        return LEAST_BY_THICKNESS_OF_HOLE * self.thickness_mm + self.radius_mm + hole_mm / 2

    def edge_mm(self, hole: TouchedHole) -> float:
        """From a hole's centre to the sheet's edge."""
        return max(self.edge_factor * max(hole.bolt_mm, 1.0), hole.hole_mm / 2 + self.thickness_mm)


@record
class BracketHole:
    """A hole of the flat, and the face whose flange it is in."""

    id: str
    xy_mm: P2
    hole_mm: float
    bolt_mm: float
    face: str
    room_mm: float = math.inf
    """To where the nearest arc begins."""
    least_mm: float = 0.0


@record
class BracketFlat:
    """One form worked out: the flat, how it folds, and where its first flange lies in space."""

    form: Form
    outline: Outline
    holes: tuple[BracketHole, ...]
    bends: tuple[BendLine, ...]
    base_mm: P2
    lying: Frame
    thickness_mm: float
    spacers_mm: tuple[tuple[str, float], ...] = ()
    """By hole, the length of the spacer between face and sheet."""


@record
class Offer:
    """A form with what came of it: the flat, or why it is not offered."""

    form: Form
    flat: BracketFlat | None
    refused: str = ""


@record
class _Section:
    """A plane square to the bends: its two directions, and the direction of the bends."""

    e1: Vec3
    e2: Vec3
    d: Vec3

    def of(self, p: Vec3) -> P2:
        return (dot(p, self.e1), dot(p, self.e2))

    def out(self, p: P2) -> Vec3:
        return add(scale(self.e1, p[0]), scale(self.e2, p[1]))


@record
class _Leg:
    """A straight part of the profile: a place on its upper face's line, and the direction that it is walked in."""

    at: P2
    way: P2


def offers(a: TouchedFace, b: TouchedFace, rules: SheetRules) -> tuple[Offer, ...]:
    """Every form, worked out or with the reason why it does not do here. Raises InputError for a face without holes."""
    for which, face in (("a", a), ("b", b)):
        if not face.holes:
            raise InputError(which, f"has no holes; choose at least one on {face.name}")
    return tuple(_offer(form, a, b, rules) for form in FORMS)


def bracket(form: Form, a: TouchedFace, b: TouchedFace, rules: SheetRules, way: int = 0) -> BracketFlat:
    """One form between two faces; of the ways that two folds can run, the ``way`` from 1 on, or the smallest for 0.

    A way keeps its number when a point moves. Raises InputError with the reason where the form does not do.
    """
    return _MAKERS[form](a, b, replace(rules, way=way))


def _offer(form: Form, a: TouchedFace, b: TouchedFace, rules: SheetRules) -> Offer:
    try:
        return Offer(form, bracket(form, a, b, rules))
    except InputError as refused:
        return Offer(form, None, refused.message)


def between_deg(a: TouchedFace, b: TouchedFace) -> float:
    """The angle between the two faces' planes, 0 to 90."""
    turned = angle_deg(a.normal, b.normal)
    return min(turned, 180.0 - turned)


def offset_mm(a: TouchedFace, b: TouchedFace) -> float:
    """How far the second face's holes lie along the first's normal."""
    return dot(sub(b.middle, a.middle), unit(a.normal))


def _refuse(said: str) -> InputError:
    return InputError("form", said)


def _require_parallel(a: TouchedFace, b: TouchedFace) -> float:
    between = between_deg(a, b)
    if between >= PARALLEL_DEG:
        raise _refuse(f"the faces stand at {between:.1f}° to each other; this form joins parallel ones")
    return offset_mm(a, b)


def _flat_plate(a: TouchedFace, b: TouchedFace, rules: SheetRules) -> BracketFlat:
    apart = _require_parallel(a, b)
    if dot(a.normal, b.normal) < 0:
        if abs(apart - rules.thickness_mm) > SHIMS_MM:
            raise _refuse(f"the faces look at each other {abs(apart):.1f} mm apart; a flat plate between them would be that thick")
    elif abs(apart) > SHIMS_MM:
        raise _refuse(f"the faces are {abs(apart):.1f} mm apart; a flat plate needs them level, within {SHIMS_MM:g} mm of shims")
    return _plate("flat", (a, b), rules, add(a.middle, scale(unit(a.normal), max(apart, 0.0) if dot(a.normal, b.normal) > 0 else 0.0)))


def _on_spacers(a: TouchedFace, b: TouchedFace, rules: SheetRules) -> BracketFlat:
    apart = _require_parallel(a, b)
    if dot(a.normal, b.normal) < 0:
        raise _refuse("the faces look at each other; spacers hold a plate off faces that look the same way")
    if abs(apart) <= SHIMS_MM:
        raise _refuse(f"the faces are only {abs(apart):.1f} mm apart; shims do")
    return _plate("spacers", (a, b), rules, add(a.middle, scale(unit(a.normal), max(apart, 0.0))))


def plate_over(form: Form, faces: tuple[TouchedFace, ...], rules: SheetRules) -> BracketFlat:
    """A flat plate over any number of faces that look the same way; it lies on the furthest of them, on spacers where that
    is asked. Raises InputError as two faces do."""
    furthest = max(faces, key=lambda f: offset_mm(faces[0], f))
    for other in faces:
        if _require_parallel(furthest, other) < -SHIMS_MM and form == "flat":
            raise _refuse(f"{other.name} lies {-offset_mm(furthest, other):.1f} mm below {furthest.name}; a plate on spacers reaches it")
        if dot(furthest.normal, other.normal) < 0:
            raise _refuse(f"{other.name} looks the other way than {furthest.name}")
    return _plate(form, faces, rules, furthest.middle)


def _plate(form: Form, faces: tuple[TouchedFace, ...], rules: SheetRules, touches: Vec3) -> BracketFlat:
    """A plate whose lower face lies at a place; holes that it does not reach stand on spacers."""
    up = unit(faces[0].normal)
    x = _along_holes(faces[0], faces[-1], up)
    y = cross(up, x)
    lying = Frame(add(touches, scale(up, rules.thickness_mm)), x, y)
    holes, spacers, discs = [], [], []
    for face in faces:
        for h in face.holes:
            from_it = sub(h.xyz_mm, touches)
            at = (dot(from_it, x), dot(from_it, y))
            holes.append(BracketHole(h.id, at, h.hole_mm, h.bolt_mm, face.name))
            spacers.append((h.id, -dot(from_it, up)))
            discs.append(Dot(at).buffer(rules.edge_mm(h), quad_segs=ROUND_STEPS))
    outline = () if rules.bare else _outline(unary_union(discs).convex_hull)
    stands = tuple(s for s in spacers if abs(s[1]) > SHIMS_MM) if form == "spacers" else ()
    return BracketFlat(form, outline, tuple(holes), (), holes[0].xy_mm, lying, rules.thickness_mm, stands)


def _along_holes(a: TouchedFace, b: TouchedFace, up: Vec3) -> Vec3:
    """A direction in the plane that goes with the holes: between the two of a face that lie farthest apart, else from face to
    face."""
    pairs = [sub(q.xyz_mm, p.xyz_mm) for f in (a, b) for p, q in sorted(combinations(f.holes, 2), key=_far_first)[:1]]
    for way in (*pairs, sub(b.middle, a.middle)):
        level = sub(way, scale(up, dot(way, up)))
        if dot(level, level) > 1.0:
            return unit(level)
    return any_perpendicular(up)


def _far_first(pair: tuple[TouchedHole, TouchedHole]) -> float:
    return -math.dist(pair[0].xyz_mm, pair[1].xyz_mm)


def _angle(a: TouchedFace, b: TouchedFace, rules: SheetRules) -> BracketFlat:
    if between_deg(a, b) < PARALLEL_DEG:
        raise _refuse(f"the faces are parallel, {abs(offset_mm(a, b)):.1f} mm apart; one fold joins faces that meet")
    section = _section(unit(cross(unit(a.normal), unit(b.normal))))
    meeting = _met_legs(_surface(section, a), _surface(section, b))
    ways = (_level_way(section, a, meeting), tuple(-w for w in _level_way(section, b, meeting)))
    legs = [_leg(section, f, (w[0], w[1]), rules.thickness_mm) for f, w in zip((a, b), ways, strict=True)]
    corner = _met_legs(*legs)
    for face, leg in zip((a, b), legs, strict=True):
        if math.dist(section.of(face.middle), corner) > FARTHEST_MM:
            raise _refuse(f"the faces meet {math.dist(section.of(face.middle), corner):.0f} mm away from {face.name}")
        if math.dist(leg.at, corner) < 1e-9:
            raise _refuse(f"the holes of {face.name} lie on the fold itself")
    return _profile("angle", a, b, rules, section, legs, [corner])


def _level_way(section: _Section, face: TouchedFace, meeting: P2) -> P2:
    """Within a face's line, from its holes to where the faces meet."""
    n = _flat_normal(section, face)
    at = section.of(face.middle)
    way = (meeting[0] - at[0], meeting[1] - at[1])
    along = (-n[1], n[0])
    inward = way[0] * along[0] + way[1] * along[1]
    if abs(inward) < 1e-9:
        raise _refuse(f"the holes of {face.name} lie on the line where the faces meet; there is no room for a fold")
    return along if inward > 0 else (-along[0], -along[1])


def _three(a: TouchedFace, b: TouchedFace, rules: SheetRules) -> BracketFlat:
    if between_deg(a, b) < PARALLEL_DEG:
        raise _refuse("the faces are parallel; a stepped bracket or a channel joins them")
    section = _section(unit(cross(unit(a.normal), unit(b.normal))))
    return _two_folds("three", a, b, rules, [section], lambda turns: True)


def _stepped(a: TouchedFace, b: TouchedFace, rules: SheetRules) -> BracketFlat:
    _require_apart(a, b)
    return _two_folds("stepped", a, b, rules, _sections_across(a, b), lambda turns: turns[0] * turns[1] < 0, square=True)


def _channel(a: TouchedFace, b: TouchedFace, rules: SheetRules) -> BracketFlat:
    _require_apart(a, b)
    return _two_folds("channel", a, b, rules, _sections_across(a, b), lambda turns: turns[0] * turns[1] > 0, square=True)


def _require_apart(a: TouchedFace, b: TouchedFace) -> None:
    apart = _require_parallel(a, b)
    if abs(apart) <= SHIMS_MM:
        raise _refuse(f"the faces are {abs(apart):.1f} mm apart; a flat plate joins them")


def _sections_across(a: TouchedFace, b: TouchedFace) -> list[_Section]:
    """For parallel faces, whose bends may run anywhere: square to the way from face to face, or along it."""
    up = unit(a.normal)
    x = _along_holes(a, b, up)
    return [_section(unit(cross(up, x))), _section(x)]


def _two_folds(
    form: Form,
    a: TouchedFace,
    b: TouchedFace,
    rules: SheetRules,
    sections: list[_Section],
    wanted: Callable[[tuple[float, float]], bool],
    square: bool = False,
) -> BracketFlat:
    """The smallest bracket of two folds in any of the sections, walked either way along each face."""
    found: list[BracketFlat] = []
    why = "no way of folding it stays clear of its own holes"
    for number, (section, one, other) in enumerate(product(sections, (1.0, -1.0), (1.0, -1.0)), 1):
        if rules.way not in (0, number):
            continue
        # The upper face is the one that looks away from the first face, whichever way that is walked: then the other hand is the mirror.
        ways = _ways(section, a, b, one, other)
        if dot(section.out((-ways[0][1], ways[0][0])), a.normal) < 0:
            back = _section(scale(section.d, -1.0))
            section, ways = back, (back.of(section.out(ways[0])), back.of(section.out(ways[1])))
        legs = [_leg(section, f, w, rules.thickness_mm) for f, w in zip((a, b), ways, strict=True)]
        try:
            corners = _fold_places(section, (a, b), legs, rules, square)
            made = _profile(form, a, b, rules, section, [legs[0], _between(corners), legs[1]], corners)
        except InputError as refused:
            why = refused.message
            continue
        if wanted((made.bends[0].angle_deg, made.bends[1].angle_deg)):
            found.append(made)
    if not found:
        raise _refuse(why)
    return min(found, key=lambda f: sum(math.dist(h.xy_mm, g.xy_mm) for h in f.holes for g in f.holes))


def _ways(section: _Section, a: TouchedFace, b: TouchedFace, one: float, other: float) -> tuple[P2, P2]:
    """In which direction each face is walked: towards the other for 1, so that the other hand's ways have the same numbers."""
    ahead = section.of(sub(b.middle, a.middle))
    found = []
    for face, sign in ((a, one), (b, other)):
        n = _flat_normal(section, face)
        along = (-n[1], n[0])
        turned = sign if along[0] * ahead[0] + along[1] * ahead[1] >= -LEVEL_MM else -sign
        found.append((along[0] * turned, along[1] * turned))
    return (found[0], found[1])


def _between(corners: list[P2]) -> _Leg:
    long = math.dist(*corners)
    if long < 1e-6:
        raise _refuse("the two folds would lie on each other")
    return _Leg(corners[0], ((corners[1][0] - corners[0][0]) / long, (corners[1][1] - corners[0][1]) / long))


def _fold_places(section: _Section, faces: tuple[TouchedFace, TouchedFace], legs: list[_Leg], rules: SheetRules, square: bool) -> list[P2]:
    """Where the two folds lie: as near to the holes as the bend lets them, square to parallel faces where asked."""
    reach = []
    for face, leg, sign in ((faces[0], legs[0], 1.0), (faces[1], legs[1], -1.0)):
        at = max(sign * _along(leg, section.of(h.xyz_mm)) + rules.hole_to_bend_mm(h.hole_mm) for h in face.holes)
        reach.append(at)
    tangents = [rules.radius_mm + rules.thickness_mm] * 2
    corners: list[P2] = []
    for _ in range(SETTLES):
        out = [reach[0] + tangents[0], reach[1] + tangents[1]]
        if square:
            out = _square(legs, out)
        corners = [
            _walked(legs[0], out[0]),
            _walked(legs[1], -out[1]),
        ]
        web = _between(corners)
        turns = (_turn_deg(legs[0].way, web.way), _turn_deg(web.way, legs[1].way))
        new = [_tangent_mm(t, rules) for t in turns]
        if all(abs(n - t) < 1e-9 for n, t in zip(new, tangents, strict=True)):
            break
        # Half a step: a web that swings with its own tangents settles instead of going to and fro.
        tangents = [(n + t) / 2 for n, t in zip(new, tangents, strict=True)]
    return corners


def _square(legs: list[_Leg], out: list[float]) -> list[float]:
    """Both folds level with each other along parallel faces: in the middle between holes that lie apart, else beyond both."""
    same = legs[0].way[0] * legs[1].way[0] + legs[0].way[1] * legs[1].way[1]
    shift = _along(legs[0], legs[1].at)
    if same > 0:
        low, high = out[0], shift - out[1]
        if low > high:
            raise _refuse(f"there is no room for its web between the holes of the two faces; {low - high:.0f} mm is missing")
        level = (low + high) / 2
        return [level, shift - level]
    level = max(out[0], out[1] + shift)
    return [level, level - shift]


def _along(leg: _Leg, p: P2) -> float:
    return (p[0] - leg.at[0]) * leg.way[0] + (p[1] - leg.at[1]) * leg.way[1]


def _walked(leg: _Leg, by: float) -> P2:
    return (leg.at[0] + leg.way[0] * by, leg.at[1] + leg.way[1] * by)


def _turn_deg(one: P2, other: P2) -> float:
    """How far to the left the walk turns, −180 to 180."""
    return math.degrees(math.atan2(one[0] * other[1] - one[1] * other[0], one[0] * other[0] + one[1] * other[1]))


def _tangent_mm(turn_deg: float, rules: SheetRules) -> float:
    """Along the upper face, from where its lines meet to where the arc begins: on the inside of a fold to the left."""
    radius = rules.radius_mm if turn_deg > 0 else rules.radius_mm + rules.thickness_mm
    return radius * math.tan(math.radians(min(abs(turn_deg), 179.0)) / 2)


def _section(d: Vec3) -> _Section:
    e1 = any_perpendicular(d)
    return _Section(e1, cross(d, e1), d)


def _flat_normal(section: _Section, face: TouchedFace) -> P2:
    n = section.of(unit(face.normal))
    long = math.hypot(*n)
    return (n[0] / long, n[1] / long)


def _surface(section: _Section, face: TouchedFace) -> _Leg:
    n = _flat_normal(section, face)
    return _Leg(section.of(face.middle), (-n[1], n[0]))


def _leg(section: _Section, face: TouchedFace, way: P2, thickness_mm: float) -> _Leg:
    """The upper face's line of a flange on a face, walked one way: on the face itself, or a thickness off it."""
    n = _flat_normal(section, face)
    left = (-way[1], way[0])
    at = section.of(face.middle)
    if left[0] * n[0] + left[1] * n[1] > 0:
        at = (at[0] + n[0] * thickness_mm, at[1] + n[1] * thickness_mm)
    return _Leg(at, way)


def _met_legs(one: _Leg, other: _Leg) -> P2:
    det = one.way[0] * other.way[1] - one.way[1] * other.way[0]
    if abs(det) < 1e-9:
        raise _refuse("the faces are parallel")
    dx, dy = other.at[0] - one.at[0], other.at[1] - one.at[1]
    return _walked(one, (dx * other.way[1] - dy * other.way[0]) / det)


def _profile(
    form: Form, a: TouchedFace, b: TouchedFace, rules: SheetRules, section: _Section, legs: list[_Leg], corners: list[P2]
) -> BracketFlat:
    """The flat of a profile. Raises InputError for folds, flanges and holes that cannot be made."""
    turns = [_turn_deg(one.way, other.way) for one, other in pairwise(legs)]
    for turn in turns:
        if not LEAST_FOLD_DEG <= abs(turn) <= MOST_FOLD_DEG:
            raise _refuse(f"it would fold by {abs(turn):.0f}°; {LEAST_FOLD_DEG:g}° to {MOST_FOLD_DEG:g}° can be made")
    tangents = [_tangent_mm(t, rules) for t in turns]
    lines = [BendLine(f"B{n}", (0.0, 0.0), (1.0, 0.0), t, rules.radius_mm, rules.k) for n, t in enumerate(turns, 1)]
    arcs = [line.arc_mm(rules.thickness_mm) for line in lines]
    begins = [0.0]
    for n in range(1, len(corners)):
        web = math.dist(corners[n - 1], corners[n]) - tangents[n - 1] - tangents[n]
        if web < rules.least_flange_mm:
            raise _refuse(f"only {max(web, 0.0):.1f} mm stays flat between its folds; {rules.least_flange_mm:.1f} mm is the least")
        begins.append(begins[-1] + arcs[n - 1] + web)
    ends = [begin + arc for begin, arc in zip(begins, arcs, strict=True)]
    holes = [
        *_laid(a, section, rules, lambda p: _along(_Leg(corners[0], legs[0].way), p) + tangents[0], lambda y: -y),
        *_laid(b, section, rules, lambda p: ends[-1] + _along(_Leg(corners[-1], legs[-1].way), p) - tangents[-1], lambda y: y - ends[-1]),
    ]
    outline, folds = ((), [(0.0, 1.0)] * len(lines)) if rules.bare else _sheet(a, b, rules, holes, begins, ends)
    bends = tuple(
        BendLine(line.id, (low, (begin + end) / 2), (high, (begin + end) / 2), line.angle_deg, line.radius_mm, line.k)
        for line, (low, high), begin, end in zip(lines, folds, begins, ends, strict=True)
    )
    if form == "channel":
        _require_channel(rules, holes, begins, ends)
    start = _walked(_Leg(corners[0], legs[0].way), -tangents[0])
    lying = Frame(section.out(start), section.d, section.out(legs[0].way))
    return BracketFlat(form, outline, tuple(holes), bends, (holes[0].xy_mm[0], holes[0].xy_mm[1]), lying, rules.thickness_mm)


def _laid(
    face: TouchedFace, section: _Section, rules: SheetRules, developed: Callable[[P2], float], out: Callable[[float], float]
) -> list[BracketHole]:
    found = []
    for h in face.holes:
        y = developed(section.of(h.xyz_mm))
        room, least = out(y), rules.hole_to_bend_mm(h.hole_mm)
        if room < least - 1e-6:
            where = f"{room:.1f} mm from where the bend begins" if room > 0 else "within the bend or beyond it"
            raise _refuse(f"hole {h.id} would lie {where}; {least:.1f} mm is the least")
        found.append(BracketHole(h.id, (dot(h.xyz_mm, section.d), y), h.hole_mm, h.bolt_mm, face.name, room, least))
    return found


def _sheet(
    a: TouchedFace, b: TouchedFace, rules: SheetRules, holes: list[BracketHole], begins: list[float], ends: list[float]
) -> tuple[Outline, list[P2]]:
    """The outline, and where each fold begins and ends along itself."""
    sizes = {h.id: rules.edge_mm(h) for f in (a, b) for h in f.holes}
    sides = [[h for h in holes if h.face == f.name] for f in (a, b)]
    spans = [(min(h.xy_mm[0] - sizes[h.id] for h in side), max(h.xy_mm[0] + sizes[h.id] for h in side)) for side in sides]
    if len(begins) == 1:
        spans = [(min(s[0] for s in spans), max(s[1] for s in spans))]
    for low, high in spans:
        if high - low > rules.widest_mm:
            raise _refuse(f"its fold would be {high - low:.0f} mm long; the brake folds {rules.widest_mm:.0f} mm")
    parts: list[BaseGeometry] = [box(low, begin, high, end) for (low, high), begin, end in zip(spans, begins, ends, strict=True)]
    for side, y, (low, high), way in ((sides[0], begins[0], spans[0], -1.0), (sides[1], ends[-1], spans[-1], 1.0)):
        discs = [Dot(h.xy_mm).buffer(sizes[h.id], quad_segs=ROUND_STEPS) for h in side]
        fold = box(low, min(y, y + way * rules.least_flange_mm), high, max(y, y + way * rules.least_flange_mm))
        grown = unary_union([*discs, fold, Polygon([(low, y), (high, y), (high, y + way * 1e-3), (low, y + way * 1e-3)])]).convex_hull
        beyond = box(low - 1e4, y, high + 1e4, y + 1e4) if way > 0 else box(low - 1e4, y - 1e4, high + 1e4, y)
        parts.append(grown.intersection(beyond))
    if len(begins) == 2:
        web = [(spans[0][0], ends[0]), (spans[0][1], ends[0]), (spans[1][1], begins[1]), (spans[1][0], begins[1])]
        parts.append(Polygon(web).convex_hull)
    # Parts that only touch along a fold are one sheet: they are grown together by less than anybody can measure.
    joined = unary_union([p.buffer(1e-7, join_style="mitre") for p in parts])
    return _outline(joined), spans


def _outline(shape: BaseGeometry) -> Outline:
    if not isinstance(shape, Polygon):
        raise _refuse("its flat falls apart")
    return with_arcs([(float(x), float(y)) for x, y in shape.exterior.coords])


def _require_channel(rules: SheetRules, holes: list[BracketHole], begins: list[float], ends: list[float]) -> None:
    web = begins[1] - ends[0]
    legs = (-min(h.xy_mm[1] for h in holes), max(h.xy_mm[1] for h in holes) - ends[1])
    if min(legs) > rules.channel_share * (web + 2 * rules.radius_mm) + 1e-9:
        raise _refuse(f"both its legs are longer than the {web:.0f} mm between them lets the tool in; the second fold would hit it")


_MAKERS: dict[Form, Callable[[TouchedFace, TouchedFace, SheetRules], BracketFlat]] = {
    "flat": _flat_plate,
    "spacers": _on_spacers,
    "angle": _angle,
    "stepped": _stepped,
    "channel": _channel,
    "three": _three,
}
