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
STRIP_ROWS = 16


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
    wide, high = size_px
    marks = tuple(Mark((float(p[0]), float(p[1])), (float(m[0]), float(m[1]))) for p, m in zip(frame_px, frame_mm, strict=True))
    back = np.linalg.inv(np.array(plane_projection(marks).rows))
    picture = np.vstack([_drawn(outline, holes, frame_mm, back, size_px, rows, seen) for rows in _strips(high)])
    gy, gx = np.linspace(0, 1, high)[:, None], np.linspace(0, 1, wide)[None, :]
    picture *= 1.0 - seen.darker * (0.6 * gx + 0.4 * gy**2)
    picture += np.random.default_rng(seen.seed).normal(0, seen.noise, picture.shape)
    done, data = cv2.imencode(".jpg", np.clip(picture, 0, 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, QUALITY])
    if not done:
        raise ValueError("the picture could not be written")
    return data.tobytes(), marks


def _strips(high: int) -> list[range]:
    """The rows of a picture, a few at a time: the whole of it, drawn so fine, is slower by the memory that it goes through."""
    return [range(top, min(top + STRIP_ROWS, high)) for top in range(0, high, STRIP_ROWS)]


def _drawn(
    outline: Sequence[Flat],
    holes: Sequence[tuple[float, float, float]],
    frame_mm: Sequence[Flat],
    back: Array,
    size_px: tuple[int, int],
    rows: range,
    seen: Bench,
) -> Array:
    """Some rows of the picture before light and noise come to it."""
    (wide, high), fine = size_px, seen.fine
    x = ((np.arange(wide * fine) + 0.5) / fine - 0.5)[None, :]
    y = ((np.arange(rows.start * fine, rows.stop * fine) + 0.5) / fine - 0.5)[:, None]
    if seen.bend:
        cx, cy = wide / 2, high / 2
        r2 = ((x - cx) ** 2 + (y - cy) ** 2) / (cx * cx + cy * cy)
        x, y = cx + (x - cx) * (1 + seen.bend * r2), cy + (y - cy) * (1 + seen.bend * r2)
    u, v, w = (row[0] * x + row[1] * y + row[2] for row in back)
    u, v = u / w, v / w
    inside = _inside(outline, u, v)
    for cx, cy, d in holes:
        if v.min() <= cy + d and v.max() >= cy - d:
            inside &= (u - cx) ** 2 + (v - cy) ** 2 > d * d / 4
    flat = np.where(inside, seen.template, seen.bench)
    if seen.dots:
        for mx, my in frame_mm:
            flat = np.where((u - mx) ** 2 + (v - my) ** 2 < DOT_MM**2, seen.template, flat)
    averaged: Array = flat.reshape(len(rows), fine, wide, fine).mean(axis=(1, 3))
    return averaged


def _inside(outline: Sequence[Flat], u: Array, v: Array) -> NDArray[np.bool_]:
    """Which places lie within an outline: those from which a ray crosses it an odd number of times."""
    found, low, high = np.zeros(u.shape, bool), v.min(), v.max()
    for (x1, y1), (x2, y2) in zip(outline, [*outline[1:], outline[0]], strict=True):
        if y1 == y2 or max(y1, y2) < low or min(y1, y2) > high:
            continue
        crosses = (y1 > v) != (y2 > v)
        found ^= crosses & (u < (x2 - x1) * (v - y1) / (y2 - y1) + x1)
    return found
