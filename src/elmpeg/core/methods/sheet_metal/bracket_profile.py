"""The profile of a bent bracket: the faces that it touches, the straight legs of its section, and the flat that they unfold to.

All bends of such a bracket are parallel, so that it is a profile pulled along their direction, walked from the first face's
flange to the second's; the face of the sheet on the left of the walk is its upper face.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from itertools import pairwise
from typing import Literal

from shapely.geometry import Point as Dot
from shapely.geometry import Polygon, box
from shapely.geometry.base import BaseGeometry
from shapely.ops import unary_union

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.base.vectors import Vec3, add, any_perpendicular, cross, dot, mean, scale, unit
from elmpeg.core.methods.fastening.fasteners import EDGE_LIKED
from elmpeg.core.methods.shapes.outlines import Outline, with_arcs
from elmpeg.core.methods.sheet_metal.bends import LEAST_BY_THICKNESS_OF_HOLE
from elmpeg.core.methods.sheet_metal.folded_sheet import BendLine, Frame

Form = Literal["flat", "spacers", "angle", "stepped", "channel", "three"]
LEAST_FOLD_DEG = 3.0
MOST_FOLD_DEG = 150.0
ROUND_STEPS = 16
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
    """The longest leg of a channel against its web: beyond it the sheet meets the tool."""
    bare: bool = False
    """Whether only the holes are wanted, for looking at many like brackets: then there is no outline."""
    way: int = 0
    """Which of the ways that two folds can run; 0 for the smallest."""

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
class Section:
    """A plane square to the bends: its two directions, and the direction of the bends."""

    e1: Vec3
    e2: Vec3
    d: Vec3

    def of(self, p: Vec3) -> P2:
        """A place in space as it lies in the section."""
        return (dot(p, self.e1), dot(p, self.e2))

    def out(self, p: P2) -> Vec3:
        """A place of the section in space."""
        return add(scale(self.e1, p[0]), scale(self.e2, p[1]))


@record
class Leg:
    """A straight part of the profile: a place on its upper face's line, and the direction that it is walked in."""

    at: P2
    way: P2


def refusal(said: str) -> InputError:
    """Why a form cannot be made."""
    return InputError("form", said)


def along(leg: Leg, p: P2) -> float:
    """How far along a leg a place lies, mm from the leg's own."""
    return (p[0] - leg.at[0]) * leg.way[0] + (p[1] - leg.at[1]) * leg.way[1]


def walked(leg: Leg, by: float) -> P2:
    """The place so many mm along a leg."""
    return (leg.at[0] + leg.way[0] * by, leg.at[1] + leg.way[1] * by)


def fold_deg(one: P2, other: P2) -> float:
    """How far to the left the walk turns, −180 to 180."""
    return math.degrees(math.atan2(one[0] * other[1] - one[1] * other[0], one[0] * other[0] + one[1] * other[1]))


def tangent_mm(turn_deg: float, rules: SheetRules) -> float:
    """Along the upper face, from where its lines meet to where the arc begins: on the inside of a fold to the left."""
    radius = rules.radius_mm if turn_deg > 0 else rules.radius_mm + rules.thickness_mm
    return radius * math.tan(math.radians(min(abs(turn_deg), 179.0)) / 2)


def section_of(d: Vec3) -> Section:
    """The plane square to a direction that bends run along."""
    e1 = any_perpendicular(d)
    return Section(e1, cross(d, e1), d)


def flat_normal(section: Section, face: TouchedFace) -> P2:
    """A face's normal as it lies in a section, of length 1."""
    n = section.of(unit(face.normal))
    long = math.hypot(*n)
    return (n[0] / long, n[1] / long)


def surface(section: Section, face: TouchedFace) -> Leg:
    """The line in which a face cuts a section, through its middle."""
    n = flat_normal(section, face)
    return Leg(section.of(face.middle), (-n[1], n[0]))


def leg_on(section: Section, face: TouchedFace, way: P2, thickness_mm: float) -> Leg:
    """The upper face's line of a flange on a face, walked one way: on the face itself, or a thickness off it."""
    n = flat_normal(section, face)
    left = (-way[1], way[0])
    at = section.of(face.middle)
    if left[0] * n[0] + left[1] * n[1] > 0:
        at = (at[0] + n[0] * thickness_mm, at[1] + n[1] * thickness_mm)
    return Leg(at, way)


