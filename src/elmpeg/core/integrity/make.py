"""What must be true of pieces and test strips: figures that a bench can make."""

from __future__ import annotations

import math
from collections.abc import Iterator

from elmpeg.core.build.document import Build
from elmpeg.core.build.pieces import TubeBody, TurnedBody
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM
from elmpeg.core.methods.shapes.outlines import Outline

MOST_CORNERS = 5000
MOST_OWN_HOLES = 500
MOST_REVISIONS = 200
MOST_MEMBERS, MOST_PLATES, MOST_SEAMS, MOST_RUNS = 60, 20, 40, 12
MOST_GAP_MM = 10.0
LEAST_MM = 0.1
"""A bolt, its head or its tool smaller than this is none."""


def piece_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Pieces that cannot be laid out."""
    for i, piece in enumerate(build.pieces):
        at = f"pieces.{i}"
        if not 0 < piece.thick_mm <= LONGEST_MM or piece.margin_mm < 0:
            yield at, "needs a thickness above 0"
        if not 0 <= piece.upper_on_mm <= LONGEST_MM or not all(0 <= h.drill_mm <= LONGEST_MM for h in piece.holes):
            yield at, "is drilled to 0 mm or more, and its upper part stands on 0 mm or more"
        if bool(piece.lower) != bool(piece.upper):
            yield at, "joins a lower and an upper pattern, or neither"
        if piece.radius_mm < 0 or piece.count < 1:
            yield at, "needs a radius of 0 or more and is made at least once"
        for name, outline in (("outline", piece.outline), *((f"cutouts.{k}", c.corners) for k, c in enumerate(piece.cutouts))):
            if not _drawable(outline):
                yield f"{at}.{name}", f"has more than {MOST_CORNERS} corners, or one further than 100 m"
        if max(len(piece.own_holes), len(piece.cutouts)) > MOST_OWN_HOLES or len(piece.revisions) > MOST_REVISIONS:
            yield at, f"has more than {MOST_OWN_HOLES} holes or openings, or more than {MOST_REVISIONS} revisions"
        for k, hole in enumerate(piece.own_holes):
            if not 0 < hole.hole_mm <= LONGEST_MM or not 0 <= hole.slot_mm <= LONGEST_MM or not _near((hole.x_mm, hole.y_mm)):
                yield f"{at}.own_holes.{k}", "needs a size above 0, no further than 100 m"
        for k, bend in enumerate(piece.bends):
            if bend.radius_mm < 0 or not 0 < abs(bend.angle_deg) < 180 or not (_near(bend.a_mm) and _near(bend.b_mm)):
                yield f"{at}.bends.{k}", "turns by more than 0° and less than 180°, with a radius of 0 or more"
        if piece.tube is not None:
            yield from ((f"{at}.tube", said) for said in _tube_problems(piece.tube))
        if piece.between is not None:
            lengths = (
                piece.between.reach_mm,
                piece.between.reach_sd_mm,
                piece.between.needs_mm,
                piece.between.dowel_long_mm,
                piece.between.engaged_mm,
            )
            if not all(math.isfinite(v) and 0 <= v <= LONGEST_MM for v in lengths):
                yield f"{at}.between", "needs lengths of 0 or more"
        if piece.turned is not None:
            yield from ((f"{at}.turned", said) for said in _turned_problems(piece.turned))
        for k, square in enumerate(piece.squares):
            if min(square.x_nominal_mm, square.y_nominal_mm, square.x_mm, square.y_mm) <= 0:
                yield f"{at}.squares.{k}", "needs lengths above 0"
    for i, strip in enumerate(build.strips):
        if min(strip.thick_mm, strip.flat_mm, *strip.flanges_mm) <= 0 or not 0 < strip.angle_deg < 180 or strip.inside_radius_mm < 0:
            yield f"strips.{i}", "needs lengths above 0 and an angle between 0° and 180°"
    if min(build.brake.widest_mm, build.brake.most_thick_mm, build.brake.channel_share) <= 0 or build.brake.least_flange_mm < 0:
        yield "brake", "needs a width, a thickness and a share above 0"


def _tube_problems(body: TubeBody) -> Iterator[str]:
    sizes = (body.across_mm, body.wall_mm, body.high_mm, *body.legs_mm, *(b.radius_mm for b in body.bends))
    if not all(math.isfinite(v) and 0 <= v <= LONGEST_MM for v in sizes) or body.across_mm <= 0 or not any(v > 0 for v in body.legs_mm):
        yield "needs a size and a length above 0, and figures no further than 100 m"
    if 2 * body.wall_mm >= min(body.across_mm, body.high_mm or body.across_mm):
        yield "needs a wall thinner than half of it; leave it 0 for a solid bar"
    if max(len(body.legs_mm), len(body.bends), len(body.holes)) > MOST_OWN_HOLES or len(body.legs_mm) != len(body.bends) + 1:
        yield f"needs one leg more than it has bends, and has at most {MOST_OWN_HOLES}"


def _turned_problems(body: TurnedBody) -> Iterator[str]:
    if any(not 0 < v <= LONGEST_MM for s in body.steps for v in (s.long_mm, s.outside_mm)) or any(
        not 0 < b.bore_mm <= LONGEST_MM or b.deep_mm < 0 for b in body.bores
    ):
        yield "needs lengths and diameters above 0"
    if len(body.steps) + len(body.bores) > MOST_OWN_HOLES:
        yield f"has more than {MOST_OWN_HOLES} steps and bores"


def made_things_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Structures, stands and weldments that cannot be laid out."""
    for i, structure in enumerate(build.structures):
        for k, m in enumerate(structure.members):
            if not 0 < m.across_mm <= LONGEST_MM or not 0 <= 2 * m.wall_mm < m.across_mm:
                yield f"structures.{i}.members.{k}", "needs a size above 0 and a wall thinner than half of it"
        if len(structure.members) > MOST_MEMBERS or not 0 <= structure.gap_mm <= MOST_GAP_MM:
            yield f"structures.{i}", f"has at most {MOST_MEMBERS} members, and a gap of 0 to {MOST_GAP_MM:g} mm"
    for i, stand in enumerate(build.stands):
        for k, bolt in enumerate(stand.bolts):
            tool = (bolt.tool_mm, bolt.tool_long_mm)
            if min(bolt.d_mm, bolt.long_mm, bolt.head_mm) < LEAST_MM or any(0 < v < LEAST_MM or v < 0 for v in tool):
                yield f"stands.{i}.bolts.{k}", f"needs sizes of {LEAST_MM:g} mm or more"
        if len(stand.parts) > MOST_PLATES:
            yield f"stands.{i}", f"has at most {MOST_PLATES} plates"
    for i, weldment in enumerate(build.weldments):
        for k, seam in enumerate(weldment.seams):
            if math.dist(seam.a_mm, seam.b_mm) <= 0 or seam.throat_mm <= 0 or not 1 <= seam.runs <= MOST_RUNS or seam.thick_mm < 0:
                yield f"weldments.{i}.seams.{k}", f"needs two different ends, a throat above 0 and 1 to {MOST_RUNS} runs"
        if len(weldment.seams) > MOST_SEAMS:
            yield f"weldments.{i}", f"has at most {MOST_SEAMS} seams"


def _near(place: tuple[float, float]) -> bool:
    return all(math.isfinite(v) and abs(v) <= LONGEST_MM for v in place)


def _drawable(outline: Outline) -> bool:
    return len(outline) <= MOST_CORNERS and all(_near(c.xy_mm) and abs(c.bulge) <= LONGEST_MM for c in outline)
