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
from itertools import combinations, product

from shapely.geometry import Point as Dot
from shapely.ops import unary_union

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, angle_deg, any_perpendicular, cross, dot, scale, sub, unit
from elmpeg.core.methods.sheet_metal.bracket_profile import (
    P2,
    ROUND_STEPS,
    BracketFlat,
    BracketHole,
    Form,
    Leg,
    Section,
    SheetRules,
    TouchedFace,
    TouchedHole,
    along,
    flat_normal,
    flat_of_profile,
    fold_deg,
    leg_on,
    met,
    outline_of,
    refusal,
    section_of,
    surface,
    tangent_mm,
    walked,
)
from elmpeg.core.methods.sheet_metal.folded_sheet import Frame

FORMS: tuple[Form, ...] = ("flat", "spacers", "angle", "stepped", "channel", "three")
PLATES: tuple[Form, ...] = ("flat", "spacers")
TWO_FOLDS: tuple[Form, ...] = ("stepped", "channel", "three")
PARALLEL_DEG = 1.0
SHIMS_MM = 2.0
"""Faces no further apart than this are one plane but for shims."""
MOST_WAYS = 8
"""In which the two folds of a form can run: along or across its holes, and on either side of each face."""
SETTLES = 80
FARTHEST_MM = 3000.0
LEVEL_MM = 1.0
"""Faces whose middles lie no further apart along a direction have none there that is towards the other."""


@record
class Offer:
    """A form with what came of it: the flat, or why it is not offered."""

    form: Form
    flat: BracketFlat | None
    refused: str = ""


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


def _require_parallel(a: TouchedFace, b: TouchedFace) -> float:
    between = between_deg(a, b)
    if between >= PARALLEL_DEG:
        raise refusal(f"the faces stand at {between:.1f}° to each other; this form joins parallel ones")
    return offset_mm(a, b)


def _flat_plate(a: TouchedFace, b: TouchedFace, rules: SheetRules) -> BracketFlat:
    apart = _require_parallel(a, b)
    if dot(a.normal, b.normal) < 0:
        if abs(apart - rules.thickness_mm) > SHIMS_MM:
            raise refusal(f"the faces look at each other {abs(apart):.1f} mm apart; a flat plate between them would be that thick")
    elif abs(apart) > SHIMS_MM:
        raise refusal(f"the faces are {abs(apart):.1f} mm apart; a flat plate needs them level, within {SHIMS_MM:g} mm of shims")
    return _plate("flat", (a, b), rules, add(a.middle, scale(unit(a.normal), max(apart, 0.0) if dot(a.normal, b.normal) > 0 else 0.0)))


def _on_spacers(a: TouchedFace, b: TouchedFace, rules: SheetRules) -> BracketFlat:
    apart = _require_parallel(a, b)
    if dot(a.normal, b.normal) < 0:
        raise refusal("the faces look at each other; spacers hold a plate off faces that look the same way")
    if abs(apart) <= SHIMS_MM:
        raise refusal(f"the faces are only {abs(apart):.1f} mm apart; shims do")
    return _plate("spacers", (a, b), rules, add(a.middle, scale(unit(a.normal), max(apart, 0.0))))


def plate_over(form: Form, faces: tuple[TouchedFace, ...], rules: SheetRules) -> BracketFlat:
    """A flat plate over any number of faces that look the same way; it lies on the furthest of them, on spacers where that
    is asked. Raises InputError as two faces do."""
    furthest = max(faces, key=lambda f: offset_mm(faces[0], f))
    for other in faces:
        if _require_parallel(furthest, other) < -SHIMS_MM and form == "flat":
            raise refusal(f"{other.name} lies {-offset_mm(furthest, other):.1f} mm below {furthest.name}; a plate on spacers reaches it")
        if dot(furthest.normal, other.normal) < 0:
            raise refusal(f"{other.name} looks the other way than {furthest.name}")
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
    outline = () if rules.bare else outline_of(unary_union(discs).convex_hull)
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
        raise refusal(f"the faces are parallel, {abs(offset_mm(a, b)):.1f} mm apart; one fold joins faces that meet")
    section = section_of(unit(cross(unit(a.normal), unit(b.normal))))
    meeting = met(surface(section, a), surface(section, b))
    ways = (_level_way(section, a, meeting), tuple(-w for w in _level_way(section, b, meeting)))
    legs = [leg_on(section, f, (w[0], w[1]), rules.thickness_mm) for f, w in zip((a, b), ways, strict=True)]
    corner = met(*legs)
    for face, leg in zip((a, b), legs, strict=True):
        if math.dist(section.of(face.middle), corner) > FARTHEST_MM:
            raise refusal(f"the faces meet {math.dist(section.of(face.middle), corner):.0f} mm away from {face.name}")
        if math.dist(leg.at, corner) < 1e-9:
            raise refusal(f"the holes of {face.name} lie on the fold itself")
    return flat_of_profile("angle", a, b, rules, section, legs, [corner])


