"""From a photograph to true places: the projection of one plane onto a picture, from places whose coordinates are known.

A camera maps a plane onto its picture by a projection with eight free numbers. Four
places, no three of them in a line, fix it; more are fitted so that the sum of their
squared misses in the picture is least. Two places fix a picture that was taken square
on: it is then only scaled, shifted and turned.

Source: the direct linear transform with normalised places for a start, then Gauss-Newton
steps on the misses in pixels; Hartley and Zisserman, Multiple View Geometry, ch. 4.
"""

from __future__ import annotations

import math
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from elmpeg.core.base.errors import InputError
from elmpeg.core.base.record import record

Matrix = NDArray[np.float64]
Flat = tuple[float, float]
FEWEST = 4
STEPS = 30
SETTLED = 1e-12
IN_LINE_SHARE = 1e-3
"""Of the largest distance among places, how far the third of three must lie off the line of the others."""
HORIZON = 1e-9


@record
class Mark:
    """A place in a picture, pixels right and down, and where it is in the plane, mm right and up."""

    px: Flat
    at_mm: Flat


@record
class PlaneProjection:
    """The projection of a plane onto a picture: rows of the 3 x 3 matrix that takes mm to pixels, and what is left over."""

    rows: tuple[tuple[float, float, float], ...]
    rms_px: float
    misses_px: tuple[float, ...]

    def px(self, at_mm: Flat) -> Flat:
        """Where a place of the plane is in the picture."""
        return _through(np.array(self.rows), at_mm)

    def mm(self, px: Flat) -> Flat:
        """Where a place in the picture is in the plane."""
        return _through(np.linalg.inv(np.array(self.rows)), px)


def plane_projection(marks: tuple[Mark, ...]) -> PlaneProjection:
    """The projection that fits marks best in the picture: two of them square on, or four and more as the camera stood.

    Raises InputError for one or three marks, for two in one place, or where three of the only four lie in a line.
    """
    if len(marks) == 2:
        return _told(_square_on(*marks), marks)
    if len(marks) < FEWEST:
        raise InputError("marks", f"has {len(marks)}; two do for a picture taken square on, four or more for one taken askew")
    for side in ("px", "at_mm"):
        _refuse_in_line([getattr(m, side) for m in marks])
    return _told(_refined(_direct(marks), marks), marks)


CLEARLY = 0.5
"""A suspect's removal must leave at most this share of what the next best removal leaves."""
FEWEST_FOR_SUSPECT = 6


def suspect_mark(marks: tuple[Mark, ...], tolerance_px: float) -> int | None:
    """The one mark, by its number from 0, that spoils a fit: named only of six or more whose rms exceeds the tolerance, where
    its removal brings the rms within it and to at most half of what removing the next best would. None where there is none."""
    if len(marks) < FEWEST_FOR_SUSPECT or plane_projection(marks).rms_px <= tolerance_px:
        return None
    without = []
    for k in range(len(marks)):
        try:
            without.append((plane_projection(marks[:k] + marks[k + 1 :]).rms_px, k))
        except InputError:
            continue
    without.sort()
    if not without or without[0][0] > tolerance_px or (len(without) > 1 and without[0][0] > CLEARLY * without[1][0]):
        return None
    return without[0][1]


def _square_on(a: Mark, b: Mark) -> Matrix:
    """Scaled, turned and shifted only. Pictures count downwards, so the plane is turned over on its way into them."""
    d_mm, d_px = complex(b.at_mm[0] - a.at_mm[0], -(b.at_mm[1] - a.at_mm[1])), complex(b.px[0] - a.px[0], b.px[1] - a.px[1])
    if abs(d_mm) < HORIZON or abs(d_px) < HORIZON:
        raise InputError("marks", "has two at one place; pick two that lie apart")
    turn = d_px / d_mm
    u0, v0 = a.at_mm
    shift = complex(*a.px) - turn * complex(u0, -v0)
    return np.array([[turn.real, turn.imag, shift.real], [turn.imag, -turn.real, shift.imag], [0.0, 0.0, 1.0]])


