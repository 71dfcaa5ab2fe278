"""A piece of tube or bar worked out: what to cut off, both ends, bends with their marks, holes on the unrolled outside, mass."""

from __future__ import annotations

import math
from dataclasses import replace
from itertools import pairwise
from typing import Literal

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record
from elmpeg.core.build.hardware import DENSITY_KG_M3
from elmpeg.core.build.pieces import CrossHole, Piece, PieceDrawing, TubeBody
from elmpeg.core.methods.shapes.outlines import straight
from elmpeg.core.methods.tubes.tube_bends import BentTube, bent_tube, thinned_wall_mm
from elmpeg.core.methods.tubes.tube_ends import EVERY_DEG, TubeEnd, end_edge, require_end
from elmpeg.core.methods.tubes.tube_holes import hole_on_wrap

P2 = tuple[float, float]
EndName = Literal["start", "end"]
TAIL_MM = 40.0
"""How much of the tube behind the deepest place a wrap covers: enough to be held true by."""


@record
class TubeEndCut:
    """An end: its edge on the unrolled outside and inside, as (round, along from where the axes meet); how it is said."""

    end: TubeEnd
    outside: tuple[P2, ...]
    inside: tuple[P2, ...]
    nearest_mm: float
    farthest_mm: float

    @property
    def deepest_mm(self) -> float:
        """What is cut back at the most, from the longest point."""
        return self.farthest_mm - self.nearest_mm

    @property
    def is_shaped(self) -> bool:
        """Whether it needs more than a square cut."""
        return self.end.cut != "square" and self.deepest_mm > 1e-6


@record
class WrappedHole:
    """A hole's edge on the unrolled outside, from the start; of a wall."""

    hole: CrossHole
    edge: tuple[P2, ...]
    far: bool


@record
class TubeShape:
    """A tube worked out. Along it is counted from where the axes meet at its start."""

    is_round: bool
    girth_mm: float
    quarters_mm: tuple[float, float, float]
    """Round it from the seam: a quarter, half and three quarters of a round one, the corners of a box, whose seam is a corner."""
    blank_mm: float
    """To cut off the bar, from longest point to longest point."""
    bent: BentTube
    start: TubeEndCut
    end: TubeEndCut
    holes: tuple[WrappedHole, ...]
    mass_kg: float
    least_wall_mm: float
    """Of the wall, what is left on the outside of its tightest bend; the whole wall where it has none."""
    twist_deg: float | None
    """From the obtuse side of the first end to that of the last, round the tube; None where one of them is square to the axis."""

    @property
    def size_mm(self) -> P2:
        """Its cut length, and its girth."""
        return (self.blank_mm, self.girth_mm)

    @property
    def shaped(self) -> tuple[tuple[EndName, TubeEndCut], ...]:
        """Its ends that need more than a square cut."""
        ends: tuple[tuple[EndName, TubeEndCut], ...] = (("start", self.start), ("end", self.end))
        return tuple((which, cut) for which, cut in ends if cut.is_shaped)

    @property
    def wraps(self) -> tuple[tuple[EndName, TubeEndCut], ...]:
        """Its ends that are marked by paper laid round them; a box section is marked face by face where its faces are cut straight."""
        return tuple((which, cut) for which, cut in self.shaped if self.is_round or cut.end.cut == "cope")

    @property
    def seam_word(self) -> str:
        """What a wrap's two sides lie on."""
        return "seam line" if self.is_round else "first corner"

    @property
    def wrap_mm(self) -> P2 | None:
        """Width and height of its larger wrap, without the flap; None where it has none."""
        return (self.girth_mm, max(cut.deepest_mm for _, cut in self.wraps) + TAIL_MM) if self.wraps else None

    def drawing(self, piece: Piece) -> PieceDrawing:
        """What is kept when something is made after it: its outside unrolled."""
        whole = self.bent.straight_mm
        first = [(y, x) for x, y in self.start.outside]
        last = [(whole - y, x) for x, y in self.end.outside]
        return PieceDrawing(straight((*first, *reversed(last))), (), (), (), piece.thick_mm)


def inside_mm(body: TubeBody) -> float:
    """The bore across; 0 for a bar."""
    return max(body.across_mm - 2 * body.wall_mm, 0.0) if body.wall_mm else 0.0