def met(one: Leg, other: Leg) -> P2:
    """Where two legs' lines meet. Raises InputError where they are parallel."""
    det = one.way[0] * other.way[1] - one.way[1] * other.way[0]
    if abs(det) < 1e-9:
        raise refusal("the faces are parallel")
    dx, dy = other.at[0] - one.at[0], other.at[1] - one.at[1]
    return walked(one, (dx * other.way[1] - dy * other.way[0]) / det)


def flat_of_profile(
    form: Form, a: TouchedFace, b: TouchedFace, rules: SheetRules, section: Section, legs: list[Leg], corners: list[P2]
) -> BracketFlat:
    """The flat of a profile. Raises InputError for folds, flanges and holes that cannot be made."""
    turns = [fold_deg(one.way, other.way) for one, other in pairwise(legs)]
    for turn in turns:
        if not LEAST_FOLD_DEG <= abs(turn) <= MOST_FOLD_DEG:
            raise refusal(f"it would fold by {abs(turn):.0f}°; {LEAST_FOLD_DEG:g}° to {MOST_FOLD_DEG:g}° can be made")
    tangents = [tangent_mm(t, rules) for t in turns]
    lines = [BendLine(f"B{n}", (0.0, 0.0), (1.0, 0.0), t, rules.radius_mm, rules.k) for n, t in enumerate(turns, 1)]
    arcs = [line.arc_mm(rules.thickness_mm) for line in lines]
    begins = [0.0]
    for n in range(1, len(corners)):
        web = math.dist(corners[n - 1], corners[n]) - tangents[n - 1] - tangents[n]
        if web < rules.least_flange_mm:
            raise refusal(f"only {max(web, 0.0):.1f} mm stays flat between its folds; {rules.least_flange_mm:.1f} mm is the least")
        begins.append(begins[-1] + arcs[n - 1] + web)
    ends = [begin + arc for begin, arc in zip(begins, arcs, strict=True)]
    holes = [
        *_laid(a, section, rules, lambda p: along(Leg(corners[0], legs[0].way), p) + tangents[0], lambda y: -y),
        *_laid(b, section, rules, lambda p: ends[-1] + along(Leg(corners[-1], legs[-1].way), p) - tangents[-1], lambda y: y - ends[-1]),
    ]
    outline, folds = ((), [(0.0, 1.0)] * len(lines)) if rules.bare else _sheet(a, b, rules, holes, begins, ends)
    bends = tuple(
        BendLine(line.id, (low, (begin + end) / 2), (high, (begin + end) / 2), line.angle_deg, line.radius_mm, line.k)
        for line, (low, high), begin, end in zip(lines, folds, begins, ends, strict=True)
    )
    if form == "channel":
        _require_channel(rules, holes, begins, ends)
    start = walked(Leg(corners[0], legs[0].way), -tangents[0])
    lying = Frame(section.out(start), section.d, section.out(legs[0].way))
    return BracketFlat(form, outline, tuple(holes), bends, (holes[0].xy_mm[0], holes[0].xy_mm[1]), lying, rules.thickness_mm)


def _laid(
    face: TouchedFace, section: Section, rules: SheetRules, developed: Callable[[P2], float], out: Callable[[float], float]
) -> list[BracketHole]:
    found = []
    for h in face.holes:
        y = developed(section.of(h.xyz_mm))
        room, least = out(y), rules.hole_to_bend_mm(h.hole_mm)
        if room < least - 1e-6:
            where = f"{room:.1f} mm from where the bend begins" if room > 0 else "within the bend or beyond it"
            raise refusal(f"hole {h.id} would lie {where}; {least:.1f} mm is the least")
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
            raise refusal(f"its fold would be {high - low:.0f} mm long; the brake folds {rules.widest_mm:.0f} mm")
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
    return outline_of(joined), spans


def outline_of(shape: BaseGeometry) -> Outline:
    """The outline of a flat, with its arcs. Raises InputError where it falls apart."""
    if not isinstance(shape, Polygon):
        raise refusal("its flat falls apart")
    return with_arcs([(float(x), float(y)) for x, y in shape.exterior.coords])


def _require_channel(rules: SheetRules, holes: list[BracketHole], begins: list[float], ends: list[float]) -> None:
    web = begins[1] - ends[0]
    legs = (-min(h.xy_mm[1] for h in holes), max(h.xy_mm[1] for h in holes) - ends[1])
    if min(legs) > rules.channel_share * (web + 2 * rules.radius_mm) + 1e-9:
        raise refusal(f"both its legs are longer than the {web:.0f} mm between them lets the tool in; the second fold would hit it")
