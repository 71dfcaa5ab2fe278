"""What must be true of pieces and test strips: figures that a bench can make."""

from __future__ import annotations

import math
from collections.abc import Iterator

from elmpeg.core.build.document import Build
from elmpeg.core.build.pieces import TubeBody, TurnedBody
from elmpeg.core.build.stands import LEAST_MM
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM
from elmpeg.core.methods.shapes.outlines import Outline

MOST_CORNERS = 5000
MOST_OWN_HOLES = 500
MOST_REVISIONS = 200
MOST_MEMBERS, MOST_PLATES, MOST_SEAMS = 60, 20, 40


def piece_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Pieces that cannot be laid out."""
    for i, piece in enumerate(build.pieces):
        at = f"pieces.{i}"
        for field in ("thick_mm", "upper_on_mm"):
            if getattr(piece, field) > LONGEST_MM:
                yield f"{at}.{field}", "is more than 100 m; check the unit"
        if bool(piece.lower) != bool(piece.upper):
            yield at, "joins a lower and an upper pattern, or neither"
        for name, outline in (("outline", piece.outline), *((f"cutouts.{k}", c.corners) for k, c in enumerate(piece.cutouts))):
            if not _drawable(outline):
                yield f"{at}.{name}", f"has more than {MOST_CORNERS} corners, or one further than 100 m"
        if max(len(piece.own_holes), len(piece.cutouts)) > MOST_OWN_HOLES or len(piece.revisions) > MOST_REVISIONS:
            yield at, f"has more than {MOST_OWN_HOLES} holes or openings, or more than {MOST_REVISIONS} revisions"
        for k, hole in enumerate(piece.own_holes):
            if max(hole.hole_mm, hole.slot_mm) > LONGEST_MM or not _near((hole.x_mm, hole.y_mm)):
                yield f"{at}.own_holes.{k}", "is larger or further than 100 m; check the unit"
        for k, bend in enumerate(piece.bends):
            if not 0 < abs(bend.angle_deg) < 180 or not (_near(bend.a_mm) and _near(bend.b_mm)):
                yield f"{at}.bends.{k}", "turns by more than 0° and less than 180°"
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
            if not all(math.isfinite(v) and v <= LONGEST_MM for v in lengths):
                yield f"{at}.between", "has a length of more than 100 m; check the unit"
        if piece.turned is not None:
            yield from ((f"{at}.turned", said) for said in _turned_problems(piece.turned))


def _tube_problems(body: TubeBody) -> Iterator[str]:
    sizes = (body.across_mm, body.wall_mm, body.high_mm, *body.legs_mm, *(b.radius_mm for b in body.bends))
    if not all(math.isfinite(v) and 0 <= v <= LONGEST_MM for v in sizes) or not any(v > 0 for v in body.legs_mm):
        yield "needs a length above 0, and figures no further than 100 m"
    if 2 * body.wall_mm >= min(body.across_mm, body.high_mm or body.across_mm):
        yield "needs a wall thinner than half of it; leave it 0 for a solid bar"
    if max(len(body.legs_mm), len(body.bends), len(body.holes)) > MOST_OWN_HOLES or len(body.legs_mm) != len(body.bends) + 1:
        yield f"needs one leg more than it has bends, and has at most {MOST_OWN_HOLES}"


def _turned_problems(body: TurnedBody) -> Iterator[str]:
    if any(v > LONGEST_MM for s in body.steps for v in (s.long_mm, s.outside_mm)) or any(b.bore_mm > LONGEST_MM for b in body.bores):
        yield "has a length or a diameter of more than 100 m; check the unit"
    if len(body.steps) + len(body.bores) > MOST_OWN_HOLES:
        yield f"has more than {MOST_OWN_HOLES} steps and bores"


def made_things_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Structures, stands and weldments that cannot be laid out."""
    for i, structure in enumerate(build.structures):
        for k, m in enumerate(structure.members):
            if m.across_mm > LONGEST_MM or not 2 * m.wall_mm < m.across_mm:
                yield f"structures.{i}.members.{k}.wall_mm", "is thinner than half of the tube"
        if len(structure.members) > MOST_MEMBERS:
            yield f"structures.{i}", f"has at most {MOST_MEMBERS} members"
    for i, stand in enumerate(build.stands):
        for k, bolt in enumerate(stand.bolts):
            if any(v and v < LEAST_MM for v in (bolt.tool_mm, bolt.tool_long_mm)):
                yield f"stands.{i}.bolts.{k}.tool_mm", f"must be 0 for no tool, or at least {LEAST_MM:g} mm"
        for k, joint in enumerate(stand.joints):
            if not joint.tabs:
                yield f"stands.{i}.joints.{k}.tabs", "has none; a joint has one at least"
        if len(stand.parts) > MOST_PLATES:
            yield f"stands.{i}", f"has at most {MOST_PLATES} plates"
    for i, weldment in enumerate(build.weldments):
        for k, seam in enumerate(weldment.seams):
            if math.dist(seam.a_mm, seam.b_mm) <= 0:
                yield f"weldments.{i}.seams.{k}", "needs two different ends"
        if len(weldment.seams) > MOST_SEAMS:
            yield f"weldments.{i}", f"has at most {MOST_SEAMS} seams"


def _near(place: tuple[float, float]) -> bool:
    return all(math.isfinite(v) and abs(v) <= LONGEST_MM for v in place)


def _drawable(outline: Outline) -> bool:
    return len(outline) <= MOST_CORNERS and all(_near(c.xy_mm) and abs(c.bulge) <= LONGEST_MM for c in outline)