def section_mm2(body: TubeBody) -> float:
    """The metal that a square cut shows."""
    if body.section == "round":
        return math.pi / 4 * (body.across_mm**2 - inside_mm(body) ** 2)
    high = body.high_mm or body.across_mm
    hollow = (body.across_mm - 2 * body.wall_mm) * (high - 2 * body.wall_mm) if body.wall_mm else 0.0
    return body.across_mm * high - hollow


def girth_mm(body: TubeBody) -> float:
    """Once round the outside."""
    return math.pi * body.across_mm if body.section == "round" else 2 * (body.across_mm + (body.high_mm or body.across_mm))


def _quarters_mm(body: TubeBody) -> tuple[float, float, float]:
    girth, high = girth_mm(body), body.high_mm or body.across_mm
    if body.section == "round":
        return (girth / 4, girth / 2, 3 * girth / 4)
    return (high, high + body.across_mm, 2 * high + body.across_mm)


def tube_shape(piece: Piece) -> TubeShape:
    """The shape of a tube piece. Raises InputError, in words, for ends, bends or holes that cannot be made."""
    body = piece.tube
    if body is None:
        raise InputError("tube", "is no tube")
    try:
        bent = bent_tube(body.legs_mm, body.bends, body.across_mm)
    except InputError as refused:
        field = refused.errors[0].field
        raise InputError("legs" if field == "legs_mm" else field, refused.errors[0].message) from None
    start, end = _cut(body, body.start, "start"), _cut(body, body.end, "end")
    blank = bent.straight_mm - start.nearest_mm - end.nearest_mm
    first, last = bent.straights_mm[0] - start.farthest_mm, bent.straights_mm[-1] - end.farthest_mm
    if blank <= 0 or (not body.bends and bent.straight_mm - start.farthest_mm - end.farthest_mm < 0):
        raise InputError("legs", "is too short: its two ends cut into each other")
    if body.bends and min(first, last) < 0:
        raise InputError("legs", f"leaves an end that is cut {-min(first, last):.1f} mm into a bend; make that leg longer")
    holes = _holes(body, bent)
    mean = [sum(y for _, y in cut.outside[:-1]) / max(len(cut.outside) - 1, 1) for cut in (start, end)]
    mass = section_mm2(body) * (bent.straight_mm - sum(mean)) * 1e-9 * DENSITY_KG_M3[piece.material]
    walls = [thinned_wall_mm(body.wall_mm, body.across_mm, b.radius_mm) for b in body.bends]
    shaped = (start.is_shaped and end.is_shaped and start.end.angle_deg != 90.0) or end.end.cut == start.end.cut == "cope"
    twist = (end.end.turn_deg - start.end.turn_deg) % 360.0 if shaped else None
    return TubeShape(
        body.section == "round", girth_mm(body), _quarters_mm(body), blank, bent, start, end, holes, mass, min(walls, default=body.wall_mm or body.across_mm), twist
    )  # fmt: skip


def _cut(body: TubeBody, end: TubeEnd, field: str) -> TubeEndCut:
    """An end worked out; refused by the field in which it is typed."""
    try:
        return _worked_out(body, end)
    except InputError as refused:
        which = {"offset_mm": "offset", "header_od_mm": "onto", "branch_od_mm": "onto"}.get(refused.errors[0].field, "cut")
        raise InputError(f"{field}_{which}", refused.errors[0].message) from None


def _worked_out(body: TubeBody, end: TubeEnd) -> TubeEndCut:
    if body.section == "round":
        edge = end_edge(end, body.across_mm, inside_mm(body), EVERY_DEG)
        round_mm = [math.radians(t) * body.across_mm / 2 for t in edge.turns_deg]
        return TubeEndCut(
            end, tuple(zip(round_mm, edge.outside_mm, strict=True)), tuple(zip(round_mm, edge.inside_mm, strict=True)),
            edge.nearest_mm, edge.farthest_mm,
        )  # fmt: skip
    if end.also:
        raise InputError("cut", "is cut round more than one: a box section is cut round one, the rest is fitted by hand")
    require_end(replace(end, cut="flat") if end.cut == "cope" else end, body.across_mm)
    return _box_cut(body, end)


