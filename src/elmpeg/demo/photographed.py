"""Photographs of templates that were never taken: drawn in their plane, seen askew, lit unevenly, with a sensor's noise."""

from __future__ import annotations

from collections.abc import Sequence

import cv2
import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.record import record
from elmpeg.core.methods.measuring.plane_projection import Mark, plane_projection

Flat = tuple[float, float]
Array = NDArray[np.float64]
FINE = 3
"""Pictures are drawn so many times as fine and averaged, as a sensor does."""
QUALITY = 92
DOT_MM = 2.5


@record
class Bench:
    """How a template is seen: brightness of template and bench, how much darker the far corner is, the sensor's noise, and how
    far the lens pulls the picture's corners inwards, as a share."""

    template: float = 70.0
    bench: float = 190.0
    darker: float = 0.35
    noise: float = 3.0
    bend: float = 0.0
    seed: int = 1
    dots: bool = False
    fine: int = FINE


IN_GOOD_LIGHT = Bench()


def photograph(
    outline: Sequence[Flat],
    holes: Sequence[tuple[float, float, float]],
    frame_mm: Sequence[Flat],
    frame_px: Sequence[Flat],
    size_px: tuple[int, int] = (1600, 1200),
    seen: Bench = IN_GOOD_LIGHT,
) -> tuple[bytes, tuple[Mark, ...]]:
    """A JPEG of a template with round holes (x, y, size), and its marks: the frame's places in the plane and in the picture."""
    (wide, high), fine = size_px, seen.fine
    marks = tuple(Mark((float(p[0]), float(p[1])), (float(m[0]), float(m[1]))) for p, m in zip(frame_px, frame_mm, strict=True))
    ys, xs = np.mgrid[0 : high * fine, 0 : wide * fine].astype(np.float64)
    x, y = (xs.ravel() + 0.5) / fine - 0.5, (ys.ravel() + 0.5) / fine - 0.5
    if seen.bend:
        cx, cy = wide / 2, high / 2
        r2 = ((x - cx) ** 2 + (y - cy) ** 2) / (cx * cx + cy * cy)
        x, y = cx + (x - cx) * (1 + seen.bend * r2), cy + (y - cy) * (1 + seen.bend * r2)
    back = np.linalg.inv(np.array(plane_projection(marks).rows))
    u, v, w = (row[0] * x + row[1] * y + row[2] for row in back)
    u, v = u / w, v / w
    inside = _inside(outline, u, v)
    for cx, cy, d in holes:
        inside &= (u - cx) ** 2 + (v - cy) ** 2 > d * d / 4
    flat = np.where(inside, seen.template, seen.bench)
    if seen.dots:
        for mx, my in frame_mm:
            flat = np.where((u - mx) ** 2 + (v - my) ** 2 < DOT_MM**2, seen.template, flat)
    picture = flat.reshape(high, fine, wide, fine).mean(axis=(1, 3))
    gy, gx = np.mgrid[0 : 1 : high * 1j, 0 : 1 : wide * 1j]
    picture *= 1.0 - seen.darker * (0.6 * gx + 0.4 * gy**2)
    picture += np.random.default_rng(seen.seed).normal(0, seen.noise, picture.shape)
    done, data = cv2.imencode(".jpg", np.clip(picture, 0, 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
    if not done:
        raise ValueError("the picture could not be written")
    return data.tobytes(), marks


def _inside(outline: Sequence[Flat], u: Array, v: Array) -> NDArray[np.bool_]:
    """Which places lie within an outline: those from which a ray crosses it an odd number of times."""
    found = np.zeros(u.size, bool)
    for (x1, y1), (x2, y2) in zip(outline, [*outline[1:], outline[0]], strict=True):
        if y1 == y2:
            continue
        crosses = (y1 > v) != (y2 > v)
        found ^= crosses & (u < (x2 - x1) * (v - y1) / (y2 - y1) + x1)
    return found