def _level_way(section: Section, face: TouchedFace, meeting: P2) -> P2:
    """Within a face's line, from its holes to where the faces meet."""
    n = flat_normal(section, face)
    at = section.of(face.middle)
    way = (meeting[0] - at[0], meeting[1] - at[1])
    along = (-n[1], n[0])
    inward = way[0] * along[0] + way[1] * along[1]
    if abs(inward) < 1e-9:
        raise refusal(f"the holes of {face.name} lie on the line where the faces meet; there is no room for a fold")
    return along if inward > 0 else (-along[0], -along[1])


def _three(a: TouchedFace, b: TouchedFace, rules: SheetRules) -> BracketFlat:
    if between_deg(a, b) < PARALLEL_DEG:
        raise refusal("the faces are parallel; a stepped bracket or a channel joins them")
    section = section_of(unit(cross(unit(a.normal), unit(b.normal))))
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
        raise refusal(f"the faces are {abs(apart):.1f} mm apart; a flat plate joins them")


def _sections_across(a: TouchedFace, b: TouchedFace) -> list[Section]:
    """For parallel faces, whose bends may run anywhere: square to the way from face to face, or along it."""
    up = unit(a.normal)
    x = _along_holes(a, b, up)
    return [section_of(unit(cross(up, x))), section_of(x)]


def _two_folds(
    form: Form,
    a: TouchedFace,
    b: TouchedFace,
    rules: SheetRules,
    sections: list[Section],
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
            back = section_of(scale(section.d, -1.0))
            section, ways = back, (back.of(section.out(ways[0])), back.of(section.out(ways[1])))
        legs = [leg_on(section, f, w, rules.thickness_mm) for f, w in zip((a, b), ways, strict=True)]
        try:
            corners = _fold_places(section, (a, b), legs, rules, square)
            made = flat_of_profile(form, a, b, rules, section, [legs[0], _between(corners), legs[1]], corners)
        except InputError as refused:
            why = refused.message
            continue
        if wanted((made.bends[0].angle_deg, made.bends[1].angle_deg)):
            found.append(made)
    if not found:
        raise refusal(why)
    return min(found, key=lambda f: sum(math.dist(h.xy_mm, g.xy_mm) for h in f.holes for g in f.holes))


def _ways(section: Section, a: TouchedFace, b: TouchedFace, one: float, other: float) -> tuple[P2, P2]:
    """In which direction each face is walked: towards the other for 1, so that the other hand's ways have the same numbers."""
    ahead = section.of(sub(b.middle, a.middle))
    found = []
    for face, sign in ((a, one), (b, other)):
        n = flat_normal(section, face)
        along = (-n[1], n[0])
        turned = sign if along[0] * ahead[0] + along[1] * ahead[1] >= -LEVEL_MM else -sign
        found.append((along[0] * turned, along[1] * turned))
    return (found[0], found[1])


def _between(corners: list[P2]) -> Leg:
    long = math.dist(*corners)
    if long < 1e-6:
        raise refusal("the two folds would lie on each other")
    return Leg(corners[0], ((corners[1][0] - corners[0][0]) / long, (corners[1][1] - corners[0][1]) / long))


def _fold_places(section: Section, faces: tuple[TouchedFace, TouchedFace], legs: list[Leg], rules: SheetRules, square: bool) -> list[P2]:
    """Where the two folds lie: as near to the holes as the bend lets them, square to parallel faces where asked."""
    reach = []
    for face, leg, sign in ((faces[0], legs[0], 1.0), (faces[1], legs[1], -1.0)):
        at = max(sign * along(leg, section.of(h.xyz_mm)) + rules.hole_to_bend_mm(h.hole_mm) for h in face.holes)
        reach.append(at)
    tangents = [rules.radius_mm + rules.thickness_mm] * 2
    corners: list[P2] = []
    for _ in range(SETTLES):
        out = [reach[0] + tangents[0], reach[1] + tangents[1]]
        if square:
            out = _square(legs, out)
        corners = [
            walked(legs[0], out[0]),
            walked(legs[1], -out[1]),
        ]
        web = _between(corners)
        turns = (fold_deg(legs[0].way, web.way), fold_deg(web.way, legs[1].way))
        new = [tangent_mm(t, rules) for t in turns]
        if all(abs(n - t) < 1e-9 for n, t in zip(new, tangents, strict=True)):
            break
        # Half a step: a web that swings with its own tangents settles instead of going to and fro.
        tangents = [(n + t) / 2 for n, t in zip(new, tangents, strict=True)]
    return corners


def _square(legs: list[Leg], out: list[float]) -> list[float]:
    """Both folds level with each other along parallel faces: in the middle between holes that lie apart, else beyond both."""
    same = legs[0].way[0] * legs[1].way[0] + legs[0].way[1] * legs[1].way[1]
    shift = along(legs[0], legs[1].at)
    if same > 0:
        low, high = out[0], shift - out[1]
        if low > high:
            raise refusal(f"there is no room for its web between the holes of the two faces; {low - high:.0f} mm is missing")
        level = (low + high) / 2
        return [level, shift - level]
    level = max(out[0], out[1] + shift)
    return [level, level - shift]


_MAKERS: dict[Form, Callable[[TouchedFace, TouchedFace, SheetRules], BracketFlat]] = {
    "flat": _flat_plate,
    "spacers": _on_spacers,
    "angle": _angle,
    "stepped": _stepped,
    "channel": _channel,
    "three": _three,
}
