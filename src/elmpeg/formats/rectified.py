"""A photograph turned into a true picture of one plane, at one scale in both directions."""

from __future__ import annotations

import io
import math
from dataclasses import dataclass

import numpy as np
from PIL import Image

from elmpeg.core.methods.measuring.plane_projection import PlaneProjection

LARGEST_PX = 1600
"""Sides of a laid-out picture; a screen shows no more of it."""
UNPACKED_PX = 2 * LARGEST_PX
REACH = 3.0
"""A picture taken askew runs to its horizon: it is shown as far out as this many times the span of its marks."""


@dataclass(frozen=True, slots=True)
class Laid:
    """A true picture, as JPEG, and what it covers, mm in the view: left, bottom, right, top."""

    data: bytes
    left_mm: float
    bottom_mm: float
    right_mm: float
    top_mm: float


def window_of(projection: PlaneProjection, width_px: int, height_px: int, marks_mm: list[tuple[float, float]]) -> tuple[float, ...]:
    """What a picture covers of its plane: its corners, but never further out than a few times the span of the marks."""
    us, vs = [u for u, _ in marks_mm], [v for _, v in marks_mm]
    span = max(max(us) - min(us), max(vs) - min(vs), 1.0)
    middle = ((max(us) + min(us)) / 2, (max(vs) + min(vs)) / 2)
    edge = [(x, y) for x in np.linspace(0, width_px, 9) for y in (0, height_px)] + [
        (x, y) for y in np.linspace(0, height_px, 9) for x in (0, width_px)
    ]
    seen = [projection.mm(p) for p in edge]
    finite = [p for p in seen if all(math.isfinite(v) for v in p)] or [middle]
    low = [max(min(p[i] for p in finite), middle[i] - REACH * span) for i in (0, 1)]
    high = [min(max(p[i] for p in finite), middle[i] + REACH * span) for i in (0, 1)]
    return (low[0], low[1], high[0], high[1])


def laid_out(picture: bytes, projection: PlaneProjection, marks_mm: list[tuple[float, float]]) -> Laid:
    """The picture as seen square on to its plane."""
    opened = Image.open(io.BytesIO(picture))
    wide, high = opened.size
    # Of a large JPEG only as many points are unpacked as a screen can show of it.
    opened.draft("RGB", (UNPACKED_PX, UNPACKED_PX))
    image = opened if opened.mode == "RGB" else opened.convert("RGB")
    left, bottom, right, top = window_of(projection, wide, high, marks_mm)
    scale = LARGEST_PX / max(right - left, top - bottom)
    width, height = max(1, round((right - left) * scale)), max(1, round((top - bottom) * scale))
    # From a pixel of the new picture to mm, and on to a pixel of the photograph.
    to_mm = np.array([[1 / scale, 0, left], [0, -1 / scale, top], [0, 0, 1]])
    shrunk = np.diag([image.width / wide, image.height / high, 1.0])
    whole = shrunk @ np.array(projection.rows) @ to_mm
    whole = whole / whole[2, 2]
    numbers = tuple(float(v) for v in whole.ravel()[:8])
    true = image.transform((width, height), Image.Transform.PERSPECTIVE, numbers, Image.Resampling.BILINEAR, fillcolor=(251, 249, 243))
    out = io.BytesIO()
    true.save(out, "JPEG", quality=82)
    return Laid(out.getvalue(), left, bottom, right, top)
