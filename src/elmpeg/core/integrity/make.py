"""What must be true of pieces and test strips: figures that a bench can make."""

from __future__ import annotations

import math
from collections.abc import Iterator

from elmpeg.core.build.document import Build
from elmpeg.core.methods.measuring.typed_figures import LONGEST_MM
from elmpeg.core.methods.shapes.outlines import Outline

MOST_CORNERS = 5000
MOST_OWN_HOLES = 500
MOST_REVISIONS = 200


def piece_problems(build: Build) -> Iterator[tuple[str, str]]:
    """Pieces that cannot be laid out."""
    for i, piece in enumerate(build.pieces):
        at = f"pieces.{i}"
        if not 0 < piece.thick_mm <= LONGEST_MM or piece.margin_mm < 0:
            yield at, "needs a thickness above 0"
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
        for k, square in enumerate(piece.squares):
            if min(square.x_nominal_mm, square.y_nominal_mm, square.x_mm, square.y_mm) <= 0:
                yield f"{at}.squares.{k}", "needs lengths above 0"
    for i, strip in enumerate(build.strips):
        if min(strip.thick_mm, strip.flat_mm, *strip.flanges_mm) <= 0 or not 0 < strip.angle_deg < 180 or strip.inside_radius_mm < 0:
            yield f"strips.{i}", "needs lengths above 0 and an angle between 0° and 180°"
    if min(build.brake.widest_mm, build.brake.most_thick_mm, build.brake.channel_share) <= 0 or build.brake.least_flange_mm < 0:
        yield "brake", "needs a width, a thickness and a share above 0"


def _near(place: tuple[float, float]) -> bool:
    return all(math.isfinite(v) and abs(v) <= LONGEST_MM for v in place)


def _drawable(outline: Outline) -> bool:
    return len(outline) <= MOST_CORNERS and all(_near(c.xy_mm) and abs(c.bulge) <= LONGEST_MM for c in outline)