def _box_cut(body: TubeBody, end: TubeEnd) -> TubeEndCut:
    """A box section's edge from corner to corner, each face straight; coped, each face by its own curve."""
    wide, high = body.across_mm, body.high_mm or body.across_mm
    found: list[tuple[tuple[P2, ...], ...]] = []
    for off in (0.0, body.wall_mm):
        w, h = wide / 2 - off, high / 2 - off
        corners: tuple[P2, ...] = ((w, -h), (w, h), (-w, h), (-w, -h), (w, -h))
        along = [0.0, high, high + wide, 2 * high + wide, 2 * (high + wide)]
        if end.cut == "cope":
            along, corners = _between(along, corners)
        found.append((tuple((x, _plane_mm(end, u, v)) for x, (u, v) in zip(along, corners, strict=True)),))
    outside, inside = found[0][0], found[1][0]
    heights = [y for _, y in outside]
    return TubeEndCut(end, outside, inside if body.wall_mm else (), min(heights), max(heights))


FACE_STEPS = 24


def _between(along: list[float], corners: tuple[P2, ...]) -> tuple[list[float], tuple[P2, ...]]:
    """Places on each face between its corners."""
    shares = [k / FACE_STEPS for k in range(FACE_STEPS)]
    xs = [a + (b - a) * s for a, b in pairwise(along) for s in shares]
    places = [(p[0] + (q[0] - p[0]) * s, p[1] + (q[1] - p[1]) * s) for p, q in pairwise(corners) for s in shares]
    return [*xs, along[-1]], (*places, corners[-1])


def _plane_mm(end: TubeEnd, u: float, v: float) -> float:
    """Where a cut lies along the tube at a place of its section, u towards the seam line, v a quarter turn on."""
    if end.cut == "square":
        return end.gap_mm
    t = math.radians(end.turn_deg)
    tilt = math.radians(end.angle_deg / 2 if end.cut == "mitre" else end.angle_deg)
    reach = 0.0 if end.cut == "mitre" else end.onto_mm / 2
    if end.cut == "cope":
        beside = end.offset_mm - u * math.sin(t) + v * math.cos(t)
        if abs(beside) > reach:
            raise InputError("onto", "stands out beside the tube it meets; its corners reach round it")
        reach = math.sqrt(reach * reach - beside * beside)
    reach += end.gap_mm
    return (reach - (u * math.cos(t) + v * math.sin(t)) * math.cos(tilt)) / math.sin(tilt)


def _holes(body: TubeBody, bent: BentTube) -> tuple[WrappedHole, ...]:
    found = []
    for hole in body.holes:
        if not 0 <= hole.at_mm <= bent.straight_mm:
            raise InputError("holes", f"has {hole.id} at {hole.at_mm:g} mm, beyond the tube's {bent.straight_mm:.1f} mm")
        inside = next(
            (k for k, m in enumerate(bent.marks, 1) if m.begins_mm - hole.hole_mm / 2 < hole.at_mm < m.ends_mm + hole.hole_mm / 2), None
        )
        if inside is not None:
            raise InputError("holes", f"has {hole.id} in bend {inside}; holes are drilled in straight parts")
        if body.section == "box":
            found.append(WrappedHole(hole, _flat_hole(body, hole), False))
            continue
        start = math.radians(hole.turn_deg) * body.across_mm / 2
        for far in (False, True) if hole.both else (False,):
            edge = hole_on_wrap(body.across_mm / 2, hole.hole_mm, hole.slant_deg, far)
            girth = math.pi * body.across_mm
            middle = (start + (girth / 2 if far else 0.0)) % girth
            shift = middle - (girth / 2 if far else 0.0)
            found.append(WrappedHole(hole, tuple((x + shift, hole.at_mm + y) for x, y in edge), far))
    return tuple(found)


def _flat_hole(body: TubeBody, hole: CrossHole) -> tuple[P2, ...]:
    """A hole in a face of a box section: turns of 0, 90, 180 and 270 are its four faces' middles."""
    wide, high = body.across_mm, body.high_mm or body.across_mm
    face = round(hole.turn_deg / 90.0) % 4
    middle = (high / 2, high + wide / 2, high + wide + high / 2, 2 * high + wide + wide / 2)[face]
    r, a = hole.hole_mm / 2, math.radians(hole.slant_deg)
    steps = [2 * math.pi * k / 48 for k in range(48)]
    return tuple((middle + r * math.sin(t), hole.at_mm + r * math.cos(t) / math.sin(a)) for t in steps)