def _refuse_in_line(places: list[Flat]) -> None:
    largest = max(math.dist(a, b) for a, b in combinations(places, 2))
    if largest < HORIZON:
        raise InputError("marks", "has all at one place")
    if len(places) > FEWEST:
        flat = np.array(places) - np.mean(places, axis=0)
        if np.linalg.svd(flat, compute_uv=False)[-1] < IN_LINE_SHARE * largest:
            raise InputError("marks", "lie all in a line; pick places that span the plane")
        return
    for three in combinations(range(len(places)), 3):
        a, b, c = (places[i] for i in three)
        twice_area = abs((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]))
        if twice_area < IN_LINE_SHARE * largest * max(math.dist(a, b), math.dist(b, c), math.dist(a, c)):
            raise InputError("marks", f"has three in a line ({', '.join(str(i + 1) for i in three)}); of four, no three may be")


def _normalising(places: Matrix) -> Matrix:
    """Takes places to ones about the origin, on average the square root of two away from it."""
    centre = places.mean(axis=0)
    scale = math.sqrt(2) / max(np.linalg.norm(places - centre, axis=1).mean(), HORIZON)
    return np.array([[scale, 0, -scale * centre[0]], [0, scale, -scale * centre[1]], [0, 0, 1]])


def _direct(marks: tuple[Mark, ...]) -> Matrix:
    mm, px = np.array([m.at_mm for m in marks]), np.array([m.px for m in marks])
    t_mm, t_px = _normalising(mm), _normalising(px)
    rows = []
    for (u, v), (x, y) in zip(_applied(t_mm, mm), _applied(t_px, px), strict=True):
        rows += [[u, v, 1, 0, 0, 0, -x * u, -x * v, -x], [0, 0, 0, u, v, 1, -y * u, -y * v, -y]]
    h = np.linalg.svd(np.array(rows))[2][-1].reshape(3, 3)
    found: Matrix = np.linalg.inv(t_px) @ h @ t_mm
    if abs(found[2, 2]) < HORIZON:
        raise InputError("marks", "would put the datum on the picture's horizon; pick other places")
    scaled: Matrix = found / found[2, 2]
    return scaled


def _refined(start: Matrix, marks: tuple[Mark, ...]) -> Matrix:
    """Gauss-Newton on the misses in pixels, the last number of the matrix held at 1, in normalised places of the plane."""
    mm, px = np.array([m.at_mm for m in marks]), np.array([m.px for m in marks])
    t = _normalising(mm)
    h = start @ np.linalg.inv(t)
    h, flat = h / h[2, 2], _applied(t, mm)
    for _ in range(STEPS):
        w = h[2, 0] * flat[:, 0] + h[2, 1] * flat[:, 1] + 1.0
        got = _applied(h, flat)
        miss = (px - got).ravel()
        slopes = np.zeros((2 * len(marks), 8))
        for k, ((u, v), (x, y), d) in enumerate(zip(flat, got, w, strict=True)):
            slopes[2 * k, :3] = np.array([u, v, 1]) / d
            slopes[2 * k + 1, 3:6] = np.array([u, v, 1]) / d
            slopes[2 * k, 6:] = -x * np.array([u, v]) / d
            slopes[2 * k + 1, 6:] = -y * np.array([u, v]) / d
        step = np.linalg.lstsq(slopes, miss, rcond=None)[0]
        h = h + np.append(step, 0.0).reshape(3, 3)
        if np.abs(step).max() < SETTLED * max(1.0, np.abs(h).max()):
            break
    found: Matrix = h @ t
    scaled: Matrix = found / found[2, 2]
    return scaled


def _applied(matrix: Matrix, places: Matrix) -> Matrix:
    full = np.column_stack((places, np.ones(len(places)))) @ matrix.T
    found: Matrix = full[:, :2] / full[:, 2:3]
    return found


def _through(matrix: Matrix, place: Flat) -> Flat:
    x, y, w = matrix @ np.array([place[0], place[1], 1.0])
    return (float(x / w), float(y / w))


def _told(matrix: Matrix, marks: tuple[Mark, ...]) -> PlaneProjection:
    misses = [math.dist(_through(matrix, m.at_mm), m.px) for m in marks]
    rms = math.sqrt(sum(d * d for d in misses) / len(misses))
    return PlaneProjection(tuple(tuple(float(v) for v in row) for row in matrix), rms, tuple(misses))  # type: ignore[misc]
