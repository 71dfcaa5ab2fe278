"""Photographs of templates that were never taken: drawn in their plane, seen askew, lit unevenly, with a sensor's noise."""

from __future__ import annotations

import cv2
import numpy as np

from elmpeg.core.methods.measuring.plane_projection import Mark, plane_projection

FINE = 3
"""Pictures are drawn so many times as fine and averaged, as a sensor does."""


def photograph(
    outline, holes, corners_px, size_px=(1600, 1200), template=70, bench=190, light=0.35, noise=3.0, seed=1, frame=None, bend=0.0
):
    """A JPEG of a template with holes; the frame's corners (left low, right low, right high, left high, mm) are seen at ``corners_px``.

    ``light`` is how much darker the far corner is, ``bend`` how far a lens pulls the picture's corners inwards, as a share.
    """
    wide, high = size_px
    marks = tuple(Mark(px, at) for px, at in zip(corners_px, frame, strict=True))
    rows = np.array(plane_projection(marks).rows)
    ys, xs = np.mgrid[0 : high * FINE, 0 : wide * FINE]
    x, y = (xs.ravel() + 0.5) / FINE - 0.5, (ys.ravel() + 0.5) / FINE - 0.5
    if bend:
        cx, cy = wide / 2, high / 2
        r2 = ((x - cx) ** 2 + (y - cy) ** 2) / (cx * cx + cy * cy)
        x, y = cx + (x - cx) * (1 + bend * r2), cy + (y - cy) * (1 + bend * r2)
    plane = np.column_stack([x, y, np.ones(x.size)]) @ np.linalg.inv(rows).T
    u, v = plane[:, 0] / plane[:, 2], plane[:, 1] / plane[:, 2]
    inside = _inside(outline, u, v)
    for cx, cy, d in holes:
        inside &= (u - cx) ** 2 + (v - cy) ** 2 > d * d / 4
    flat = np.where(inside, float(template), float(bench)).reshape(high * FINE, wide * FINE)
    picture = flat.reshape(high, FINE, wide, FINE).mean(axis=(1, 3))
    gy, gx = np.mgrid[0 : 1 : high * 1j, 0 : 1 : wide * 1j]
    picture *= 1.0 - light * (0.6 * gx + 0.4 * gy**2)
    picture += np.random.default_rng(seed).normal(0, noise, picture.shape)
    return cv2.imencode(".jpg", np.clip(picture, 0, 255).astype(np.uint8), [cv2.IMWRITE_JPEG_QUALITY, 92])[1].tobytes(), marks


def _inside(outline, u, v):
    found = np.zeros(u.size, bool)
    for (x1, y1), (x2, y2) in zip(outline, [*outline[1:], outline[0]], strict=True):
        if y1 == y2:
            continue
        crosses = (y1 > v) != (y2 > v)
        found ^= crosses & (u < (x2 - x1) * (v - y1) / (y2 - y1) + x1)
    return found
